package errand

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"urbo/core/run"
)

func read(t *testing.T, text string) Errand {
	t.Helper()
	e, err := Parse(text, names{})
	require.NoError(t, err, text)
	return e
}

func TestMissed_OnlyTheLatestAndOnlyWhatItsRuleSays(t *testing.T) {
	w := london(t)
	at := func(text string) time.Time {
		out, err := time.ParseInLocation("2006-01-02 15:04", text, w.Zone)
		require.NoError(t, err)
		return out
	}
	for _, c := range []struct{ errand, after, now, due, late string }{
		{"when at 7:00 do press x/y", "2026-12-01 07:00", "2026-12-02 06:00", "", "none"},
		{"when at 7:00 do press x/y", "2026-12-01 07:00", "2026-12-02 07:05", "2026-12-02 07:00", "run"},
		{"when at 7:00 do press x/y", "2026-12-01 07:00", "2026-12-02 07:15", "2026-12-02 07:00", "skip"},
		{"when at 7:00 do press x/y if missed run within 2 h", "2026-12-01 07:00", "2026-12-02 08:59",
			"2026-12-02 07:00",
			"run"},
		{"when at 7:00 do press x/y if missed run within 30 d", "2026-12-01 07:00", "2026-12-09 12:00",
			"2026-12-09 07:00", "run"},
		{"when at 7:00 do press x/y if missed skip", "2026-12-01 07:00", "2026-12-02 07:01", "2026-12-02 07:00",
			"skip"},
		{"when every 15 min do press x/y", "2026-12-01 07:00", "2026-12-01 09:07", "2026-12-01 09:00", "run"},
		{"when x/y pressed do press x/y", "2026-12-01 07:00", "2026-12-02 09:07", "", "none"},
	} {
		due, late, is := read(t, "errand a "+c.errand).Missed("a", at(c.after), at(c.now), w)
		got := map[bool]string{true: "run", false: "skip"}[late]
		if !is {
			got = "none"
		} else {
			assert.Equal(t, c.due, due.In(w.Zone).Format("2006-01-02 15:04"), c.errand)
		}
		assert.Equal(t, c.late, got, c.errand)
	}
}

func TestTurn_OfALevel(t *testing.T) {
	plain := read(t, "errand a while x/power is on do press x/y")
	ends := read(t, "errand a while x/power is on do press x/y if unknown end after 30 min")
	runs := read(t, "errand a while x/power is on do press x/y if unknown run")
	at := time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC)
	type step struct {
		after time.Duration
		is    run.Truth
		want  Act
	}
	for name, c := range map[string]struct {
		errand Errand
		steps  []step
	}{
		"begins and ends": {plain, []step{{0, run.No, Stay}, {1, run.Yes, Begin}, {time.Hour, run.Yes, Stay},
			{time.Hour, run.No, End}}},
		"not faster than a minute": {plain, []step{{0, run.Yes, Begin}, {time.Second, run.No, Stay},
			{58 * time.Second, run.No, Stay}, {time.Second, run.No, End}, {time.Second, run.Yes, Stay},
			{time.Minute, run.Yes, Begin}}},
		"unknown leaves it": {plain, []step{{0, run.Yes, Begin}, {time.Hour, run.Unknown, Stay}, {100 * time.Hour,
			run.Unknown, Stay}}},
		"unknown begins nothing": {plain, []step{{0, run.Unknown, Stay}}},
		"unknown for too long": {ends, []step{{0, run.Yes, Begin}, {time.Hour, run.Unknown, Stay},
			{29 * time.Minute, run.Unknown, Stay}, {time.Minute, run.Unknown, End}}},
		"known again in between": {ends, []step{{0, run.Yes, Begin}, {time.Hour, run.Unknown, Stay},
			{20 * time.Minute, run.Yes, Stay}, {time.Minute, run.Unknown, Stay}, {20 * time.Minute, run.Unknown,
				Stay}}},
		"unknown is as yes": {runs, []step{{0, run.Unknown, Begin}, {time.Hour, run.No, End}}},
	} {
		var l Level
		now := at
		for n, s := range c.steps {
			now = now.Add(s.after)
			var act Act
			l, act, _ = c.errand.Turn(l, s.is, now)
			assert.Equal(t, s.want, act, "%s, step %d", name, n)
		}
	}

	// a person wins until the condition was false once
	l, act, _ := plain.Turn(Level{}, run.Yes, at)
	require.Equal(t, Begin, act)
	l, act, _ = plain.Turn(l.Yield(), run.Yes, at.Add(time.Hour))
	assert.Equal(t, Stay, act)
	assert.True(t, l.Yielded)
	l, act, _ = plain.Turn(l, run.No, at.Add(2*time.Hour))
	assert.Equal(t, End, act)
	_, act, _ = plain.Turn(l, run.Yes, at.Add(3*time.Hour))
	assert.Equal(t, Begin, act)
}

// TestTurn_AlternatesAndKeepsItsLeastTimes whatever the answers are, also while the clock jumps.
func TestTurn_AlternatesAndKeepsItsLeastTimes(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(r *rapid.T) {
		e := Errand{Rules: Rules{Unknown: oneOf(r, "", "run", "skip", "end"), EndAfter: 5 * time.Minute}}
		at := time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC)
		var l Level
		last, changed := End, time.Time{}
		for range 60 {
			at = at.Add(time.Duration(rapid.IntRange(0, 100).Draw(r, "s")) * time.Second)
			if rapid.IntRange(0, 15).Draw(r, "person") == 0 {
				l = l.Yield()
			}
			is := rapid.SampledFrom([]run.Truth{run.Yes, run.No, run.Unknown}).Draw(r, "is")
			was := l
			next, act, again := e.Turn(l, is, at)
			if l = next; act == Stay {
				require.Equal(r, was.On, l.On)
				require.True(r, again.IsZero() || again.After(at))
				continue
			}
			require.NotEqual(r, last, act, "it begins and ends in turn")
			require.True(r, changed.IsZero() || at.Sub(changed) >= LeastLevel)
			require.False(r, act == Begin && was.Yielded && is != run.No, "a person wins")
			last, changed = act, at
		}
	})
}

func TestComes_WithWhatHappened(t *testing.T) {
	key := func(how string) News { return News{Pressed: &Key{"id of door", "opened", how}} }
	change := func(from, to, by string) News { return News{Changed: &Change{"id of x", "power", from, to, by}} }
	for _, c := range []struct {
		cue  string
		news News
		want bool
	}{
		{"door/opened pressed", key(""), true},
		{"door/opened pressed", key("twice"), false},
		{"door/opened pressed twice", key("twice"), true},
		{"door/closed pressed", key(""), false},
		{"x/power becomes on", change("off", "on", ""), true},
		{"x/power becomes on", change("on", "on", ""), false},
		{"x/power becomes on by person", change("off", "on", "handset"), false},
		{"x/power becomes on by handset", change("off", "on", "handset"), true},
		{"x/power leaves on", change("on", "off", "person"), true},
		{"x/power leaves on", change("off", "on", "person"), false},
		{"x/power becomes on", key(""), false},
		{"occasion talk starts", News{Occasion: &Occurred{"id of talk", false}}, true},
		{"occasion talk ends", News{Occasion: &Occurred{"id of talk", false}}, false},
		{"station dome leaves", News{Station: &Occurred{"id of dome", true}}, true},
		{"station dome returns", News{Station: &Occurred{"id of dome", true}}, false},
		{"house starts", News{House: true}, true},
		{"mains return", News{House: true}, false},
		{"phrase \"good night\"", News{Phrase: "good night"}, true},
		{"hook gate", News{Hook: "gate"}, true},
		{"hook gate", News{House: true}, false},
		{"at 7:00", News{House: true}, false},
	} {
		e := read(t, "errand a when "+c.cue+" do press x/y")
		assert.Equal(t, c.want, e.When[0].Comes(c.news), "%s: %+v", c.cue, c.news)
	}
	off := read(t, "errand a when x/power becomes off for 10 min do press x/y").When[0]
	assert.True(t, off.Leaves(change("off", "on", "")))
	assert.False(t, off.Leaves(change("on", "off", "")))
}
