package control

import "time"

// Failed is what is believed after the mains failed and came back: power is at what its form says, or may be at
// anything, what moved stands, and what a device does not keep is at what it starts with.
func (s *Spec) Failed(b Belief, now time.Time) Belief {
	now = clean(now)
	b = s.at(b, now)
	out := Belief{Trust: make([]Trust, len(b.Trust)), Handset: b.Handset}
	for i := range b.Cases {
		c := b.Cases[i].clone()
		if c.Phase == Unfed { // it has no power as it is
			out.Cases = append(out.Cases, c)
			continue
		}
		for j := range c.Possible {
			c.Possible[j] = s.cutOff(j, c.Possible[j], now)
		}
		out.Cases = append(out.Cases, s.poweredUp(c, now)...)
	}
	out.Cases = joined(out.Cases)
	for i, t := range b.Trust {
		if t.Source != Assumed { // whoever said that it failed did not look
			t.Sets, t.Run = min(t.Sets, 1), 0
		}
		out.Trust[i] = t
	}
	if s.power >= 0 {
		t := &out.Trust[s.power]
		t.Source, t.At, t.Certain, t.Sets, t.Presses = Told, now, now, 0, 0
	}
	return out
}

// poweredUp are the cases of a device that was at one when it lost its power, and gets it again.
func (s *Spec) poweredUp(before Case, now time.Time) (out []Case) {
	c := before.clone()
	c.Until, c.Armed = Span{}, Span{}
	for j := range c.Possible {
		c.Possible[j] = s.pluggedIn(j, c.Possible[j], now)
	}
	if s.power >= 0 && s.controls[s.power].GoesOffS > 0 {
		c.Possible[s.power].Since = since(now)
	}
	for _, mode := range s.afterFailure(before) {
		one := c.clone()
		if one.Phase, one.Mode = On, mode; s.power >= 0 && mode == 0 {
			one.Phase = Off
			s.ended(&one)
		}
		if warm := s.warmUp(); one.Phase == On && warm > 0 {
			one.Phase, one.Until = Warming, Span{now.Add(less(warm)), now.Add(more(warm))}
		}
		out = append(out, one)
	}
	return out
}

// afterFailure are the values of power that a mains failure may leave a device at.
func (s *Spec) afterFailure(c Case) []int {
	if s.power < 0 {
		return []int{c.Mode}
	}
	form := &s.controls[s.power]
	switch form.MainsFail {
	case "":
		all := make([]int, form.size())
		for i := range all {
			all[i] = i
		}
		return all
	case StartKeeps:
		if c.Phase == On || c.Phase == Warming {
			return []int{c.Mode}
		}
		return []int{0}
	}
	n, _ := form.index(form.MainsFail) // checked when it was compiled
	return []int{n}
}

func (s *Spec) warmUp() time.Duration {
	if s.power < 0 {
		return 0
	}
	return ms(s.controls[s.power].WarmUpMS)
}

// cutOff is what a control is at when its device loses its power: what moved stands.
func (s *Spec) cutOff(i int, p Possible, now time.Time) Possible {
	if i == s.power {
		return p
	}
	c := &s.controls[i]
	p.Typed, p.Part = nil, nil
	var stand []Motion
	for _, m := range p.Motions {
		where, tilt, _, _ := m.at(c, now)
		still := m.stands(c, where, tilt)
		if stand = append(stand, still); c.Round != "" { // it may have forgotten which way it went
			still.Next = nextOpens + nextCloses - still.Next
			stand = append(stand, still)
		}
	}
	p.Motions = joinedMotions(stand)
	return p
}

// pluggedIn is what a control is at when its device has power again.
func (s *Spec) pluggedIn(i int, p Possible, now time.Time) Possible {
	c := &s.controls[i]
	switch {
	case i == s.power:
		return p
	case c.Kind != Power:
		p = p.or(s.started(i, p, now))
		if c.LapsesMS > 0 {
			p.Ranges = p.Ranges.or(only(0))
		}
		if len(c.AfterS) > 0 { // what it was set to may be forgotten, or run on, or run from now on
			p.Ranges, p.Since = p.Ranges.or(only(0)), p.Since.until(now)
		}
		return p
	}
	p.Since = p.Since.until(now)
	switch c.MainsFail { // a second power
	case "":
		p.Ranges = all(c.size())
	case StartKeeps:
	default:
		n, _ := c.index(c.MainsFail) // checked when it was compiled
		p.Ranges = only(n)
	}
	return p
}
