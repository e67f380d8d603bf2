// Package run is steps that are carried out in order, for somebody, because of something: how they are written, what
// they become one after another, and what happens to a run, and to a control that is held for a time, whatever comes.
// It keeps nothing, sends nothing and reads no clock.
package run

import (
	"fmt"
	"time"
	"unicode/utf8"

	"urbo/core/fault"
	"urbo/core/moment"
	"urbo/core/plain"
)

// ErrSteps is wrapped where steps cannot be carried out: the text says why, and where.
var ErrSteps = fault.New(fault.Invalid, "steps")

// Bounds of steps.
const (
	// MaxSteps is the most steps of one sequence, also those in conditions.
	MaxSteps = 200
	// MaxOps is the most steps of a sequence with all that it runs.
	MaxOps = 1000
	// MaxText is the longest text of steps, in bytes.
	MaxText = 32 << 10
	// MaxDepth is how deep conditions and sequences may be in each other.
	MaxDepth = 10
	// MaxTimes is how often a step may press.
	MaxTimes = 20
	// MaxHeld is how long a step may hold a key down.
	MaxHeld = time.Minute
	// MaxWait is how long a step may wait.
	MaxWait = 24 * time.Hour
	// MaxPoint is how far away a moment of a day is at most: the sun may not do something for months.
	MaxPoint = 400 * 24 * time.Hour
	// MaxHold is how long a control may be held.
	MaxHold = 31 * 24 * time.Hour
	// MaxChanges is how many controls one step may set.
	MaxChanges = 24
	// MaxEased is how many one step of an occasion may set, on all devices of its groups and rooms.
	MaxEased = 2000
	// MaxNotice is the longest text of a notice, in characters.
	MaxNotice = 200
)

// Kind of what a step is about.
type Kind string

// The kinds. A measurement is known by its name, which is its id.
const (
	Device      Kind = "device"
	Group       Kind = "group"
	Room        Kind = "room"
	Measurement Kind = "measurement"
	Sequence    Kind = "sequence"
	Occasion    Kind = "occasion"
	Errand      Kind = "errand"
	Station     Kind = "station"
	Reins       Kind = "reins" // what has the volume, arrows, digits and play keys now
)

// Target is what a step is about, by its id.
type Target struct {
	Kind Kind   `json:"kind"`
	ID   string `json:"id"`
	Was  string `json:"was"` // what it was called when it was written; for texts, where it is gone
}

// Path is a control or key of something, or, without a name, all of it.
type Path struct {
	On   Target `json:"on"`
	Name string `json:"name,omitempty"`
}

// Wanted is a control that is wanted at a value.
type Wanted struct {
	On      Target `json:"on"`
	Control string `json:"control"`
	Value   string `json:"value"` // "up 3" and "down 2" are steps of a dial
}

// Step is one of these.
type Step struct {
	Press  *Press  `json:"press,omitempty"`
	Set    *Set    `json:"set,omitempty"`
	Call   *Target `json:"call,omitempty"` // a sequence
	Wait   *Wait   `json:"wait,omitempty"`
	If     *Choice `json:"if,omitempty"`
	Notify string  `json:"notify,omitempty"` // a text for people
	// These are of errands.
	Start  *Start  `json:"start,omitempty"`
	End    *Target `json:"end,omitempty"` // an occasion
	Mark   string  `json:"mark,omitempty"`
	Unmark string  `json:"unmark,omitempty"`
	Send   *Send   `json:"send,omitempty"`
}

// Start starts an occasion.
type Start struct {
	On   Target `json:"on"`
	Over bool   `json:"over,omitempty"` // also in the place of one that a person started
}

// Send sends a message or request that has a name.
type Send struct {
	Name string `json:"name"`
	Text string `json:"text,omitempty"`
}

// Press presses a key.
type Press struct {
	On    Target        `json:"on"`
	Key   string        `json:"key"`
	Times int           `json:"times,omitempty"` // 0 is one
	Held  time.Duration `json:"held,omitempty"`  // 0 is a short press
}

// Set sets controls.
type Set struct {
	Changes []Wanted `json:"changes"`
	// Eased is how an occasion sets them: only what must change is pressed, and what fails is said, and passed over.
	Eased bool          `json:"eased,omitempty"`
	Hold  time.Duration `json:"hold,omitempty"`  // then what was before comes back; 0 is for good
	Until *moment.Point `json:"until,omitempty"` // or until then
	Then  string        `json:"then,omitempty"`  // or this value, where the step sets one control
}

// Wait waits for a time, or until something is so.
type Wait struct {
	For   time.Duration `json:"for"` // with Until or Happens, at most so long
	Until *Cond         `json:"until,omitempty"`
	// These are of errands.
	Point   *moment.Point `json:"point,omitempty"`
	Happens *Sudden       `json:"happens,omitempty"`
}

// Choice does one or the other.
type Choice struct {
	Cond Cond   `json:"cond"`
	Do   []Step `json:"do"`
	Else []Step `json:"else,omitempty"`
}

// Check says whether steps keep to the bounds. The error wraps ErrSteps.
func Check(steps []Step) error {
	n := 0
	if len(steps) == 0 {
		return fmt.Errorf("%w: there are none: write at least one, such as press boardwalk/power", ErrSteps)
	}
	return check(steps, 0, &n)
}

func check(steps []Step, depth int, n *int) error {
	if depth > MaxDepth {
		return fmt.Errorf("%w: conditions are more than %d deep in each other: make a sequence of the inner ones",
			ErrSteps, MaxDepth)
	}
	for _, s := range steps {
		if *n++; *n > MaxSteps {
			return fmt.Errorf("%w: there are more than %d: make several sequences, and run one from the other",
				ErrSteps, MaxSteps)
		}
		if err := s.check(depth, n); err != nil {
			return err
		}
	}
	return nil
}

func (s Step) check(depth int, n *int) error {
	wrong := func(format string, args ...any) error {
		return fmt.Errorf("%w: step %d: "+format, append([]any{ErrSteps, *n}, args...)...)
	}
	switch {
	case s.Press != nil:
		p := s.Press
		switch {
		case p.Times < 0 || p.Times > MaxTimes:
			return wrong("%d times: from 1 to %d", p.Times, MaxTimes)
		case p.Held < 0 || p.Held > MaxHeld:
			return wrong("held %s: at most %s", Dur(p.Held), Dur(MaxHeld))
		case p.Times > 1 && p.Held > 0:
			return wrong("a key is held once: leave out times, or held")
		}
	case s.Set != nil:
		switch {
		case len(s.Set.Changes) > MaxEased, !s.Set.Eased && len(s.Set.Changes) > MaxChanges:
			return wrong("sets %d controls: at most %d in one step", len(s.Set.Changes), MaxChanges)
		case s.Set.Hold < 0 || s.Set.Hold > MaxHold:
			return wrong("for %s: at most %s", Dur(s.Set.Hold), Dur(MaxHold))
		case s.Set.Then != "" && (s.Set.Hold == 0 && s.Set.Until == nil || len(s.Set.Changes) != 1):
			return wrong("then goes with one control that is set for a time")
		}
	case s.Wait != nil:
		if s.Wait.Point == nil && (s.Wait.For <= 0 || s.Wait.For > MaxWait) {
			return wrong("waits %s: at most %s", Dur(s.Wait.For), Dur(MaxWait))
		}
		if s.Wait.Until != nil {
			return s.Wait.Until.check(0)
		}
	case s.If != nil:
		if err := s.If.Cond.check(0); err != nil {
			return err
		}
		if err := check(s.If.Do, depth+1, n); err != nil {
			return err
		}
		return check(s.If.Else, depth+1, n)
	case s.Call != nil, s.Start != nil, s.End != nil, s.Mark != "", s.Unmark != "", s.Send != nil:
	case s.Notify == "":
		return wrong("does nothing")
	default:
		if utf8.RuneCountInString(s.Notify) > MaxNotice || !plain.Is(s.Notify) {
			return wrong("a notice is plain text of at most %d characters", MaxNotice)
		}
	}
	return nil
}

// Targets lists what steps are about, each once, with what they run themselves as sequences.
func Targets(steps []Step) (out []Target) {
	seen := map[Target]bool{}
	add := func(t Target) {
		if key := (Target{Kind: t.Kind, ID: t.ID}); !seen[key] {
			seen[key] = true
			out = append(out, t)
		}
	}
	var walk func([]Step)
	walk = func(all []Step) {
		for _, s := range all {
			switch {
			case s.Press != nil:
				add(s.Press.On)
			case s.Set != nil:
				for _, c := range s.Set.Changes {
					add(c.On)
				}
			case s.Call != nil:
				add(*s.Call)
			case s.Start != nil:
				add(s.Start.On)
			case s.End != nil:
				add(*s.End)
			case s.Wait != nil && s.Wait.Until != nil:
				s.Wait.Until.targets(add)
			case s.Wait != nil && s.Wait.Happens != nil:
				s.Wait.Happens.targets(add)
			case s.If != nil:
				s.If.Cond.targets(add)
				walk(s.If.Do)
				walk(s.If.Else)
			}
		}
	}
	walk(steps)
	return out
}
