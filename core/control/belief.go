package control

import (
	"slices"
	"time"
)

// Phase of a device's power.
type Phase string

// The phases. A device without a power is always on.
const (
	Off     Phase = "off"
	Warming Phase = "warming" // it was switched on, and ignores keys
	On      Phase = "on"
	Cooling Phase = "cooling" // it was switched off, and ignores keys
	Unfed   Phase = "unfed"   // what feeds it is off; Mode is what it was at before
)

// Span is from the earliest to the latest moment of something.
type Span struct{ From, To time.Time }

// Possible is what a control may be at in one case.
type Possible struct {
	Ranges  Ranges   `json:"ranges,omitempty"`
	Typed   *Typed   `json:"typed,omitempty"`
	Motions []Motion `json:"motions,omitempty"`
	Part    *Part    `json:"part,omitempty"`
	// Rises and Falls are the values of a dial with one key that is held, by what the next hold does.
	Rises Ranges `json:"rises,omitempty"`
	Falls Ranges `json:"falls,omitempty"`
	Since Since  `json:"since,omitzero"` // when a timer began to run that is set to this
	Woken Since  `json:"woken,omitzero"` // when a key was pressed last that shows it, or keeps it open
}

// Case is one phase that a device may be in, with what its controls may be at meanwhile.
type Case struct {
	Phase    Phase      `json:"phase"`
	Mode     int        `json:"mode"`           // place of the value of power that it has, or warms up to
	Until    Span       `json:"until,omitzero"` // of Warming and Cooling
	Armed    Span       `json:"armed,omitzero"` // when it was asked to switch off and asks for it again; zero where not
	Possible []Possible `json:"possible"`       // by control; of power nothing stands there
}

// Belief is what a device may be set to: at least one case, and how far each control is trusted.
type Belief struct {
	Cases []Case  `json:"cases"`
	Trust []Trust `json:"trust"` // by control
	// Handset is when a handset of the device was heard last, whatever its key did. Who has one in the hand presses
	// more, and one press in fifty is heard by nobody.
	Handset time.Time `json:"handset,omitzero"`
	// planned is what a plan follows: that a timer runs out of which nobody knows when it began is not reckoned with.
	planned bool
}

// most cases of a belief: beyond that those of one phase are joined, which only adds possibilities.
const mostCases = 16

// Nothing is what is believed of a device of which nothing is known.
func (s *Spec) Nothing() Belief {
	b := Belief{Trust: make([]Trust, len(s.controls))}
	p := make([]Possible, len(s.controls))
	for i := range s.controls {
		p[i] = s.anything(i)
	}
	if s.power < 0 {
		b.Cases = s.perhapsUnfed([]Case{{Phase: On, Possible: p}})
		return b
	}
	for v := range s.controls[s.power].size() {
		c := Case{Phase: On, Mode: v, Possible: slices.Clone(p)}
		if v == 0 {
			c.Phase = Off
		}
		b.Cases = append(b.Cases, c)
	}
	b.Cases = s.perhapsUnfed(b.Cases)
	return b
}

// anything is all that a control may be at.
func (s *Spec) anything(i int) Possible {
	switch c := &s.controls[i]; c.Kind {
	case Dial:
		if c.Hold != "" {
			return Possible{Ranges: all(c.size()), Rises: all(c.size()), Falls: all(c.size())}
		}
		return Possible{Ranges: all(c.size())}
	case Selector, Digits:
		return Possible{Ranges: all(c.size())}
	case Travel:
		if c.SlatsOf == "" {
			return Possible{Motions: anywhere(c)}
		}
	case Power:
		if i != s.power {
			return Possible{Ranges: all(c.size())}
		}
	}
	return Possible{}
}

// bit is the value of power that a case counts as for effects: of none while it ignores keys.
func (c *Case) bit() uint64 {
	switch c.Phase {
	case Off:
		return 1
	case On:
		return 1 << c.Mode
	case Warming, Cooling, Unfed:
	}
	return 0
}

func (c *Case) clone() Case {
	out := *c
	out.Possible = slices.Clone(c.Possible)
	return out
}

// same says whether two cases are alike but for what controls may be at.
func (c *Case) same(d *Case) bool {
	return c.phased(d) && c.Until == d.Until && c.Armed == d.Armed
}

// phased says whether two cases are in the same phase.
func (c *Case) phased(d *Case) bool { return c.Phase == d.Phase && c.Mode == d.Mode }

// joined makes one of cases that are alike but for what controls may be at. Where there are too many still, those of
// one phase become one.
func joined(cases []Case) []Case {
	cases = joinBy(cases, (*Case).same)
	if len(cases) > mostCases {
		cases = joinBy(cases, (*Case).phased)
	}
	return cases
}

func joinBy(cases []Case, alike func(*Case, *Case) bool) []Case {
	if len(cases) < 2 {
		return cases
	}
	out := make([]Case, 0, len(cases))
	for i := range cases {
		c := &cases[i]
		n := slices.IndexFunc(out, func(o Case) bool { return alike(&o, c) })
		if n < 0 {
			out = append(out, *c)
			continue
		}
		to := out[n].clone()
		to.Until, to.Armed = to.Until.or(c.Until), to.Armed.or(c.Armed)
		for j := range to.Possible {
			to.Possible[j] = to.Possible[j].or(c.Possible[j])
		}
		out[n] = to
	}
	return out
}

// or is the span that has both in it. An armed and a disarmed case are both possible afterwards: see armed.
func (s Span) or(t Span) Span {
	switch {
	case s == t:
	case s.From.IsZero() || t.From.IsZero(): // it may not be armed at all
		s = Span{From: time.Unix(0, 0), To: later(s.To, t.To)}
	default:
		s = Span{From: earlier(s.From, t.From), To: later(s.To, t.To)}
	}
	return s
}

func (p Possible) or(q Possible) Possible {
	return Possible{Ranges: p.Ranges.or(q.Ranges), Typed: orTyped(p.Typed, q.Typed),
		Motions: orMotions(p.Motions, q.Motions), Part: orPart(p.Part, q.Part),
		Rises: p.Rises.or(q.Rises), Falls: p.Falls.or(q.Falls),
		Since: orSince(p.Since, q.Since), Woken: orSince(p.Woken, q.Woken)}
}

func earlier(a, b time.Time) time.Time {
	if b.Before(a) {
		return b
	}
	return a
}

func later(a, b time.Time) time.Time {
	if b.After(a) {
		return b
	}
	return a
}
