package errand

import (
	"testing"
	"time"
	_ "time/tzdata" // a test of zones needs them everywhere

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"urbo/core/moment"
	"urbo/core/sun"
)

func london(t *testing.T) moment.Where { return in(t, "Europe/London") }

func in(t *testing.T, zone string) moment.Where {
	t.Helper()
	z, err := time.LoadLocation(zone)
	require.NoError(t, err)
	return moment.Where{Zone: z, Place: &sun.Place{Latitude: 53.9, Longitude: 0.1}}
}

// TestNext_IsNeverPastNeverSkippedNeverTwice walks a cue from occurrence to occurrence, and compares with all that its
// days have, in five zones and around both changes of the clock.
func TestNext_IsNeverPastNeverSkippedNeverTwice(t *testing.T) {
	t.Parallel()
	for _, zone := range []string{"Europe/London", "America/New_York", "Australia/Lord_Howe", "America/Santiago",
		"Asia/Beirut"} {
		t.Run(zone, func(t *testing.T) {
			t.Parallel()
			w := in(t, zone)
			rapid.Check(t, func(r *rapid.T) {
				c := drawPlanned(r)
				if c.check() != nil {
					r.Skip()
				}
				begin := w.At(rapid.SampledFrom([]moment.Date{{Year: 2026, Month: 3, Day: 26}, {Year: 2026, Month: 10,
					Day: 22},
					{Year: 2026, Month: 4, Day: 2}, {Year: 2026, Month: 9, Day: 3}, {Year: 2028, Month: 2,
						Day: 27}}).Draw(r, "date"), 0)
				end := begin.Add(6 * 24 * time.Hour)
				var all []time.Time // by another way: every day's, moved
				for n := -20; n < 20; n++ {
					d := w.DateOf(begin).Add(n)
					if c.Date != nil && d != *c.Date {
						continue
					}
					for k, at := range c.on(d, w) {
						if at, is := c.moved("id", d, k, at, w); is && at.After(begin) && at.Before(end) {
							all = append(all, at)
						}
					}
				}
				at, got := begin, map[int64]int{}
				for {
					next, is := c.Next("id", at, w)
					if !is || !next.Before(end) {
						break
					}
					require.True(r, next.After(at), "%s is not after %s", next, at)
					at = next
					got[next.UnixNano()]++
				}
				want := map[int64]int{}
				for _, at := range all {
					want[at.UnixNano()] = 1
				}
				require.Equal(r, want, got, "%s", c.Text(now))
			})
		})
	}
}

func TestNext_ScatterIsTheSameEachTime(t *testing.T) {
	t.Parallel()
	w := london(t)
	c := Cue{Times: []moment.Clock{18 * 60}, Scatter: 20 * time.Minute}
	at := w.At(moment.Date{Year: 2026, Month: 12, Day: 1}, 0)
	seen := map[time.Duration]bool{}
	for n := range 30 {
		d := moment.Date{Year: 2026, Month: 12, Day: 1}.Add(n)
		next, is := c.Next("id", w.At(d, 0), w)
		require.True(t, is)
		again, _ := c.Next("id", w.At(d, 12*60), w)
		assert.Equal(t, next, again)
		seen[next.Sub(w.At(d, 18*60))] = true
		assert.LessOrEqual(t, next.Sub(w.At(d, 18*60)).Abs(), 20*time.Minute)
	}
	assert.Greater(t, len(seen), 20, "and another one each day")
	first, _ := c.Next("id", at, w)
	other, _ := c.Next("other", at, w)
	assert.NotEqual(t, first, other, "and for each errand")
}

func BenchmarkNext(b *testing.B) {
	z, err := time.LoadLocation("Europe/London")
	require.NoError(b, err)
	w := moment.Where{Zone: z, Place: &sun.Place{Latitude: 53.9, Longitude: 0.1}}
	at := time.Date(2026, 12, 5, 12, 0, 0, 0, time.UTC)
	for name, c := range map[string]Cue{"time": {Times: []moment.Clock{420}}, "dusk": {Sun: sun.Dusk},
		"first-monday": {Times: []moment.Clock{420}, On: moment.Days{Of: []time.Weekday{time.Monday}, Nth: 1}}} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				c.Next("id", at, w)
			}
		})
	}
}
