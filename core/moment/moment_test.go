package moment_test

import (
	"testing"
	"time"
	_ "time/tzdata" // a test of zones needs them everywhere

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/moment"
	"urbo/core/sun"
)

// zones are five in which the clock changes, or does so oddly: by half an hour, at midnight, in the south.
var zones = []string{"Europe/London", "America/New_York", "Australia/Lord_Howe", "America/Santiago", "Asia/Beirut"}

func where(t *testing.T, zone string) moment.Where {
	t.Helper()
	z, err := time.LoadLocation(zone)
	require.NoError(t, err)
	return moment.Where{Zone: z, Place: &sun.Place{Latitude: 53.9, Longitude: 0.1}}
}

// TestAt_IsTheFirstOfThatTimeOrTheNextThatThereIs looks at every quarter of an hour of two years, second by second
// around the changes of the clock.
func TestAt_IsTheFirstOfThatTimeOrTheNextThatThereIs(t *testing.T) {
	t.Parallel()
	for _, zone := range zones {
		w := where(t, zone)
		missing, twice := 0, 0
		for d := (moment.Date{Year: 2026, Month: 1, Day: 1}); d.Year < 2028; d = d.Add(1) {
			for c := moment.Clock(0); c < 24*60; c += 15 {
				at := w.At(d, c)
				local := at.In(w.Zone)
				is := w.DateOf(at) == d && moment.Clock(local.Hour()*60+local.Minute()) == c
				if is {
					for _, earlier := range []time.Duration{30 * time.Minute, time.Hour} {
						other := at.Add(-earlier).In(w.Zone)
						require.False(t, w.DateOf(other) == d && other.Format("15:04:05") == local.Format("15:04:05"),
							"%s %s %s is the second one", zone, d, c)
						if later := at.Add(earlier).In(w.Zone); later.Format("15:04:05") == local.Format("15:04:05") {
							twice++
						}
					}
					continue
				}
				missing++
				_, before := at.Add(-time.Second).Zone()
				_, after := at.Zone()
				require.Greater(t, after, before, "%s %s %s: %s is no leap of the clock", zone, d, c, at)
			}
		}
		assert.Positive(t, missing, zone)
		assert.Positive(t, twice, zone)
	}
}

func TestBetween_IsTheNightThatBeginsOnThatDay(t *testing.T) {
	t.Parallel()
	w := where(t, "Europe/London")
	at := func(text string) time.Time {
		out, err := time.ParseInLocation("2006-01-02 15:04", text, w.Zone)
		require.NoError(t, err)
		return out
	}
	night := moment.Between{From: moment.Point{Clock: 23 * 60}, To: moment.Point{Clock: 6 * 60},
		On: moment.Days{Of: []time.Weekday{time.Friday}}}
	for text, want := range map[string]bool{"2026-12-04 22:59": false, "2026-12-04 23:00": true,
		"2026-12-05 05:59": true,
		"2026-12-05 06:00": false, "2026-12-05 23:30": false, "2026-12-04 03:00": false} {
		assert.Equal(t, want, night.Has(at(text), w), text)
	}
	dusk := moment.Between{From: moment.Point{Sun: sun.Dusk}, To: moment.Point{Clock: 23 * 60}}
	assert.True(t, dusk.Has(at("2026-12-05 20:00"), w))
	assert.False(t, dusk.Has(at("2026-12-05 12:00"), w))
	late := moment.Between{From: moment.Point{Sun: sun.Sunset, Offset: 10 * time.Hour},
		To: moment.Point{Sun: sun.Sunrise}}
	assert.True(t, late.Has(at("2026-12-05 03:00"), w), "ten hours after sunset is tomorrow")
	far := w
	far.Place = &sun.Place{Latitude: 69.6, Longitude: 18.9}
	assert.False(t, moment.Between{From: moment.Point{Sun: sun.Sunrise}, To: moment.Point{Sun: sun.Sunset}}.Has(
		at("2026-12-21 12:00"), far), "in the polar night nothing rises")
	edges := night.Edges(at("2026-12-04 12:00"), w, 8)
	assert.Equal(t, []time.Time{at("2026-12-04 23:00"), at("2026-12-05 06:00"), at("2026-12-11 23:00"),
		at("2026-12-12 06:00")}, edges[:4])
}

func TestDays_AreCountedInMonths(t *testing.T) {
	t.Parallel()
	date := func(m time.Month, d int) moment.Date { return moment.Date{Year: 2026, Month: m, Day: d} }
	mondays := func(nth int) moment.Days { return moment.Days{Of: []time.Weekday{time.Monday}, Nth: nth} }
	assert.True(t, mondays(1).Has(date(12, 7)))
	assert.False(t, mondays(1).Has(date(12, 14)))
	assert.True(t, mondays(moment.Last).Has(date(11, 30)))
	assert.True(t, mondays(4).Has(date(11, 23)))
	assert.True(t, moment.Days{Of: moment.Weekends}.Has(date(11, 29)))
	assert.Equal(t, "weekdays, last mon, mon, fri", moment.Days{Of: moment.Weekdays}.String()+", "+
		mondays(moment.Last).String()+", "+moment.Days{Of: []time.Weekday{1, 5}}.String())

	winter := moment.Span{From: moment.Date{Month: 12, Day: 1}, To: moment.Date{Month: 1, Day: 6}}
	for _, in := range []moment.Date{date(12, 1), date(12, 31), date(1, 6)} {
		assert.True(t, winter.Has(in), in)
	}
	assert.False(t, winter.Has(date(1, 7)))
	assert.Equal(t, "from 12-01 to 01-06", winter.String())
	assert.False(t, moment.Date{Year: 2026, Month: 2, Day: 29}.Is())
	assert.True(t, moment.Date{Year: 2028, Month: 2, Day: 29}.Is())
}
