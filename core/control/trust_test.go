package control_test

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"time"

	"urbo/core/control"
)

// ledger is how far a control can be trusted, as the test counts it from what happened.
type ledger struct {
	known    bool // somebody said or pressed anything
	since    time.Time
	set      string    // what it was set to
	sets     int       // how often in a row
	relative int       // presses since that went on from there
	run      int       // steps in one direction
	last     time.Time // of a step of run
	asked    time.Time // when it was asked to switch off, and asks for it again
}

// deed is what a key does to a control, as far as trust goes.
type deed struct {
	control string
	sets    string // the value that it is set to; "" where the key goes on from what it is
	step    int
}

// deeds lists what a press does, from the forms.
func (d *thing) deeds(p control.Press) (out []deed) {
	for _, name := range slices.Sorted(maps.Keys(p.Frame)) {
		out = append(out, deed{name, p.Frame[name], 0})
	}
	if p.Frame != nil {
		return out
	}
	key := p.Key
	for _, c := range d.forms.Controls {
		for v, k := range c.Keys {
			if k == key {
				out = append(out, deed{c.Name, v, 0})
			}
		}
		switch {
		case c.Kind == control.Travel && key == c.Open:
			out = append(out, deed{c.Name, "up", 0})
		case c.Kind == control.Travel && key == c.Close:
			out = append(out, deed{c.Name, "down", 0})
		case c.Kind == control.Digits && len(key) == 1 && key >= "0" && key <= "9":
			out = append(out, deed{c.Name, "", 0})
		case slices.Contains(c.Also, key):
			if d.modes == 2 { // else it goes on at whatever it was
				out = append(out, deed{c.Name, "on", 0})
			}
		case key == c.Round, key == c.Stop, key == c.Enter:
			out = append(out, deed{c.Name, "", 0})
		case key == c.Up:
			out = append(out, deed{c.Name, "", 1})
		case key == c.Down:
			out = append(out, deed{c.Name, "", -1})
		}
	}
	if d.unmutes && key == "volume-up" {
		out = append(out, deed{"mute", "off", 0})
	}
	return out
}

// entered is the ledger after a press.
func (l ledger) entered(does deed, p control.Press, c *control.Control) ledger {
	l.known = true
	held := 1 // steps at least
	if p.Held > 400*time.Millisecond && c.Rate > 0 {
		held = max(int(math.Round(p.Held.Seconds()*c.Rate))-1, 1)
	}
	reaches := func(steps int) bool { // far enough to be at an end for sure
		n := int(*c.Most - *c.Least)
		return c.Kind == control.Dial && c.Ends != control.EndsRound && steps >= n+max((n+9)/10, 4)
	}
	if c.AgainMS > 0 && does.sets == "off" && p.At.Sub(l.asked) > 3600*time.Millisecond { // alone it does nothing
		l.asked = p.At
		return l
	}
	switch {
	case p.Outcome == control.Failed:
		return l
	case p.Outcome == control.Unknown:
		l.relative++
		l.sets, l.run = 0, 0
	case does.sets != "" && does.sets == l.set && l.relative == 0 && l.sets > 0:
		l.sets++
		l.since = p.At
	case does.sets != "":
		l = ledger{known: true, since: p.At, set: does.sets, sets: 1}
	default:
		l.relative++
		l.sets = 0
		if does.step*l.run < 0 || p.At.Sub(l.last) > time.Minute {
			l.run = 0
		}
		l.run += does.step * held
		l.last = p.At
		if does.step != 0 && c.Kind == control.Dial && (reaches(l.run) || reaches(-l.run)) {
			end := *c.Least
			if l.run > 0 {
				end = *c.Most
			}
			l = ledger{known: true, since: p.At, set: fmt.Sprint(end), sets: 2}
			if held > 1 {
				l.sets = 1
			}
		}
	}
	return l
}

// most is the most that may be said of a control: where power is not certain, or the device did not listen, it is less.
func (l ledger) most(c *control.Control, st control.State, now time.Time, power bool) control.Word {
	limit := 5
	if c.Kind == control.Selector && len(c.Values) > 2 {
		limit = 3
	}
	switch {
	case power && (c.Kind != control.Power || c.WarmUpMS+c.CoolDownMS > 0 || len(c.Values) > 2 && len(c.Also) > 0) &&
		st.Value != "": // it may not have listened: then nothing was changed
		return control.Certain
	case st.Value == "", !l.known, l.relative > limit && c.Kind != control.Dial:
		return control.Doubtful
	case l.sets >= 2 && l.relative == 0 && !now.After(l.since.Add(10*time.Minute)):
		return control.Certain
	}
	return control.Believed
}

func rank(w control.Word) int {
	return slices.Index([]control.Word{control.Doubtful, control.Believed, control.Certain}, w)
}

// ledgers are those of all controls, from what was said last and the presses since.
func (s *story) ledgers() map[string]ledger {
	out := maps.Clone(s.books)
	for _, p := range s.presses {
		if p.Outcome == control.Failed {
			continue
		}
		for _, does := range s.thing.deeds(p) {
			out[does.control] = out[does.control].entered(does, p, s.thing.form(does.control))
		}
	}
	return out
}
