package scenery_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/errand"
	"urbo/core/happening"
	"urbo/core/home"
	"urbo/service"
	"urbo/service/errands"
	"urbo/service/runs"
	"urbo/store"
)

// TestErrands_CutAtEveryStepOfEveryKind lets the power fail at each tenth of a second of a run that has every kind of
// step. Nothing is done twice, what is held goes back, and the run goes on or says why not.
func TestErrands_CutAtEveryStepOfEveryKind(t *testing.T) {
	t.Parallel()
	const text = "errand all when clicker/d pressed do mark begun then notify \"one\" " +
		"then set boardwalk/power to on for 3 s and back then press radio/power then wait 1 s " +
		"then if marker begun do (notify \"two\") else (notify \"never\") " +
		"then wait until clicker/a pressed at most 2 s then start observing-run then wait until marker begun at most " +
		"2 s " +
		"then end observing-run then unmark begun then notify \"three\""
	for cut := range 24 {
		at := time.Duration(cut) * 300 * time.Millisecond
		t.Run(at.String(), func(t *testing.T) {
			t.Parallel()
			inObservatory(t, december, func(t *testing.T, o *observatory) {
				one := o.says(text)
				o.notices()
				before := o.truth("radio")["power"]
				require.NoError(t, o.stage.Press("clicker", "d", 0))
				o.pause(at)
				said := o.notices()
				o.cut(time.Second)
				o.pause(10 * time.Minute)
				said = append(said, o.notices()...)
				for _, text := range []string{"one", "two", "three"} {
					assert.LessOrEqual(t, count(said, text), 1, "%s is said at most once: %v", text, said)
				}
				assert.NotContains(t, said, "never")
				o.truly("boardwalk") // where the key was pressed just then, nobody knows whether that went out
				o.pause(time.Minute)
				assert.Equal(t, "off", o.truth("boardwalk")["power"], "what was held goes back")
				assert.Empty(t, o.Holds.List())
				for _, r := range o.Runs.List() {
					assert.False(t, r.Over.IsZero(), "%s hangs: %+v", r.Name, r.State)
				}
				if count(said, "three") == 1 {
					assert.NotEqual(t, before, o.truth("radio")["power"], "pressed once")
					assert.Empty(t, o.Errands.Markers())
				}
				if came := o.came(one); len(came) > 0 && came[0].Did == "ran" && count(said, "three") == 0 {
					assert.True(t, slices.ContainsFunc(o.came(one),
						func(c errands.Came) bool { return c.Did == "failed" }),
						"a run that did not go on says why: %+v", o.came(one))
				}
			})
		})
	}
}

func count(all []string, text string) (n int) {
	for _, s := range all {
		if s == text {
			n++
		}
	}
	return n
}

// full is a disk that takes nothing while it is full.
type full struct {
	errands.Store
	is atomic.Bool
}

var errFull = errors.New("database or disk is full")

func (f *full) PutErrandState(ctx context.Context, e store.ErrandState) error {
	if f.is.Load() {
		return errFull
	}
	return f.Store.PutErrandState(ctx, e)
}

// fullRuns is the same for runs.
type fullRuns struct {
	runs.Store
	*full
}

func (f fullRuns) PutRun(ctx context.Context, r store.Run) error {
	if f.is.Load() {
		return errFull
	}
	return f.Store.PutRun(ctx, r)
}

func (f fullRuns) PutRunState(ctx context.Context, id, state string) error {
	if f.is.Load() {
		return errFull
	}
	return f.Store.PutRunState(ctx, id, state)
}

// TestErrands_OnAFullDiskPressNothingAndSayWhy: what cannot be kept is not done, and done again once there is room.
func TestErrands_OnAFullDiskPressNothingAndSayWhy(t *testing.T) {
	t.Parallel()
	var disk *full
	prepare := func(h *service.House) {
		disk = &full{Store: h.Errands.Store}
		h.Errands.Store, h.Runs.Store = disk, fullRuns{h.Runs.Store, disk}
	}
	inPrepared(t, december, prepare, func(t *testing.T, o *observatory) {
		o.measure("dome/humidity", 60, "%")
		clock := o.says("errand clock when at 7:00 do set amplifier/power to on")
		key := o.says("errand key when clicker/a pressed do set boardwalk/power to on")
		level := o.says("errand level while dome/humidity above 85 % until 75 % do set dew-a/power to on " +
			"afterwards set dew-a/power to off")
		o.until("06:59")
		disk.is.Store(true)
		o.until("07:01")
		o.press("clicker", "a")
		o.measure("dome/humidity", 90, "%")
		o.pause(time.Minute)
		for slug, is := range map[string]string{"amplifier": "off", "boardwalk": "off", "dew-a": "off"} {
			assert.Equal(t, is, o.truth(slug)["power"], slug)
		}
		for _, one := range []errands.Errand{clock, key} {
			came, is := o.Errands.Last(one.ID)
			require.True(t, is, one.Slug)
			assert.Equal(t, "failed", came.Did, one.Slug)
			assert.Contains(t, came.Reason, "disk is full", one.Slug)
		}
		disk.is.Store(false)
		o.pause(10 * time.Minute)
		assert.Equal(t, "on", o.truth("dew-a")["power"], "the level is tried again: %+v", o.came(level))
		o.press("clicker", "a")
		o.pause(time.Minute)
		assert.Equal(t, "on", o.truth("boardwalk")["power"])
	})
}

// TestErrands_WhenTheClockLeapsAYear both ways: nothing comes twice, nothing of the year between is made up for, and
// what is bound to the clock waits while it cannot be right.
func TestErrands_WhenTheClockLeapsAYear(t *testing.T) {
	t.Parallel()
	synctest.Test(t, func(t *testing.T) {
		const year = 365 * 24 * time.Hour
		var leapt atomic.Int64
		leapt.Store(int64(time.Until(december.Add(6 * time.Hour))))
		now := func() time.Time { return time.Now().Add(time.Duration(leapt.Load())) }
		h, err := service.Open(t.Context(), service.Config{Dir: t.TempDir(), Now: now})
		require.NoError(t, err)
		ctx, end := context.WithCancel(context.Background())
		done := make(chan struct{})
		go func() { defer close(done); _ = h.Run(ctx) }()
		synctest.Wait()
		_, err = h.Home.Change(t.Context(), by, func(h *home.Home) { h.Zone = "Europe/London" })
		require.NoError(t, err)
		add := func(text string) errands.Errand {
			one, err := h.Errands.Add(t.Context(), text, nil, by)
			require.NoError(t, err)
			return one
		}
		all := map[string]errands.Errand{
			"day":   add("errand day when at 7:00 do notify \"day\""),
			"each":  add("errand each when every 15 min from 9:00 to 10:00 do notify \"each\""),
			"later": add("errand later when 10 min after hook gate do notify \"later\""),
			"once":  add("errand once when on 2026-12-05 at 7:00 do notify \"once\" if missed run within 20 h"),
		}
		ran := func() string {
			n := map[string]int{}
			for name, one := range all {
				came, err := h.Errands.Came(t.Context(), one.ID, 1000)
				require.NoError(t, err)
				for _, c := range came {
					if c.Did == "ran" {
						n[name]++
					}
				}
			}
			return fmt.Sprint(n)
		}
		pause := func(d time.Duration) { time.Sleep(d); synctest.Wait() }
		pause(6*time.Hour - 5*time.Minute)
		require.NoError(t, h.Errands.Bring(happening.Brought{Kind: errand.OfHook, Of: "gate"}, by))
		pause(5 * time.Minute) // to noon
		assert.Equal(t, "map[day:1 each:5]", ran())
		leapt.Add(int64(year))
		pause(4 * time.Minute)
		assert.Equal(t, "map[day:1 each:5]", ran(), "nothing of a year is made up for")
		pause(2 * time.Minute)
		assert.Equal(t, "map[day:1 each:5 later:1]", ran(), "ten minutes are ten minutes")
		require.NoError(t, h.Errands.Quiet(t.Context(), 20*time.Minute, by))
		leapt.Add(int64(-year))
		pause(10 * time.Minute)
		assert.NotZero(t, h.Errands.QuietUntil())
		pause(11 * time.Minute)
		assert.Zero(t, h.Errands.QuietUntil())
		leapt.Add(int64(year))
		pause(33 * time.Minute)
		pause(23 * time.Hour)
		assert.Equal(t, "map[day:2 each:10 later:1]", ran(), "it goes on from there")
		leapt.Add(int64(-2 * year))
		pause(48 * time.Hour)
		assert.Equal(t, "map[day:2 each:10 later:1]", ran(), "a clock of 2025 cannot be right")
		leapt.Add(int64(year)) // noon of the 7th
		pause(time.Hour)
		assert.Equal(t, "map[day:2 each:10 later:1]", ran())
		pause(24 * time.Hour)
		assert.Equal(t, "map[day:3 each:15 later:1]", ran())
		end()
		<-done
		require.NoError(t, h.Close())
	})
}
