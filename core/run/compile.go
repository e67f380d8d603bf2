package run

import (
	"fmt"
	"slices"
	"time"
)

// Op of a program: one that acts or waits, or a jump.
type Op struct {
	Press  *Press  `json:"press,omitempty"`
	Set    *Set    `json:"set,omitempty"`
	Wait   *Wait   `json:"wait,omitempty"`
	Branch *Branch `json:"branch,omitempty"`
	Notify string  `json:"notify,omitempty"`
	Start  *Start  `json:"start,omitempty"`
	End    *Target `json:"end,omitempty"`
	Mark   string  `json:"mark,omitempty"`
	Unmark string  `json:"unmark,omitempty"`
	Send   *Send   `json:"send,omitempty"`
	Jump   int     `json:"jump,omitempty"` // where nothing else is given: the op that follows
	// Says is the step as it was written.
	Says string `json:"says,omitempty"`
}

// Branch goes on at Else where its condition is not so.
type Branch struct {
	Cond Cond `json:"cond"`
	Else int  `json:"else"`
}

// Program is steps as a run keeps them: what they said when it began, with all that they run, one after another.
type Program []Op

// Find finds the steps of a sequence by its id, and what it is called.
type Find func(id string) (name string, steps []Step, err error)

// Compile lays steps out, with those of the sequences that they run. Errors wrap ErrSteps, or are those of find.
func Compile(id string, steps []Step, find Find, name func(Target) string) (Program, error) {
	c := compiler{find: find, name: name}
	err := c.all(steps, []string{id})
	return c.out, err
}

type compiler struct {
	out  Program
	find Find
	name func(Target) string
}

// all lays out steps that stand in some sequences, the outermost first.
func (c *compiler) all(steps []Step, in []string) error {
	if err := Check(steps); err != nil && len(steps) > 0 { // what is on disk may be damaged
		return err
	}
	for _, s := range steps {
		if len(c.out) >= MaxOps {
			return fmt.Errorf("%w: with all that it runs there are more than %d", ErrSteps, MaxOps)
		}
		op := Op{Press: s.Press, Set: s.Set, Wait: s.Wait, Notify: s.Notify, Start: s.Start, End: s.End, Mark: s.Mark,
			Unmark: s.Unmark, Send: s.Send, Says: Print([]Step{s}, c.name)}
		switch {
		case s.Call != nil:
			name, inner, err := c.find(s.Call.ID)
			switch {
			case err != nil:
				return fmt.Errorf("run %s: %w", s.Call.Was, err)
			case slices.Contains(in, s.Call.ID):
				return fmt.Errorf("%w: %s would run itself: leave out the step that leads back to it", ErrSteps, name)
			case len(in) > MaxDepth:
				return fmt.Errorf("%w: sequences run each other more than %d deep", ErrSteps, MaxDepth)
			}
			if err := c.all(inner, append(slices.Clip(in), s.Call.ID)); err != nil {
				return err
			}
		case s.If != nil:
			branch := &Branch{Cond: s.If.Cond}
			op.Branch, op.Says = branch, "if "+s.If.Cond.text(c.name, 0)
			c.out = append(c.out, op)
			if err := c.all(s.If.Do, in); err != nil {
				return err
			}
			jump := len(c.out)
			if len(s.If.Else) > 0 {
				c.out = append(c.out, Op{})
			}
			branch.Else = len(c.out)
			if err := c.all(s.If.Else, in); err != nil {
				return err
			}
			if len(s.If.Else) > 0 {
				c.out[jump].Jump = len(c.out)
			}
		default:
			c.out = append(c.out, op)
		}
	}
	return nil
}

// jumps says whether an op only leads on.
func (o Op) jumps() bool {
	return o.Branch == nil && o.step() == (Step{})
}

// step is the step that an op is, but for its branches and jumps.
func (o Op) step() Step {
	return Step{Press: o.Press, Set: o.Set, Wait: o.Wait, Notify: o.Notify, Start: o.Start, End: o.End, Mark: o.Mark,
		Unmark: o.Unmark, Send: o.Send}
}

// Steps counts what people see of a program: all but its jumps.
func (p Program) Steps() int { return p.Number(len(p)) - 1 }

// Number is which of these an op is, from 1.
func (p Program) Number(at int) int {
	n := 1
	for _, op := range p[:min(max(at, 0), len(p))] {
		if !op.jumps() {
			n++
		}
	}
	return n
}

// About says whether an op, or any that may follow it, is about a target. What is behind it counts where a jump led
// there only forwards, which all do.
func (p Program) About(at int, t Target) bool {
	return at < len(p) && slices.ContainsFunc(p[max(at, 0):], func(o Op) bool { return o.about(t) })
}

// Does says whether an op itself is about a target.
func (p Program) Does(at int, t Target) bool { return at >= 0 && at < len(p) && p[at].about(t) }

func (o Op) about(t Target) bool {
	same := func(s Target) bool { return s.Kind == t.Kind && s.ID == t.ID }
	switch {
	case o.Press != nil:
		return same(o.Press.On)
	case o.Set != nil:
		return slices.ContainsFunc(o.Set.Changes, func(c Wanted) bool { return same(c.On) })
	case o.Wait != nil && o.Wait.Until != nil:
		return slices.ContainsFunc(o.Wait.Until.Tests(), func(s Test) bool { return same(s.On) })
	case o.Wait != nil && o.Wait.Happens != nil:
		is := false
		o.Wait.Happens.targets(func(t Target) { is = is || same(t) })
		return is
	case o.Branch != nil:
		return slices.ContainsFunc(o.Branch.Cond.Tests(), func(s Test) bool { return same(s.On) })
	}
	return false
}

// Targets lists what a program is about, each once.
func (p Program) Targets() (out []Target) {
	seen := map[Target]bool{}
	for _, o := range p {
		steps := []Step{o.step()}
		if o.Branch != nil {
			steps = append(steps, Step{If: &Choice{Cond: o.Branch.Cond}})
		}
		for _, t := range Targets(steps) {
			if key := (Target{Kind: t.Kind, ID: t.ID}); !seen[key] {
				seen[key] = true
				out = append(out, t)
			}
		}
	}
	return out
}

// limit is how long an op waits, 0 where it does not, or where the house has to say until when.
func (o Op) limit() time.Duration {
	if o.Wait == nil {
		return 0
	}
	return o.Wait.For
}

// longest is how long an op waits at most.
func (o Op) longest() time.Duration {
	if o.Wait != nil && o.Wait.Point != nil {
		return MaxPoint
	}
	return o.limit()
}

// Check says whether a program that was kept can go on from a state: each op does something, all jumps lead forwards,
// and what waits has something to wait for. The error wraps ErrSteps.
func (p Program) Check(s State) error {
	for at, o := range p {
		switch {
		case o.Branch != nil:
			if o.Branch.Else <= at {
				return fmt.Errorf("%w: step %d leads back", ErrSteps, at)
			}
			if err := o.Branch.Cond.check(0); err != nil {
				return err
			}
		case !o.jumps():
			if err := Check([]Step{o.step()}); err != nil {
				return err
			}
		case o.Jump <= at:
			return fmt.Errorf("%w: step %d leads back", ErrSteps, at)
		}
	}
	within := s.At >= 0 && s.At < len(p)
	switch s.Phase {
	case Queued:
		if s.At == 0 {
			return nil
		}
	case InStep, Asking:
		if within && !p[s.At].jumps() {
			return nil
		}
	case Waiting:
		if within && p[s.At].Wait != nil {
			return nil
		}
	}
	return fmt.Errorf("%w: a run cannot be %.20q at %d of %d", ErrSteps, s.Phase, s.At, len(p))
}
