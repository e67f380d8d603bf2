package errand

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/run"
)

// house is a made-up one, in which things are as its maps say. What is in none of them is not known.
type house struct {
	at      map[string]run.Reading
	since   map[string]time.Time
	changed map[string]time.Time
	pressed map[string]time.Time
	ran     map[string]time.Time
	force   string
	marker  string
}

func (h house) Reading(t run.Test) run.Reading { return h.at[t.Path(now)] }
func (h house) Since(t run.Test) (time.Time, bool) {
	at, is := h.since[t.Path(now)]
	return at, is
}
func (h house) Changed(on run.Target, name, by string) (time.Time, bool) {
	at, is := h.changed[on.Was+"/"+name+by]
	return at, is
}
func (h house) Pressed(on run.Target, key string) time.Time { return h.pressed[on.Was+"/"+key] }
func (h house) Told(run.Target) time.Time                   { return time.Time{} }
func (h house) InForce(o run.Target) bool                   { return o.Was == h.force }
func (h house) Marked(m string) bool                        { return m == h.marker }
func (h house) Ran(e run.Target) time.Time                  { return h.ran[e.Was] }

func TestJudge_HasThreeAnswers(t *testing.T) {
	w := london(t)
	at := time.Date(2026, 12, 4, 23, 30, 0, 0, w.Zone) // a Friday
	h := house{
		at: map[string]run.Reading{"x/power": {"on"}, "y/power": {"off", "on"}, "m-a/b": {"80"},
			"z/volume": {"3 to 12"}},
		since:   map[string]time.Time{"x/power": at.Add(-10 * time.Minute)},
		changed: map[string]time.Time{"x/power": at.Add(-10 * time.Minute), "x/powerperson": {}, "y/power": {}},
		pressed: map[string]time.Time{"door/opened": at.Add(-time.Minute)},
		ran:     map[string]time.Time{"b": at.Add(-time.Hour)},
		force:   "talk", marker: "guests",
	}
	for text, want := range map[string]run.Truth{
		"x/power is on":                                       run.Yes,
		"x/power is off":                                      run.No,
		"y/power is on":                                       run.Unknown,
		"y/power may be on":                                   run.Yes,
		"gone/power is on":                                    run.Unknown,
		"gone/power may be on":                                run.Yes,
		"z/volume above 2":                                    run.Yes,
		"z/volume above 5":                                    run.Unknown,
		"m-a/b above 85 %":                                    run.No,
		"m-silent/b above 85 %":                               run.Unknown,
		"x/power is on for 10 min":                            run.Yes,
		"x/power is on for 11 min":                            run.No,
		"x/power is off for 11 min":                           run.No,
		"x/power changed within 10 min":                       run.Yes,
		"x/power changed within 9 min":                        run.No,
		"x/power unchanged for 9 min":                         run.Yes,
		"x/power changed by person within 2 h":                run.No,
		"y/power unchanged for 2 h":                           run.Yes,
		"gone/power unchanged for 2 h":                        run.Unknown,
		"door/opened pressed within 1 min":                    run.Yes,
		"door/closed pressed within 1 min":                    run.No,
		"occasion talk":                                       run.Yes,
		"not (occasion talk or marker guests)":                run.No,
		"marker guests and errand b ran within 1 h":           run.Yes,
		"errand c ran within 1 h":                             run.No,
		"sun down and not sun above -18 °":                    run.Yes,
		"sun up":                                              run.No,
		"on fri":                                              run.Yes,
		"on weekends":                                         run.No,
		"from 12-01 to 01-06":                                 run.Yes,
		"between 23:00 and 06:00 on fri":                      run.Yes,
		"between 23:00 and 06:00 on sat":                      run.No,
		"y/power is on or x/power is on":                      run.Yes,
		"y/power is on and x/power is on":                     run.Unknown,
		"y/power is on and x/power is off":                    run.No,
		"not y/power is on":                                   run.Unknown,
		"not (y/power is on and x/power is off) and sun down": run.Yes,
	} {
		e, err := Parse("errand a when at 7:00 only if "+text+" do press x/y", names{})
		require.NoError(t, err, text)
		got, leaves := Judge(*e.Only, h, Now{At: at, Where: w})
		assert.Equal(t, want, got, text)
		assert.NotEmpty(t, leaves)
	}
}

func TestJudge_ALevelEndsWhereItSays(t *testing.T) {
	w := london(t)
	e, err := Parse("errand dry while m-a/b above 85 % until 75 % do press x/y", names{})
	require.NoError(t, err)
	for _, c := range []struct {
		at      string
		holding bool
		want    run.Truth
	}{{"80", false, run.No}, {"86", false, run.Yes}, {"80", true, run.Yes}, {"75", true, run.No}} {
		got, _ := Judge(*e.While, house{at: map[string]run.Reading{"m-a/b": {c.at}}}, Now{At: time.Now(), Where: w,
			Holding: c.holding})
		assert.Equal(t, c.want, got, c)
	}
}

func TestEdge_IsWhenTheClockChangesTheAnswer(t *testing.T) {
	w := london(t)
	at := time.Date(2026, 12, 4, 12, 0, 0, 0, w.Zone)
	for text, want := range map[string]string{
		"between 23:00 and 06:00 on fri":                "2026-12-04 23:00",
		"between 23:00 and 06:00 on first mon":          "2026-12-07 23:00",
		"x/power is on and not between 13:00 and 14:00": "2026-12-04 13:00",
		"on sat or sun up":                              "2026-12-04 15:40",
		"from 12-10 to 12-11":                           "2026-12-05 00:00",
		"x/power is on":                                 "",
	} {
		e, err := Parse("errand a while "+text+" do press x/y", names{})
		require.NoError(t, err, text)
		got, is := Edge(*e.While, at, w)
		have := ""
		if is {
			have = got.In(w.Zone).Format("2006-01-02 15:04")
		}
		assert.Equal(t, want, have, text)
	}
	e, err := Parse("errand a while x/power is on for 10 min and door/opened pressed within 3 min do press x/y",
		names{})
	require.NoError(t, err)
	h := house{at: map[string]run.Reading{"x/power": {"on"}},
		since:   map[string]time.Time{"x/power": at.Add(-time.Minute)},
		pressed: map[string]time.Time{"door/opened": at.Add(-time.Minute)}}
	timers := Timers(*e.While, h, Now{At: at, Where: w})
	require.Len(t, timers, 2)
	assert.WithinDuration(t, at.Add(2*time.Minute), timers[0], time.Microsecond)
	is, _ := Judge(*e.While, h, Now{At: timers[0], Where: w})
	assert.Equal(t, run.No, is)
	assert.WithinDuration(t, at.Add(9*time.Minute), timers[1], time.Microsecond)
}
