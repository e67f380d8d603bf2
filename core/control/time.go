package control

import "time"

// At is what is believed at a time when nothing was pressed since: a warm-up has ended, a number that was typed counts,
// what was moving has arrived.
func (s *Spec) At(b Belief, now time.Time) Belief { return s.at(b, clean(now)) }

func (s *Spec) at(b Belief, now time.Time) Belief {
	if s.still(b, now) {
		return b
	}
	out := Belief{Cases: make([]Case, 0, len(b.Cases)), Trust: b.Trust, Handset: b.Handset}
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
		}
		out.Cases = append(out.Cases, c)
	}
	out.Cases = joined(out.Cases)
	return out
}

// Still says whether nothing goes on by itself: no warm-up, nothing that moves, nothing that was typed.
func (s *Spec) Still(b Belief) bool {
	for i := range b.Cases {
		for _, p := range b.Cases[i].Possible {
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
