package control

// EffectChange changes what a device is taken for, in one way.
type EffectChange struct {
	Name string
	Do   func(*Spec)
}

// EffectChanges change the effects of keys, and what devices do by themselves, each in one way.
var EffectChanges = []EffectChange{
	{"no-timers", func(s *Spec) { s.timers = nil }},
	{"from-on", func(s *Spec) { s.each(func(c *Control) { c.GoesOffFrom = "" }) }},
	{"second-stays-on", func(s *Spec) {
		for i := range s.controls {
			if i != s.power {
				s.controls[i].GoesOffS = 0
			}
		}
	}},
	{"no-lapse", func(s *Spec) { s.each(func(c *Control) { c.LapsesMS = 0 }) }},
	{"no-rest", func(s *Spec) { s.each(func(c *Control) { c.RestMS = 0 }) }},
	{"long-rest", func(s *Spec) { s.each(func(c *Control) { c.RestMS *= 2 }) }},
	{"own-keys-show", func(s *Spec) { s.each(func(c *Control) { c.Woken = WokenOwn }) }},
	{"one-rate", func(s *Spec) { s.each(func(c *Control) { c.RateLater = 0 }) }},
	{"no-slats", func(s *Spec) { s.each(func(c *Control) { c.slats = 0 }) }},
	{"begins-down", func(s *Spec) {
		s.each(func(c *Control) {
			if c.HoldBegins != "" {
				c.HoldBegins = BeginsDown
			}
		})
	}},
	{"ends-stop", func(s *Spec) {
		s.each(func(c *Control) {
			if c.Ends == EndsTurn {
				c.Ends = EndsStop
			}
		})
	}},
	{"nothing-tied", func(s *Spec) {
		for i := range s.tied {
			s.tied[i] = -1
		}
	}},
	{"no-links", func(s *Spec) { clear(s.linksOf) }},
	{"no-skips", func(s *Spec) { s.changeAll(func(e *effect) { e.skips = 0 }) }},
	{"no-holds", func(s *Spec) { s.changeAll(func(e *effect) { e.hold = 0 }) }},
}

// each changes every control.
func (s *Spec) each(f func(*Control)) {
	for i := range s.controls {
		f(&s.controls[i])
	}
}

// changeAll changes every effect of every key.
func (s *Spec) changeAll(f func(*effect)) {
	for _, all := range s.effects {
		for i := range all {
			f(&all[i])
		}
	}
}

func init() {
	for op, to := range map[Op]effect{
		OpSet:   {op: OpSet, arg: 1}, // the value after
		OpStep:  {op: OpStep, arg: -1},
		OpRound: {op: OpRound, arg: 2},
		OpFlip:  {op: OpVague},
		OpOn:    {op: OpSet},
		OpDigit: {op: OpDigit, arg: 1},
		OpEnter: {op: OpVague},
		OpMove:  {op: OpMove, arg: -1},
		OpStop:  {op: OpCycle},
		OpCycle: {op: OpMove, arg: 1},
		OpDim:   {op: OpSet, arg: 1},
	} {
		EffectChanges = append(EffectChanges, EffectChange{"another-" + string(op),
			func(s *Spec) { s.change(op, func(e effect) (effect, bool) { return s.turned(e, to), true }) }},
			EffectChange{"no-" + string(op),
				func(s *Spec) { s.change(op, func(e effect) (effect, bool) { return e, false }) }})
	}
	EffectChanges = append(EffectChanges, EffectChange{"no-vague",
		func(s *Spec) { s.change(OpVague, func(e effect) (effect, bool) { return e, false }) }})
}

// change changes every effect of a kind.
func (s *Spec) change(op Op, f func(effect) (effect, bool)) {
	for key, all := range s.effects {
		var kept []effect
		for _, e := range all {
			if e.op != op {
				kept = append(kept, e)
			} else if changed, keep := f(e); keep {
				kept = append(kept, changed)
			}
		}
		s.effects[key] = kept
	}
}

// turned is an effect that does something near.
func (s *Spec) turned(e, to effect) effect {
	n := s.controls[e.control].size()
	out := e
	out.op = to.op
	switch to.op {
	case OpSet:
		out.arg = (e.arg + to.arg) % max(n, 1)
	case OpStep, OpMove:
		out.arg = -e.arg
		if e.op == OpCycle {
			out.arg = 1
		}
	case OpDigit:
		out.arg = (e.arg + 1) % 10
	case OpRound:
		out.op, out.arg = OpStep, 2
	case OpFlip, OpOn, OpEnter, OpStop, OpCycle, OpPart, OpVague, OpDim:
	}
	return out
}
