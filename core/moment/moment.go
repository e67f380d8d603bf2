// Package moment is times as people say them, of a place and a zone: seven in the morning, ten minutes after sunset, on
// weekdays, from December to Epiphany. It says when they are next, whether one is now, and writes them. It reads no
// clock.
package moment

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"urbo/core/sun"
)

// Where the times are.
type Where struct {
	Zone  *time.Location
	Place *sun.Place // nil where it is not known: then the sun does nothing
}

// Date is a day of the calendar.
type Date struct {
	Year  int        `json:"year"`
	Month time.Month `json:"month"`
	Day   int        `json:"day"`
}

// DateOf is the day of a time, where it is.
func (w Where) DateOf(at time.Time) Date {
	y, m, d := at.In(w.Zone).Date()
	return Date{y, m, d}
}

// Add is so many days later.
func (d Date) Add(days int) Date {
	y, m, day := time.Date(d.Year, d.Month, d.Day+days, 12, 0, 0, 0, time.UTC).Date()
	return Date{y, m, day}
}

// Weekday is the day of the week.
func (d Date) Weekday() time.Weekday {
	return time.Date(d.Year, d.Month, d.Day, 12, 0, 0, 0, time.UTC).Weekday()
}

// Compare orders days.
func (d Date) Compare(o Date) int {
	return cmp.Or(cmp.Compare(d.Year, o.Year), cmp.Compare(d.Month, o.Month), cmp.Compare(d.Day, o.Day))
}

// Is says whether there is such a day.
func (d Date) Is() bool { return d.Add(0) == d }

// String is the day as 2026-12-05.
func (d Date) String() string { return fmt.Sprintf("%04d-%02d-%02d", d.Year, d.Month, d.Day) }

// Clock is a time of day, in minutes from midnight.
type Clock int

// String is the time as 07:00.
func (c Clock) String() string { return fmt.Sprintf("%02d:%02d", c/60, c%60) }

// At is a time of day on a day. One that does not exist is the next that does; of one that comes twice, it is the
// first.
func (w Where) At(d Date, c Clock) time.Time {
	local := time.Date(d.Year, d.Month, d.Day, int(c)/60, int(c)%60, 0, 0, time.UTC)
	_, before := local.Add(-24 * time.Hour).In(w.Zone).Zone()
	_, after := local.Add(24 * time.Hour).In(w.Zone).Zone()
	var there []time.Time
	for _, offset := range []int{before, after} {
		at := local.Add(-time.Duration(offset) * time.Second)
		if _, is := at.In(w.Zone).Zone(); is == offset {
			there = append(there, at)
		}
	}
	if len(there) > 0 {
		return slices.MinFunc(there, time.Time.Compare).In(w.Zone)
	}
	// the clock leaps over it: it is when that happens
	from, to := local.Add(-24*time.Hour), local.Add(24*time.Hour)
	for to.Sub(from) > time.Second {
		middle := from.Add(to.Sub(from) / 2)
		if _, is := middle.In(w.Zone).Zone(); is == before {
			from = middle
		} else {
			to = middle
		}
	}
	return to.Truncate(time.Second).In(w.Zone)
}

// Point is a moment of a day: a time of day, or something that the sun does, and how long after that.
type Point struct {
	Clock  Clock         `json:"clock,omitempty"`
	Sun    sun.Event     `json:"sun,omitempty"` // then it is no time of day
	Offset time.Duration `json:"offset,omitempty"`
}

// On is the moment on a day. It is false where the sun does not do that on that day.
func (w Where) On(d Date, p Point) (time.Time, bool) {
	at, is := w.base(d, p)
	return at.Add(p.Offset), is
}

func (w Where) base(d Date, p Point) (time.Time, bool) {
	if p.Sun == "" {
		return w.At(d, p.Clock), true
	}
	if w.Place == nil {
		return time.Time{}, false
	}
	at, is := w.Place.Next(p.Sun, w.At(d, 0).Add(-time.Second))
	return at.In(w.Zone), is && w.DateOf(at) == d
}

// Days are days of the week, or the first to fourth or last of one in each month.
type Days struct {
	Of  []time.Weekday `json:"of,omitempty"` // none is every day
	Nth int            `json:"nth,omitempty"`
}

// Last is the Nth of the last of its weekday in a month.
const Last = -1

// Weekdays and Weekends are the usual ones.
var (
	Weekdays = []time.Weekday{time.Monday, time.Tuesday, time.Wednesday, time.Thursday, time.Friday}
	Weekends = []time.Weekday{time.Saturday, time.Sunday}
)

// Has says whether a day is one of them.
func (d Days) Has(on Date) bool {
	if len(d.Of) == 0 {
		return true
	}
	if !slices.Contains(d.Of, on.Weekday()) {
		return false
	}
	switch d.Nth {
	case 0:
		return true
	case Last:
		return on.Add(7).Month != on.Month
	}
	return (on.Day-1)/7+1 == d.Nth
}

// Span is days of the calendar, from one to another, both with them: of every year, or of one.
type Span struct {
	From Date `json:"from"` // without a year it is of every year
	To   Date `json:"to"`
}

// Has says whether a day is in it.
func (s Span) Has(on Date) bool {
	if s.From.Year != 0 {
		return on.Compare(s.From) >= 0 && on.Compare(s.To) <= 0
	}
	on.Year = 0
	after, before := on.Compare(s.From) >= 0, on.Compare(s.To) <= 0
	if s.From.Compare(s.To) <= 0 {
		return after && before
	}
	return after || before // over the turn of the year
}

// Between is from one moment to another, of the same day or the night that begins on it.
type Between struct {
	From Point `json:"from"`
	To   Point `json:"to"`
	On   Days  `json:"on,omitzero"` // of the day on which it begins
}

// Has says whether a time is in it. Where the sun does not do what it begins or ends with, it is not.
func (b Between) Has(at time.Time, w Where) bool {
	today := w.DateOf(at)
	for back := range 3 { // an offset may reach into another day
		d := today.Add(1 - back)
		from, to, is := b.on(d, w)
		if is && b.On.Has(d) && !at.Before(from) && at.Before(to) {
			return true
		}
	}
	return false
}

func (b Between) on(d Date, w Where) (from, to time.Time, is bool) {
	if from, is = w.On(d, b.From); !is {
		return from, to, false
	}
	if to, is = w.On(d, b.To); !is || !to.After(from) {
		to, is = w.On(d.Add(1), b.To)
	}
	return from, to, is && to.After(from)
}

// Edges are when it begins or ends next after a time, at most so many days ahead; none where it does not.
func (b Between) Edges(after time.Time, w Where, days int) (out []time.Time) {
	for n := range days + 3 {
		d := w.DateOf(after).Add(n - 2)
		if from, to, is := b.on(d, w); is && b.On.Has(d) {
			for _, at := range []time.Time{from, to} {
				if at.After(after) {
					out = append(out, at)
				}
			}
		}
	}
	slices.SortFunc(out, time.Time.Compare)
	return slices.CompactFunc(out, time.Time.Equal)
}

// names of the days of the week, as they are written.
var names = []string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}

// nths are the words for which one of a month.
var nths = map[int]string{1: "first", 2: "second", 3: "third", 4: "fourth", Last: "last"}

// Weekday finds a day of the week by its name, also a long one.
func Weekday(name string) (time.Weekday, bool) {
	for n, short := range names {
		if name == short || name == strings.ToLower(time.Weekday(n).String()) {
			return time.Weekday(n), true
		}
	}
	return 0, false
}

// Nth finds which one of a month a word says.
func Nth(word string) (int, bool) {
	for n, w := range nths {
		if w == word {
			return n, true
		}
	}
	return 0, false
}

// String is the days as they are written, without "on".
func (d Days) String() string {
	switch {
	case d.Nth != 0 && len(d.Of) == 1:
		return nths[d.Nth] + " " + names[d.Of[0]]
	case slices.Equal(d.Of, Weekdays):
		return "weekdays"
	case slices.Equal(d.Of, Weekends):
		return "weekends"
	}
	out := make([]string, len(d.Of))
	for i, day := range d.Of {
		out[i] = names[day]
	}
	return strings.Join(out, ", ")
}

// String is a span as it is written: from 12-01 to 01-06.
func (s Span) String() string {
	if s.From.Year != 0 {
		return "from " + s.From.String() + " to " + s.To.String()
	}
	return fmt.Sprintf("from %02d-%02d to %02d-%02d", s.From.Month, s.From.Day, s.To.Month, s.To.Day)
}
