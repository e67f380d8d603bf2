package control

import (
	"slices"
	"time"
)

// Tell is what is believed when a person or sensor says what a control is at: what agrees is kept, and only where
// nothing does it is replaced, which fits tells. The error wraps ErrForm.
func (s *Spec) Tell(b Belief, control, value string, by Source, now time.Time) (out Belief, fits bool, err error) {
	i, err := s.find(control)
	if err != nil {
		return b, false, err
	}
	now = clean(now)
	b = s.at(b, now)
	form := &s.controls[i]
	var n int
	anyOn := form.Kind == Power && value == "on" && form.size() > 2
	if !anyOn {
		if n, err = form.index(value); err != nil {
			return b, false, err
		}
	}
	cases := []Case{}
	for k := range b.Cases {
		for _, c := range s.split(&b.Cases[k], now) {
			if kept, ok := s.agrees(&c, i, n, anyOn, now); ok {
				cases = append(cases, kept)
			}
		}
	}
	if fits = len(cases) > 0; !fits {
		cases = s.replaced(b.Cases, i, n, anyOn, now)
	}
	out = Belief{Cases: joined(cases), Trust: append([]Trust{}, b.Trust...), Handset: b.Handset}
	t := &out.Trust[i]
	if !fits && by == Sensed {
		t.Wrong++
	}
	if !fits && i == s.power { // what was pressed since it was last certain may not have counted
		for j := range out.Trust {
			if o := &out.Trust[j]; j != i && o.At.After(t.Certain) {
				o.Sets, o.Deaf = 0, true
			}
		}
	}
	sets := sure
	if !fits && by == Told && t.Source == Told && now.Sub(t.At) < disagree { // two people say two things
		sets = 1
	}
	wrong := t.Wrong
	*t = Trust{Source: by, At: now, Wrong: wrong}
	t.set(n, now)
	t.Sets = sets
	return out, fits, nil
}

// disagree is how soon after each other two people who say two things disagree: then neither is certain.
const disagree = 10 * time.Second

// agrees is a case as far as it agrees with a control being at a value.
func (s *Spec) agrees(c *Case, i, n int, anyOn bool, now time.Time) (Case, bool) {
	out := c.clone()
	form := &s.controls[i]
	if i == s.power {
		mode := 0
		if c.Phase == On || c.Phase == Warming {
			mode = c.Mode
		}
		out.Armed = c.Armed
		return out, mode == n && !anyOn || anyOn && mode > 0
	}
	if form.SlatsOf != "" {
		return s.agreesSlats(&out, i, n, now)
	}
	if c.Phase == Unfed && form.Kind == Power {
		return out, n == 0 && !anyOn
	}
	if form.Kind == Power && anyOn {
		on := c.Possible[i].Ranges.without(0)
		out.Possible[i].Ranges = on
		return out, len(on) > 0
	}
	if form.Kind == Travel {
		out.Possible[i].Motions = nil
		for _, m := range c.Possible[i].Motions {
			where, tilt, _, may := m.at(form, now)
			switch {
			case n < where.From-nearby || n > where.To+nearby:
			case may && n == end(m.Dir):
				out.Possible[i].Motions = append(out.Possible[i].Motions, m.stands(form, Range{n, n}, tilt))
			default:
				m.From, m.Tilt, m.Moves = around(n), tilt, 1
				if m.From.From == m.From.To { // an end
					m.Moves = 0
				}
				if m.Dir != 0 {
					m.Began = now.Add(-less(ms(form.DelayMS)))
				} else {
					m = m.stands(form, m.From, m.Tilt)
				}
				out.Possible[i].Motions = append(out.Possible[i].Motions, m)
			}
		}
		out.Possible[i].Motions = joinedMotions(out.Possible[i].Motions)
		return out, len(out.Possible[i].Motions) > 0
	}
	was := c.Possible[i]
	out.Possible[i] = Possible{Ranges: only(n), Since: was.Since, Woken: was.Woken,
		Rises: was.Rises.among(only(n)), Falls: was.Falls.among(only(n))}
	return out, was.Ranges.Has(n)
}

// agreesSlats is a case as far as it agrees with slats that stand so.
func (s *Spec) agreesSlats(out *Case, i, n int, now time.Time) (Case, bool) {
	of := s.slats[i]
	form := &s.controls[of]
	var kept []Motion
	for _, m := range out.Possible[of].Motions {
		where, tilt, _, _ := m.at(form, now)
		if n < tilt.From-nearby || n > tilt.To+nearby {
			continue
		}
		if m.From, m.Tilt = where, around(n); m.Dir != 0 {
			m.Began = now.Add(-less(ms(form.DelayMS)))
		} else {
			m = m.stands(form, m.From, m.Tilt)
		}
		kept = append(kept, m)
	}
	if len(kept) == 0 {
		return *out, false
	}
	out.Possible[of].Motions = joinedMotions(kept)
	return *out, true
}

// end is where a direction leads to.
func end(dir int) int {
	if dir > 0 {
		return wholeWay
	}
	return 0
}

// nearby is how near to a place of a travel something counts as there.
const nearby = 3 * wayUnit

// around is a place that a person or sensor told, as near as they can tell; ends are exact.
func around(n int) Range {
	if n == 0 || n == wholeWay {
		return Range{n, n}
	}
	return Range{max(n-wayUnit, 0), min(n+wayUnit, wholeWay)}
}

// replaced is what is believed when nothing that was agrees with what was told: everything else may be as it was, or as
// it starts.
func (s *Spec) replaced(cases []Case, i, n int, anyOn bool, now time.Time) []Case {
	form := &s.controls[i]
	var out []Case
	for k := range cases {
		c := cases[k].clone()
		if of, is := s.slats[i]; is {
			for m := range c.Possible[of].Motions {
				c.Possible[of].Motions = slices.Clone(c.Possible[of].Motions)
				c.Possible[of].Motions[m].Tilt = around(n)
			}
			out = append(out, c)
			continue
		}
		if i != s.power && form.Kind == Power && c.Phase == Unfed && (n > 0 || anyOn) {
			c = s.fedAgain(&c, now)[0]
		}
		if i != s.power {
			since := c.Possible[i]
			c.Possible[i] = s.exactly(i, n)
			c.Possible[i].Since, c.Possible[i].Woken = since.Since, since.Woken
			if anyOn {
				c.Possible[i].Ranges = Ranges{{1, form.size() - 1}}
			}
			out = append(out, c)
			continue
		}
		c.Until, c.Armed = Span{}, Span{}
		c.Possible[s.power].Since = Since{} // it was switched on at some time
		for j := range c.Possible {
			if j != i && s.controls[j].OnStart != "" && s.controls[j].OnStart != StartKeeps {
				c.Possible[j] = c.Possible[j].or(s.started(j, c.Possible[j], now))
			}
			c.Possible[j].Typed = nil
		}
		modes := []int{n}
		if anyOn {
			modes = modes[:0]
			for m := 1; m < form.size(); m++ {
				modes = append(modes, m)
			}
		}
		for _, m := range modes {
			one := c.clone()
			if one.Phase, one.Mode = On, m; m == 0 {
				one.Phase = Off
			}
			out = append(out, one)
		}
	}
	return out
}

// exactly is a control that is known to be at a value.
func (s *Spec) exactly(i, n int) Possible {
	c := &s.controls[i]
	switch {
	case c.Hold != "":
		return Possible{Ranges: only(n), Rises: only(n), Falls: only(n)}
	case c.Kind != Travel:
		return Possible{Ranges: only(n)}
	}
	at := Motion{From: around(n), Moves: 1}
	if c.slats > 0 {
		at.Tilt = Range{0, wholeWay}
	}
	switch {
	case n == wholeWay:
		at.Next, at.Moves = nextCloses, 0
	case n == 0:
		at.Next, at.Moves = nextOpens, 0
	case c.Round != "":
		other := at
		other.Next = nextCloses
		return Possible{Motions: []Motion{at, other}}
	}
	return Possible{Motions: []Motion{at}}
}

// Fits says whether a belief is of these controls.
func (s *Spec) Fits(b Belief) bool {
	if len(b.Cases) == 0 || len(b.Trust) != len(s.controls) {
		return false
	}
	for _, c := range b.Cases {
		if len(c.Possible) != len(s.controls) || s.power >= 0 && (c.Mode < 0 || c.Mode >= s.controls[s.power].size()) {
			return false
		}
	}
	return true
}
