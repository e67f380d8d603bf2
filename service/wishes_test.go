package service_test

import (
	"context"
	"strconv"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service"
	"urbo/service/journal"
	"urbo/service/lessons"
	"urbo/service/library"
	"urbo/service/setting"
	"urbo/stage"
	"urbo/station"
	"urbo/station/onstage"
)

// asked starts a wish and goes on.
func asked(t *testing.T, h *service.House, slug string, words ...string) *setting.Ticket {
	t.Helper()
	k, err := h.Setting.Start(wishOf(t, h, slug, words...))
	require.NoError(t, err)
	return k
}

// came waits for what became of a wish.
func came(t *testing.T, k *setting.Ticket) setting.Result {
	t.Helper()
	r, err := k.Wait(t.Context())
	require.NoError(t, err)
	return r
}

// truly is what is true of an appliance.
func truly(t *testing.T, s *stage.Stage, slug, name string) string {
	t.Helper()
	facts, err := s.State(slug)
	require.NoError(t, err)
	return strings.ToLower(facts[name])
}

// TestSetting_ADraggedDialGoesToItsLastValue has thirty wishes in three seconds.
func TestSetting_ADraggedDialGoesToItsLastValue(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "amplifier", "power", "off")
		require.True(t, wish(t, h, "amplifier", "power", "on", "volume", "10").Done)
		before := presses(h)
		var all []*setting.Ticket
		for n := range 30 {
			all = append(all, asked(t, h, "amplifier", "volume", strconv.Itoa(11+n%10*2)))
			time.Sleep(100 * time.Millisecond)
		}
		last := asked(t, h, "amplifier", "volume", "12")
		r := came(t, last)
		assert.True(t, r.Done, "%+v", r)
		assert.Equal(t, "12", truly(t, s, "amplifier", "volume"))
		for _, k := range all {
			assert.Equal(t, []setting.End{setting.Superseded}, came(t, k).Ends)
		}
		assert.Less(t, presses(h)-before, 25, "it presses towards the last value only")
	})
}

// presses counts the presses that went out.
func presses(h *service.House) (n int) {
	page, err := h.Journal.Find(context.Background(), journal.Query{Kind: "press", Limit: journal.MaxPage})
	if err != nil {
		return -1
	}
	for _, e := range page.Entries {
		if p, ok := e.What.(happening.Pressed); ok {
			if n += p.Times; p.Pressed > 0 {
				n += p.Pressed - p.Times
			}
		}
	}
	return n
}

func TestSetting_WishesForDifferentControlsThatWaitArePlannedTogether(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "amplifier", "power", "off")
		first := asked(t, h, "amplifier", "power", "on", "volume", "9")
		time.Sleep(100 * time.Millisecond)
		volume, input := asked(t, h, "amplifier", "volume", "4"), asked(t, h, "amplifier", "input", "2")
		assert.True(t, came(t, volume).Done)
		assert.True(t, came(t, input).Done)
		assert.Equal(t, []setting.End{setting.Done, setting.Superseded}, came(t, first).Ends)
		assert.Equal(t, []string{"on", "4", "2"}, []string{truly(t, s, "amplifier", "power"),
			truly(t, s, "amplifier", "volume"), truly(t, s, "amplifier", "input")})
	})
}

func TestSetting_OffDropsTheRest(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "projector", "power", "off", "source", "a")
		on := asked(t, h, "projector", "power", "on", "source", "network") // it warms up for 20 s
		time.Sleep(3 * time.Second)
		off := asked(t, h, "projector", "power", "off")
		assert.True(t, came(t, off).Done)
		assert.Equal(t, []setting.End{setting.Superseded, setting.Superseded}, came(t, on).Ends)
		assert.Equal(t, "off", truly(t, s, "projector", "power"))
		assert.Equal(t, "a", truly(t, s, "projector", "source"), "its source was not touched")
	})
}

func TestSetting_StepsAddUpAndStayStepsThroughAllPlans(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "amplifier", "power", "off")
		require.True(t, wish(t, h, "amplifier", "power", "on", "volume", "20").Done)
		var last *setting.Ticket
		for range 4 {
			last = asked(t, h, "amplifier", "volume", "+3")
			time.Sleep(300 * time.Millisecond)
		}
		assert.True(t, came(t, last).Done)
		assert.Equal(t, "32", truly(t, s, "amplifier", "volume"))
		asked(t, h, "amplifier", "volume", "-6")
		r := came(t, asked(t, h, "amplifier", "volume", "+2"))
		assert.True(t, r.Done)
		assert.Equal(t, "28", truly(t, s, "amplifier", "volume"))
		to := asked(t, h, "amplifier", "volume", "10")
		assert.True(t, came(t, asked(t, h, "amplifier", "volume", "+2")).Done)
		came(t, to)
		assert.Equal(t, "12", truly(t, s, "amplifier", "volume"), "steps after a value lead on from that value")
	})
}

// TestSetting_ASignIsADialsOwnWhereItGoesBelowZero: "bass -5" was five steps down.
func TestSetting_ASignIsADialsOwnWhereItGoesBelowZero(t *testing.T) {
	t.Parallel()
	least, most := -6.0, 6.0
	spec, err := control.Compile([]string{"up", "down"}, control.Forms{Controls: []control.Control{{Name: "bass",
		Kind: control.Dial, Least: &least, Most: &most, Up: "up", Down: "down"}}})
	require.NoError(t, err)
	now := time.Date(2026, 3, 1, 21, 0, 0, 0, time.UTC)
	b, _, err := spec.Tell(spec.Nothing(), "bass", "4", control.Told, now)
	require.NoError(t, err)
	p, err := spec.Plan(b, control.Request{Wants: []control.Want{{Control: "bass", Value: "-5"}}}, now)
	require.NoError(t, err)
	assert.Equal(t, 9, p.Presses())
	p, err = spec.Plan(b, control.Request{Wants: []control.Want{{Control: "bass", Value: "down 5"}}}, now)
	require.NoError(t, err)
	assert.Equal(t, 5, p.Presses())
}

func TestSetting_WhatTravelsIsTurnedOnItsWayAndStoppedWhereNobodyWantsIt(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "screen", "position", "up")
		first := asked(t, h, "screen", "position", "40")
		time.Sleep(3 * time.Second)
		r := came(t, asked(t, h, "screen", "position", "80"))
		assert.True(t, r.Done, "%+v", r)
		assert.Equal(t, []setting.End{setting.Superseded}, came(t, first).Ends)
		at, err := strconv.Atoi(percent(truly(t, s, "screen", "position")))
		require.NoError(t, err)
		assert.InDelta(t, 80, at, 4)

		asked(t, h, "screen", "position", "up")
		time.Sleep(40 * time.Second)
		given := asked(t, h, "screen", "position", "60")
		time.Sleep(2 * time.Second)
		given.Cancel()
		assert.Equal(t, []setting.End{setting.Cancelled}, came(t, given).Ends)
		assert.Equal(t, "stands", truly(t, s, "screen", "movement"), "it was stopped at once")
		at, err = strconv.Atoi(percent(truly(t, s, "screen", "position")))
		require.NoError(t, err)
		assert.Less(t, at, 30)
	})
}

func percent(text string) string {
	out := ""
	for _, r := range text {
		if r < '0' || r > '9' {
			break
		}
		out += string(r)
	}
	return out
}

func TestSetting_ANumberIsTypedToItsEnd(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "radio", "power", "off")
		require.True(t, wish(t, h, "radio", "power", "on", "channel", "5").Done)
		first := asked(t, h, "radio", "channel", "47")
		time.Sleep(300 * time.Millisecond) // between its digits
		id := first.DeviceID()
		require.NoError(t, h.Setting.Clear(t.Context(), id), "another press waits until it is typed")
		r := came(t, asked(t, h, "radio", "channel", "12"))
		assert.True(t, r.Done, "%+v", r)
		assert.Equal(t, "12", truly(t, s, "radio", "channel"))
		came(t, first)
	})
}

func TestSetting_AnOffThatIsPressedTwiceLapsesOrIsCompleted(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "projector", "power", "off", "source", "a")
		require.True(t, wish(t, h, "projector", "power", "on").Done)
		off := asked(t, h, "projector", "power", "off")
		time.Sleep(200 * time.Millisecond)
		off.Cancel()
		came(t, off)
		time.Sleep(10 * time.Second)
		assert.Equal(t, truly(t, s, "projector", "power"), believed(t, h, "projector", "power").Value,
			"cancelled in the middle, what is believed is true")

		tellTrue(t, h, "projector", "power", truly(t, s, "projector", "power"))
		require.True(t, wish(t, h, "projector", "power", "on").Done)
		off = asked(t, h, "projector", "power", "off")
		time.Sleep(200 * time.Millisecond)
		on := asked(t, h, "projector", "power", "on")
		assert.True(t, came(t, on).Done)
		came(t, off)
		time.Sleep(10 * time.Second)
		assert.Equal(t, "on", truly(t, s, "projector", "power"))
	})
}

// TestSetting_AHandsetInTheMiddleIsPlannedWith presses a handset while a wish goes out.
func TestSetting_AHandsetInTheMiddleIsPlannedWith(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "projector", "power", "off", "source", "a")
		k := asked(t, h, "projector", "power", "on", "source", "b")
		time.Sleep(25 * time.Second) // on, and warm
		require.True(t, came(t, k).Done)
		k = asked(t, h, "projector", "power", "on", "source", "network")
		time.Sleep(50 * time.Millisecond)
		r := came(t, k)
		assert.Equal(t, r.Done, truly(t, s, "projector", "source") == "network")
		require.NoError(t, s.Press("projector", "source", 0))
		time.Sleep(2 * time.Second)
		assert.Equal(t, truly(t, s, "projector", "source"), believed(t, h, "projector", "source").Value)
	})
}

func TestSetting_AFloodIsBoundedAndTheDeviceGoesMeanwhile(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
		tellTrue(t, h, "projector", "power", "off", "source", "a")
		w := wishOf(t, h, "projector", "power", "on", "source", "network")
		var group sync.WaitGroup
		refused := 0
		for range 100 {
			k, err := h.Setting.Start(w)
			if err != nil {
				require.ErrorIs(t, err, setting.ErrMany)
				refused++
				continue
			}
			group.Go(func() { _, _ = k.Wait(t.Context()) })
		}
		assert.Less(t, refused, 100)
		_, err := h.Library.ChangeBySlug(t.Context(), "projector", library.Note{}, func(d *device.Device) error {
			d.Name = "Old projector"
			return nil
		})
		require.NoError(t, err)
		require.NoError(t, h.Library.Remove(t.Context(), "projector", library.Note{}))
		group.Wait() // all of them end
	})
}

func TestUndo_TakesBackTheNewestOfOnesOwn(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "amplifier", "power", "off")
		require.True(t, wish(t, h, "amplifier", "power", "on", "volume", "10").Done)
		w := wishOf(t, h, "amplifier", "volume", "14")
		w.By = grant.By{Actor: grant.Actor{ID: "p", Kind: grant.Person, Name: "Keeper"}, Via: "Chrome on Android"}
		_, err := h.Setting.Set(t.Context(), w)
		require.NoError(t, err)
		other := w.By
		other.Via = "Firefox on Linux"
		_, err = h.Setting.Undo(t.Context(), w.Device, other)
		require.ErrorIs(t, err, setting.ErrUndo, "on another browser")
		r, err := h.Setting.Undo(t.Context(), w.Device, w.By)
		require.NoError(t, err)
		assert.True(t, r.Done)
		assert.Equal(t, "10", truly(t, s, "amplifier", "volume"))
		_, err = h.Setting.Undo(t.Context(), w.Device, w.By)
		require.NoError(t, err, "it is a setting itself")
		assert.Equal(t, "14", truly(t, s, "amplifier", "volume"))
		time.Sleep(11 * time.Minute)
		_, err = h.Setting.Undo(t.Context(), w.Device, w.By)
		require.ErrorIs(t, err, setting.ErrUndo, "after ten minutes")
	})
}

// TestUndo_OfSwitchingOnAndMore sets the rest back while the device is on, and switches it off last.
func TestUndo_OfSwitchingOnAndMore(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "amplifier", "power", "off", "volume", "14")
		w := wishOf(t, h, "amplifier", "power", "on", "volume", "20")
		for range 2 { // the second undo is one of the first
			_, err := h.Setting.Set(t.Context(), w)
			require.NoError(t, err)
			assert.Equal(t, "20", truly(t, s, "amplifier", "volume"))
			r, err := h.Setting.Undo(t.Context(), w.Device, w.By)
			require.NoError(t, err)
			assert.True(t, r.Done)
			assert.Len(t, r.Ends, 2)
			assert.Equal(t, "off", truly(t, s, "amplifier", "power"))
			assert.Equal(t, "14", truly(t, s, "amplifier", "volume"))
			r, err = h.Setting.Undo(t.Context(), w.Device, w.By)
			require.NoError(t, err)
			assert.True(t, r.Done)
			assert.Equal(t, "on", truly(t, s, "amplifier", "power"))
			assert.Equal(t, "20", truly(t, s, "amplifier", "volume"))
			_, err = h.Setting.Undo(t.Context(), w.Device, w.By)
			require.NoError(t, err)
		}
	})
}

// TestPress_ObeysAfterTheLessonOfAKeyWithAChangingBit: an appliance passes over a frame that it saw last, and it saw
// what
// its handset sent while the key was learned. One press more or less of the handset must not matter.
func TestPress_ObeysAfterTheLessonOfAKeyWithAChangingBit(t *testing.T) {
	t.Parallel()
	for more := range 2 {
		synctest.Test(t, func(t *testing.T) {
			s, err := stage.New(stage.Options{Seed: 7})
			require.NoError(t, err)
			h, stop := startWith(t, service.Config{Dir: t.TempDir(), Extra: []service.Runner{s},
				Transports: []station.Transport{onstage.New(s, "lecture")}})
			synctest.Wait()
			_, err = h.Library.Add(t.Context(), device.Device{Name: "Radio", Slug: "radio"}, library.Note{})
			require.NoError(t, err)
			for range more {
				require.NoError(t, s.Press("radio", "power", 0))
				time.Sleep(time.Second)
			}
			l, err := h.Lessons.Start(t.Context(), lessons.New{Device: "radio", Keys: []string{"power"}})
			require.NoError(t, err)
			for range 2 {
				require.NoError(t, s.Press("radio", "power", 0))
				time.Sleep(2 * time.Second)
			}
			_, _, err = h.Library.Key(device.Ref{Device: "radio", Key: "power"})
			require.NoError(t, err, "it is learned: %+v", lessonNow(t, h, l.ID))
			before := truly(t, s, "radio", "power")
			press(t, h, device.Ref{Device: "radio", Key: "power"})
			time.Sleep(time.Second)
			assert.NotEqual(t, before, truly(t, s, "radio", "power"), "after %d presses more", more)
			stop()
		})
	}
}
