package errands

import (
	"time"

	"urbo/core/moment"
	"urbo/core/run"
)

// Answer answers a condition, and lists the questions of which the answer is not known.
func (e *Errands) Answer(c run.Cond) (run.Truth, []run.Cond) {
	is, leaves := e.Judge(c)
	var unknown []run.Cond
	for _, l := range leaves {
		if l.Is == run.Unknown {
			unknown = append(unknown, l.Cond)
		}
	}
	return is, unknown
}

// ahead is how many days a moment of a day is looked for: the sun may not do something for months.
const ahead = 400

// Until is how long it really takes until a moment of a day is next. It is false where the sun does not do that, or
// nobody knows where the house is.
func (e *Errands) Until(p moment.Point) (time.Duration, bool) {
	w, now := e.Where(), e.Calendar.Now()
	for n := -2; n < ahead; n++ { // an offset may reach into another day
		if at, is := w.On(w.DateOf(now).Add(n), p); is && at.After(now) {
			return e.Calendar.Until(at), true
		}
	}
	return 0, false
}
