package phrase

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/moment"
	"urbo/core/run"
)

// ErrPhrase is wrapped where a phrase is not understood: the text says which word, or what to say instead.
var ErrPhrase = fault.New(fault.Invalid, "phrase")

// Bounds of a phrase.
const (
	// MaxText is the longest phrase, in bytes.
	MaxText = 500
	// MaxWords is the most words.
	MaxWords = 60
	// mostChoices is how many things a question offers.
	mostChoices = 6
	// mostParts is how many parts a phrase may have, with "and" or "then" between them.
	mostParts = 8
	// mostWays is how many ways to take a part are looked at.
	mostWays = 40
)

// Does is what a phrase asks for.
type Does string

// What a phrase can ask for.
const (
	Steps     Does = "steps"
	RunErrand Does = "errand"
	Again     Does = "again" // what was said before
	Undo      Does = "undo"  // what was set last is set back
)

// Meaning is what a phrase means.
type Meaning struct {
	Does   Does
	Steps  []run.Step
	Errand Named
	Words  string // for people
}

// Question is what is asked back, with what may be meant.
type Question struct {
	Text    string
	Choices []Meaning
}

// Sees says whether the speaker sees a device, an occasion, a sequence or an errand, by its id. Nil sees everything.
type Sees func(kind run.Kind, id string) bool

// Understand understands a phrase. Exactly one of a meaning, a question and an error comes back; the error wraps
// ErrPhrase.
func (g *Grammar) Understand(text string, sees Sees) (*Meaning, *Question, error) {
	if len(text) > MaxText {
		return nil, nil, fmt.Errorf("%w: it has %d bytes, the most is %d: say it shorter", ErrPhrase, len(text),
			MaxText)
	}
	all := split(text)
	if len(all) > MaxWords {
		return nil, nil, fmt.Errorf("%w: it has %d words, the most is %d: say it in parts", ErrPhrase, len(all),
			MaxWords)
	}
	all = g.bare(all)
	if len(all) == 0 {
		return nil, nil, fmt.Errorf(`%w: nothing is said: say what is to be done, such as "boardwalk lights on"`,
			ErrPhrase)
	}
	u := &understanding{Grammar: g, sees: sees, budget: mostLooks, known: map[string][]way{}}
	switch meant := u.meanings(all); {
	case u.budget <= 0:
		return nil, nil, fmt.Errorf("%w: it can be taken in too many ways: say it shorter", ErrPhrase)
	case len(meant) == 1:
		return &meant[0], nil, nil
	case len(meant) > 1:
		return nil, ask(meant), nil
	}
	if q := u.nearly(all); q != nil {
		return nil, q, nil
	}
	if q := u.onlyNamed(all); q != nil {
		return nil, q, nil
	}
	return nil, nil, u.unknown(all)
}

// bare takes away what is said for politeness at both ends.
func (g *Grammar) bare(all []word) []word {
	is := func(from int, words []string) bool {
		if from < 0 || from+len(words) > len(all) {
			return false
		}
		for i, w := range words {
			if all[from+i].text != w {
				return false
			}
		}
		return true
	}
	isSign := func(w word) bool { return w.text == "," || w.text == ";" }
	for again := true; again && len(all) > 0; {
		again = false
		for len(all) > 0 && isSign(all[0]) {
			all = all[1:]
		}
		for len(all) > 0 && isSign(all[len(all)-1]) {
			all = all[:len(all)-1]
		}
		for _, l := range g.language.leads {
			if is(0, l) && len(l) < len(all) {
				all, again = all[len(l):], true
			}
		}
		for _, l := range g.language.trails {
			if from := len(all) - len(l); from > 0 && is(from, l) {
				all, again = all[:from], true
			}
		}
	}
	return all
}

// way is one way to take a part of a phrase.
type way struct {
	meaning
	parts int // how many are joined in it
}

// understanding is the work on one phrase.
type understanding struct {
	*Grammar
	sees   Sees
	budget int
	stuck  int // how many words were left where the patterns that came furthest did not go on
	known  map[string][]way
	why    error // that a value is out of bounds
}

// meanings are the cheapest ways to take a phrase that are not the same.
func (u *understanding) meanings(all []word) (out []Meaning) {
	u.stuck = len(all)
	ways := u.timed(all)
	least := -1
	for _, w := range ways {
		if least < 0 || w.cost < least {
			least = w.cost
		}
	}
	seen := map[string]bool{}
	for _, w := range ways {
		if w.cost > least {
			continue
		}
		m := Meaning{Does: cmp.Or(w.does, Steps), Steps: w.steps, Errand: w.errand}
		key, err := json.Marshal(m)
		if err != nil || seen[string(key)] || m.Does == Steps && (run.Check(m.Steps) != nil || opposed(m.Steps)) {
			continue
		}
		seen[string(key)] = true
		m.Words = u.words(m)
		out = append(out, m)
	}
	return out
}

// opposed says whether steps set a control to one thing and then, without a wait, to another: on and off.
func opposed(steps []run.Step) bool {
	type path struct{ id, control string }
	at := map[path]string{}
	for _, s := range steps {
		if s.Wait != nil {
			clear(at)
		}
		if s.Set == nil {
			continue
		}
		for _, c := range s.Set.Changes {
			p := path{c.On.ID, c.Control}
			if was, is := at[p]; is && was != c.Value {
				return true
			}
			at[p] = c.Value
		}
	}
	return false
}

// timed takes a phrase that may say when: in ten minutes, at 22:30.
func (u *understanding) timed(all []word) []way {
	out := u.joined(all, nil)
	if wait, end := waitAt(all, 0); wait != nil && end < len(all) {
		rest := all[end:]
		for len(rest) > 0 && (rest[0].text == "," || rest[0].text == "then") {
			rest = rest[1:]
		}
		out = append(out, later(u.joined(rest, nil), *wait, false)...)
	}
	for from := 1; from < len(all); from++ {
		if wait, end := waitAt(all, from); wait != nil && end == len(all) {
			ways := u.joined(all[:from], nil)
			out = append(out, later(ways, *wait, false)...)
			out = append(out, later(slices.DeleteFunc(slices.Clone(ways), func(w way) bool { return w.parts < 2 }),
				*wait,
				true)...)
		}
	}
	return out
}

// later lets ways begin after a wait; with last, only the last part of them.
func later(all []way, wait run.Wait, last bool) (out []way) {
	for _, w := range all {
		if w.does != "" && w.does != Steps || len(w.steps) == 0 {
			continue
		}
		at := 0
		if last {
			at = len(w.steps) - 1
		}
		w.steps = slices.Insert(slices.Clone(w.steps), at, run.Step{Wait: &wait})
		out = append(out, w)
	}
	return out
}

// waitAt reads "in ten minutes", "after an hour", "ten minutes from now" or "at 22:30".
func waitAt(all []word, at int) (*run.Wait, int) {
	switch all[at].text {
	case "in", "after":
		if d, end := spanAt(all, at+1); end > at+1 && d > 0 {
			if end+1 < len(all) && all[end].text == "from" && all[end+1].text == "now" {
				end += 2
			}
			return &run.Wait{For: d}, end
		}
	case "at":
		if c, end := clockAt(all, at+1); end > at+1 {
			return &run.Wait{Point: &moment.Point{Clock: c}}, end
		}
	default:
		if d, end := spanAt(all, at); end > at && d > 0 && end+1 < len(all) && (all[end].text == "from" &&
			all[end+1].text == "now") {
			return &run.Wait{For: d}, end + 2
		} else if end > at && d > 0 && end < len(all) && all[end].text == "later" {
			return &run.Wait{For: d}, end + 1
		}
	}
	return nil, at
}

// clockAt reads a time of day: 22:30, 7 am, noon.
func clockAt(all []word, at int) (moment.Clock, int) {
	if at >= len(all) {
		return 0, at
	}
	switch t := all[at].text; t {
	case "noon":
		return 12 * 60, at + 1
	case "midnight":
		return 0, at + 1
	default:
		if hour, minute, is := strings.Cut(t, ":"); is {
			h, m := numberOf(hour), numberOf(minute)
			if h <= 23 && m <= 59 {
				return moment.Clock(h*60 + m), at + 1
			}
			return 0, at
		}
	}
	for _, n := range numberAt(all, at) {
		h := int(n.value)
		if n.value != float64(h) || h < 0 || n.end >= len(all) {
			continue
		}
		switch half := all[n.end].text; {
		case (half == "am" || half == "pm") && h >= 1 && h <= 12:
			return moment.Clock((h%12 + map[string]int{"pm": 12}[half]) * 60), n.end + 1
		case (half == "o'clock" || half == "oclock") && h <= 23:
			return moment.Clock(h * 60), n.end + 1
		}
	}
	return 0, at
}

func numberOf(digits string) (n int) {
	for _, r := range digits {
		n = n*10 + int(r-'0')
	}
	return n
}

// joined takes parts with "and" or "then" between them. before is what the part before was about.
func (u *understanding) joined(all []word, before []thing) []way {
	if out := u.part(all, before); len(out) > 0 {
		return out
	}
	for i := 1; i < len(all)-1; i++ {
		for n := 3; n > 0; n-- {
			if i+n >= len(all) || !u.language.joins[saidOf(all[i:i+n])] {
				continue
			}
			first := u.part(all[:i], before)
			if len(first) == 0 || first[0].parts >= mostParts {
				break
			}
			var out []way
			for _, a := range first {
				for _, b := range u.joined(all[i+n:], a.about) {
					if a.does != "" || b.does != "" {
						continue
					}
					if b.parts+1 > mostParts || len(out) >= mostWays {
						continue
					}
					b.steps = append(slices.Clone(a.steps), b.steps...)
					b.cost, b.parts = a.cost+b.cost, b.parts+1
					out = append(out, b)
				}
			}
			if len(out) > 0 {
				return out
			}
			break
		}
	}
	return nil
}

func saidOf(all []word) string {
	words := make([]string, len(all))
	for i, w := range all {
		words[i] = w.text
	}
	return strings.Join(words, " ")
}

// part takes one part, which may say for how long: for ten minutes.
func (u *understanding) part(all []word, before []thing) (out []way) {
	if len(all) == 0 {
		return nil
	}
	key := saidOf(all)
	for _, t := range before {
		key += "\x00" + t.ID
	}
	if known, is := u.known[key]; is {
		return known
	}
	defer func() { u.known[key] = out }()
	if all[0].text == "wait" || all[0].text == "pause" {
		at := 1
		if len(all) > 1 && all[1].text == "for" {
			at = 2
		}
		if d, end := spanAt(all, at); end == len(all) && d > 0 {
			return []way{{meaning{steps: []run.Step{{Wait: &run.Wait{For: d}}}, about: before}, 1}}
		}
	}
	out = u.clause(all, before)
	for from := 1; from < len(all); from++ {
		if all[from].text != "for" {
			continue
		}
		if d, end := spanAt(all, from+1); end == len(all) && d > 0 {
			out = append(out, held(u.clause(all[:from], before), d)...)
		}
	}
	return out
}

// held lets what is set be set back after a time.
func held(all []way, d time.Duration) (out []way) {
	for _, w := range all {
		steps := slices.Clone(w.steps)
		can := len(steps) > 0
		for i, s := range steps {
			if s.Set == nil || slices.ContainsFunc(s.Set.Changes, func(c run.Wanted) bool {
				return strings.HasPrefix(c.Value, "up ") || strings.HasPrefix(c.Value, "down ")
			}) {
				can = false
				break
			}
			set := *s.Set
			set.Hold = d
			steps[i].Set = &set
		}
		if w.steps = steps; can {
			out = append(out, w)
		}
	}
	return out
}

// clause takes words by one pattern.
func (u *understanding) clause(all []word, before []thing) (out []way) {
	m := &matcher{Grammar: u.Grammar, sees: u.sees, all: all, before: before}
	for _, p := range u.language.patterns {
		m.nodes([]node{p.node}, 0, slots{}, func(at int, s slots) {
			m.skip(at, func(at int) {
				if at != len(all) {
					m.far = max(m.far, at)
					return
				}
				for _, one := range m.means(p.intent, s, before) {
					if len(out) < 4*mostWays {
						out = append(out, way{one, 1})
					}
				}
			})
		})
		if u.budget -= m.looks; u.budget <= 0 {
			return nil
		}
		m.looks = 0
	}
	u.stuck = min(u.stuck, len(all)-m.far)
	if len(out) == 0 && m.why != nil {
		u.why = m.why
	}
	return out
}

// ask asks which of several things is meant.
func ask(all []Meaning) *Question {
	if len(all) > mostChoices {
		return &Question{Text: fmt.Sprintf("That fits %d things: say which one", len(all)), Choices: all[:mostChoices]}
	}
	words := make([]string, len(all))
	for i, m := range all {
		words[i] = m.Words
	}
	last := len(words) - 1
	return &Question{Text: "Which one: " + strings.Join(words[:last], ", ") + " or " + words[last] + "?", Choices: all}
}

// nearly asks whether another word was meant by one that is not known.
func (u *understanding) nearly(all []word) *Question {
	for i, w := range all {
		if w.is || len(w.text) < 4 || u.isKnown(w.text) || u.language.refuses[w.text] != "" {
			continue
		}
		meant, is := device.Typo(w.text, u.lexicon)
		if !is {
			return nil
		}
		other := slices.Clone(all)
		other[i].text = meant
		if ways := u.meanings(other); len(ways) > 0 {
			q := ask(ways)
			if len(ways) == 1 {
				q = &Question{Choices: ways}
			}
			q.Text = fmt.Sprintf("Is %s meant by %q: %s?", meant, w.text, ways[0].Words)
			return q
		}
		return nil
	}
	return nil
}

// isKnown says whether a word stands in any name or pattern.
func (u *understanding) isKnown(w string) bool {
	if u.language.fillers[w] || u.language.known[w] || u.language.joins[w] || u.language.units[w] != "" ||
		slices.Contains([]string{"point", "wait", "pause", "later", "hundred"}, w) {
		return true
	}
	_, is := slices.BinarySearch(u.lexicon, w)
	return is || len(numberAt([]word{{text: w}}, 0)) > 0 || spans[singular(w)] > 0
}

// onlyNamed asks what is to be done with something that is named, and nothing else.
func (u *understanding) onlyNamed(all []word) (q *Question) {
	m := &matcher{Grammar: u.Grammar, sees: u.sees, all: all}
	m.things(0, slots{}, func(at int, s slots) {
		if at != len(all) || len(s.things) != 1 || q != nil {
			return
		}
		t := s.things[0]
		q = &Question{Text: "What is to be done with " + t.name + "?"}
		ways := append(m.power(s, "on"), m.power(s, "off")...)
		for _, to := range []string{"open", "close"} {
			ways = append(ways, m.way(s, to)...)
		}
		for _, w := range ways {
			one := Meaning{Does: Steps, Steps: w.steps}
			one.Words = u.words(one)
			q.Choices = append(q.Choices, one)
		}
	})
	return q
}

// unknown says what is not understood.
func (u *understanding) unknown(all []word) error {
	for _, w := range all {
		if why := u.language.refuses[w.text]; why != "" {
			return fmt.Errorf("%w: %q is said: %s", ErrPhrase, w.text, why)
		}
	}
	if u.why != nil {
		return fmt.Errorf("%w: %w", ErrPhrase, u.why)
	}
	for _, w := range all {
		if !w.is && !u.isKnown(w.text) && len(w.text) > 1 {
			return fmt.Errorf("%w: %.40q is nothing that is known here: name a device, group, room, occasion or "+
				"sequence "+
				"as the house calls it, or give it another name (urbo name add)", ErrPhrase, w.text)
		}
	}
	if u.stuck <= 0 || u.stuck > len(all) {
		return fmt.Errorf(`%w: it ends too early: say what is to be done, such as "boardwalk lights on"`, ErrPhrase)
	}
	return fmt.Errorf("%w: %.60q does not fit there: say what is to be done with what, such as \"boardwalk lights "+
		"on\" "+
		"or \"amplifier volume 22\"", ErrPhrase, saidOf(all[len(all)-u.stuck:]))
}
