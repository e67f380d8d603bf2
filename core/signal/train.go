// Package signal holds trains, the durations in µs that a receiver hears and a transmitter sends, and the pure
// arithmetic on them: reading them from text, joining them into presses, comparing two and taking their median.
package signal

import (
	"fmt"
	"strconv"
	"strings"

	"urbo/core/fault"
)

// MaxDurations is the greatest number of durations a train may have.
const MaxDurations = 4096

// MaxDuration is the longest single mark or space in µs: ten seconds.
const MaxDuration = 10_000_000

// Train is a list of durations in whole µs. It starts with a mark and alternates mark, space, mark … The silence
// after the last mark is not part of it.
type Train []int

// ErrMalformed is wrapped by every error about a train that breaks the rules.
var ErrMalformed = fault.New(fault.Invalid, "malformed train")

// LeastKey is the fewest durations that a key can send: less than two marks and the space between says nothing.
const LeastKey = 3

// CheckKey is Check for what a key sends.
func (t Train) CheckKey() error {
	if err := t.Check(); err != nil {
		return err
	}
	if len(t) < LeastKey {
		return fmt.Errorf("%w: a train of %d durations is no signal: a key sends a mark, a space and a mark at least",
			ErrMalformed, len(t))
	}
	return nil
}

// Check says whether t is a train: 1 to MaxDurations durations of 1 to MaxDuration µs, ending with a mark.
func (t Train) Check() error {
	switch {
	case len(t) == 0:
		return fmt.Errorf("%w: it has no durations", ErrMalformed)
	case len(t) > MaxDurations:
		return fmt.Errorf("%w: %d durations, the most is %d: split the recording into presses", ErrMalformed, len(t),
			MaxDurations)
	case len(t)%2 == 0:
		return fmt.Errorf("%w: it ends with a space: a train ends with a mark, the silence after it is kept apart",
			ErrMalformed)
	}
	return checkDurations(t)
}

func checkDurations(ds []int) error {
	for i, d := range ds {
		if d < 1 || d > MaxDuration {
			return fmt.Errorf("%w: number %d is %d: a duration is 1 to %d µs", ErrMalformed, i+1, d, MaxDuration)
		}
	}
	return nil
}

// Length is the time from the first edge to the last in µs.
func (t Train) Length() int { return Sum(t) }

// Sum adds durations, in µs.
func Sum(ds []int) int {
	total := 0
	for _, d := range ds {
		total += d
	}
	return total
}

// String prints the train in pairs of mark/space: "9024/4512 564/564 564".
func (t Train) String() string {
	var b strings.Builder
	for i, d := range t {
		switch {
		case i == 0:
		case i%2 == 0:
			b.WriteByte(' ')
		default:
			b.WriteByte('/')
		}
		b.WriteString(strconv.Itoa(d))
	}
	return b.String()
}

// Short prints the train like String, but no more than the first and last few pairs of it.
func (t Train) Short() string {
	const head, tail = 8, 3
	if len(t) <= head+tail+2 {
		return t.String()
	}
	end := len(t) - tail
	if end%2 == 1 {
		end--
	}
	return t[:head].String() + " … " + t[end:].String()
}
