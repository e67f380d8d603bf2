package phrase

import (
	"fmt"
	"slices"
	"strings"

	"urbo/core/run"
)

// slots is what the slots of a pattern took. It is copied where it changes.
type slots struct {
	things  []thing
	place   *thing
	but     []thing
	control string // as it was said
	value   *value
	amount  int
	compare string
	key     string
	times   int
	ref     Named
	all     bool
	cost    int
}

// value is what a control is to be at, as it was said.
type value struct {
	name   string // of a choice
	number float64
	is     bool // it is a number
	signed bool
	unit   string
	most   bool
	least  bool
	part   bool // half: a number of percent
}

// nameAt is a place where names of a sort are looked for.
type nameAt struct {
	at   int
	sort sort
}

// namesOf are the names of a sort that begin at a word: each place is looked at once.
func (m *matcher) namesOf(at int, sort sort) []found {
	key := nameAt{at, sort}
	all, is := m.names[key]
	if !is {
		all = m.namesAt(m.all, at, sort)
		if m.names == nil {
			m.names = map[nameAt][]found{}
		}
		m.names[key] = all
	}
	return all
}

// mostLooks bounds the work on one phrase: it is worth some milliseconds.
const mostLooks = 400_000

// matcher looks for the patterns of a language in words.
type matcher struct {
	*Grammar
	sees   Sees
	all    []word
	looks  int
	far    int     // the furthest word that was looked at, and did not fit
	before []thing // what "it" is
	why    error   // that a value is out of bounds
	names  map[nameAt][]found
}

// rest goes on behind a place, with what was taken.
type rest func(at int, s slots)

// skip calls do at a place, and behind the fillers that stand there.
func (m *matcher) skip(at int, do func(at int)) {
	for {
		do(at)
		if at >= len(m.all) || !m.language.fillers[m.all[at].text] {
			return
		}
		at++
	}
}

// nodes matches what stands one after another.
func (m *matcher) nodes(all []node, at int, s slots, then rest) {
	if m.looks++; m.looks > mostLooks {
		return
	}
	if len(all) == 0 {
		then(at, s)
		return
	}
	next := func(at int, s slots) { m.nodes(all[1:], at, s, then) }
	switch n := all[0]; {
	case n.word != "":
		m.skip(at, func(at int) {
			if at < len(m.all) && m.all[at].text == n.word {
				next(at+1, s)
			} else {
				m.far = max(m.far, at)
			}
		})
	case n.slot != "":
		m.slot(n.slot, at, s, next)
	case n.all != nil:
		m.nodes(n.all, at, s, next)
	default:
		for _, one := range n.any {
			m.nodes(one, at, s, next)
		}
		if n.may {
			next(at, s)
		}
	}
}

// slot matches what a slot takes, in all ways.
func (m *matcher) slot(name string, at int, s slots, then rest) {
	if m.looks++; m.looks > mostLooks {
		return
	}
	switch name {
	case "things":
		m.things(at, s, then)
	case "place":
		m.named(at, ofThing, func(f found) {
			if t := f.things[0]; len(f.things) == 1 && t.device < 0 {
				s.place, s.cost = &t, f.cost
				if !f.place {
					s.cost++
				}
				then(f.end, s)
			}
		})
	case "all":
		for _, said := range [][]string{{"everything", "else"}, {"everything"}, {"all", "the", "devices"},
			{"all", "devices"}, {"every", "device"}, {"all", "of", "it"}, {"the", "whole", "house"}, {"all"}} {
			if m.stands(at, said) {
				s.all = true
				then(at+len(said), s)
			}
		}
	case "but":
		for _, said := range [][]string{{"but"}, {"except"}, {"except", "for"}, {"apart", "from"}, {"but", "not"}} {
			if m.stands(at, said) {
				before := s.things
				s.things = nil
				m.things(at+len(said), s, func(at int, s slots) {
					s.but, s.things = s.things, before
					then(at, s)
				})
			}
		}
	case "control":
		m.named(at, ofControl, func(f found) {
			s.control = f.name
			then(f.end, s)
		})
	case "key":
		m.named(at, ofKey, func(f found) {
			s.key = f.name
			then(f.end, s)
		})
	case "occasion", "sequence", "errand":
		m.named(at, sort(name), func(f found) {
			if m.sees == nil || m.sees(run.Kind(f.sort), f.ref.ID) {
				s.ref = f.ref
				s.cost += f.cost
				then(f.end, s)
				s.cost -= f.cost
			}
		})
	case "value":
		m.value(at, s, then)
	case "part":
		m.part(at, s, then)
	case "few":
		for _, n := range numberAt(m.all, at) {
			if n.value >= 1 && n.value <= mostFew && n.value == float64(int(n.value)) && !n.digits && !n.signed {
				s.amount = int(n.value)
				then(n.end, s)
			}
		}
	case "count":
		for _, n := range numberAt(m.all, at) {
			if n.value >= 1 && n.value <= 1000 && n.value == float64(int(n.value)) && !n.digits {
				s.amount = int(n.value)
				then(m.unit(n.end, "%", "°C"), s)
			}
		}
	case "amount":
		m.amount(at, s, then)
	case "compare":
		m.listed(at, len(m.language.compares), func(said string) bool { _, is := m.language.compares[said]; return is },
			func(said string, end int) {
				s.compare = said
				then(end, s)
			})
	case "times":
		m.times(at, s, then)
	}
}

// named calls do for each name of a sort that stands at a place, or behind fillers.
func (m *matcher) named(at int, sort sort, do func(found)) {
	m.skip(at, func(at int) {
		all := m.namesOf(at, sort)
		if len(all) == 0 {
			m.far = max(m.far, at)
		}
		for _, f := range all {
			do(f)
		}
	})
}

// stands says whether some words stand at a place.
func (m *matcher) stands(at int, words []string) bool {
	if at+len(words) > len(m.all) {
		m.far = max(m.far, at)
		return false
	}
	for i, w := range words {
		if m.all[at+i].text != w {
			m.far = max(m.far, at+i)
			return false
		}
	}
	return true
}

// listed calls do for each text of a list that stands at a place, of up to five words, the longest first.
func (m *matcher) listed(at, size int, is func(string) bool, do func(said string, end int)) {
	if size == 0 {
		return
	}
	m.skip(at, func(at int) {
		for n := min(5, len(m.all)-at); n > 0; n-- {
			if said := m.said(at, at+n); is(said) {
				do(said, at+n)
			}
		}
		m.far = max(m.far, at)
	})
}

// said is some words as a text.
func (m *matcher) said(from, to int) string {
	words := make([]string, 0, to-from)
	for _, w := range m.all[from:to] {
		words = append(words, w.text)
	}
	return strings.Join(words, " ")
}

// mostFew is the most steps that a number without "by" or "steps" stands for: more may be a value.
const mostFew = 10

// mostThings is how many things one phrase may name one after another.
const mostThings = 12

// things matches names with "and" or a comma between them, each perhaps in a room.
func (m *matcher) things(at int, s slots, then rest) {
	if at < len(m.all) && len(m.before) > 0 && len(s.things) == 0 && slices.Contains([]string{"it", "them", "that",
		"those"}, m.all[at].text) {
		it := s
		it.things = m.before
		then(at+1, it)
	}
	m.named(at, ofThing, func(f found) {
		if f.many {
			m.why = fmt.Errorf("%d things are called %q: say which one", len(f.things), strings.Join(f.words, " "))
			return
		}
		took := s
		took.cost += f.cost
		all := m.visible(f.things)
		if len(all) == 0 {
			return
		}
		took.things = append(slices.Clip(s.things), all...)
		m.more(f.end, took, then)
		m.in(f.end, func(end int, place thing, cost int) {
			inside := slices.DeleteFunc(slices.Clone(all), func(t thing) bool {
				return t.device < 0 || !slices.Contains(place.members, t.device)
			})
			if len(inside) > 0 {
				near := s
				near.cost += f.cost + cost
				if len(inside) < len(all) || f.cost > 0 {
					near.cost = s.cost + cost // the place says which
				}
				near.things = append(slices.Clip(s.things), inside...)
				m.more(end, near, then)
			}
		})
	})
}

// more goes on behind a name, also with another one.
func (m *matcher) more(at int, s slots, then rest) {
	then(at, s)
	if len(s.things) >= mostThings || at >= len(m.all) {
		return
	}
	next := at
	if m.all[next].text == "," {
		next++
	}
	if next < len(m.all) && m.all[next].text == "and" {
		next++
	}
	if next > at {
		m.things(next, s, then)
	}
}

// in matches "in the dome".
func (m *matcher) in(at int, do func(end int, place thing, cost int)) {
	switch {
	case at >= len(m.all):
		return
	case slices.Contains([]string{"in", "at", "of", "from", "inside"}, m.all[at].text):
		at++
	case !slices.Contains([]string{"outside", "upstairs", "downstairs"}, m.all[at].text):
		return
	}
	m.named(at, ofThing, func(f found) {
		if t := f.things[0]; len(f.things) == 1 && t.device < 0 && f.place {
			do(f.end, t, f.cost)
		}
	})
}

// visible are the things that the speaker sees. A group or room is seen where any of it is.
func (m *matcher) visible(all []thing) []thing {
	if m.sees == nil {
		return all
	}
	return slices.DeleteFunc(slices.Clone(all), func(t thing) bool {
		if t.device >= 0 {
			return !m.sees(run.Device, t.ID)
		}
		return !slices.ContainsFunc(t.members, func(i int) bool { return m.sees(run.Device, m.house.Devices[i].ID) })
	})
}

// value matches a number with or without its unit, a choice, or a word such as half or full.
func (m *matcher) value(at int, s slots, then rest) {
	m.skip(at, func(at int) {
		for _, n := range numberAt(m.all, at) {
			v := &value{number: n.value, is: true, signed: n.signed}
			took := s
			took.value = v
			if end := m.unit(n.end, "%", "°C"); end > n.end {
				with := *v
				with.unit = m.language.units[m.said(n.end, end)]
				took.value = &with
				then(end, took)
				continue
			}
			if n.digits {
				took.cost++
			}
			then(n.end, took)
		}
	})
	m.named(at, ofValue, func(f found) {
		took := s
		took.value, took.cost = &value{name: f.name}, s.cost+f.cost
		then(f.end, took)
	})
	m.part(at, s, then)
	for i, list := range [][]string{m.language.most, m.language.least} {
		m.listed(at, len(list), func(said string) bool { return slices.Contains(list, said) },
			func(_ string, end int) {
				took := s
				took.value = &value{most: i == 0, least: i == 1}
				then(end, took)
			})
	}
}

// part matches half, a quarter, or a number of percent.
func (m *matcher) part(at int, s slots, then rest) {
	m.listed(at, len(m.language.parts), func(said string) bool { _, is := m.language.parts[said]; return is },
		func(said string, end int) {
			took := s
			took.value = &value{number: float64(m.language.parts[said]), is: true, unit: "%", part: true}
			then(end, took)
		})
	m.skip(at, func(at int) {
		for _, n := range numberAt(m.all, at) {
			if end := m.unit(n.end, "%"); end > n.end {
				took := s
				took.value = &value{number: n.value, is: true, unit: "%", signed: n.signed}
				then(end, took)
			}
		}
	})
}

// unit is where one of some units ends that stands at a place; the place itself where none does.
func (m *matcher) unit(at int, units ...string) int {
	for n := min(2, len(m.all)-at); n > 0; n-- {
		if u, is := m.language.units[m.said(at, at+n)]; is && slices.Contains(units, u) {
			return at + n
		}
	}
	return at
}

// amount matches "by three", "three steps" or "a bit".
func (m *matcher) amount(at int, s slots, then rest) {
	m.listed(at, len(m.language.amounts), func(said string) bool { _, is := m.language.amounts[said]; return is },
		func(said string, end int) {
			took := s
			took.amount = m.language.amounts[said]
			then(end, took)
		})
	m.skip(at, func(at int) {
		by := at < len(m.all) && m.all[at].text == "by"
		if by {
			at++
		}
		for _, n := range numberAt(m.all, at) {
			end := m.unit(n.end, "%", "°C")
			steps := end < len(m.all) && slices.Contains([]string{"step", "steps", "notch", "notches", "times"},
				m.all[end].text)
			if steps {
				end++
			}
			if n.value >= 1 && n.value <= 1000 && n.value == float64(int(n.value)) && (by || steps || end > n.end) &&
				!n.digits {
				took := s
				took.amount = int(n.value)
				then(end, took)
			}
		}
	})
}

// times matches "twice" and "three times".
func (m *matcher) times(at int, s slots, then rest) {
	for said, n := range map[string]int{"once": 1, "twice": 2, "thrice": 3} {
		if m.stands(at, []string{said}) {
			s.times = n
			then(at+1, s)
			return
		}
	}
	for _, n := range numberAt(m.all, at) {
		if n.end < len(m.all) && singular(m.all[n.end].text) == "time" && n.value >= 1 && n.value <= 20 &&
			n.value == float64(int(n.value)) {
			s.times = int(n.value)
			then(n.end+1, s)
		}
	}
}
