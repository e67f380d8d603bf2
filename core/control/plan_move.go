package control

import "time"

// withinSlats is how near slats are turned to where they are wanted.
const withinSlats = 20 * wayUnit

// lateStop is how much later than planned a stop may be.
const lateStop = 600 * time.Millisecond

// mostMoves is how many parts of the way may be gone before an end is gone to first.
const mostMoves = 3

// move moves a travel to a place.
func (p *planner) move(w wish) {
	c := &p.spec.controls[w.control]
	if w.value == 0 || w.value == wholeWay {
		p.toEnd(w.control, c, w.value)
		return
	}
	if p.already(w) {
		p.leave(w.control)
		return
	}
	from, ok := p.place(w.control)
	if !ok || (w.value-from)*(w.value-from) < within*within { // from the nearer end it is exact
		end := 0
		if w.value > wholeWay/2 {
			end = wholeWay
		}
		if !p.toEnd(w.control, c, end) {
			return
		}
		p.hold(p.way(c, end))
		from = end
	}
	dir := 1
	if w.value < from {
		dir = -1
	}
	part := (w.value - from) * dir
	if !p.start(w.control, c, dir) {
		return
	}
	stop := p.keyThat(w.control, func(e effect) bool { return e.op == OpStop || e.op == OpCycle })
	if stop == "" {
		p.help(w.control, "", "it has no key that stops it on the way")
		return
	}
	after := ms(c.DelayMS) + time.Duration(part)*c.full(dir)/wholeWay
	p.press(Step{Key: stop, Wait: after, NotLater: after + lateStop})
}

// place is where it stands, as far as that is known well enough to go on from there.
func (p *planner) place(control int) (where int, ok bool) {
	may := p.spec.may(p.cur, control, p.now)
	if len(may) != 1 || may[0].To-may[0].From > 2*nearby {
		return 0, false
	}
	for _, k := range p.cur.Cases {
		for _, m := range k.Possible[control].Motions {
			if m.Dir != 0 || m.Moves >= mostMoves {
				return 0, false
			}
		}
	}
	return (may[0].From + may[0].To) / 2, true
}

// toEnd moves it to an end, from wherever it is.
func (p *planner) toEnd(control int, c *Control, end int) bool {
	dir := 1
	if end == 0 {
		dir = -1
	}
	if !p.start(control, c, dir) {
		return false
	}
	p.settle(p.way(c, end))
	return true
}

// way is how long the full way to an end surely takes.
func (p *planner) way(c *Control, end int) time.Duration {
	dir := 1
	if end == 0 {
		dir = -1
	}
	return more(ms(c.DelayMS)) + time.Duration(float64(c.full(dir))/(1-uneven)) + time.Second/10
}

// start lets it move in a direction. A key that goes round is pressed until it does.
func (p *planner) start(control int, c *Control, dir int) bool {
	if key := p.keyThat(control, func(e effect) bool { return e.op == OpMove && e.arg == dir }); key != "" {
		p.press(Step{Key: key})
		return true
	}
	round := p.keyThat(control, func(e effect) bool { return e.op == OpCycle })
	for n := 0; round != "" && n < 4; n++ {
		if p.moves(control, dir) {
			return true
		}
		if !p.agreed(control) {
			break
		}
		p.press(Step{Key: round})
	}
	if round != "" && p.moves(control, dir) {
		return true
	}
	p.help(control, round, "what its key does next is not known")
	return false
}

// moves says whether it surely moves in a direction.
func (p *planner) moves(control, dir int) bool {
	for _, k := range p.cur.Cases {
		for _, m := range k.Possible[control].Motions {
			if m.Dir != dir {
				return false
			}
		}
	}
	return true
}

// agreed says whether it is known what the next press of a key that goes round does.
func (p *planner) agreed(control int) bool {
	next := -1
	for _, k := range p.cur.Cases {
		for _, m := range k.Possible[control].Motions {
			if next >= 0 && m.Next != next {
				return false
			}
			next = m.Next
		}
	}
	return true
}
