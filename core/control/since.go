package control

import (
	"encoding/json"
	"time"
)

// Since is between when and when something was, in nanoseconds of Unix time: 0 where that is not known, and may be any
// time before now. Beliefs are copied at each press, and two numbers cost a third of what a Span does.
type Since struct{ from, to int64 }

// since is when something was that is known to have been then.
func since(at time.Time) Since { return Since{at.UnixNano(), at.UnixNano()} }

// until is a Since that may have been at any time from where it begins to a moment.
func (s Since) until(at time.Time) Since { return Since{s.from, at.UnixNano()} }

// span is the same as times: zero where it is not known.
func (s Since) span() Span { return Span{moment(s.from), moment(s.to)} }

func moment(ns int64) time.Time {
	if ns == 0 {
		return time.Time{}
	}
	return time.Unix(0, ns).UTC()
}

// MarshalJSON writes it as the two times of a span.
func (s Since) MarshalJSON() ([]byte, error) { return json.Marshal(s.span()) }

// UnmarshalJSON reads the two times of a span.
func (s *Since) UnmarshalJSON(data []byte) error {
	var span Span
	if err := json.Unmarshal(data, &span); err != nil {
		return err
	}
	*s = Since{nanoseconds(span.From), nanoseconds(span.To)}
	return nil
}

func nanoseconds(at time.Time) int64 {
	if at.IsZero() {
		return 0
	}
	return at.UnixNano()
}
