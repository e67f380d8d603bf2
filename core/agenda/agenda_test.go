package agenda

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// file is a calendar of events, each as its lines.
func file(events ...string) []byte {
	var b strings.Builder
	b.WriteString("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Saltmarsh//club//EN\r\n")
	for i, e := range events {
		if !strings.Contains(e, "UID:") {
			e = fmt.Sprintf("UID:%d\n%s", i, e)
		}
		b.WriteString("BEGIN:VEVENT\r\nDTSTAMP:20260101T000000Z\r\n" + strings.ReplaceAll(strings.TrimSpace(e), "\n",
			"\r\n") +
			"\r\nEND:VEVENT\r\n")
	}
	b.WriteString("END:VCALENDAR\r\n")
	return []byte(b.String())
}

var lisbon = func() *time.Location { l, _ := time.LoadLocation("Europe/Lisbon"); return l }()

// coming are the events from 1 December 2026 for a time, as texts in a zone.
func coming(t *testing.T, long time.Duration, events ...string) (out []string) {
	t.Helper()
	c, err := Read(file(events...), lisbon)
	require.NoError(t, err)
	from := time.Date(2026, 12, 1, 0, 0, 0, 0, lisbon)
	all, err := c.Between(t.Context(), from, from.Add(long))
	require.NoError(t, err)
	for _, e := range all {
		out = append(out, e.Begins.In(lisbon).Format("02 15:04")+" "+e.Title)
	}
	return out
}

const week = 7 * 24 * time.Hour

func TestBetween_MovedCancelledAndLeftOut(t *testing.T) {
	t.Parallel()
	rule := "UID:night\nSUMMARY:Public " +
		"night\nDTSTART;TZID=Europe/Lisbon:20261101T200000\nDURATION:PT2H\nRRULE:FREQ=DAILY\n"
	assert.Equal(t, []string{"01 20:00 Public night", "02 20:00 Public night"}, coming(t, 48*time.Hour, rule))
	moved := "UID:night\nRECURRENCE-ID;TZID=Europe/Lisbon:20261202T200000\nSUMMARY:Public night\n" +
		"DTSTART;TZID=Europe/Lisbon:20261203T090000\nDURATION:PT1H"
	cancelled := "UID:night\nRECURRENCE-ID:20261203T200000Z\nSTATUS:CANCELLED\nDTSTART:20261203T200000Z"
	assert.Equal(t, []string{"01 20:00 Public night", "03 09:00 Public night", "05 20:00 Public night"},
		coming(t, 5*24*time.Hour, rule+"EXDATE;TZID=Europe/Lisbon:20261204T200000", moved, cancelled))
}

func TestBetween_ZonesDaysAndDates(t *testing.T) {
	t.Parallel()
	for event, want := range map[string][]string{
		"SUMMARY:UTC\nDTSTART:20261201T100000Z":                                        {"01 10:00 UTC"},
		"SUMMARY:Floats\nDTSTART:20261201T100000":                                      {"01 10:00 Floats"},
		"SUMMARY:Paris\nDTSTART;TZID=Romance Standard Time:20261201T100000":            {"01 09:00 Paris"},
		"SUMMARY:Path\nDTSTART;TZID=/some.where.org/2026/Europe/Paris:20261201T100000": {"01 09:00 Path"},
		"SUMMARY:Nowhere\nDTSTART;TZID=Customized 7:20261201T100000":                   {"01 10:00 Nowhere"},
		"SUMMARY:Day\nDTSTART;VALUE=DATE:20261202":                                     {"02 00:00 Day"},
		"SUMMARY:Days\nDTSTART;VALUE=DATE:20261129\nRRULE:FREQ=WEEKLY;COUNT=2":         {"06 00:00 Days"},
		"SUMMARY:More\nDTSTART:20261001T080000Z\nRDATE:20261203T080000Z,20261204T080000Z": {"03 08:00 More",
			"04 08:00 More"},
		"SUMMARY:Under way\nDTSTART:20261130T230000Z\nDTEND:20261201T010000Z":             {"30 23:00 Under way"},
		"SUMMARY:First Thursday\nDTSTART:20260101T190000Z\nRRULE:FREQ=MONTHLY;BYDAY=1TH":  {"03 19:00 First Thursday"},
		"SUMMARY:Over\nDTSTART:20260101T190000Z\nRRULE:FREQ=DAILY;UNTIL=20260601T000000Z": nil,
		"SUMMARY:Two\\, lines\\nof it\nDTSTART:20261201T100000Z": {"01 10:00 Two, lines of " +
			"it"},
	} {
		assert.Equal(t, want, coming(t, week, event), event)
	}
	// where the clocks change, the hour stays
	summer := "SUMMARY:S\nDTSTART;TZID=Europe/Lisbon:20260601T200000\nRRULE:FREQ=DAILY"
	assert.Equal(t, []string{"01 20:00 S"}, coming(t, 24*time.Hour, summer))
}

func TestRead_IsBounded(t *testing.T) {
	t.Parallel()
	for text, says := range map[string]string{"": "BEGIN:VCALENDAR", "hello": "calendar", "0;0=": "as no calendar is",
		strings.Repeat("a", MaxBytes+1): "MB", strings.Repeat("BEGIN:VEVENT\r\n", MaxEvents+1): "the most is",
		"BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\n": "calendar", strings.Repeat("BEGIN:X\r\n", 700_000): "deep"} {
		_, err := Read([]byte(text), time.UTC)
		assert.ErrorIs(t, err, ErrCalendar)
		assert.ErrorContains(t, err, says)
	}
	// what cannot be understood leaves the others
	for _, odd := range []string{"SUMMARY:Odd\nDTSTART:yesterday",
		"SUMMARY:Odd\nDTSTART:20261201T100000Z\nRRULE:FREQ=SECONDLY",
		"SUMMARY:Odd\nDTSTART:20261201T100000Z\nRRULE:FREQ=DAILY;BYHOUR=1,2,3,4,5,6,7,8;BYMINUTE=1,2,3,4",
		"SUMMARY:Odd\nDTSTART:20261201T100000Z\nDTEND:20261201T090000Z", "SUMMARY:Odd"} {
		c, err := Read(file(odd, "SUMMARY:Good\nDTSTART:20261201T100000Z"), time.UTC)
		require.NoError(t, err, odd)
		assert.Equal(t, 1, c.Len(), odd)
		assert.Contains(t, c.Odd, "Odd")
	}
}

// TestBetween_RulesThatNeverEnd follows rules that never end, never come, or began long ago.
func TestBetween_RulesThatNeverEnd(t *testing.T) {
	t.Parallel()
	for _, rule := range []string{"FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30", "FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30",
		"FREQ=DAILY;INTERVAL=1000000", "FREQ=DAILY;COUNT=1000000000"} {
		c, err := Read(file("SUMMARY:Ever\nDTSTART:19700101T100000Z\nRRULE:"+rule), time.UTC)
		require.NoError(t, err)
		from := time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC)
		all, err := c.Between(t.Context(), from, from.Add(week))
		require.NoError(t, err, rule)
		assert.LessOrEqual(t, len(all), 7, rule)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	c, err := Read(file("SUMMARY:One\nDTSTART:20261201T100000Z"), time.UTC)
	require.NoError(t, err)
	_, err = c.Between(ctx, time.Time{}, time.Now())
	assert.ErrorIs(t, err, ErrCalendar)
}

func BenchmarkBetween(b *testing.B) {
	var events []string
	for i := range 2000 {
		events = append(events, fmt.Sprintf("SUMMARY:Talk %d\nDTSTART:2020%02d01T100000Z\nRRULE:FREQ=WEEKLY", i,
			i%12+1))
	}
	text := file(events...)
	from := time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC)
	for b.Loop() {
		c, err := Read(text, time.UTC)
		require.NoError(b, err)
		_, err = c.Between(b.Context(), from, from.Add(week))
		require.NoError(b, err)
	}
}

// FuzzRead reads any text as a calendar, and follows it for a week: it ends, and what comes is in order and bounded.
func FuzzRead(f *testing.F) {
	for _, e := range []string{"SUMMARY:A\nDTSTART;TZID=Romance Standard " +
		"Time:20261201T100000\nRRULE:FREQ=WEEKLY;BYDAY=MO,TU",
		"DTSTART;VALUE=DATE:20261202\nRDATE;VALUE=PERIOD:20261203T080000Z/PT1H\nEXDATE:20261202T000000Z",
		"DTSTART:19700101T000000Z\nRRULE:FREQ=YEARLY;BYWEEKNO=53;BYDAY=FR;BYSETPOS=-1"} {
		f.Add(file(e))
	}
	from := time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC)
	f.Fuzz(func(t *testing.T, text []byte) {
		c, err := Read(text, lisbon)
		if err != nil {
			return
		}
		ctx, cancel := context.WithTimeout(t.Context(), time.Second)
		defer cancel()
		all, err := c.Between(ctx, from, from.Add(week))
		if err != nil {
			return
		}
		assert.LessOrEqual(t, len(all), MaxComing)
		for i, e := range all {
			assert.LessOrEqual(t, len(e.Title), MaxTitle)
			assert.False(t, e.Ends.Before(e.Begins))
			assert.True(t, i == 0 || !e.Begins.Before(all[i-1].Begins))
		}
	})
}
