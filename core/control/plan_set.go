package control

import (
	"fmt"
	"slices"
	"time"
)

// set sets one control other than power, with the device as it is by then.
func (p *planner) set(w wish) {
	s := p.spec
	c := &s.controls[w.control]
	if w.relative != 0 {
		p.turn(w)
		return
	}
	key := ""
	if c.Kind != Travel && c.Kind != Digits {
		key = p.keyThat(w.control, func(e effect) bool { return e.op == OpSet && e.arg == w.value })
	}
	already := p.already(w)
	switch {
	case p.rests(w):
		p.leave(w.control)
	case key != "":
		p.press(Step{Key: key})
	case len(c.Sequences[c.text(w.value)]) > 0 && c.Kind == Selector:
		p.follow(w, c.Sequences[c.text(w.value)])
	case c.Kind == Digits:
		p.typeNumber(w)
	case c.SlatsOf != "":
		p.turnSlats(w)
	case c.Kind == Travel:
		if already && !p.ask.Asked && w.value != 0 && w.value != wholeWay {
			p.leave(w.control)
			return
		}
		p.move(w)
	case already:
		p.leave(w.control)
		if p.ask.Asked {
			p.offer(w)
		}
	case c.Hold != "" && c.Up == "" && c.Down == "":
		p.dimTo(w)
	case c.Kind == Dial:
		p.dial(w)
	default:
		p.choose(w)
	}
}

// turn steps a dial from wherever it is.
func (p *planner) turn(w wish) {
	c := &p.spec.controls[w.control]
	dir := 1
	if w.relative < 0 {
		dir = -1
	}
	key := p.keyThat(w.control, func(e effect) bool { return e.op == OpStep && e.arg == dir })
	if key == "" {
		p.help(w.control, "", fmt.Sprintf("no key goes %s", map[int]string{1: "up", -1: "down"}[dir]))
		return
	}
	p.press(Step{Key: key, Times: min(w.relative*dir, c.size()+spare(c.size()))})
}

// choose goes round a selector.
func (p *planner) choose(w wish) {
	var from uint64
	for _, r := range p.spec.may(p.cur, w.control, p.now) {
		for v := r.From; v <= r.To; v++ {
			from |= 1 << v
		}
	}
	keys := p.search(w.control, from, w.value)
	if keys == nil {
		key := p.keyThat(w.control, func(e effect) bool { return e.op == OpRound || e.op == OpFlip })
		p.help(w.control, key, "its key leads to a different value from each that it may be at")
		return
	}
	for _, k := range keys {
		if e := p.effectOn(k, w.control); e == nil || e.op != OpSet {
			p.goesOn(w.control)
		}
		p.press(Step{Key: k})
	}
}

// dial steps a dial to a value: from where it is, or from an end where that is not known.
func (p *planner) dial(w wish) {
	c := &p.spec.controls[w.control]
	up := p.keyThat(w.control, func(e effect) bool { return e.op == OpStep && e.arg == 1 })
	down := p.keyThat(w.control, func(e effect) bool { return e.op == OpStep && e.arg == -1 })
	round := p.keyThat(w.control, func(e effect) bool { return e.op == OpRound })
	may := p.spec.may(p.cur, w.control, p.now)
	lo, hi, n := may[0].From, may[len(may)-1].To, c.size()
	if at, ok := p.middle(w.control); ok { // near enough: it is off as much afterwards
		switch {
		case c.Ends == EndsRound || lo == hi || w.value != 0 && w.value != n-1:
			lo, hi = at, at
		case w.value == 0 && down != "": // an end is reached exactly
			lo = hi
		case w.value == n-1 && up != "":
			hi = lo
		}
	}
	if lo != hi { // a key that sets any value is a place to begin at
		for _, key := range p.spec.order {
			e := p.effectOn(key, w.control)
			if e == nil || e.op != OpSet {
				continue
			}
			p.press(Step{Key: key})
			lo, hi = e.arg, e.arg
			break
		}
	}
	if lo != hi { // an end is one
		if c.Ends == EndsRound || up == "" || down == "" && w.value != n-1 {
			p.help(w.control, "", "it goes round, or has a key for one direction only")
			return
		}
		toBottom, toTop := hi+spare(hi), n-1-lo+spare(n-1-lo)
		guessed := slices.Contains(c.Guessed, "most") // then the upper end may be elsewhere
		if down != "" && (guessed || toBottom+w.value <= toTop+n-1-w.value) {
			p.run(c, down, toBottom)
			lo = 0
		} else {
			p.run(c, up, toTop)
			lo = n - 1
		}
	}
	steps := w.value - lo
	key, times := up, steps
	switch {
	case steps == 0:
		return
	case round != "" && up == "" && down == "":
		key, times = round, mod(steps, n)
	case c.Ends == EndsRound && mod(-steps, n) < mod(steps, n) && down != "":
		key, times = down, mod(-steps, n)
	case c.Ends == EndsRound && up != "":
		key, times = up, mod(steps, n)
	case steps < 0:
		key, times = down, -steps
	}
	if key == "" {
		p.help(w.control, "", "it has a key for one direction only")
		return
	}
	p.press(Step{Key: key, Times: times})
}

// longestHold is how long a key is held in a plan.
const longestHold = 15 * time.Second

// run makes so many steps at least in one direction, to an end: the key is held where that is known to be faster.
func (p *planner) run(c *Control, key string, steps int) {
	if c.Rate > 0 && slices.Contains(p.ask.Holds, key) {
		hold := more(c.takes(float64(steps + c.uneven(steps))))
		if hold > short && hold <= longestHold && hold < time.Duration(steps-1)*p.gap() {
			p.press(Step{Key: key, Hold: hold})
			return
		}
	}
	p.press(Step{Key: key, Times: steps})
}

// typeNumber types a number, digit by digit.
func (p *planner) typeNumber(w wish) {
	c := &p.spec.controls[w.control]
	for _, k := range p.cur.Cases {
		if t := k.Possible[w.control].Typed; t != nil { // what stands there has to be gone first
			p.due = later(p.due, t.At.Add(more(c.timeout())+time.Millisecond))
		}
	}
	digits := fmt.Sprintf("%0*d", c.Fewest, w.value+int(given(c.Least, 0)))
	for i, d := range digits {
		key := p.keyThat(w.control, func(e effect) bool { return e.op == OpDigit && e.arg == int(d-'0') })
		if key == "" {
			p.help(w.control, "", "there is no key for the digit "+string(d))
			return
		}
		step := Step{Key: key}
		if i > 0 {
			step.Wait, step.NotLater = c.pause(), less(c.timeout())
		}
		p.press(step)
	}
	switch {
	case c.Enter != "":
		p.press(Step{Key: c.Enter, Wait: c.pause(), NotLater: less(c.timeout())})
	case len(digits) < c.digits(): // another key would end the number, or go on with it
		p.hold(more(c.timeout()) + time.Millisecond)
	}
}
