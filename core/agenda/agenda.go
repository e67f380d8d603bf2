// Package agenda reads calendars (iCalendar, RFC 5545) as people publish them: which events begin and end within a
// time. Moved and cancelled occurrences, whole days, and the names that other systems have for time zones are
// understood; how much is read is bounded. It fetches nothing and reads no clock.
package agenda

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	ical "github.com/emersion/go-ical"
	"github.com/teambition/rrule-go"

	"urbo/core/fault"
)

// ErrCalendar is wrapped where a calendar cannot be read: the text says why.
var ErrCalendar = fault.New(fault.Invalid, "calendar")

// Bounds of a calendar.
const (
	// MaxBytes is the longest calendar.
	MaxBytes = 8 << 20
	// MaxEvents is the most events that are written in one, and MaxComing the most that come of it within a time.
	MaxEvents, MaxComing = 20_000, 5_000
	// mostTurns is how often a rule is followed from its first event on.
	mostTurns = 100_000
	// mostDeep is how deep its parts may lie in each other.
	mostDeep = 8
	// mostExtra is the most dates beside a rule.
	mostExtra = 2_000
	// MaxTitle is how much of a title is kept, in bytes.
	MaxTitle = 200
)

// Event is one event, once.
type Event struct {
	UID          string // of the event, whichever time it is
	Title        string
	Begins, Ends time.Time
	// Was is when it was to begin by its rule: the same time, unless it was moved.
	Was    time.Time
	AllDay bool
}

// written is one event as it is written.
type written struct {
	uid, title   string
	begins, ends time.Time
	long         time.Duration
	allDay       bool
	gone         bool      // cancelled
	instead      time.Time // of which occurrence this is what became; zero for the event itself
	rule         *rrule.ROption
	extra, not   []time.Time
}

// Calendar is a calendar that was read.
type Calendar struct {
	events []written
	// Odd says what of it could not be understood, the first of it; "" is nothing.
	Odd string
}

// Read reads a calendar. zone is that of times that name none. Errors wrap ErrCalendar.
func Read(text []byte, zone *time.Location) (c *Calendar, err error) {
	defer caught(&err)
	if len(text) > MaxBytes {
		return nil, fmt.Errorf("%w: it has more than %d MB", ErrCalendar, MaxBytes>>20)
	}
	if n := bytes.Count(text, []byte("BEGIN:VEVENT")); n > MaxEvents {
		return nil, fmt.Errorf("%w: it has %d events, the most is %d: publish less of the past", ErrCalendar, n,
			MaxEvents)
	}
	if deep(text) {
		return nil, fmt.Errorf("%w: its parts lie in each other more than %d deep", ErrCalendar, mostDeep)
	}
	c = &Calendar{}
	d := ical.NewDecoder(bytes.NewReader(text))
	read := 0
	for {
		one, err := d.Decode()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("%w: %w", ErrCalendar, err)
		}
		read++
		for _, e := range one.Events() {
			w, err := readEvent(e, zone)
			if err != nil {
				if c.Odd == "" {
					c.Odd = fmt.Sprintf("the event %.60q: %v", w.title, err)
				}
				continue
			}
			c.events = append(c.events, w)
		}
	}
	if read == 0 {
		return nil, fmt.Errorf("%w: it has no BEGIN:VCALENDAR", ErrCalendar)
	}
	return c, nil
}

// deep says whether parts of a text lie in each other deeper than those of any calendar: the library that reads them
// goes as deep as they do.
func deep(text []byte) bool {
	depth := 0
	for line := range bytes.Lines(text) {
		switch word, _, _ := bytes.Cut(bytes.TrimSpace(line), []byte(":")); {
		case bytes.EqualFold(word, []byte("BEGIN")):
			depth++
		case bytes.EqualFold(word, []byte("END")):
			depth--
		}
		if depth > mostDeep {
			return true
		}
	}
	return false
}

// caught makes an error of a panic: the libraries that read calendars and their rules have some for what nobody writes.
func caught(err *error) {
	if p := recover(); p != nil {
		*err = fmt.Errorf("%w: it is written as no calendar is (%v)", ErrCalendar, p)
	}
}

// Len is how many events are written in it.
func (c *Calendar) Len() int { return len(c.events) }

// readEvent reads one event.
func readEvent(e ical.Event, zone *time.Location) (w written, err error) {
	text := func(name string) string {
		if p := e.Props.Get(name); p != nil {
			if s, err := p.Text(); err == nil {
				return s
			}
			return p.Value
		}
		return ""
	}
	w.uid, w.title = text(ical.PropUID), titled(text(ical.PropSummary))
	w.gone = strings.EqualFold(text(ical.PropStatus), "CANCELLED")
	start := e.Props.Get(ical.PropDateTimeStart)
	if start == nil {
		return w, fmt.Errorf("it has no beginning")
	}
	if w.begins, w.allDay, err = timeOf(start, zone); err != nil {
		return w, err
	}
	switch {
	case e.Props.Get(ical.PropDateTimeEnd) != nil:
		if w.ends, _, err = timeOf(e.Props.Get(ical.PropDateTimeEnd), zone); err != nil {
			return w, err
		}
	case e.Props.Get(ical.PropDuration) != nil:
		long, err := e.Props.Get(ical.PropDuration).Duration()
		if err != nil {
			return w, err
		}
		w.ends = w.begins.Add(long)
	case w.allDay:
		w.ends = w.begins.AddDate(0, 0, 1)
	default:
		w.ends = w.begins
	}
	if w.ends.Before(w.begins) {
		return w, fmt.Errorf("it ends before it begins")
	}
	w.long = w.ends.Sub(w.begins)
	if p := e.Props.Get(ical.PropRecurrenceID); p != nil {
		if w.instead, _, err = timeOf(p, zone); err != nil {
			return w, err
		}
		return w, nil
	}
	for _, p := range e.Props.Values(ical.PropRecurrenceDates) {
		w.extra = append(w.extra, timesOf(p, zone)...)
	}
	for _, p := range e.Props.Values(ical.PropExceptionDates) {
		w.not = append(w.not, timesOf(p, zone)...)
	}
	if len(w.extra) > mostExtra || len(w.not) > mostExtra {
		return w, fmt.Errorf("it has more than %d dates beside its rule", mostExtra)
	}
	if p := e.Props.Get(ical.PropRecurrenceRule); p != nil {
		if w.rule, err = rrule.StrToROptionInLocation(p.Value, w.begins.Location()); err != nil {
			return w, err
		}
		if w.rule.Freq > rrule.DAILY {
			return w, fmt.Errorf("it comes again more often than every day")
		}
		if len(w.rule.Byhour)*max(len(w.rule.Byminute), 1)*max(len(w.rule.Bysecond), 1) > 24 ||
			len(w.rule.Byminute) > 24 ||
			len(w.rule.Bysecond) > 1 {
			return w, fmt.Errorf("it comes again more often than 24 times a day")
		}
		w.rule.Dtstart = w.begins
	}
	return w, nil
}

// titled is a title in one line.
func titled(s string) string {
	s = strings.Join(strings.Fields(s), " ")
	for len(s) > MaxTitle {
		r := []rune(s)
		s = string(r[:len(r)-1])
	}
	return s
}

// timeOf is the time of a property, and whether it is a whole day.
func timeOf(p *ical.Prop, zone *time.Location) (time.Time, bool, error) {
	if id := p.Params.Get(ical.ParamTimezoneID); id != "" {
		if l := Zone(id); l != nil {
			zone = l
		}
	}
	return parse(p.Value, zone)
}

// timesOf are the times of a property that has several, and periods of which the beginning counts.
func timesOf(p ical.Prop, zone *time.Location) (out []time.Time) {
	for _, v := range strings.Split(p.Value, ",") {
		v, _, _ = strings.Cut(v, "/")
		one := p
		one.Value = v
		if at, _, err := timeOf(&one, zone); err == nil {
			out = append(out, at)
		}
	}
	return out
}

// parse reads a date, or a date with a time.
func parse(v string, zone *time.Location) (at time.Time, day bool, err error) {
	v = strings.TrimSpace(v)
	switch {
	case len(v) == 8:
		at, err = time.ParseInLocation("20060102", v, zone)
		return at, true, err
	case strings.HasSuffix(v, "Z"):
		at, err = time.Parse("20060102T150405Z", v)
		return at, false, err
	}
	at, err = time.ParseInLocation("20060102T150405", v, zone)
	return at, false, err
}

// Between are the events that begin or end from one time to another, the soonest first, at most MaxComing. The error is
// that of ctx, or wraps ErrCalendar where a rule cannot be followed.
func (c *Calendar) Between(ctx context.Context, from, to time.Time) (out []Event, err error) {
	defer caught(&err)
	type occurrence struct {
		uid string
		at  int64
	}
	moved := map[occurrence]bool{}
	for _, w := range c.events {
		if !w.instead.IsZero() {
			moved[occurrence{w.uid, w.instead.Unix()}] = true
		}
	}
	add := func(w written, at, was time.Time) {
		ends := at.Add(w.long)
		if w.allDay { // a day may have 23 hours
			ends = at.AddDate(0, 0, int((w.long+12*time.Hour)/(24*time.Hour)))
		}
		if !w.gone && !at.After(to) && !ends.Before(from) && (!at.Before(from) || !ends.After(to)) {
			out = append(out, Event{w.uid, w.title, at, ends, was, w.allDay})
		}
	}
	for _, w := range c.events {
		if err := ctx.Err(); err != nil {
			return nil, fmt.Errorf("%w: it takes too long to follow its rules: %w", ErrCalendar, err)
		}
		if len(out) >= MaxComing {
			break
		}
		if !w.instead.IsZero() {
			add(w, w.begins, w.instead)
			continue
		}
		times, err := w.times(from, to)
		if err != nil {
			return nil, err
		}
		for _, at := range times {
			if !moved[occurrence{w.uid, at.Unix()}] && !slices.ContainsFunc(w.not, at.Equal) {
				add(w, at, at)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Event) int {
		return cmp.Or(a.Begins.Compare(b.Begins), strings.Compare(a.Title, b.Title))
	})
	return out[:min(len(out), MaxComing)], nil
}

// times are when an event begins, as its rule says, until a time. Whole days that are left out of a rule by their date
// are left out by timesOf.
func (w written) times(from, to time.Time) ([]time.Time, error) {
	out := append([]time.Time{w.begins}, w.extra...)
	if w.rule == nil || w.begins.After(to) {
		return out, nil
	}
	rule := *w.rule
	if rule.Until.IsZero() || rule.Until.After(to) {
		if rule.Count == 0 { // not both
			rule.Until = to
		}
	}
	r, err := rrule.NewRRule(rule)
	if err != nil {
		return nil, fmt.Errorf("%w: the event %.60q: %w", ErrCalendar, w.title, err)
	}
	next := r.Iterator()
	early := from.Add(-w.long)
	for turn := 0; turn < mostTurns && len(out) < MaxComing; turn++ {
		at, more := next()
		if !more || at.After(to) {
			break
		}
		if !at.Before(early) && !at.Equal(w.begins) {
			out = append(out, at)
		}
	}
	return out, nil
}
