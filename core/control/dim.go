package control

import (
	"math"
	"slices"
	"time"
)

// dimmed is what a dial with one key that is held is at after an effect: what it may be at is kept apart by the
// direction of its next hold.
func (c *Control) dimmed(e effect, was Possible, p Press) Possible {
	each := func(f func(Ranges) Ranges) Possible {
		up, down := f(was.Rises), f(was.Falls)
		return Possible{Ranges: up.or(down), Rises: up, Falls: down}
	}
	switch e.op {
	case OpDim:
		return c.dims(was, p.Held)
	case OpSet:
		return each(func(r Ranges) Ranges { return r.at(e.arg) })
	case OpStep:
		least, most := steps(c, p.Held)
		from, to := e.arg*least, e.arg*most
		return each(func(r Ranges) Ranges { return r.step(min(from, to), max(from, to), c.size(), false) })
	case OpRound, OpFlip, OpOn, OpDigit, OpEnter, OpMove, OpStop, OpCycle, OpPart, OpVague:
	}
	return Possible{Ranges: all(c.size()), Rises: all(c.size()), Falls: all(c.size())}
}

// dims is where a hold leads: in the direction of its turn, and the next one goes the other way.
func (c *Control) dims(was Possible, held time.Duration) Possible {
	n := c.size()
	least, most := c.dimSteps(held)
	if c.Ends != EndsTurn {
		down, up := was.Rises.step(least, most, n, false), was.Falls.step(-most, -least, n, false)
		return Possible{Ranges: up.or(down), Rises: up, Falls: down}
	}
	// Up and down are two halves of a circle.
	half := n - 1
	least, most = min(least, 4*half), min(most, 4*half)
	rises, falls := make([]bool, n), make([]bool, n)
	at := func(q int) {
		switch q = mod(q, 2*half); {
		case q == 0 || q == half: // it has turned, or is about to
			v := min(q, half)
			rises[v], falls[v] = true, true
		case q < half:
			falls[q] = true
		default:
			rises[2*half-q] = true
		}
	}
	for k := least; k <= most; k++ {
		for _, r := range was.Rises {
			for v := r.From; v <= r.To; v++ {
				at(v + k)
			}
		}
		for _, r := range was.Falls {
			for v := r.From; v <= r.To; v++ {
				at(2*half - v + k)
			}
		}
	}
	up, down := ranges(rises), ranges(falls)
	return Possible{Ranges: up.or(down), Rises: up, Falls: down}
}

// ranges are the places that are marked.
func ranges(marked []bool) (out Ranges) {
	for v, is := range marked {
		if is {
			out = out.or(only(v))
		}
	}
	return out
}

// dimSteps is how many steps a hold makes, at least and at most: it counts from when it begins to count as one.
func (c *Control) dimSteps(held time.Duration) (least, most int) {
	n := c.made(max(held-c.held(), 0))
	off := max(1, n*uneven+(more(c.held())-c.held()).Seconds()*max(c.Rate, c.RateLater))
	return max(int(math.Floor(n-off)), 0), int(math.Ceil(n + off))
}

// begins sets the direction of the first hold after switching on.
func (c *Control) begins(p Possible) Possible {
	p.Rises, p.Falls = p.Ranges, p.Ranges
	switch c.HoldBegins {
	case BeginsUp:
		p.Falls = nil
	case BeginsDown:
		p.Rises = nil
	}
	return p
}

// mostHolds is how many holds a plan makes.
const mostHolds = 6

// dimTo holds the one key of a dial until it is where it is wanted, and turns its direction first where that is needed.
func (p *planner) dimTo(w wish) {
	c := &p.spec.controls[w.control]
	switch {
	case !slices.Contains(p.ask.Holds, c.Hold):
		p.help(w.control, "", c.Hold+" cannot be held down from here: its code has no frames for that")
		return
	case p.spoils(c.Hold, w.control), p.dims(w.control) == nil:
		p.help(w.control, "", c.Hold+" does something else as well, or does nothing now")
		return
	}
	full := c.held() + more(more(c.takes(float64(c.size()))))
	for range mostHolds {
		var up, down Ranges
		for _, k := range p.cur.Cases {
			up, down = up.or(k.Possible[w.control].Rises), down.or(k.Possible[w.control].Falls)
		}
		at, known := p.middle(w.control)
		switch {
		case known && at == w.value:
			return
		case len(up) > 0 && len(down) > 0:
			p.help(w.control, c.Hold, "which way its next hold goes is not known")
			return
		case !known && c.Ends == EndsTurn:
			p.help(w.control, "", "it turns at its ends, so no hold leads to one")
			return
		case !known: // to an end, from where it is
			p.press(Step{Key: c.Hold, Hold: full})
			continue
		}
		need := w.value - at
		if len(down) > 0 {
			need = -need
		}
		if need > 0 {
			extra := 0.0
			if c.Ends != EndsTurn && (w.value == 0 || w.value == c.size()-1) { // an end is reached exactly
				extra = float64(spare(need))
			}
			p.press(Step{Key: c.Hold, Hold: c.held() + c.takes(float64(need)+extra)})
			continue
		}
		p.press(Step{Key: c.Hold, Hold: more(c.held()) + c.takes(0.5)}) // the next one goes the other way
	}
}

// dims is what holding its key does to a dial in every case, nil where that is not so.
func (p *planner) dims(control int) *effect {
	all := p.spec.effects[p.spec.controls[control].Hold]
	for i := range all {
		if all[i].control == control && all[i].op == OpDim && p.obeys(all[i]) {
			return &all[i]
		}
	}
	return nil
}
