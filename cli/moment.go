package cli

import (
	"fmt"
	"strings"
	"time"
)

// span is a part of time: from one moment to another. A moment is a span without length.
type span struct{ from, until time.Time }

// spanOf reads a time: so long ago (2h), a time of day or a date, or a word for a part of a day: today, yesterday,
// "this morning", "last night", or a day of the week, which is the last of its name.
func spanOf(text string, now time.Time) (span, error) {
	text = strings.ToLower(strings.TrimSpace(text))
	if ago, err := time.ParseDuration(text); err == nil && ago >= 0 {
		return span{now.Add(-ago), now.Add(-ago)}, nil
	}
	for _, layout := range []string{"2006-01-02 15:04:05", "2006-01-02 15:04", time.RFC3339} {
		if t, err := time.ParseInLocation(layout, strings.ToUpper(text), now.Location()); err == nil {
			return span{t, t}, nil
		}
	}
	for _, layout := range []string{"15:04:05", "15:04"} {
		if t, err := time.ParseInLocation(layout, text, now.Location()); err == nil {
			at := on(now, t.Hour(), t.Minute()).Add(time.Duration(t.Second()) * time.Second)
			return span{at, at}, nil
		}
	}
	if t, err := time.ParseInLocation("2006-01-02", text, now.Location()); err == nil {
		return day(t), nil
	}
	yesterday := now.AddDate(0, 0, -1)
	switch text {
	case "today":
		return day(now), nil
	case "yesterday":
		return day(yesterday), nil
	case "this morning":
		return span{on(now, 5, 0), on(now, 12, 0)}, nil
	case "last night", "tonight":
		if text == "tonight" || now.Hour() >= 18 { // the night that has begun
			return span{on(now, 18, 0), on(now.AddDate(0, 0, 1), 6, 0)}, nil
		}
		return span{on(yesterday, 18, 0), on(now, 6, 0)}, nil
	}
	for ago := range 7 {
		if d := now.AddDate(0, 0, -ago); text == strings.ToLower(d.Weekday().String()) {
			return day(d), nil
		}
	}
	return span{}, fmt.Errorf("%q is no time: write 2h for two hours ago, 21:00, \"2026-03-01 21:00\", yesterday, "+
		"\"last night\" or a day of the week", text)
}

// on is a time of day on the day of t.
func on(t time.Time, hour, minute int) time.Time {
	y, m, d := t.Date()
	return time.Date(y, m, d, hour, minute, 0, 0, t.Location())
}

// day is the whole day of t.
func day(t time.Time) span { return span{on(t, 0, 0), on(t.AddDate(0, 0, 1), 0, 0)} }
