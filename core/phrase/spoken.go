package phrase

import (
	_ "embed"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"urbo/core/control"
	"urbo/core/run"
)

//go:embed english.jsgf
var spokenEnglish string

// Spoken is what is recognised when somebody speaks to the house, as a grammar in the JSpeech Grammar Format.
type Spoken struct {
	rules []rule
	words []string
}

// rule is one rule of the house: what may be said, each one or several words or references to other rules.
type rule struct {
	name string
	any  []string
}

// tokens are what a text of a grammar is made of, references to rules aside.
var (
	references = regexp.MustCompile(`<[a-z0-9 ]+>`)
	comments   = regexp.MustCompile(`//[^\n]*`)
	tokens     = regexp.MustCompile(`[\p{L}\p{N}'-]+`)
)

// Spoken is the grammar of what a speaker sees, or of everything where sees is nil.
func (g *Grammar) Spoken(sees Sees) *Spoken {
	s := &spoken{Grammar: g, sees: sees, m: &matcher{Grammar: g, sees: sees}}
	s.names()
	out := &Spoken{rules: s.rules}
	seen := map[string]bool{}
	add := func(text string) {
		for _, w := range tokens.FindAllString(references.ReplaceAllString(text, " "), -1) {
			if !seen[w] && w != "public" {
				seen[w] = true
				out.words = append(out.words, w)
			}
		}
	}
	add(comments.ReplaceAllString(spokenEnglish, ""))
	for _, r := range s.rules {
		for _, one := range r.any {
			add(one)
		}
	}
	slices.Sort(out.words)
	return out
}

// Words are all words of the grammar, sorted.
func (s *Spoken) Words() []string { return s.words }

// JSGF writes the grammar. What has a word that cannot be pronounced is left out.
func (s *Spoken) JSGF(can func(word string) bool) string {
	var b strings.Builder
	b.WriteString("#JSGF V1.0 UTF-8 en;\n\ngrammar house;\n\n")
	b.WriteString(comments.ReplaceAllString(spokenEnglish, ""))
	for _, r := range s.rules {
		said := slices.DeleteFunc(slices.Clone(r.any), func(one string) bool {
			return slices.ContainsFunc(tokens.FindAllString(references.ReplaceAllString(one, " "), -1),
				func(w string) bool { return !can(w) })
		})
		if len(said) == 0 {
			said = []string{"<VOID>"}
		}
		fmt.Fprintf(&b, "<%s> = %s;\n", r.name, strings.Join(said, "\n  | "))
	}
	return b.String()
}

// spoken is the work on a grammar.
type spoken struct {
	*Grammar
	sees  Sees
	m     *matcher
	rules []rule
}

// sayable says whether words have only letters and digits.
func sayable(words []string) bool {
	for _, w := range words {
		if tokens.FindString(w) != w {
			return false
		}
	}
	return len(words) > 0
}

// names writes the rules of what has a name.
func (s *spoken) names() {
	called := map[string][]string{}  // what things are called, by the tail that may follow
	pressed := map[string][]string{} // and by their keys
	var all, rooms, press, shared []string
	named := map[sort][]string{}
	for _, entries := range s.byFirst {
		for _, e := range entries {
			if !sayable(e.words) || e.many {
				continue
			}
			text := strings.Join(e.words, " ")
			switch e.sort {
			case ofThing:
				things := s.m.visible(e.things)
				if len(things) == 0 || !isSpoken(e, things) {
					continue
				}
				if e.place {
					rooms = append(rooms, text)
				}
				all = append(all, text)
				tail, keys := s.tail(things)
				called[tail] = append(called[tail], text)
				if len(keys) > 0 {
					pressed[oneOf(keys)] = append(pressed[oneOf(keys)], text)
				}
			case ofOccasion, ofSequence, ofErrand:
				if s.sees == nil || s.sees(run.Kind(e.sort), e.ref.ID) {
					named[e.sort] = append(named[e.sort], text)
				}
			}
		}
	}
	seen := map[string]bool{}
	for _, d := range s.house.Devices {
		if s.sees != nil && !s.sees(run.Device, d.ID) {
			continue
		}
		for _, c := range settable(d) {
			if one := s.control(c, true); c.Kind != control.Power && c.Kind != control.Travel && one != "" &&
				!seen[one] {
				seen[one] = true
				shared = append(shared, one)
			}
		}
	}
	for word := range s.language.compares {
		if sayable(strings.Fields(word)) && s.compares(word) {
			shared = append(shared, "[a bit] "+word)
		}
	}
	var tailed []string
	for tail, names := range called {
		if tail != "" {
			tailed = append(tailed, oneOf(names)+" "+tail)
		}
	}
	for keys, names := range pressed {
		press = append(press, "press "+keys+" on [the] "+oneOf(names))
	}
	s.add("name", all)
	s.add("tailed", tailed)
	s.add("shared", shared)
	s.add("room", rooms)
	s.add("press", press)
	s.add("occasion", named[ofOccasion])
	s.add("sequence", named[ofSequence])
	s.add("errand", named[ofErrand])
}

func (s *spoken) add(name string, any []string) {
	slices.Sort(any)
	s.rules = append(s.rules, rule{name, slices.Compact(any)})
}

// oneOf writes what may be said, one of several.
func oneOf(all []string) string {
	all = slices.Clone(all)
	slices.Sort(all)
	return "(" + strings.Join(slices.Compact(all), " | ") + ")"
}

// isSpoken says whether a name is spoken: a whole name, or its last words. What devices are, and what else that is
// called, is typed only.
func isSpoken(e entry, things []thing) bool {
	if e.cost == 0 {
		return true
	}
	whole := plainWords(things[0].name)
	return e.cost == 1 && len(whole) >= len(e.words) && slices.Equal(whole[len(whole)-len(e.words):], e.words)
}

// compares says whether a word that compares is about a control of the speaker's house.
func (s *spoken) compares(word string) bool {
	about := s.language.compares[word].controls
	return slices.ContainsFunc(s.house.Devices, func(d Device) bool {
		return (s.sees == nil || s.sees(run.Device, d.ID)) && slices.ContainsFunc(d.Controls,
			func(c control.Control) bool {
				return slices.Contains(about, c.Name)
			})
	})
}

// tail is what may be said behind the names of things, and the keys of those that have some.
func (s *spoken) tail(things []thing) (tail string, keys []string) {
	var said []string
	for _, t := range things {
		members := t.members
		if t.device >= 0 {
			members = []int{t.device}
			keys = append(keys, spareKeys(s.house.Devices[t.device])...)
		}
		for _, i := range members {
			d := s.house.Devices[i]
			if s.sees != nil && !s.sees(run.Device, d.ID) {
				continue
			}
			for _, c := range settable(d) {
				if one := s.control(c, false); one != "" {
					said = append(said, one)
				}
			}
			for word, of := range s.language.compares {
				if sayable(strings.Fields(word)) && slices.ContainsFunc(d.Controls, func(c control.Control) bool {
					return slices.Contains(of.controls, c.Name)
				}) {
					said = append(said, "[a bit] "+word)
				}
			}
		}
	}
	if len(said) == 0 {
		return "", keys
	}
	return oneOf(said), keys
}

// settable are the controls of a device that something sets.
func settable(d Device) []control.Control {
	return slices.DeleteFunc(slices.Clone(d.Controls), func(c control.Control) bool {
		return slices.Contains(d.Told, c.Name)
	})
}

// spareKeys are the keys of a device that no control is set by: the others are pressed by saying what is wanted.
func spareKeys(d Device) (keys []string) {
	for _, k := range d.Keys {
		words := plainWords(k)
		if sayable(words) && words[0][0] > '9' && !slices.ContainsFunc(d.Controls, func(c control.Control) bool {
			return slices.Contains(c.Made(), k)
		}) {
			keys = append(keys, strings.Join(words, " "))
		}
	}
	return keys
}

// control is what may be said of a control; needed says that its name has to be said.
func (s *spoken) control(c control.Control, needed bool) string {
	name := plainWords(c.Name)
	if !sayable(name) {
		return ""
	}
	called := strings.Join(name, " ") + " "
	var choices []string
	for _, v := range c.Choices() {
		if words := plainWords(v); sayable(words) {
			choices = append(choices, strings.Join(words, " "))
		}
	}
	switch c.Kind {
	case control.Power:
		if extra := slices.DeleteFunc(choices, isSwitch); len(extra) > 0 {
			return "<power> | [to] " + oneOf(extra)
		}
		return "<power>"
	case control.Dial:
		if needed {
			return called + "(<dial>)"
		}
		return called + "(<dial>) | <ways>"
	case control.Travel:
		return "<travel>"
	case control.Selector, control.Digits:
		for v := range c.Favourites {
			if words := plainWords(v); sayable(words) {
				choices = append(choices, strings.Join(words, " "))
			}
		}
		var plain, words []string // of which the control has to be named, and not
		for _, v := range choices {
			if isSwitch(v) || v[0] <= '9' || needed {
				plain = append(plain, v)
			} else {
				words = append(words, v)
			}
		}
		var out []string
		if len(plain) > 0 {
			out = append(out, called+"[to] "+oneOf(plain))
		}
		if len(words) > 0 {
			out = append(out, "["+strings.TrimSpace(called)+"] [to] "+oneOf(words))
		}
		if c.Kind == control.Digits {
			out = append(out, called+"<digits>")
		}
		return strings.Join(out, " | ")
	}
	return ""
}

func isSwitch(value string) bool { return value == "on" || value == "off" }
