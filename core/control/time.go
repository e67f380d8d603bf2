package control

import (
	"slices"
	"time"
)

// At is what is believed at a time when nothing was pressed since: a warm-up has ended, a number that was typed counts,
// what was moving has arrived.
func (s *Spec) At(b Belief, now time.Time) Belief { return s.at(b, clean(now)) }

func (s *Spec) at(b Belief, now time.Time) Belief {
	if s.still(b, now) {
		return b
	}
	out := Belief{Cases: make([]Case, 0, len(b.Cases)), Trust: b.Trust, Handset: b.Handset, planned: b.planned}
	var over []time.Time // by control: by when it has surely changed by itself, zero where it did not
	did := func(i int, by time.Time) {
		if !by.IsZero() {
			if over == nil {
				over = make([]time.Time, len(s.controls))
			}
			over[i] = later(over[i], by)
		}
	}
	for i := range b.Cases {
		c := b.Cases[i].clone()
		if (c.Phase == Warming || c.Phase == Cooling) && !now.Before(c.Until.To) {
			c.settle()
		}
		if again := s.again(); !c.Armed.From.IsZero() && now.Sub(c.Armed.To) > more(again) {
			c.Armed = Span{}
		}
		for j := range c.Possible {
			c.Possible[j] = s.later(j, c.Possible[j], now)
			var by time.Time
			c.Possible[j], by = s.itself(j, c.Possible[j], now)
			did(j, by)
		}
		if len(s.timers) == 0 || b.Trust[s.power].Source == Sensed { // a sensor says when it goes off
			out.Cases = append(out.Cases, c)
			continue
		}
		cases, by := s.timedOut(c, now, b.planned)
		did(s.power, by)
		out.Cases = append(out.Cases, cases...)
	}
	out.Cases = joined(out.Cases)
	if over != nil {
		out.Trust = s.trustItself(b, out, over, now)
	}
	return out
}

// trustItself is the trust after controls changed by themselves, each surely by a time: a timer that ran out leaves its
// device off, whatever was missed before it began.
func (s *Spec) trustItself(b, after Belief, over []time.Time, now time.Time) []Trust {
	out := slices.Clone(b.Trust)
	for i, by := range over {
		if by.IsZero() || now.Before(by) || !s.may(after, i, now).Is(0) {
			continue
		}
		wrong, deaf := out[i].Wrong, out[i].Deaf
		out[i] = Trust{Source: ByItself, At: by, Certain: by, Wrong: wrong, Deaf: deaf}
	}
	return out
}

// Still says whether nothing goes on by itself: no warm-up, nothing that moves, nothing that was typed.
func (s *Spec) Still(b Belief) bool {
	for i := range b.Cases {
		for j, p := range b.Cases[i].Possible {
			if s.controls[j].LapsesMS > 0 && !p.Ranges.Is(0) {
				return false
			}
			for _, m := range p.Motions {
				if m.Dir != 0 {
					return false
				}
			}
			if p.Typed != nil || p.Part != nil {
				return false
			}
		}
		if !b.Cases[i].Until.To.IsZero() || !b.Cases[i].Armed.From.IsZero() {
			return false
		}
	}
	return true
}

// still says whether a belief is at a time as it was.
func (s *Spec) still(b Belief, now time.Time) bool {
	if s.waits || len(s.rests) > 0 {
		return false
	}
	for i := range b.Cases {
		c := &b.Cases[i]
		if !c.Until.To.IsZero() && !now.Before(c.Until.To) || !c.Armed.From.IsZero() {
			return false
		}
		for j := range c.Possible {
			if c.Possible[j].Typed != nil || c.Possible[j].Part != nil || len(c.Possible[j].Motions) > 0 {
				return false
			}
		}
	}
	return true
}

// wake ends a warm-up or cool-down, where there is one.
func (c *Case) wake() {
	if c.Phase == Warming || c.Phase == Cooling {
		c.settle()
	}
}

// settle ends a warm-up or cool-down.
func (c *Case) settle() {
	if c.Phase == Warming {
		c.Phase = On
	} else {
		c.Phase, c.Mode = Off, 0
	}
	c.Until = Span{}
}

// again is within which time off has to be pressed twice.
func (s *Spec) again() time.Duration {
	if s.power < 0 {
		return 0
	}
	return ms(s.controls[s.power].AgainMS)
}

// later is what a control may be at after some time.
func (s *Spec) later(i int, p Possible, now time.Time) Possible {
	c := &s.controls[i]
	if p.Typed != nil {
		p = s.waited(c, p, now)
	}
	if p.Part != nil && now.Sub(p.Part.At) > more(c.forgets()) {
		p.Part = nil
	}
	if len(p.Motions) > 0 {
		p.Motions = arrived(c, p.Motions, now)
	}
	return p
}

// split is the cases that one may be at a time: at the edge of a warm-up it may have ended, or not.
func (s *Spec) split(c *Case, now time.Time) []Case {
	if c.Phase != Warming && c.Phase != Cooling || now.Before(c.Until.From) {
		return []Case{*c}
	}
	ended := c.clone()
	ended.settle()
	return []Case{*c, ended}
}
