package control

import (
	"strings"
	"time"
)

// State is what is believed of one control, to be shown.
type State struct {
	Control string
	Kind    Kind
	Value   string    // "" where it may be at several
	About   bool      // of a dial: it may be a little off, by presses that were missed or by how long a key was held
	Near    string    // where it may be then, such as "19 to 25"
	May     []string  // what it may be at: values, or ranges like "3 to 12"
	Phase   Phase     // of power, where all cases agree
	Until   time.Time // when a warm-up or cool-down surely ends; zero where there is none
	Moving  int       // of a travel: 1 opens, −1 closes, 0 stands, where all agree
	Word    Word
	Unit    string
	Trust
}

// mostShown is how many ranges are told.
const mostShown = 8

// States are what is believed of each control at a time.
func (s *Spec) States(b Belief, now time.Time) []State {
	now = clean(now)
	b = s.at(b, now)
	out := make([]State, len(s.controls))
	for i := range s.controls {
		out[i] = s.state(b, i, now)
	}
	return out
}

func (s *Spec) state(b Belief, i int, now time.Time) State {
	c := &s.controls[i]
	st := State{Control: c.Name, Kind: c.Kind, Unit: c.Unit, Trust: b.Trust[i]}
	may := s.may(b, i, now)
	n := may.Count()
	if c.Kind == Travel {
		if st.Moving = moving(b, i); c.narrow(may) {
			n, may = 1, only((may[0].From+may[0].To)/2)
		}
	}
	for _, r := range may {
		if len(st.May) == mostShown {
			st.May = append(st.May, "…")
			break
		}
		switch {
		case c.Kind == Power || c.Kind == Selector:
			for v := r.From; v <= r.To && len(st.May) < mostShown; v++ {
				st.May = append(st.May, c.text(v))
			}
		case r.From == r.To:
			st.May = append(st.May, c.text(r.From))
		default:
			st.May = append(st.May, c.text(r.From)+" to "+c.text(r.To))
		}
	}
	if n == 1 && len(st.May) == 1 {
		st.Value = st.May[0]
	} else if v, chance := s.likely(b, i, may, now); chance < 0.5 {
		st.Value = c.text(v)
	}
	if i == s.power {
		st.Phase = b.Cases[0].Phase
		for _, k := range b.Cases {
			if k.Phase != st.Phase {
				st.Phase = ""
			}
			st.Until = later(st.Until, k.Until.To)
		}
	}
	if c.Kind == Dial && n > 1 && c.narrow(may) {
		st.Value = c.text((may[0].From + may[0].To) / 2)
		st.About = true
	}
	if st.About = st.About || c.width() > 0 && c.Kind == Dial && st.Value != "" && st.Below+st.Above > 0; st.About {
		w := c.width()
		st.Near = c.text(max(may[0].From-w, 0)) + " to " + c.text(min(may[0].To+w, c.size()-1))
	}
	st.Word = s.word(b, i, may, now)
	return st
}

// likely is what a power was told or set to be at last whose own timer may have run out meanwhile, and the chance that
// it has: nobody knows when that began. −1 where there is no such value.
func (s *Spec) likely(b Belief, i int, may Ranges, now time.Time) (value int, chance float64) {
	t := b.Trust[i]
	if i != s.power || !s.waits || t.Presses > 0 || t.Sets == 0 || t.Value == 0 || !may.without(0).Is(t.Value) {
		return -1, 1
	}
	shortest := time.Duration(0)
	for _, k := range s.timers {
		for _, after := range s.controls[k].runs() {
			if shortest == 0 || after < shortest {
				shortest = after
			}
		}
	}
	if shortest == 0 {
		return -1, 1
	}
	return t.Value, float64(now.Sub(t.At)) / float64(shortest)
}

// may is all that a control may be at, over all cases. A device that warms up counts as on, one that cools down as off.
func (s *Spec) may(b Belief, i int, now time.Time) Ranges {
	var out Ranges
	for k := range b.Cases {
		c := &b.Cases[k]
		switch {
		case i == s.power && (c.Phase == Off || c.Phase == Cooling || c.Phase == Unfed),
			s.controls[i].Kind == Power && c.Phase == Unfed:
			out = out.or(only(0))
		case i == s.power:
			out = out.or(only(c.Mode))
		case s.controls[i].SlatsOf != "":
			of := s.slats[i]
			for _, m := range c.Possible[of].Motions {
				_, tilt, _, _ := m.at(&s.controls[of], now)
				out = out.or(Ranges{tilt})
			}
		case s.controls[i].Kind == Travel:
			for _, m := range c.Possible[i].Motions {
				where, _, _, _ := m.at(&s.controls[i], now)
				out = out.or(Ranges{where})
			}
		default:
			out = out.or(c.Possible[i].Ranges)
		}
	}
	return out
}

// moving is the direction in which all cases move; 0 where they stand, or differ.
func moving(b Belief, i int) int {
	dir, first := 0, true
	for _, c := range b.Cases {
		for _, m := range c.Possible[i].Motions {
			if !first && m.Dir != dir {
				return 0
			}
			dir, first = m.Dir, false
		}
	}
	return dir
}

// Text is what a control may be at, in words.
func (s State) Text() string {
	switch {
	case s.Value != "":
		return s.Value
	case len(s.May) == 0:
		return "not known"
	}
	return strings.Join(s.May, " or ")
}
