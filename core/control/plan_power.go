package control

import (
	"math/bits"
	"slices"
	"time"
)

// switchTo switches the device to one of some values of power.
func (p *planner) switchTo(pw powerWish) {
	s := p.spec
	form := &s.controls[s.power]
	if pw.want == nil { // the rest only needs it
		for i := range p.cur.Cases {
			c := p.cur.Cases[i].clone()
			c.wake()
			if c.bit()&pw.mask == 0 {
				p.powerTo(bits.TrailingZeros64(pw.mask))
				return
			}
		}
		return
	}
	w := *pw.want
	key := p.keyThat(s.power, func(e effect) bool { return e.op == OpSet && e.arg == w.value })
	switch {
	case p.rests(w), key == "" && p.already(w):
		p.leave(s.power)
		if p.ask.Asked {
			p.offer(w)
		}
	case key != "" && (p.ask.Asked || p.already(w)):
		p.pressPower(key, w.value == 0 && form.AgainMS > 0)
	default:
		p.powerTo(w.value)
	}
}

// offer is for a person who wants what is believed already, where no key sets it.
func (p *planner) offer(w wish) {
	key := p.keyThat(w.control, func(e effect) bool {
		return e.op == OpFlip || e.op == OpRound || e.op == OpStep || e.op == OpOn
	})
	c := &p.spec.controls[w.control]
	name := c.Name
	p.plan.Helps = append(p.plan.Helps, Help{HelpTell, name, "", "If it is at something else, say so."})
	if key != "" {
		p.plan.Helps = append(p.plan.Helps, Help{HelpPress, name, key, "It is believed to be " + c.text(w.value) +
			" already. If it is not, press " + key + " once."})
	}
}

// pressPower presses a key of power when the device listens, twice where it wants that.
func (p *planner) pressPower(key string, twice bool) {
	again := p.spec.again()
	for _, c := range p.cur.Cases {
		if twice && !c.Armed.From.IsZero() { // the first of the two must not count as the second
			p.due = later(p.due, c.Armed.To.Add(more(again)+time.Millisecond))
		}
	}
	p.press(Step{Key: key})
	if twice {
		p.press(Step{Key: key, NotLater: less(again)})
	}
	p.until = later(p.until, p.awake())
}

// powerTo finds the fewest presses that lead from every value of power that is possible to one, and presses them.
func (p *planner) powerTo(value int) {
	s := p.spec
	form := &s.controls[s.power]
	var from uint64
	for i := range p.cur.Cases {
		c := p.cur.Cases[i].clone()
		c.wake()
		from |= c.bit()
	}
	n := form.size()
	keys := p.search(s.power, from, value)
	if keys == nil && from != 1<<value {
		key := p.keyThat(s.power, func(e effect) bool { return e.op == OpFlip || e.op == OpRound })
		p.help(s.power, key, "no key leads from all that it may be at to "+form.text(value))
		return
	}
	mask := from
	for _, key := range keys {
		all := s.effects[key]
		e := all[slices.IndexFunc(all, func(e effect) bool { return e.control == s.power && e.op != OpVague })]
		twice := false
		for v := 1; v < n && form.AgainMS > 0; v++ { // whichever key switches it off has to be pressed twice
			twice = twice || mask&(1<<v) != 0 && e.leads(v, n) == 0
		}
		if e.op != OpSet {
			p.goesOn(s.power)
		}
		p.pressPower(key, twice)
		mask = e.all(mask, n)
	}
}

// leads is where an effect leads from a value of a power or selector with n of them.
func (e effect) leads(v, n int) int {
	switch e.op {
	case OpSet:
		return e.arg
	case OpRound, OpFlip:
		return (v + 1) % n
	case OpStep:
		return mod(v+e.arg, n)
	case OpOn:
		if v == 0 {
			return max(e.arg, 1)
		}
	case OpDigit, OpEnter, OpMove, OpStop, OpCycle, OpPart, OpVague, OpDim:
	}
	return v
}

// all is where an effect leads from all values of a set.
func (e effect) all(mask uint64, n int) (next uint64) {
	for ; mask != 0; mask &= mask - 1 {
		v := bits.TrailingZeros64(mask)
		for next |= 1 << e.leads(v, n); e.op == OpRound && e.skips&(1<<e.leads(v, n)) != 0; {
			v = e.leads(v, n)
			if next |= 1 << e.leads(v, n); v == bits.TrailingZeros64(mask) {
				break
			}
		}
	}
	return next
}

// mostSearched is how many sets of possibilities a search looks at.
const mostSearched = 4096

// search finds the fewest keys that lead from every value of a set to one, nil where there are none, or none is needed.
func (p *planner) search(control int, from uint64, to int) []string {
	s, n := p.spec, p.spec.controls[control].size()
	goal := uint64(1) << to
	type found struct {
		mask uint64
		keys []string
	}
	queue, seen := []found{{from, nil}}, map[uint64]bool{from: true}
	var usable []string
	for _, key := range s.order {
		if k := p.effectOn(key, control); k != nil {
			usable = append(usable, key)
		}
	}
	for len(queue) > 0 && len(seen) < mostSearched {
		at := queue[0]
		queue = queue[1:]
		if at.mask == goal {
			return at.keys
		}
		for _, key := range usable {
			next := p.effectOn(key, control).all(at.mask, n)
			if !seen[next] {
				seen[next] = true
				queue = append(queue, found{next, append(append([]string{}, at.keys...), key)})
			}
		}
	}
	return nil
}

// effectOn is what a key does to a control in every case, nil where it does nothing, something vague, or switches the
// device beside it.
func (p *planner) effectOn(key string, control int) *effect {
	s := p.spec
	if control != s.power && s.turns(key) || p.spoils(key, control) || p.untidy(key, control) {
		return nil
	}
	all := s.effects[key]
	for i := range all {
		e := &all[i]
		if e.control == control && e.op != OpVague && e.op != OpDim && (control == s.power || p.obeys(*e)) {
			return e
		}
	}
	return nil
}
