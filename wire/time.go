package wire

import "time"

// Time is nil for the zero time, which is left out.
func Time(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}
