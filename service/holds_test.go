package service_test

import (
	"context"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/grant"
	runs "urbo/core/run"
	"urbo/service"
	"urbo/service/holds"
	"urbo/service/lessons"
	"urbo/service/library"
	"urbo/service/setting"
	"urbo/stage"
	"urbo/station"
	"urbo/station/onstage"
)

// holdFor sets controls for a time.
func holdFor(t *testing.T, h *service.House, d time.Duration, slug string, words ...string) *setting.Ticket {
	t.Helper()
	k, err := h.Holds.Start(t.Context(), holds.Order{Wish: wishOf(t, h, slug, words...), For: d})
	require.NoError(t, err)
	return k
}

// stagedHouse is a stage that goes on while the house is opened and ended, with all appliances as devices.
func stagedHouse(t *testing.T, dir string) (s *stage.Stage, open func() (*service.House, func())) {
	t.Helper()
	s, err := stage.New(stage.Options{Seed: 7})
	require.NoError(t, err)
	ctx, end := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() { defer close(done); _ = s.Run(ctx) }()
	t.Cleanup(func() { end(); <-done })
	first := true
	return s, func() (*service.House, func()) {
		h, stop := startWith(t, service.Config{Dir: dir, Transports: []station.Transport{onstage.New(s, "lecture"),
			onstage.NewRadio(s, "dome", 433_420_000)}})
		synctest.Wait()
		for _, d := range observatory() {
			if !first {
				break
			}
			_, err := h.Library.Add(t.Context(), d, library.Note{})
			require.NoError(t, err, d.Name)
		}
		first = false
		return h, stop
	}
}

// heldNow is what is held, as CONTROL=VALUE with its phase.
func heldNow(h *service.House) (out []string) {
	for _, one := range h.Holds.List() {
		out = append(out, one.Control+"="+one.Value+" "+string(one.Phase))
	}
	return out
}

func TestHolds_ForATimeAndBack(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "boardwalk", "power", "off")
		r := came(t, holdFor(t, h, 10*time.Minute, "boardwalk", "power", "on", "colour", "red"))
		require.True(t, r.Done, "%+v", r)
		synctest.Wait()
		assert.Equal(t, []string{"power=on held", "colour=red held"}, heldNow(h))
		time.Sleep(9 * time.Minute)
		assert.Equal(t, "on", truly(t, s, "boardwalk", "power"))
		time.Sleep(2 * time.Minute)
		assert.Equal(t, "off", truly(t, s, "boardwalk", "power"))
		assert.Empty(t, heldNow(h))
		assert.Contains(t, told(t, h), "boardwalk power is back at off")
	})
}

// TestHolds_BeginOnTopOfAWishUnderWay: an errand lights the boardwalk, and a door is opened at whatever moment of that.
// What the first wish still presses is older than the hold, which goes back to what the first wish wanted.
func TestHolds_BeginOnTopOfAWishUnderWay(t *testing.T) {
	t.Parallel()
	for wait := time.Duration(0); wait < time.Second; wait += 50 * time.Millisecond {
		onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
			tellTrue(t, h, "boardwalk", "power", "off")
			first, err := h.Setting.Start(wishOf(t, h, "boardwalk", "power", "on", "colour", "amber"))
			require.NoError(t, err)
			time.Sleep(wait)
			holdFor(t, h, 3*time.Second, "boardwalk", "colour", "red")
			came(t, first)
			time.Sleep(2 * time.Second)
			assert.Equal(t, "red", believed(t, h, "boardwalk", "colour").Value, "%s", wait)
			assert.Len(t, h.Holds.List(), 1, "%s: %s", wait, told(t, h))
			time.Sleep(time.Minute)
			assert.Equal(t, "amber", believed(t, h, "boardwalk", "colour").Value, "%s", wait)
			assert.Empty(t, h.Holds.List())
		})
	}
}

func TestHolds_WhoeverComesBetweenEndsThem(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		act  func(t *testing.T, h *service.House, s *stage.Stage)
		last string // what the boardwalk is at after an hour
	}{
		"set to the same value": {func(t *testing.T, h *service.House, _ *stage.Stage) {
			wish(t, h, "boardwalk", "power", "on")
		}, "on"},
		"switched off by somebody": {func(t *testing.T, h *service.House, _ *stage.Stage) {
			wish(t, h, "boardwalk", "power", "off")
		}, "off"},
		"pressed by hand through Urbo": {func(t *testing.T, h *service.House, _ *stage.Stage) {
			press(t, h, device.Ref{Device: "boardwalk", Key: "power"})
			time.Sleep(time.Second)
			press(t, h, device.Ref{Device: "boardwalk", Key: "power"})
		}, "on"},
		"its handset": {func(t *testing.T, _ *service.House, s *stage.Stage) {
			require.NoError(t, s.Press("boardwalk", "power", 0))
			time.Sleep(time.Minute)
			for truly(t, s, "boardwalk", "power") == "off" { // the lamp misses a press now and then
				require.NoError(t, s.Press("boardwalk", "power", 0))
				time.Sleep(time.Minute)
			}
		}, "on"},
		"told otherwise": {func(t *testing.T, h *service.House, _ *stage.Stage) {
			_, err := h.Beliefs.Tell("boardwalk", "power", "off", grant.By{})
			require.NoError(t, err)
		}, "on"},
		"the mains": {func(t *testing.T, h *service.House, _ *stage.Stage) {
			_, err := h.MainsFailed("", grant.By{})
			require.NoError(t, err)
		}, "on"},
		"another control is no matter": {func(t *testing.T, h *service.House, _ *stage.Stage) {
			wish(t, h, "boardwalk", "colour", "amber")
		}, "off"},
		"ended, and left": {func(t *testing.T, h *service.House, _ *stage.Stage) {
			require.NoError(t, h.Holds.End(h.Holds.List()[0].ID, true, grant.By{}))
		}, "on"},
		"ended now": {func(t *testing.T, h *service.House, s *stage.Stage) {
			require.NoError(t, h.Holds.End(h.Holds.List()[0].ID, false, grant.By{}))
			time.Sleep(10 * time.Second)
			assert.Equal(t, "off", truly(t, s, "boardwalk", "power"))
			wish(t, h, "boardwalk", "power", "on")
		}, "on"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
				tellTrue(t, h, "boardwalk", "power", "off")
				require.True(t, came(t, holdFor(t, h, 30*time.Minute, "boardwalk", "power", "on")).Done)
				time.Sleep(time.Minute)
				c.act(t, h, s)
				time.Sleep(time.Hour)
				assert.Empty(t, heldNow(h))
				assert.Equal(t, c.last, truly(t, s, "boardwalk", "power"), "%v", told(t, h))
			})
		})
	}
}

func TestHolds_LieOnEachOther(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		below, above time.Duration
		then         [3]string // after 5, 15 and 25 minutes
	}{
		"the newer one ends first": {20 * time.Minute, 10 * time.Minute, [3]string{"3", "2", "1"}},
		"the older one ends first": {10 * time.Minute, 20 * time.Minute, [3]string{"3", "3", "1"}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
				tellTrue(t, h, "mixer", "power", "off")
				r := wish(t, h, "mixer", "power", "on", "speed", "1")
				assert.True(t, r.Done, "%+v %v", r, believed(t, h, "mixer", "speed"))
				r = came(t, holdFor(t, h, c.below, "mixer", "speed", "2"))
				assert.True(t, r.Done, "%+v", r)
				require.True(t, came(t, holdFor(t, h, c.above, "mixer", "speed", "3")).Done)
				assert.Len(t, heldNow(h), 2)
				for i, wait := range []time.Duration{5, 10, 10} {
					time.Sleep(wait * time.Minute)
					assert.Equal(t, c.then[i], truly(t, s, "mixer", "speed"), "%d", i)
				}
				assert.Empty(t, heldNow(h))
			})
		})
	}
}

func TestHolds_OffForATimeAndTheRest(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		colour, off time.Duration
		last        string
	}{"the colour's time ends later": {time.Hour, 10 * time.Minute, "white"},
		"it ends while the device is off": {10 * time.Minute, time.Hour, "red"}} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
				tellTrue(t, h, "boardwalk", "power", "off")
				require.True(t, wish(t, h, "boardwalk", "power", "on", "colour", "white").Done)
				require.True(t, came(t, holdFor(t, h, c.colour, "boardwalk", "colour", "red")).Done)
				require.True(t, came(t, holdFor(t, h, c.off, "boardwalk", "power", "off")).Done)
				time.Sleep(5 * time.Minute)
				assert.Equal(t, "off", truly(t, s, "boardwalk", "power"))
				time.Sleep(15 * time.Minute)
				assert.Equal(t, c.off < c.colour, truly(t, s, "boardwalk", "power") == "on", "nothing switches it on")
				time.Sleep(time.Hour)
				assert.Equal(t, "on", truly(t, s, "boardwalk", "power"))
				assert.Equal(t, c.last, truly(t, s, "boardwalk", "colour"))
				assert.Empty(t, heldNow(h))
			})
		})
	}
}

// TestHolds_AreOwedWhileTheirDeviceIsLearned: nothing can be set then, and afterwards they go back.
func TestHolds_AreOwedWhileTheirDeviceIsLearned(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "boardwalk", "power", "off")
		require.True(t, came(t, holdFor(t, h, time.Minute, "boardwalk", "power", "on")).Done)
		l, err := h.Lessons.Start(t.Context(), lessons.New{Device: "boardwalk", Keys: []string{"red"}})
		require.NoError(t, err)
		time.Sleep(90 * time.Second)
		assert.Equal(t, []string{"power=on owed"}, heldNow(h))
		stepLesson(t, h, l.ID, lessons.Step{Do: "finish"})
		time.Sleep(10 * time.Minute)
		assert.Empty(t, heldNow(h))
		assert.Equal(t, "off", truly(t, s, "boardwalk", "power"))
	})
}

// TestHolds_ANewOneWhileTheOldGoesBack: what the old one still does is not somebody else's doing.
func TestHolds_ANewOneWhileTheOldGoesBack(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "boardwalk", "power", "off")
		for n := range 8 {
			require.True(t, came(t, holdFor(t, h, time.Hour, "boardwalk", "power", "on")).Done)
			require.NoError(t, h.Holds.End(h.Holds.List()[0].ID, false, grant.By{}))
			time.Sleep(time.Duration(n) * 50 * time.Millisecond)
			came(t, holdFor(t, h, time.Minute, "boardwalk", "power", "on"))
			time.Sleep(30 * time.Second)
			assert.Equal(t, []string{"power=on held"}, heldNow(h), "%d", n)
			time.Sleep(time.Minute)
			assert.Empty(t, heldNow(h))
			require.Equal(t, "off", truly(t, s, "boardwalk", "power"))
		}
	})
}

func TestHolds_WhatIsNotKnownCannotBeSetBack(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "mixer", "power", "off")
		require.True(t, wish(t, h, "mixer", "power", "on").Done)
		_, err := h.Holds.Start(t.Context(), holds.Order{Wish: wishOf(t, h, "mixer", "speed", "3"), For: time.Hour})
		require.ErrorIs(t, err, holds.ErrBefore)
		assert.ErrorContains(t, err, "urbo tell mixer speed VALUE")
		k, err := h.Holds.Start(t.Context(), holds.Order{Wish: wishOf(t, h, "mixer", "speed", "3"), For: time.Hour,
			Then: "1"})
		require.NoError(t, err, "it is said what it goes to")
		require.True(t, came(t, k).Done)
		time.Sleep(2 * time.Hour)
		assert.Equal(t, "1", truly(t, s, "mixer", "speed"))
		for _, d := range []time.Duration{0, -time.Second, runs.MaxHold + 1} {
			_, err = h.Holds.Start(t.Context(), holds.Order{Wish: wishOf(t, h, "mixer", "speed", "3"), For: d})
			require.ErrorIs(t, err, holds.ErrHold)
		}
	})
}

// TestHolds_OverARestart: what is due meanwhile goes back when the house is there again.
func TestHolds_OverARestart(t *testing.T) {
	t.Parallel()
	synctest.Test(t, func(t *testing.T) {
		dir := t.TempDir()
		s, open := stagedHouse(t, dir)
		h, stop := open()
		tellTrue(t, h, "boardwalk", "power", "off")
		tellTrue(t, h, "mixer", "power", "off")
		require.True(t, came(t, holdFor(t, h, 10*time.Minute, "boardwalk", "power", "on")).Done)
		require.True(t, came(t, holdFor(t, h, time.Hour, "mixer", "power", "on")).Done)
		stop()
		require.True(t, truly(t, s, "boardwalk", "power") == "on")
		time.Sleep(8 * time.Minute)
		h, stop = open()
		assert.Equal(t, []string{"power=on held", "power=on held"}, heldNow(h))
		time.Sleep(5 * time.Minute)
		assert.Equal(t, "off", truly(t, s, "boardwalk", "power"), "it was due while the house was there")
		stop()
		h, stop = open()
		time.Sleep(time.Hour)
		assert.Equal(t, "off", truly(t, s, "mixer", "power"))
		assert.Empty(t, heldNow(h))
		stop()
	})
}

// TestHolds_StandStillWhileTheirDeviceIsGone: removed, it is frozen; brought back, it goes back where its time is over.
func TestHolds_StandStillWhileTheirDeviceIsGone(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "boardwalk", "power", "off")
		require.True(t, came(t, holdFor(t, h, 10*time.Minute, "boardwalk", "power", "on")).Done)
		require.NoError(t, h.Library.Remove(t.Context(), "boardwalk", library.Note{}))
		time.Sleep(time.Hour)
		require.Len(t, h.Holds.List(), 1)
		assert.True(t, h.Holds.List()[0].Frozen)
		require.ErrorIs(t, h.Holds.End(h.Holds.List()[0].ID, false, grant.By{}), holds.ErrSet)
		_, err := h.Library.BringBack(t.Context(), "boardwalk", library.Note{})
		require.NoError(t, err)
		time.Sleep(time.Minute)
		assert.Equal(t, []string{"power=on owed"}, heldNow(h), "nobody knows what it is at, and its key is a toggle")
		tellTrue(t, h, "boardwalk", "power", "on")
		time.Sleep(10 * time.Minute)
		assert.Empty(t, heldNow(h))
		assert.Equal(t, "off", truly(t, s, "boardwalk", "power"))
	})
}

// TestHolds_WithAClockThatIsBehindAfterARestart: they are held for as long as they were to be, and not for years.
func TestHolds_WithAClockThatIsBehindAfterARestart(t *testing.T) {
	t.Parallel()
	synctest.Test(t, func(t *testing.T) {
		dir := t.TempDir()
		s, err := stage.New(stage.Options{Seed: 7})
		require.NoError(t, err)
		behind := time.Duration(0)
		open := func() (*service.House, func()) {
			away := behind
			h, stop := startWith(t, service.Config{Dir: dir, Extra: []service.Runner{s}, Now: func() time.Time {
				return time.Now().Add(-away)
			}, Transports: []station.Transport{onstage.New(s, "lecture")}})
			synctest.Wait()
			return h, stop
		}
		h, stop := open()
		_, err = h.Library.Add(t.Context(), observatory()[4], library.Note{})
		require.NoError(t, err)
		tellTrue(t, h, "boardwalk", "power", "off")
		require.True(t, came(t, holdFor(t, h, time.Hour, "boardwalk", "power", "on")).Done)
		stop()
		behind = 10 * 365 * 24 * time.Hour
		h, stop = open()
		time.Sleep(50 * time.Minute)
		assert.Equal(t, []string{"power=on held"}, heldNow(h))
		time.Sleep(20 * time.Minute)
		assert.Empty(t, heldNow(h))
		stop()
	})
}

func TestHolds_EndWithTheirControl(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "boardwalk", "power", "off", "colour", "white")
		require.True(t, came(t, holdFor(t, h, time.Minute, "boardwalk", "power", "on", "colour", "red")).Done)
		_, err := h.Library.ChangeBySlug(t.Context(), "boardwalk", library.Note{}, func(d *device.Device) error {
			return d.Drop("colour")
		})
		require.NoError(t, err)
		time.Sleep(5 * time.Minute)
		assert.Empty(t, heldNow(h))
		assert.Equal(t, "off", truly(t, s, "boardwalk", "power"), "the other one goes back")
		require.True(t, came(t, holdFor(t, h, time.Minute, "boardwalk", "power", "on")).Done)
		_, err = h.Library.ChangeBySlug(t.Context(), "boardwalk", library.Note{}, func(d *device.Device) error {
			d.Controls = nil
			return nil
		})
		require.NoError(t, err)
		time.Sleep(5 * time.Minute)
		assert.Empty(t, heldNow(h))
	})
}

// TestHolds_APressFromBeforeTheyBeganEndsNone reads a handset's press, whose silence has to be over first, after a hold
// of the same control began.
func TestHolds_APressFromBeforeTheyBeganEndsNone(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "amplifier", "power", "off")
		wish(t, h, "amplifier", "power", "on")
		tellTrue(t, h, "amplifier", "input", truly(t, s, "amplifier", "input"))
		wish(t, h, "amplifier", "input", "2")
		tellTrue(t, h, "amplifier", "input", "2") // so that nothing has to be pressed for it
		time.Sleep(time.Minute)
		require.NoError(t, s.Press("amplifier", "input-2", 0))
		time.Sleep(300 * time.Millisecond)
		came(t, holdFor(t, h, 10*time.Minute, "amplifier", "input", "2"))
		time.Sleep(time.Minute)
		assert.Equal(t, []string{"input=2 held"}, heldNow(h))
		assert.Equal(t, "2", truly(t, s, "amplifier", "input"))
		require.NoError(t, s.Press("amplifier", "input-2", 0))
		time.Sleep(time.Minute)
		assert.Empty(t, heldNow(h), "one from now does")
	})
}
