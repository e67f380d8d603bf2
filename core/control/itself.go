package control

import (
	"cmp"
	"slices"
	"strings"
	"time"
)

// checkItself says what is wrong with what a form says that a device does by itself: timers, rests, holds.
func (c *Control) checkItself(wrong complaint) error {
	only := func(kind Kind, member string, is bool) error {
		if is && c.Kind != kind {
			return wrong("%s is of a %s, not of a %s: leave it out", member, kind, c.Kind)
		}
		return nil
	}
	for _, err := range []error{
		only(Power, "goes_off_s", c.GoesOffS != 0), only(Selector, "after_s", len(c.AfterS) > 0),
		only(Selector, "lapses_ms", c.LapsesMS != 0), only(Selector, "skips", len(c.Skips) > 0),
		only(Dial, "hold", c.Hold != ""), only(Dial, "rate_later", c.RateLater != 0),
		only(Travel, "slats_of", c.SlatsOf != ""),
	} {
		if err != nil {
			return err
		}
	}
	switch {
	case c.GoesOffS < 0 || c.GoesOffS > mostTimer:
		return wrong("goes_off_s is %d: 0 to %d", c.GoesOffS, mostTimer)
	case c.GoesOffS > 0 && c.GoesOffS*1000 <= c.WarmUpMS:
		return wrong("it goes off after %d s, and warms up for %g s: that has to be shorter", c.GoesOffS,
			float64(c.WarmUpMS)/1000)
	case !slices.Contains([]string{"", FromOn, FromKey}, c.GoesOffFrom):
		return wrong("goes_off_from %.20q: on or key", c.GoesOffFrom)
	case !slices.Contains([]string{"", WokenOwn, WokenAny}, c.Woken):
		return wrong("woken %.20q: own or any", c.Woken)
	case !slices.Contains([]string{"", BeginsUp, BeginsDown}, c.HoldBegins):
		return wrong("hold_begins %.20q: up or down", c.HoldBegins)
	case c.RestMS > 0 && (c.Kind == Power || c.Kind == Travel || c.Kind == Digits):
		return wrong("rest_ms is of a dial or selector, not of a %s: leave it out", c.Kind)
	case c.RestMS > 0 && c.RestMS < leastRest:
		return wrong("rest_ms is %d: the least is %d, presses are half a second apart", c.RestMS, leastRest)
	case c.RestMS > 0 && c.LapsesMS > 0:
		return wrong("it rests, and goes back to its first value: leave one out")
	case c.RestMS > 0 && c.Hold != "":
		return wrong("it rests, and its key is held: leave one out")
	case c.Hold != "" && (c.Rate <= 0 || c.Rate > mostRate):
		return wrong("say how many steps it makes in a second while %s is held (rate): above 0, up to %d", c.Hold,
			mostRate)
	case c.Rate < 0 || c.Rate > mostRate || c.RateLater < 0 || c.RateLater > mostRate:
		return wrong("%g steps in a second: 0 to %d", max(c.Rate, c.RateLater), mostRate)
	case (c.RateLater > 0) != (c.RateMS > 0), c.RateLater > 0 && c.Rate == 0:
		return wrong("where it speeds up, say its rate, its rate later, and after how long (rate, rate_later, rate_ms)")
	case c.Hold != "" && (c.Hold == c.Up || c.Hold == c.Down || c.Hold == c.Round || c.Ends == EndsRound):
		return wrong("%s changes its direction at each hold: it is no key for one step, and does not go round", c.Hold)
	}
	for _, v := range c.Skips {
		if !slices.Contains(c.values(), v) {
			return wrong("it passes over %.40q: its values are %s", v, strings.Join(c.values(), ", "))
		}
	}
	for _, v := range sorted(c.AfterS) {
		switch at := slices.Index(c.values(), v); {
		case at < 0:
			return wrong("a time for %.40q: its values are %s", v, strings.Join(c.values(), ", "))
		case at == 0:
			return wrong("its first value, %s, is that no time runs: give it none", v)
		case c.AfterS[v] < 1 || c.AfterS[v] > mostTimer:
			return wrong("after_s of %s is %d: 1 to %d", v, c.AfterS[v], mostTimer)
		}
	}
	return nil
}

const (
	// mostTimer is the longest time of a device's own timer, in s: a week.
	mostTimer = 604_800
	// mostRate is the most steps in a second while a key is held.
	mostRate = 100
	// leastRest is the shortest rest after which a press only shows something, in ms.
	leastRest = 1000
)

// ByItself says in a few words what a device does by itself with a control: its timer, its rest; "" where nothing.
func (c *Control) ByItself() string {
	var out []string
	if c.GoesOffS > 0 {
		out = append(out, "goes off after "+timeText(seconds(c.GoesOffS)))
	}
	if c.LongestS > 0 {
		out = append(out, "Urbo switches it off after "+timeText(seconds(c.LongestS)))
	}
	if len(c.AfterS) > 0 {
		out = append(out, "switches off after "+c.stands("after_s"))
	}
	if c.LapsesMS > 0 {
		out = append(out, "closes after "+timeText(c.lapses()))
	}
	if c.RestMS > 0 {
		out = append(out, "first press shows it after "+timeText(c.rest()))
	}
	if len(c.Skips) > 0 {
		out = append(out, "may pass over "+strings.Join(c.Skips, " "))
	}
	return strings.Join(out, ", ")
}

func seconds(n int) time.Duration        { return time.Duration(n) * time.Second }
func (c *Control) rest() time.Duration   { return ms(c.RestMS) }
func (c *Control) lapses() time.Duration { return ms(c.LapsesMS) }

// held is how long its key is held before that counts as holding.
func (c *Control) held() time.Duration { return ms(cmp.Or(c.HoldMS, 500)) }

// runs are the times after which a device's own timer switches it off.
func (c *Control) runs() (out []time.Duration) {
	if c.GoesOffS > 0 {
		out = append(out, seconds(c.GoesOffS))
	}
	for _, s := range c.AfterS {
		out = append(out, seconds(s))
	}
	return out
}

// checkTimers says where the timer of one control contradicts another one.
func (s *Spec) checkTimers(c *Control) error {
	if len(c.AfterS) == 0 {
		return nil
	}
	if s.power < 0 {
		return s.wrong(c, "a timer switches the device off: add its power first")
	}
	warm := s.controls[s.power].WarmUpMS
	for _, v := range sorted(c.AfterS) {
		if c.AfterS[v]*1000 <= warm {
			return s.wrong(c, "%s switches off after %d s, and %s warms up for %g s: that has to be shorter", v,
				c.AfterS[v], s.controls[s.power].Name, float64(warm)/1000)
		}
	}
	return nil
}

// orSince is between when and when something was where either is possible.
func orSince(a, b Since) Since {
	if a.to == 0 || b.to == 0 {
		return Since{}
	}
	return Since{min(a.from, b.from), max(a.to, b.to)}
}

// known is a Since that is known to have been before now.
func known(s Since, now time.Time) Since {
	if n := now.UnixNano(); s.to == 0 || s.to > n {
		s.to = n
	}
	return s
}

// due is between when and when something is over that lasts for a time, a tenth more or less.
func due(s Span, d time.Duration) Span {
	return Span{s.From.Add(less(d)), s.To.Add(more(d))}
}

// itself is what a control comes to by itself beside the power of its device: a menu closes, a second power goes off.
// over is by when that has surely happened, zero where nothing may have.
func (s *Spec) itself(i int, p Possible, now time.Time) (next Possible, over time.Time) {
	c := &s.controls[i]
	var span Span
	switch {
	case c.LapsesMS > 0 && !p.Ranges.Is(0):
		p.Woken = known(p.Woken, now)
		span = due(p.Woken.span(), c.lapses())
	case c.GoesOffS > 0 && i != s.power && !p.Ranges.Is(0):
		p.Since = known(p.Since, now)
		span = due(p.Since.span(), seconds(c.GoesOffS))
	case c.RestMS > 0:
		p.Woken = known(p.Woken, now)
		return p, time.Time{}
	default:
		return p, time.Time{}
	}
	switch {
	case now.Before(span.From):
		return p, time.Time{}
	case now.Before(span.To):
		p.Ranges = p.Ranges.or(only(0))
	default:
		p.Ranges = only(0)
	}
	return p, span.To
}

// timedOut is the cases that one becomes by the device's own timers. ran is by when those have surely run out that may
// have, zero where none may.
// planned leaves out those of which nobody knows when they began.
func (s *Spec) timedOut(c Case, now time.Time, planned bool) (out []Case, ran time.Time) {
	out = []Case{c}
	if c.Phase != On && c.Phase != Warming {
		return out, ran
	}
	for _, i := range s.timers {
		form := &s.controls[i]
		c := &out[0]
		p := &c.Possible[i]
		if p.Since = known(p.Since, now); planned && p.Since.from == 0 {
			continue
		}
		if i == s.power {
			over := due(p.Since.span(), seconds(form.GoesOffS))
			if now.Before(over.From) {
				continue
			}
			ran = later(ran, over.To)
			out = append(out, s.wentOff(c, over, now))
			if !now.Before(over.To) {
				return out[1:], ran
			}
			continue
		}
		var stays Ranges
		for _, r := range p.Ranges {
			for v := r.From; v <= r.To; v++ {
				after, runs := form.AfterS[form.text(v)]
				over := due(p.Since.span(), seconds(after))
				if !runs || now.Before(over.From) {
					stays = stays.or(only(v))
					continue
				}
				ran = later(ran, over.To)
				out = append(out, s.wentOff(c, over, now))
				if now.Before(over.To) {
					stays = stays.or(only(v))
				}
			}
		}
		if p = &out[0].Possible[i]; len(stays) == 0 {
			return out[1:], ran
		}
		p.Ranges = stays
	}
	return out, ran
}

// wentOff is a case that switched itself off at some time in a span.
func (s *Spec) wentOff(c *Case, over Span, now time.Time) Case {
	off := s.off(c, Span{over.From, earlier(now, over.To)})
	if off.Phase == Cooling && !now.Before(off.Until.To) {
		off.settle()
	}
	return off
}

// ended lets timers that were set end with what they would have switched off. What was open may be closed with it.
func (s *Spec) ended(off *Case) {
	for _, i := range s.rests {
		if s.controls[i].LapsesMS > 0 {
			off.Possible[i].Ranges = off.Possible[i].Ranges.or(only(0))
		}
	}
	for _, i := range s.timers {
		if i != s.power && s.controls[i].OnStart == "" {
			off.Possible[i] = Possible{Ranges: only(0)}
		}
	}
}

// woken notes that a key was pressed while the device listened, for controls that rest or lapse without one.
func (s *Spec) woken(next *Case, was *Case, p Press) {
	for _, i := range s.rests {
		c := &s.controls[i]
		to := &next.Possible[i]
		before := was.Possible[i].Woken
		maybe := before.until(p.At)
		if c.LapsesMS > 0 || c.Woken == WokenAny {
			if to.Woken = maybe; was.Phase == On {
				to.Woken = since(p.At)
			}
			continue
		}
		for _, e := range s.effects[p.Key] {
			if e.control != i {
				continue
			}
			switch yes, no := e.heeds(was); {
			case yes:
				to.Woken = since(p.At)
			case !no:
				to.Woken = maybe
			}
		}
	}
}

// awake says whether a press surely changes a control that rests, and whether it surely only shows it.
func (c *Control) awake(p Possible, at time.Time) (yes, no bool) {
	if c.RestMS == 0 {
		return true, false
	}
	over := due(known(p.Woken, at).span(), c.rest())
	return at.Before(over.From), !at.Before(over.To) && p.Woken.to != 0
}

// counts says whether a press is as long as an effect needs: surely, and surely not.
func (e *effect) counts(held time.Duration) (yes, no bool) {
	switch {
	case e.hold > 0: // only while held
		return held > more(e.hold), held < less(e.hold)
	case e.hold < 0: // only a short one
		return held < less(-e.hold), held > more(-e.hold)
	}
	return true, false
}

// acts says whether a case surely obeys an effect of a press, and whether it surely does not.
func (s *Spec) acts(e *effect, c *Case, p Press) (yes, no bool) {
	yes, no = e.heeds(c)
	y, n := e.counts(p.Held)
	yes, no = yes && y, no || n
	if form := &s.controls[e.control]; form.RestMS > 0 && p.Source != ByLink {
		y, n = form.awake(c.Possible[e.control], p.At)
		if n && p.Held > short { // it may go on when it is held
			n = false
		}
		yes, no = yes && y, no || n
	}
	return yes, no
}

// Waits says whether a timer of the device may run: it may go off by itself at any time.
func (s *Spec) Waits() bool { return s.waits }
