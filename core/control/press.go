package control

import (
	"math"
	"slices"
	"time"
)

// Outcome of a press, as far as it is known.
type Outcome string

// The outcomes.
const (
	Sent    Outcome = "sent"    // it was on the air
	Failed  Outcome = "failed"  // nothing went out
	Unknown Outcome = "unknown" // it may or may not have been
)

// Press is one press of a key of the device.
type Press struct {
	Key     string        `json:"key"`
	At      time.Time     `json:"at"`             // when it began on the air
	Held    time.Duration `json:"held,omitempty"` // how long it was held down
	Outcome Outcome       `json:"outcome"`
	Source  Source        `json:"source"`
	// Frame is what a frame said that carries several controls, by control; then Key does not count.
	Frame map[string]string `json:"frame,omitempty"`
	Cause string            `json:"cause,omitempty"` // id of what it is in the journal
}

const (
	// slack is how far off the times of a form may be: a tenth.
	slack = 0.1
	// short is how long a press may be held that counts as one step.
	short = 400 * time.Millisecond
	// fastest is how many steps in a second a held key may make where its rate is not known.
	fastest = 20
)

func less(d time.Duration) time.Duration { return time.Duration(float64(d) * (1 - slack)) }
func more(d time.Duration) time.Duration { return time.Duration(float64(d) * (1 + slack)) }

// Does says whether a key changes any control.
func (s *Spec) Does(key string) bool { return len(s.effects[key]) > 0 }

// Touches says whether a key does anything to a control, or switches the device.
func (s *Spec) Touches(key, control string) bool {
	for _, e := range s.effects[key] {
		if s.controls[e.control].Name == control || e.control == s.power {
			return true
		}
	}
	return false
}

// After is what is believed after a press: every possibility goes where the key leads from it. A press of which it is
// not known whether it went out leaves both; one that failed changes nothing.
func (s *Spec) After(b Belief, p Press) Belief {
	p.At = clean(p.At)
	if p.Outcome == Failed {
		return s.at(b, p.At)
	}
	b = s.at(b, p.At)
	out := Belief{Cases: make([]Case, 0, len(b.Cases)), Handset: b.Handset, planned: b.planned}
	if p.Source == ByHandset {
		out.Handset = later(out.Handset, p.At)
	}
	for i := range b.Cases {
		c := &b.Cases[i]
		if p.Outcome == Unknown {
			out.Cases = append(out.Cases, *c)
		}
		if c.Phase != Warming && c.Phase != Cooling {
			out.Cases = s.press(out.Cases, c, p)
			continue
		}
		for _, may := range s.split(c, p.At) {
			out.Cases = s.press(out.Cases, &may, p)
		}
	}
	out.Cases = joined(out.Cases)
	out.Trust = s.trustAfter(b, out, p)
	return out
}

// clean is a moment that can be compared.
func clean(t time.Time) time.Time { return t.UTC().Round(0) }

// press adds to some cases where a key leads from one.
func (s *Spec) press(out []Case, c *Case, p Press) []Case {
	if p.Frame != nil {
		return append(out, s.framedPress(c, p))
	}
	if p.Source == ByLink {
		return append(out, s.linked(c, p)...)
	}
	all := s.effects[p.Key]
	if c.bit() == 0 {
		if c.Phase == Warming { // whether this is a key that keeps it on is not known
			return append(out, s.kept(c, p, false))
		}
		return append(out, *c)
	}
	next := s.kept(c, p, true)
	wakes := false // it is off, and this key may do no more than switch it on
	for i := range all {
		e := &all[i]
		if e.control == s.power {
			wakes = wakes || e.op == OpOn && c.Phase == Off
			continue
		}
		yes, no := s.acts(e, c, p)
		if no {
			continue
		}
		was := next.Possible[e.control]
		if next.Possible[e.control] = s.effect(*e, was, p); !yes {
			next.Possible[e.control] = next.Possible[e.control].or(was)
		}
		if s.controls[e.control].Kind == Power {
			s.startTied(&next, e.control, was, p)
		}
	}
	s.woken(&next, c, p)
	for i := range s.controls {
		if t := next.Possible[i].Part; t != nil && !s.parts(p.Key, i) {
			next.Possible[i].Part = &Part{Lost: true, At: p.At}
		}
		if s.controls[i].Kind == Digits && next.Possible[i].Typed != nil && !s.types(p.Key, i) {
			next.Possible[i] = interrupted(next.Possible[i])
		}
	}
	from := len(out)
	if !c.Armed.From.IsZero() && !s.offFrom(p.Key, c.Mode) { // whether another key ends the asking is not known
		still := next.clone()
		next.Armed = Span{}
		out = s.pressPower(out, &still, p)
	}
	out = s.pressPower(out, &next, p)
	if wakes {
		for _, also := range slices.Clone(out[from:]) { // its other effects may count as well, now that it is on
			more := also.clone()
			for _, e := range all {
				awake := more
				awake.Phase = On
				if _, no := s.acts(&e, &awake, p); e.control != s.power && !no {
					more.Possible[e.control] = s.effect(e, more.Possible[e.control], p)
				}
			}
			out = append(out, more)
		}
	}
	return out
}

// offFrom says whether a key switches off a device that is on.
func (s *Spec) offFrom(key string, mode int) bool {
	for _, e := range s.effects[key] {
		if e.control == s.power && (e.op == OpVague || e.leads(mode, s.controls[s.power].size()) == 0) {
			return true
		}
	}
	return false
}

// turns says whether a key changes the power of a device that is on.
func (s *Spec) turns(key string) bool {
	for _, e := range s.effects[key] {
		if e.control == s.power && e.op != OpOn {
			return true
		}
	}
	return false
}

// parts says whether a key is one of a selector's sequences.
func (s *Spec) parts(key string, control int) bool {
	return slices.ContainsFunc(s.effects[key], func(e effect) bool { return e.control == control && e.op == OpPart })
}

// types says whether a key is one of those that type a number.
func (s *Spec) types(key string, control int) bool {
	for _, e := range s.effects[key] {
		if e.control == control && (e.op == OpDigit || e.op == OpEnter || e.op == OpSet || e.op == OpVague) {
			return true
		}
	}
	return false
}

// pressPower adds to some cases what a key does to power, in a case that is off or on.
func (s *Spec) pressPower(out []Case, c *Case, p Press) []Case {
	if s.power < 0 {
		return append(out, *c)
	}
	form := &s.controls[s.power]
	was := c.Mode
	if c.Phase == Off {
		was = 0
	}
	for _, e := range s.effects[p.Key] {
		if e.control != s.power {
			continue
		}
		yes, no := e.counts(p.Held)
		if no {
			continue
		}
		if !yes {
			out = append(out, *c)
		}
		switch e.op {
		case OpSet:
			return s.switched(out, c, was, e.arg, p.At)
		case OpRound, OpFlip:
			return s.switched(out, c, was, (was+1)%form.size(), p.At)
		case OpOn:
			if was == 0 {
				return s.switched(out, c, was, max(e.arg, 1), p.At)
			}
		case OpVague:
			for v := range form.size() {
				out = s.switched(out, c, was, v, p.At)
			}
			return out
		case OpStep, OpDigit, OpEnter, OpMove, OpStop, OpCycle, OpPart, OpDim:
		}
	}
	return append(out, *c)
}

// kept is a case in which a key was pressed: a timer that counts from the last key begins anew, where the device
// listens.
func (s *Spec) kept(c *Case, p Press, listens bool) Case {
	next := c.clone()
	for i := range s.controls {
		form := &s.controls[i]
		if form.GoesOffS == 0 || form.GoesOffFrom != FromKey {
			continue
		}
		to := &next.Possible[i]
		if to.Since = to.Since.until(p.At); listens {
			to.Since = since(p.At)
		}
	}
	return next
}

// startTied lets the controls that work while a second power is on begin, where a press switched that on.
func (s *Spec) startTied(next *Case, power int, was Possible, p Press) {
	is := next.Possible[power].Ranges
	if !was.Ranges.Has(0) || is.Is(0) {
		return
	}
	surely := was.Ranges.Is(0) && !is.Has(0)
	for i := range s.controls {
		if i == s.power || i == power || s.tied[i] != power {
			continue
		}
		begins := s.started(i, next.Possible[i], p.At)
		if !surely {
			begins = begins.or(next.Possible[i])
		}
		next.Possible[i] = begins
	}
}

// switched adds to some cases what comes of switching from a value of power to another.
func (s *Spec) switched(out []Case, c *Case, was, to int, at time.Time) []Case {
	form := &s.controls[s.power]
	next := c.clone()
	switch {
	case was == to:
		return append(out, next)
	case to == 0:
		return s.switchedOff(out, c, at)
	case was != 0:
		next.Mode, next.Armed = to, Span{}
		if form.GoesOffS > 0 { // its time may begin anew
			next.Possible[s.power].Since = next.Possible[s.power].Since.until(at)
		}
		return append(out, next)
	}
	next.Phase, next.Mode, next.Until, next.Armed = On, to, Span{}, Span{}
	s.startAll(&next, at)
	if form.WarmUpMS > 0 {
		next.Phase = Warming
		next.Until = Span{at.Add(less(ms(form.WarmUpMS))), at.Add(more(ms(form.WarmUpMS)))}
	}
	return append(out, next)
}

// switchedOff adds to some cases what comes of being asked to switch off: some devices want it twice.
func (s *Spec) switchedOff(out []Case, c *Case, at time.Time) []Case {
	form := &s.controls[s.power]
	off := s.off(c, Span{at, at})
	if form.AgainMS == 0 {
		return append(out, off)
	}
	asks := c.clone()
	asks.Armed = Span{at, at}
	if c.Armed.From.IsZero() {
		return append(out, asks)
	}
	if at.Sub(c.Armed.From) <= less(ms(form.AgainMS)) {
		return append(out, off)
	}
	return append(out, off, asks) // what is surely too late is not armed any more
}

// off is a case that switched off at some time in a span: a device that cools down ignores keys at first.
func (s *Spec) off(c *Case, when Span) Case {
	out := c.clone()
	out.Phase, out.Mode, out.Until, out.Armed = Off, 0, Span{}, Span{}
	if cool := ms(s.controls[s.power].CoolDownMS); cool > 0 {
		out.Phase, out.Until = Cooling, due(when, cool)
	}
	s.ended(&out)
	return out
}

// startAll lets all begin in a device that was switched on.
func (s *Spec) startAll(next *Case, at time.Time) {
	for i := range s.controls {
		if i != s.power && s.tied[i] < 0 {
			next.Possible[i] = s.started(i, next.Possible[i], at)
		}
	}
	if s.controls[s.power].GoesOffS > 0 {
		next.Possible[s.power].Since = since(at)
	}
}

// started is what a control is at when its device was switched on.
func (s *Spec) started(i int, p Possible, at time.Time) Possible {
	c := &s.controls[i]
	rises, falls, woken := p.Rises, p.Falls, p.Woken.until(at)
	switch c.OnStart {
	case "", StartKeeps:
		p.Typed, p.Part = nil, nil
		if c.LapsesMS > 0 { // what was open is closed, or not
			p.Ranges = p.Ranges.or(only(0))
		}
		if len(c.AfterS) > 0 && c.OnStart == "" {
			p.Ranges = only(0)
		}
	case StartUnknown:
		p = s.anything(i)
	default:
		n, _ := c.index(c.OnStart) // checked when it was compiled
		p = s.exactly(i, n)
		p.Rises, p.Falls = rises.at(n), falls.at(n)
	}
	if c.Hold != "" {
		p = c.begins(p)
	}
	if c.RestMS > 0 || c.LapsesMS > 0 {
		p.Woken = woken
	}
	if len(c.AfterS) > 0 {
		p.Since = since(at)
	}
	return p
}

// effect is what a key does to a control other than the device's power.
func (s *Spec) effect(e effect, was Possible, p Press) Possible {
	c := &s.controls[e.control]
	next := s.changed(e, was, p)
	next.Woken = was.Woken
	switch {
	case len(c.AfterS) > 0:
		next.Since = since(p.At)
	case c.GoesOffS > 0: // a second power
		next.Since = was.Since.until(p.At)
		if was.Ranges.Is(0) {
			next.Since = since(p.At)
		}
	}
	return next
}

// changed is what a control is at after an effect.
func (s *Spec) changed(e effect, was Possible, p Press) Possible {
	c := &s.controls[e.control]
	if c.Hold != "" {
		return c.dimmed(e, was, p)
	}
	round := c.Ends == EndsRound || c.Kind == Selector
	switch e.op {
	case OpSet:
		return Possible{Ranges: only(e.arg)}
	case OpStep:
		least, most := steps(c, p.Held)
		from, to := e.arg*least, e.arg*most
		return Possible{Ranges: was.Ranges.step(min(from, to), max(from, to), c.size(), round)}
	case OpRound, OpFlip:
		least, most := 1, 1
		if c.Rate > 0 { // else it goes on once for each press, however long that is
			least, most = steps(c, p.Held)
		}
		if e.skips != 0 {
			return Possible{Ranges: was.Ranges.skipping(least, most, c.size(), e.skips)}
		}
		return Possible{Ranges: was.Ranges.step(least, most, c.size(), true)}
	case OpDigit:
		return s.typed(c, was, byte('0'+e.arg), p.At)
	case OpEnter:
		return s.entered(c, was, p.At)
	case OpPart:
		return c.stepped(was, p.Key, p.At)
	case OpMove, OpStop, OpCycle:
		if c.SlatsOf != "" { // they stand beside the motion of what they are of
			return was
		}
		return Possible{Motions: moved(c, was.Motions, e, p.At)}
	case OpOn: // a second power
		on := was.Ranges.without(0)
		if was.Ranges.Has(0) {
			on = on.or(only(max(e.arg, 1)))
		}
		return Possible{Ranges: on}
	case OpVague, OpDim:
	}
	return s.anything(e.control)
}

// steps is how many steps a key makes that is held for a time, at least and at most.
func steps(c *Control, held time.Duration) (least, most int) {
	switch {
	case held <= short:
		return 1, 1
	case c.Rate == 0:
		return 1, 1 + int(math.Ceil(held.Seconds()*fastest))
	}
	n := int(math.Round(c.made(held)))
	off := c.uneven(n)
	return max(n-off, 1), max(n+off, 1)
}

// made is how many steps its key makes in a time.
func (c *Control) made(held time.Duration) float64 {
	if later := ms(c.RateMS); c.RateLater > 0 && held > later {
		return later.Seconds()*c.Rate + (held-later).Seconds()*c.RateLater
	}
	return held.Seconds() * c.Rate
}

// takes is how long its key is held for so many steps.
func (c *Control) takes(steps float64) time.Duration {
	first := steps / c.Rate
	if until := ms(c.RateMS).Seconds(); c.RateLater > 0 && first > until {
		first = until + (steps-until*c.Rate)/c.RateLater
	}
	return time.Duration(first * float64(time.Second))
}

// uneven is by how many of n steps a held key may be off. One that speeds up does so a little sooner or later.
func (c *Control) uneven(n int) int {
	if c.RateLater == 0 && c.Hold == "" {
		return 1
	}
	return max(1, (n+9)/10)
}
