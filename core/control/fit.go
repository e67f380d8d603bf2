package control

import "slices"

// Fit is a belief of other forms of the same device, as far as what it says means the same in these: controls by their
// names and kinds, values by theirs.
func (s *Spec) Fit(b Belief, of *Spec) Belief {
	out := s.Nothing()
	out.Handset = b.Handset
	from := make([]int, len(s.controls)) // places in the other forms, −1 where nothing of it holds
	for i := range s.controls {
		from[i] = -1
		j, err := of.find(s.controls[i].Name)
		if err != nil || !s.controls[i].alike(&of.controls[j]) || !s.means(b, i, of, j) {
			continue
		}
		if from[i] = j; j < len(b.Trust) {
			out.Trust[i] = s.trustOf(b.Trust[j], i, of, j)
		}
	}
	samePower := s.power < 0 && of.power < 0 || s.power >= 0 && from[s.power] == of.power
	nothing := out.Cases
	out.Cases = nil
	for k := range b.Cases {
		old := b.Cases[k]
		cases := nothing
		if samePower {
			c := nothing[0].clone()
			c.Phase, c.Mode, c.Until, c.Armed = old.Phase, old.Mode, old.Until, old.Armed
			if s.power >= 0 {
				c.Mode, _ = s.placeOf(old.Mode, s.power, of, of.power)
			}
			cases = []Case{c}
		}
		for _, c := range cases {
			c = c.clone()
			for i, j := range from {
				if j >= 0 && j < len(old.Possible) {
					c.Possible[i] = s.possibleOf(old.Possible[j], i, of, j)
				}
			}
			out.Cases = append(out.Cases, c)
		}
	}
	if len(out.Cases) == 0 {
		out.Cases = nothing
	}
	if s.fed && !of.fed && samePower {
		out.Cases = s.perhapsUnfed(out.Cases)
	}
	for k := range out.Cases {
		if c := &out.Cases[k]; c.Phase == Unfed && !s.fed {
			if c.Phase = On; s.power >= 0 && c.Mode == 0 {
				c.Phase = Off
			}
		}
	}
	out.Cases = joined(out.Cases)
	return out
}

// alike says whether what is believed of one form can hold for another.
func (c *Control) alike(d *Control) bool {
	return c.Kind == d.Kind && (c.Kind != Travel || (c.Round == "") == (d.Round == "")) &&
		(c.Hold == "") == (d.Hold == "") && c.slats == d.slats && c.SlatsOf == d.SlatsOf
}

// placeOf is the place of a value of another form by its name; false where there is no such value.
func (s *Spec) placeOf(at, i int, of *Spec, j int) (int, bool) {
	if of.controls[j].Kind == Travel {
		return at, true
	}
	n, err := s.controls[i].index(of.controls[j].text(at))
	return max(n, 0), err == nil
}

// rangesOf are ranges of another form, by the names of their values; false where one of those is no value here.
func (s *Spec) rangesOf(r Ranges, i int, of *Spec, j int) (out Ranges, ok bool) {
	if c, d := &s.controls[i], &of.controls[j]; c.size() == d.size() && slices.Equal(c.values(), d.values()) &&
		given(c.Least, 0) == given(d.Least, 0) && c.step() == d.step() {
		return r, true
	}
	for _, x := range r {
		for v := x.From; v <= x.To; v++ {
			n, is := s.placeOf(v, i, of, j)
			if !is {
				return nil, false
			}
			out = out.or(only(n))
		}
	}
	return out, true
}

// means says whether all that a control may be at are values here too. Where it may be at any, it may be so here.
func (s *Spec) means(b Belief, i int, of *Spec, j int) bool {
	if of.controls[j].Kind == Travel {
		return true
	}
	for k := range b.Cases {
		c := &b.Cases[k]
		if j == of.power {
			if _, ok := s.placeOf(c.Mode, i, of, j); !ok {
				return false
			}
			continue
		}
		if len(c.Possible[j].Ranges) == 0 {
			return false // it was the device's power, or another thing
		}
		if c.Possible[j].Ranges.Count() == of.controls[j].size() {
			continue
		}
		if _, ok := s.rangesOf(c.Possible[j].Ranges, i, of, j); !ok {
			return false
		}
	}
	return (i == s.power) == (j == of.power)
}

// possibleOf is what a control may be at here, of what it may be at in another form that means the same.
func (s *Spec) possibleOf(p Possible, i int, of *Spec, j int) Possible {
	c := &s.controls[i]
	if c.Kind == Travel || i == s.power {
		return p
	}
	out := s.anything(i)
	if p.Ranges.Count() < of.controls[j].size() {
		out.Ranges, _ = s.rangesOf(p.Ranges, i, of, j)
	}
	if c.Hold != "" {
		out.Rises, out.Falls = out.Ranges, out.Ranges
		up, okUp := s.rangesOf(p.Rises, i, of, j)
		down, okDown := s.rangesOf(p.Falls, i, of, j)
		if okUp && okDown && len(up)+len(down) > 0 {
			out.Rises, out.Falls = up, down
		}
	}
	if c.size() == of.controls[j].size() {
		out.Typed, out.Part = p.Typed, p.Part
	}
	out.Since, out.Woken = p.Since, p.Woken
	return out
}

// trustOf is the trust in a control of another form that means the same.
func (s *Spec) trustOf(t Trust, i int, of *Spec, j int) Trust {
	if c := &of.controls[j]; c.Kind != Travel && t.Value >= 0 && t.Value < c.size() {
		n, ok := s.placeOf(t.Value, i, of, j)
		if t.Value = n; !ok {
			t.Sets = min(t.Sets, 1)
		}
	}
	return t
}
