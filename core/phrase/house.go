// Package phrase understands what people say to a house: "turn the projector off in ten minutes", "everything off in
// the lecture room", "a bit louder". A phrase becomes the steps that an errand has, or a question back; what is not
// surely meant presses nothing. Its grammar is made of what the house has, by its names, and of a table of patterns for
// the language. It keeps nothing, sends nothing and reads no clock.
package phrase

import (
	"slices"
	"strings"

	"urbo/core/control"
	"urbo/core/run"
)

// Named is something that has names.
type Named struct {
	ID, Slug, Name string
	Also           []string // what people call it as well
}

// Device is a device as far as people speak of it.
type Device struct {
	Named
	Kind     string // of device.KindNames
	Room     string // id, "" for none
	Controls []control.Control
	Told     []string // names of controls that nothing sets, such as what a sensor tells
	Keys     []string
	Rolling  bool // its codes roll: it is only switched where it is named
}

// Group is a group of devices.
type Group struct {
	Named
	Members []string // ids of devices
}

// House is what can be spoken of.
type House struct {
	Devices   []Device
	Rooms     []Named
	Groups    []Group
	Occasions []Named
	Sequences []Named
	Errands   []Named // those that can be run by hand
}

// Grammar is what can be said in a house. It is never changed, so many may read it at once.
type Grammar struct {
	house    House
	byFirst  map[string][]entry
	lexicon  []string          // all words that it knows, sorted
	alike    map[string]int    // how many devices have a name
	spoken   map[string]string // controls as they are said, by their names
	members  map[string][]int  // devices of each room and group, by id
	language *language
}

// sort is a kind of entry.
type sort string

// The sorts of names.
const (
	ofThing    sort = "thing" // a device, group, room, or all devices of a kind
	ofControl  sort = "control"
	ofValue    sort = "value"
	ofKey      sort = "key"
	ofOccasion sort = "occasion"
	ofSequence sort = "sequence"
	ofErrand   sort = "errand"
)

// entry is one way to say something.
type entry struct {
	words  []string
	sort   sort
	things []thing // of a thing: all that are meant together
	name   string  // of a control, value or key: as it is written
	ref    Named   // of an occasion, sequence or errand
	cost   int     // how much is left to guess: 0 is its name, more is a part of it, or its kind
	place  bool    // a room
	many   bool    // too many things are called so to ask which one
}

// thing is a device, or a group or room with its devices.
type thing struct {
	run.Target
	device  int   // in the house's list; -1 of a group or room
	members []int // of a group or room
	name    string
}

// New makes the grammar of a house, in English.
func New(h House) *Grammar {
	g := &Grammar{house: h, byFirst: map[string][]entry{}, members: map[string][]int{}, spoken: map[string]string{},
		alike:    map[string]int{},
		language: english}
	for i := range h.Devices {
		d := &h.Devices[i]
		g.alike[d.Name]++
		if d.Room != "" {
			g.members[d.Room] = append(g.members[d.Room], i)
		}
	}
	for _, gr := range h.Groups {
		for i, d := range h.Devices {
			if slices.Contains(gr.Members, d.ID) {
				g.members[gr.ID] = append(g.members[gr.ID], i)
			}
		}
	}
	g.addDevices()
	for _, r := range h.Rooms {
		t := thing{run.Target{Kind: run.Room, ID: r.ID, Was: "room/" + r.Slug}, -1, g.members[r.ID], r.Name}
		for _, n := range namesOf(r) {
			e := entry{words: n, sort: ofThing, things: []thing{t}, place: true}
			if slices.ContainsFunc(h.Devices, func(d Device) bool {
				return slices.ContainsFunc(namesOf(d.Named), func(o []string) bool { return slices.Equal(o, n) })
			}) {
				e.cost = 1 // the device is meant
			}
			g.add(e)
		}
	}
	for _, gr := range h.Groups {
		t := thing{run.Target{Kind: run.Group, ID: gr.ID, Was: gr.Slug}, -1, g.members[gr.ID], gr.Name}
		for _, n := range namesOf(gr.Named) {
			e := entry{words: n, sort: ofThing, things: []thing{t}}
			if slices.ContainsFunc(h.Rooms, func(r Named) bool { return slices.Equal(plainWords(r.Name), n) }) {
				e.cost = 1 // the room is meant
			}
			g.add(e)
		}
	}
	for sort, all := range map[sort][]Named{ofOccasion: h.Occasions, ofSequence: h.Sequences, ofErrand: h.Errands} {
		for _, one := range all {
			for _, n := range namesOf(one) {
				g.add(entry{words: n, sort: sort, ref: one})
			}
		}
	}
	g.addWords()
	return g
}

// namesOf are the ways in which something is called, as words, each once.
func namesOf(n Named) (out [][]string) {
	for _, name := range append([]string{n.Name, n.Slug}, n.Also...) {
		words := plainWords(name)
		if len(words) > 0 && !slices.ContainsFunc(out, func(o []string) bool { return slices.Equal(o, words) }) {
			out = append(out, words)
		}
	}
	return out
}

// addDevices adds devices by their names, parts of those, and kinds, and all that can be said of them.
func (g *Grammar) addDevices() {
	kinds, parts := map[string][]thing{}, map[string][]thing{}
	said := map[string]bool{} // controls, values and keys are added once
	once := func(sort sort, name string, words []string) {
		if key := string(sort) + name + "\x00" + strings.Join(words, " "); len(words) > 0 && !said[key] {
			said[key] = true
			g.add(entry{words: words, sort: sort, name: name})
		}
	}
	for i, d := range g.house.Devices {
		t := thing{run.Target{Kind: run.Device, ID: d.ID, Was: d.Slug}, i, nil, d.Name}
		all := namesOf(d.Named)
		for _, n := range all {
			g.add(entry{words: n, sort: ofThing, things: []thing{t}})
		}
		whole := plainWords(d.Name)
		for n := 1; n < len(whole); n++ {
			for _, part := range [][]string{whole[n:], whole[:n]} {
				if len(part[0]) > 1 && !g.language.known[part[0]] && !slices.ContainsFunc(all,
					func(o []string) bool { return slices.Equal(o, part) }) {
					called := strings.Join(part, " ")
					parts[called] = append(parts[called], t)
				}
			}
		}
		if d.Kind != "" && d.Kind != "other" {
			kinds[d.Kind] = append(kinds[d.Kind], t)
		}
		for _, c := range d.Controls {
			if _, is := g.spoken[c.Name]; !is {
				words := plainWords(c.Name)
				g.spoken[c.Name] = strings.Join(words, " ")
				once(ofControl, c.Name, words)
			}
			for _, v := range c.Choices() {
				once(ofValue, v, plainWords(v))
			}
			for v := range c.Favourites {
				once(ofValue, v, plainWords(v))
			}
		}
		for _, k := range d.Keys {
			once(ofKey, k, plainWords(k))
		}
	}
	for called, all := range parts {
		g.addEach(strings.Fields(called), all, 1)
	}
	for kind, all := range kinds {
		for _, name := range append([]string{kind}, g.language.kinds[kind]...) {
			words := plainWords(name)
			many := slices.Clone(words)
			many[len(many)-1] = plural(many[len(many)-1])
			g.add(entry{words: many, sort: ofThing, things: all, cost: 2})
			g.addEach(words, all, 2)
		}
	}
	for name, others := range g.language.controls {
		for _, o := range others {
			once(ofControl, name, plainWords(o))
		}
	}
}

// mostAlike is how many things may be called the same: more are too many to ask which one.
const mostAlike = 12

// addEach adds what several things are called, of which one is meant.
func (g *Grammar) addEach(words []string, all []thing, cost int) {
	if len(all) > mostAlike {
		g.add(entry{words: words, sort: ofThing, things: all, cost: cost, many: true})
		return
	}
	for _, t := range all {
		g.add(entry{words: words, sort: ofThing, things: []thing{t}, cost: cost})
	}
}

// IsName says whether a name has words that can be said.
func IsName(name string) bool { return len(plainWords(name)) > 0 }

// plural is a word for many.
func plural(w string) string {
	switch {
	case strings.HasSuffix(w, "s") || strings.HasSuffix(w, "x") || strings.HasSuffix(w, "sh"):
		return w + "es"
	case strings.HasSuffix(w, "y") && len(w) > 1 && !strings.ContainsAny(w[len(w)-2:len(w)-1], "aeiou"):
		return w[:len(w)-1] + "ies"
	}
	return w + "s"
}

func (g *Grammar) add(e entry) {
	first := singular(e.words[0])
	g.byFirst[first] = append(g.byFirst[first], e)
}

// addWords collects the words that are known, for what somebody may have meant by another one.
func (g *Grammar) addWords() {
	for _, all := range g.byFirst {
		for _, e := range all {
			for _, w := range e.words {
				if len(w) > 2 {
					g.lexicon = append(g.lexicon, w)
				}
			}
		}
	}
	for w := range g.language.known {
		if len(w) > 3 {
			g.lexicon = append(g.lexicon, w)
		}
	}
	slices.Sort(g.lexicon)
	g.lexicon = slices.Compact(g.lexicon)
}

// found is something that stands in a phrase, and where it ends.
type found struct {
	entry
	end int
}

// namesAt are the names of a sort that begin at a word, the longest first; of those that are as long, only what leaves
// the least to guess.
func (g *Grammar) namesAt(all []word, at int, sort sort) (out []found) {
	if at >= len(all) {
		return nil
	}
	first := g.byFirst[singular(all[at].text)]
	if sort == ofOccasion { // "close up" starts "Closed up"
		first = slices.Concat(first, g.byFirst[all[at].text+"d"], g.byFirst[all[at].text+"ed"])
	}
	for _, e := range first {
		if e.sort != sort || at+len(e.words) > len(all) {
			continue
		}
		cost := e.cost
		fits := true
		for i, w := range e.words {
			said := all[at+i].text
			if !same(said, w) && (sort != ofOccasion || !sameVerb(said, w)) {
				fits = false
				break
			}
			if said != w {
				cost++
			}
		}
		if fits {
			e.cost = cost
			out = append(out, found{e, at + len(e.words)})
		}
	}
	slices.SortStableFunc(out, func(a, b found) int {
		if a.end != b.end {
			return b.end - a.end
		}
		return a.cost - b.cost
	})
	kept := out[:0]
	for i, f := range out {
		if i > 0 && sort == ofThing && kept[0].cost == 0 && f.end < kept[0].end {
			break // "dew heater a" is not "dew heater", and then "a"
		}
		if i == 0 || f.end != kept[len(kept)-1].end || f.cost == kept[len(kept)-1].cost {
			kept = append(kept, f)
		}
	}
	return kept
}
