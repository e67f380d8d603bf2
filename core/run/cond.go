package run

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"urbo/core/moment"
)

// Truth is an answer: what is not known is neither yes nor no.
type Truth int

// The answers.
const (
	Unknown Truth = iota
	No
	Yes
)

// Is is Yes or No.
func Is(b bool) Truth {
	if b {
		return Yes
	}
	return No
}

// Not is the other answer; what is not known stays so.
func (t Truth) Not() Truth { return []Truth{Unknown, Yes, No}[t] }

// Cond is one of: all of some, any of some, not one, or a test.
type Cond struct {
	All  []Cond `json:"all,omitempty"`
	Any  []Cond `json:"any,omitempty"`
	Not  *Cond  `json:"not,omitempty"`
	Test *Test  `json:"test,omitempty"`
	// These are of errands: about times, and about what happened.
	Between *moment.Between `json:"between,omitempty"`
	On      *moment.Days    `json:"on,omitempty"`
	Span    *moment.Span    `json:"span,omitempty"`
	Sky     *Sky            `json:"sky,omitempty"`
	Past    *Past           `json:"past,omitempty"`
	In      *Target         `json:"in,omitempty"` // an occasion that is in force
	Marker  string          `json:"marker,omitempty"`
	Ran     *Ran            `json:"ran,omitempty"`
}

// Relation is how something is compared.
type Relation string

// The ways. Where it may be at several values, "is" is not known, and "may be" is so where one of them is it.
const (
	Equals Relation = "is"
	MayBe  Relation = "may be"
	Above  Relation = "above"
	Below  Relation = "below"
)

// Test asks what a control or measurement is at.
type Test struct {
	On      Target   `json:"on"`
	Control string   `json:"control,omitempty"` // "" of a measurement
	Is      Relation `json:"is"`
	Value   string   `json:"value"`
	Unit    string   `json:"unit,omitempty"` // that stands behind it, for people
	// These are of errands.
	Which string        `json:"which,omitempty"` // "control" or "measurement", where that stands before the path
	Until *Quantity     `json:"until,omitempty"` // of a level: it ends there
	For   time.Duration `json:"for,omitempty"`   // it has to be so for so long
}

// Path is DEVICE/CONTROL, or the measurement.
func (t Test) Path(name func(Target) string) string {
	if t.On.Kind == Measurement {
		return t.On.ID
	}
	return pathOf(t.On, t.Control, name)
}

// Asks is what is asked where a test is not known: DEVICE/CONTROL, or a measurement in words.
func (t Test) Asks(name func(Target) string) string {
	if t.On.Kind == Measurement {
		return "the measurement " + t.On.ID
	}
	return t.Path(name)
}

// Reading is what is known of a control or measurement: the values that it may be at, also ranges like "3 to 12". None
// is nothing known.
type Reading []string

// Judge answers a condition, given what is known. It also tells the tests that were not known, where the whole is not.
func (c Cond) Judge(read func(Test) Reading) (answer Truth, unknown []Test) {
	switch {
	case c.Not != nil:
		t, u := c.Not.Judge(read)
		return t.Not(), u
	case len(c.All) > 0:
		return several(c.All, No, read)
	case len(c.Any) > 0:
		return several(c.Any, Yes, read)
	case c.Test != nil:
		if answer = c.Test.Judge(read(*c.Test)); answer == Unknown {
			unknown = []Test{*c.Test}
		}
	}
	return answer, unknown
}

// several is the one answer that decides by itself where any gives it, else unknown where any is, else the other.
func several(all []Cond, decides Truth, read func(Test) Reading) (Truth, []Test) {
	var unknown []Test
	for _, c := range all {
		t, u := c.Judge(read)
		if t == decides {
			return decides, nil
		}
		unknown = append(unknown, u...)
	}
	if len(unknown) > 0 {
		return Unknown, unknown
	}
	return decides.Not(), nil
}

// Judge answers a test, given what is known: it is so, or not, where that holds for all that it may be at.
func (t Test) Judge(may Reading) Truth {
	all, some, open := true, false, len(may) == 0
	for _, v := range may {
		switch t.fits(v) {
		case Yes:
			some = true
		case No:
			all = false
		default:
			open = true
		}
	}
	switch {
	case t.Is == MayBe:
		return Is(some || open)
	case open || some && !all:
		return Unknown
	}
	return Is(some)
}

// fits says whether one of the values that it may be at is the one, above or below: of a range, where all of it is.
func (t Test) fits(v string) Truth {
	want, err := strconv.ParseFloat(t.Value, 64)
	if err != nil {
		return Is(v == t.Value)
	}
	from, to, number := numbers(v)
	switch {
	case !number && (t.Is == Above || t.Is == Below):
		return Unknown
	case !number:
		return Is(v == t.Value)
	case t.Is == Below:
		from, to, want = -to, -from, -want
		fallthrough
	case t.Is == Above:
		return between(from > want, to <= want)
	}
	return between(from == want && to == want, to < want || from > want)
}

// between is Yes, No, or neither.
func between(yes, no bool) Truth {
	switch {
	case yes:
		return Yes
	case no:
		return No
	}
	return Unknown
}

// numbers reads "5", "36%" and "3 to 12".
func numbers(v string) (from, to float64, ok bool) {
	a, b, is := strings.Cut(v, " to ")
	if !is {
		b = a
	}
	from, e1 := strconv.ParseFloat(strings.TrimSuffix(a, "%"), 64)
	to, e2 := strconv.ParseFloat(strings.TrimSuffix(b, "%"), 64)
	return from, to, e1 == nil && e2 == nil
}

// check bounds a condition.
func (c Cond) check(depth int) error {
	if depth > MaxDepth {
		return fmt.Errorf("%w: a condition is more than %d deep", ErrSteps, MaxDepth)
	}
	if n := len(c.All) + len(c.Any); n > MaxChanges {
		return fmt.Errorf("%w: a condition has %d parts: at most %d", ErrSteps, n, MaxChanges)
	}
	if len(c.All)+len(c.Any) == 0 && c.Not == nil && c.Test == nil && !c.isMoment() {
		return fmt.Errorf("%w: a condition asks nothing", ErrSteps)
	}
	for _, inner := range slices.Concat(c.All, c.Any) {
		if err := inner.check(depth + 1); err != nil {
			return err
		}
	}
	if c.Not != nil {
		return c.Not.check(depth + 1)
	}
	return nil
}

// Tests lists the tests of a condition.
func (c Cond) Tests() (out []Test) {
	for _, inner := range slices.Concat(c.All, c.Any) {
		out = append(out, inner.Tests()...)
	}
	if c.Not != nil {
		out = append(out, c.Not.Tests()...)
	}
	if c.Test != nil {
		out = append(out, *c.Test)
	}
	return out
}

// isMoment says whether a condition is about times, or about what happened.
func (c Cond) isMoment() bool {
	return c.Between != nil || c.On != nil || c.Span != nil || c.Sky != nil || c.Past != nil || c.In != nil ||
		c.Marker != "" || c.Ran != nil
}

func (c Cond) targets(add func(Target)) {
	for _, inner := range slices.Concat(c.All, c.Any) {
		inner.targets(add)
	}
	switch {
	case c.Not != nil:
		c.Not.targets(add)
	case c.Test != nil:
		add(c.Test.On)
	case c.Past != nil:
		add(c.Past.On)
	case c.In != nil:
		add(*c.In)
	case c.Ran != nil:
		add(c.Ran.Errand)
	}
}
