package control

import (
	"fmt"
	"math"
	"slices"
	"time"
)

// ready sets what the keys of a control need first: a menu that is closed, a lamp that is on. deep is how many such
// conditions lead on from each other.
func (p *planner) ready(control, deep int) {
	given := p.needs(control)
	if given == nil || p.stuck {
		return
	}
	s := p.spec
	other := &s.controls[given.control]
	for _, w := range p.wants { // what is wanted of it is set in its own turn
		if w.control == given.control && w.relative == 0 && given.values&(1<<w.value) == 0 {
			p.help(control, "", fmt.Sprintf("its keys work while %s is %s", other.Name, other.text(given.lowest())))
			return
		}
	}
	if deep == 0 {
		p.help(control, "", "what its keys need leads in a circle")
		return
	}
	about := p.about
	p.about = other.Name
	defer func() { p.about = about }()
	w := wish{control: given.control, value: given.lowest()}
	if given.values&1 != 0 && other.LapsesMS > 0 && p.lapse(w) {
		return
	}
	p.ready(given.control, deep-1)
	if !p.stuck {
		p.set(w)
	}
}

// needs is what the keys of a control need that may not be so now, nil where nothing.
func (p *planner) needs(control int) *elsewhere {
	var open *elsewhere
	for _, key := range p.spec.order {
		for _, e := range p.spec.effects[key] {
			if e.control != control {
				continue
			}
			met := true
			for i := range p.cur.Cases {
				c := p.cur.Cases[i].clone()
				c.wake()
				if c.bit()&e.while == 0 {
					continue
				}
				yes, _ := e.heeds(&c)
				met = met && yes
			}
			if met {
				return nil
			}
			open = e.given
		}
	}
	return open
}

// lapse waits until something that closes by itself has done so, where no key surely does. It says whether it did.
func (p *planner) lapse(w wish) bool {
	c := &p.spec.controls[w.control]
	if p.keyThat(w.control, func(e effect) bool { return e.op == OpSet && e.arg == 0 }) != "" ||
		c.exactly(p.spec.may(p.cur, w.control, p.now)) { // then its round key leads there
		return false
	}
	for _, k := range p.cur.Cases {
		if woken := known(k.Possible[w.control].Woken, p.now); !k.Possible[w.control].Ranges.Is(0) {
			p.due = later(p.due, woken.span().To.Add(more(c.lapses())+time.Millisecond))
		}
	}
	p.waitUntil(p.due)
	return true
}

// waitUntil lets time pass in the plan.
func (p *planner) waitUntil(at time.Time) {
	p.until = later(p.until, at)
	p.cur = p.spec.at(p.cur, later(at, p.now))
}

// wakeFirst presses a key once more where its first press only shows what a control is at. Where that is not known, it
// waits until it surely does. It says how soon the next press has to follow, 0 where that is no matter.
func (p *planner) wakeFirst(step Step) (notLater time.Duration) {
	s := p.spec
	for _, e := range s.effects[step.Key] {
		c := &s.controls[e.control]
		if c.RestMS == 0 || c.Name != p.about {
			continue
		}
		at := later(p.now.Add(step.Wait), later(p.due, p.awake()))
		if len(p.plan.Steps) > 0 {
			at = later(at, p.now.Add(p.gap()))
		}
		rested, latest := false, time.Time{}
		for i := range p.cur.Cases {
			was := p.cur.Cases[i].Possible[e.control]
			if yes, _ := c.awake(was, at); yes {
				continue
			}
			rested = true
			woken := known(was.Woken, at)
			latest = later(latest, woken.span().To.Add(more(c.rest())+time.Millisecond))
		}
		if !rested {
			return 0
		}
		p.due = later(p.due, latest)
		p.pressOnce(Step{Key: step.Key})
		return less(c.rest())
	}
	return 0
}

// mayLackPower says whether what feeds the device may be off.
func (p *planner) mayLackPower() bool {
	return slices.ContainsFunc(p.cur.Cases, func(c Case) bool { return c.Phase == Unfed })
}

// noPower says what helps where a device may have no power.
func (p *planner) noPower() {
	p.stuck = true
	name := ""
	if len(p.ask.Wants) > 0 {
		name = p.ask.Wants[0].Control
	}
	p.plan.Helps = append(p.plan.Helps, Help{Kind: HelpFeed, Control: name,
		Text: "What feeds it may be off: switch that on, or say that this is on."})
}

// turnSlats turns the slats of a blind, which moves no more than it has to.
func (p *planner) turnSlats(w wish) {
	s := p.spec
	of := s.slats[w.control]
	c := &s.controls[of]
	if p.already(w) {
		if p.leave(w.control); p.ask.Asked {
			p.plan.Helps = append(p.plan.Helps,
				Help{HelpTell, s.controls[w.control].Name, "", "If they stand otherwise, say so."})
		}
		return
	}
	stop := p.keyThat(of, func(e effect) bool { return e.op == OpStop || e.op == OpCycle })
	if stop == "" {
		p.help(w.control, "", "it has no key that stops the blind when they have turned")
		return
	}
	part := func(dir int, turn time.Duration) bool {
		if !p.start(of, c, dir) {
			return false
		}
		after := ms(c.DelayMS) + turn
		p.press(Step{Key: stop, Wait: after, NotLater: after + c.slats/5})
		return true
	}
	if !p.standsStill(of) {
		p.press(Step{Key: stop})
	}
	may := s.may(p.cur, w.control, p.now)
	from := (may[0].From + may[len(may)-1].To) / 2
	if may[len(may)-1].To-may[0].From > 2*s.controls[w.control].width() { // to an end first
		dir, at := -1, 0
		if w.value > wholeWay/2 {
			dir, at = 1, wholeWay
		}
		if !part(dir, time.Duration(float64(more(c.slats))/(1-uneven))) {
			return
		}
		from = at
	}
	dir := 1
	if w.value < from || w.value == 0 {
		dir = -1
	}
	turn := time.Duration(math.Abs(float64(w.value-from))) * c.slats / wholeWay
	if w.value == 0 || w.value == wholeWay {
		if from == w.value {
			return
		}
		turn = time.Duration(float64(more(turn)) / (1 - uneven))
	}
	part(dir, turn)
}

// standsStill says whether a travel surely does not move.
func (p *planner) standsStill(control int) bool {
	return !slices.ContainsFunc(p.cur.Cases, func(c Case) bool {
		return slices.ContainsFunc(c.Possible[control].Motions, func(m Motion) bool { return m.Dir != 0 })
	})
}
