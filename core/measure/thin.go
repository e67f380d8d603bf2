package measure

import (
	"math"
	"time"
)

// How the history of a measurement becomes less with age.
const (
	// Raw is how long each value is kept, and FineFor how long a span of Fine is; later there is one of Coarse.
	Raw     = 48 * time.Hour
	FineFor = 90 * 24 * time.Hour
	Fine    = 5 * time.Minute
	Coarse  = time.Hour
)

// Span is what was measured in a time: a single value, or several that became one.
type Span struct {
	At    time.Time // of its first value
	Least float64
	Mean  float64
	Most  float64
	Count int
}

// Add puts two spans that follow each other together.
func (s Span) Add(o Span) Span {
	if s.Count == 0 {
		return o
	}
	n := s.Count + o.Count
	return Span{At: s.At, Least: math.Min(s.Least, o.Least), Most: math.Max(s.Most, o.Most), Count: n,
		Mean: (s.Mean*float64(s.Count) + o.Mean*float64(o.Count)) / float64(n)}
}

// Thin puts spans that belong to the same part of time together. They are in order.
func Thin(all []Span, each time.Duration) (out []Span) {
	last := int64(math.MinInt64)
	for _, s := range all {
		part := s.At.UnixMilli() / max(each.Milliseconds(), 1)
		if part == last {
			out[len(out)-1] = out[len(out)-1].Add(s)
			continue
		}
		out, last = append(out, s), part
	}
	return out
}

// steps are how long the spans of a chart may be.
var steps = []time.Duration{0, time.Minute, 5 * time.Minute, 15 * time.Minute, time.Hour, 3 * time.Hour, 6 * time.Hour,
	12 * time.Hour, 24 * time.Hour, 7 * 24 * time.Hour, 31 * 24 * time.Hour}

// Step is how long the spans of a chart are, so that it has at most so many; 0 is each value.
func Step(length time.Duration, most int) time.Duration {
	for _, s := range steps[1:] {
		if length/s <= time.Duration(most) {
			return s
		}
	}
	return steps[len(steps)-1]
}
