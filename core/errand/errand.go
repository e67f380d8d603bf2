// Package errand is one sentence that the house acts on by itself: when something happens, only if something is so, do
// these steps; or while something is so. It reads and writes the sentence, checks it, and says when it is next. It
// keeps nothing, does nothing and reads no clock.
package errand

import (
	"fmt"
	"time"

	"urbo/core/fault"
	"urbo/core/moment"
	"urbo/core/run"
	"urbo/core/sun"
)

// ErrErrand is wrapped where an errand makes no sense: the text says why.
var ErrErrand = fault.New(fault.Invalid, "errand")

// Bounds of an errand.
const (
	// MaxCues is the most cues of one.
	MaxCues = 24
	// MaxTimes is the most times of day of one cue.
	MaxTimes = 24
	// MaxOffset is how long before or after its moment a cue may be.
	MaxOffset = 7 * 24 * time.Hour
	// MaxScatter is the most give or take.
	MaxScatter = 12 * time.Hour
	// LeastEvery is how often an errand may come at most.
	LeastEvery = 10 * time.Second
	// MaxEvery is how seldom one may come that counts from a time of day.
	MaxEvery = 24 * time.Hour
)

// Errand is one sentence.
type Errand struct {
	Name    string     `json:"name"`
	When    []Cue      `json:"when,omitempty"`
	Only    *run.Cond  `json:"only,omitempty"`
	While   *run.Cond  `json:"while,omitempty"` // then it has no cues
	Do      []run.Step `json:"do"`
	Back    bool       `json:"back,omitempty"`  // afterwards what was before comes back
	After   []run.Step `json:"after,omitempty"` // or these steps are done
	Rules   Rules      `json:"rules,omitzero"`
	Remarks []Remark   `json:"remarks,omitempty"`
}

// Cue is what an errand begins at. One of Times, Date with a time, Every, Sun, Sudden and Level says what.
type Cue struct {
	Offset  time.Duration  `json:"offset,omitempty"` // negative is before
	Times   []moment.Clock `json:"times,omitempty"`
	Date    *moment.Date   `json:"date,omitempty"` // with one of Times
	Every   *Every         `json:"every,omitempty"`
	Sun     sun.Event      `json:"sun,omitempty"`
	Sudden  *run.Sudden    `json:"sudden,omitempty"`
	Level   *run.Test      `json:"level,omitempty"` // comes above or below a number
	Scatter time.Duration  `json:"scatter,omitempty"`
	Limits  []Limit        `json:"limits,omitempty"`
	Skip    bool           `json:"skip,omitempty"` // beyond a limit it does not come; else it comes at the limit
	On      moment.Days    `json:"on,omitzero"`
}

// Planned says whether it is known beforehand when a cue comes.
func (c Cue) Planned() bool { return c.Sudden == nil && c.Level == nil }

// Every is so often, from a time of day until another, or all day.
type Every struct {
	Each time.Duration `json:"each"`
	From *moment.Clock `json:"from,omitempty"`
	To   *moment.Clock `json:"to,omitempty"` // with From
}

// Limit is a time of day before or after which a cue does not come.
type Limit struct {
	Before bool         `json:"before,omitempty"` // not before; else not after
	At     moment.Clock `json:"at"`
}

// Rules say what happens where something is in the way. An empty one is the usual.
type Rules struct {
	Missed    string        `json:"missed,omitempty"` // run or skip
	RunWithin time.Duration `json:"run_within,omitempty"`
	Unknown   string        `json:"unknown,omitempty"` // run, skip or end
	EndAfter  time.Duration `json:"end_after,omitempty"`
	Doubtful  string        `json:"doubtful,omitempty"` // ask, press or skip
	AskFor    time.Duration `json:"ask_for,omitempty"`
	AskUntil  *moment.Clock `json:"ask_until,omitempty"`
	Busy      string        `json:"busy,omitempty"` // stretch, start over, follow or drop
}

// Remark is what people wrote beside a clause.
type Remark struct {
	Clause string `json:"clause"` // errand, when, while, only if, do, afterwards, missed, unknown, doubtful, busy
	Text   string `json:"text"`
	Alone  bool   `json:"alone,omitempty"` // in a line of its own before it
}

// Check says whether an errand makes sense. The error wraps ErrErrand or run.ErrSteps.
func (e Errand) Check() error {
	wrong := func(format string, args ...any) error {
		return fmt.Errorf("%w: "+format, append([]any{ErrErrand}, args...)...)
	}
	switch {
	case len(e.When) == 0 && e.While == nil:
		return wrong("it never begins: write when or while")
	case len(e.When) > MaxCues:
		return wrong("%d cues: at most %d", len(e.When), MaxCues)
	case e.While == nil && e.Rules.Unknown == "end":
		return wrong("end after goes with while: an errand that begins at a cue is over by then")
	case e.While == nil && (e.Back || len(e.After) > 0):
		return wrong("afterwards goes with while: write wait, or for a time and back")
	}
	for _, c := range e.When {
		if err := c.check(); err != nil {
			return fmt.Errorf("%w: %w", ErrErrand, err)
		}
	}
	if e.Only != nil && levels(*e.Only) {
		return wrong("until goes with while: a condition behind only if is judged once")
	}
	if err := run.Check(e.Do); err != nil {
		return err
	}
	if len(e.After) > 0 {
		return run.Check(e.After)
	}
	return nil
}

// levels says whether a condition ends elsewhere than it begins.
func levels(c run.Cond) bool {
	for _, t := range c.Tests() {
		if t.Until != nil {
			return true
		}
	}
	return false
}

func (c Cue) check() error {
	switch {
	case len(c.Times) > MaxTimes:
		return fmt.Errorf("%d times of day: at most %d", len(c.Times), MaxTimes)
	case c.Offset.Abs() > MaxOffset:
		return fmt.Errorf("%s before or after: at most %s", run.Dur(c.Offset.Abs()), run.Dur(MaxOffset))
	case c.Scatter < 0 || c.Scatter > MaxScatter:
		return fmt.Errorf("give or take %s: at most %s", run.Dur(c.Scatter), run.Dur(MaxScatter))
	case c.Every != nil && (c.Every.Each < LeastEvery || c.Every.Each > MaxEvery):
		return fmt.Errorf("every %s: from %s to %s", run.Dur(c.Every.Each), run.Dur(LeastEvery), run.Dur(MaxEvery))
	case c.Every != nil && c.Every.From != nil && *c.Every.To <= *c.Every.From:
		return fmt.Errorf("from %s to %s: the second is the later one of a day", c.Every.From, c.Every.To)
	case !c.Planned() && !c.foreseen() && c.Offset < 0:
		return fmt.Errorf("nobody knows beforehand when that is: write after instead of before")
	case !c.Planned() && len(c.Limits) > 0:
		return fmt.Errorf("not before and not after go with times: write only if between … and …")
	case !c.Planned() && c.Scatter > 0:
		return fmt.Errorf("give or take goes with times")
	}
	return nil
}

// foreseen says whether something sudden is known beforehand all the same, as events of a calendar are.
func (c Cue) foreseen() bool { return c.Sudden != nil && c.Sudden.Calendar != nil }

// Targets lists what an errand is about, each once.
func (e Errand) Targets() []run.Target {
	steps := append(append([]run.Step{}, e.Do...), e.After...)
	cond := func(c *run.Cond) {
		if c != nil {
			steps = append(steps, run.Step{Wait: &run.Wait{Until: c}})
		}
	}
	cond(e.Only)
	cond(e.While)
	for _, c := range e.When {
		if c.Sudden != nil {
			steps = append(steps, run.Step{Wait: &run.Wait{Happens: c.Sudden}})
		}
		if c.Level != nil {
			cond(&run.Cond{Test: c.Level})
		}
	}
	return run.Targets(steps)
}
