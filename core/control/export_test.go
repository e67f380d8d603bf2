package control

// EffectChanges change the effects of keys, each in one way.
var EffectChanges = []struct {
	Name string
	Do   func(*Spec)
}{}

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
		EffectChanges = append(EffectChanges, struct {
			Name string
			Do   func(*Spec)
		}{"another-" + string(op),
			func(s *Spec) { s.change(op, func(e effect) (effect, bool) { return s.turned(e, to), true }) }},
			struct {
				Name string
				Do   func(*Spec)
			}{"no-" + string(op), func(s *Spec) { s.change(op, func(e effect) (effect, bool) { return e, false }) }})
	}
	EffectChanges = append(EffectChanges, struct {
		Name string
		Do   func(*Spec)
	}{"no-vague", func(s *Spec) { s.change(OpVague, func(e effect) (effect, bool) { return e, false }) }})
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
