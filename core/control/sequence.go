package control

import (
	"fmt"
	"slices"
	"time"
)

// mostKeys is the most keys of one sequence.
const mostKeys = 16

// Part is what was pressed of a sequence, such as the way through a menu.
type Part struct {
	Keys []string  `json:"keys,omitempty"`
	Lost bool      `json:"lost,omitempty"` // other keys came between: where it stands is not known
	At   time.Time `json:"at"`             // of the last key
}

// checkSequences says what is wrong with the sequences of a selector.
func (c *Control) checkSequences(wrong complaint) error {
	for _, v := range sorted(c.Sequences) {
		switch keys := c.Sequences[v]; {
		case len(keys) == 0:
			return wrong("no keys for %s", v)
		case len(keys) > mostKeys:
			return wrong("%d keys for %s, the most is %d", len(keys), v, mostKeys)
		}
		for _, other := range sorted(c.Sequences) {
			if other < v && slices.Equal(c.Sequences[v], c.Sequences[other]) {
				return wrong("%s and %s have the same keys", other, v)
			}
		}
	}
	return nil
}

// parts are all keys of the sequences, each once.
func (c *Control) parts() (out []string) {
	for _, v := range sorted(c.Sequences) {
		for _, k := range c.Sequences[v] {
			if !slices.Contains(out, k) {
				out = append(out, k)
			}
		}
	}
	return out
}

// led is where keys lead that were pressed one after another: to the place of a value, −1 to none; begun says whether
// more keys may follow.
func (c *Control) led(keys []string) (value int, begun bool) {
	value = -1
	for i, v := range c.values() {
		seq := c.Sequences[v]
		if len(seq) < len(keys) || !slices.Equal(seq[:len(keys)], keys) {
			continue
		}
		if len(seq) == len(keys) {
			value = i
		} else {
			begun = true
		}
	}
	return value, begun
}

// endsOne says whether a key is the last of any sequence.
func (c *Control) endsOne(key string) bool {
	for _, seq := range c.Sequences {
		if seq[len(seq)-1] == key {
			return true
		}
	}
	return false
}

// stepped is what a key of a sequence does. Where the keys are those of no sequence, whatever ends one may lead
// anywhere.
func (c *Control) stepped(was Possible, key string, at time.Time) Possible {
	t := was.Part
	if t == nil {
		t = &Part{}
	}
	lost := t.Lost || !t.At.IsZero() && at.Sub(t.At) > less(c.forgets())
	if !lost {
		keys := append(slices.Clone(t.Keys), key)
		value, begun := c.led(keys)
		next := Possible{Ranges: was.Ranges}
		if value >= 0 {
			next.Ranges = only(value)
		}
		if begun {
			next.Part = &Part{Keys: keys, At: at}
		}
		if value >= 0 || begun {
			return next
		}
	}
	next := Possible{Ranges: was.Ranges, Part: &Part{Lost: true, At: at}}
	if c.endsOne(key) {
		next.Ranges = all(c.size())
	}
	return next
}

// forgets is after how long without a key a device forgets what was pressed of a sequence.
func (c *Control) forgets() time.Duration {
	if c.TimeoutMS == 0 {
		return 10 * time.Second
	}
	return ms(c.TimeoutMS)
}

// orPart is what may have been pressed where either is possible: where they differ, nobody knows.
func orPart(a, b *Part) *Part {
	switch {
	case a == nil && b == nil:
		return nil
	case a == nil:
		return &Part{Lost: true, At: b.At}
	case b == nil:
		return &Part{Lost: true, At: a.At}
	case a.Lost == b.Lost && a.At.Equal(b.At) && slices.Equal(a.Keys, b.Keys):
		return a
	}
	return &Part{Lost: true, At: later(a.At, b.At)}
}

// trustSequence is the trust in a selector after a key of its sequences: they may have set it, gone on, or led nowhere
// that is known. A sequence has many keys, any of which may have been missed: it makes nothing certain.
func (s *Spec) trustSequence(t *Trust, i int, cases []Case, p Press) {
	c := &s.controls[i]
	value, only := -1, true
	for k := range cases {
		was := cases[k].Possible[i]
		next := c.stepped(was, p.Key, p.At)
		v := -1
		if next.Part == nil || !next.Part.Lost {
			keys := []string{}
			if was.Part != nil {
				keys = was.Part.Keys
			}
			v, _ = c.led(append(slices.Clone(keys), p.Key))
		}
		only = only && (k == 0 || v == value)
		value = v
	}
	switch {
	case p.Outcome == Unknown, !only:
		t.Presses++
		t.Sets, t.Run = 0, 0
	case value >= 0:
		t.set(value, p.At)
	}
}

// follow presses the keys of a sequence.
func (p *planner) follow(w wish, keys []string) {
	c := &p.spec.controls[w.control]
	for _, k := range keys {
		e := p.partOn(k, w.control)
		if e == nil {
			p.help(w.control, "", fmt.Sprintf("%s, which is one of its keys, does something else as well", k))
			return
		}
	}
	for _, k := range p.cur.Cases {
		if t := k.Possible[w.control].Part; t != nil { // what was begun has to be forgotten first
			p.due = later(p.due, t.At.Add(more(c.forgets())+time.Millisecond))
		}
	}
	for i, k := range keys {
		step := Step{Key: k}
		if i > 0 {
			step.Wait, step.NotLater = c.pause(), less(c.forgets())
		}
		p.press(step)
	}
}

// partOn is what a key does to a selector as part of a sequence, nil where it must not be used for that.
func (p *planner) partOn(key string, control int) *effect {
	s := p.spec
	if s.turns(key) || p.spoils(key, control) || p.untidy(key, control) {
		return nil
	}
	all := s.effects[key]
	for i := range all {
		if all[i].control == control && all[i].op == OpPart && p.obeys(all[i]) {
			return &all[i]
		}
	}
	return nil
}
