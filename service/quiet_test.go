package service_test

import (
	"context"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/service"
	"urbo/service/air"
	"urbo/station"
	"urbo/wire"
)

// inFakeTime runs a house on a board under a clock that jumps when nothing happens.
func inFakeTime(t *testing.T, b *board, act func(t *testing.T, h *service.House)) {
	synctest.Test(t, func(t *testing.T) {
		b.here = make(chan struct{})
		h, err := service.Open(t.Context(), service.Config{Dir: t.TempDir(), Drivers: []station.Driver{b}})
		require.NoError(t, err)
		ctx, cancel := context.WithCancel(t.Context())
		done := make(chan struct{})
		go func() { defer close(done); _ = h.Run(ctx) }()
		<-b.here
		act(t, h)
		cancel()
		<-done
		require.NoError(t, h.Close())
	})
}

func TestAir_AnUnansweredPressIsUnknownAndNeverSentAgain(t *testing.T) {
	b := newBoard(func(*board, station.Send) {})
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		began := time.Now()
		p, err := h.Air.Press(t.Context(), air.Request{Key: power, Times: 3, By: "test"})
		require.NoError(t, err)
		assert.Equal(t, wire.Unknown, p.Outcome)
		assert.Contains(t, p.Reason, "may or may not")
		assert.InDelta(t, 3.4, time.Since(began).Seconds(), 0.1, "its air time, a second to begin in, two of grace")
		time.Sleep(15 * time.Second)
		assert.Len(t, b.sends, 1)
		b.say(station.Sent{ID: b.sends[0].ID}) // far too late: it changes nothing
		p, err = h.Air.Press(t.Context(), air.Request{Key: power})
		require.NoError(t, err)
		assert.Equal(t, wire.Unknown, p.Outcome, "the transmitter is free for the next")
	})
}

func TestRoster_AQuietStationIsAskedAndThenAway(t *testing.T) {
	b := newBoard(nil)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		for range 4 { // it lives as long as it answers
			time.Sleep(12 * time.Second)
			b.say(station.Pong{})
		}
		require.True(t, h.Roster.Stations()[0].Here)
		time.Sleep(50 * time.Second)
		assert.False(t, h.Roster.Stations()[0].Here)
		pings := 0
		for _, m := range b.told {
			if _, ok := m.(station.Ping); ok {
				pings++
			}
		}
		assert.Positive(t, pings)
		_, err := h.Air.Press(t.Context(), air.Request{Key: power})
		assert.ErrorContains(t, err, `station "lecture" is away since`)
		assert.Empty(t, b.sends)

		b.say(station.Hello{Link: 1, Station: "lecture", Ports: []station.Port{
			{ID: "ir-out", Direction: station.Transmitter, Medium: "infrared", FromHz: 30_000, ToHz: 60_000, Longest: 200}}})
		assert.True(t, h.Roster.Stations()[0].Here)
		_, err = h.Air.Press(t.Context(), air.Request{Key: power})
		assert.NoError(t, err)
	})
}

func TestEar_WaitsForSilenceBeforeItDecides(t *testing.T) {
	b := newBoard(nil)
	train := nec(t, 2)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		b.hear(0, train, 20_000)
		time.Sleep(200 * time.Millisecond)
		assert.Empty(t, captures(t, h), "the press may go on")
		b.hear(108_000, []int{9000, 2250, 560}, 20_000)
		time.Sleep(200 * time.Millisecond)
		assert.Empty(t, captures(t, h))
		time.Sleep(80 * time.Millisecond)
		cs := captures(t, h)
		require.Len(t, cs, 1)
		assert.False(t, cs[0].Stored)
		time.Sleep(600 * time.Millisecond)
		assert.True(t, captures(t, h)[0].Stored, "on disk within a second")
	})
}

func TestAir_HasAQueueThatEnds(t *testing.T) {
	b := newBoard(func(*board, station.Send) {})
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		refused := make(chan error, 100)
		for range 60 {
			go func() {
				_, err := h.Air.Press(t.Context(), air.Request{Key: power})
				refused <- err
			}()
		}
		synctest.Wait()
		busy := 0
		for len(refused) > 0 {
			if err := <-refused; assert.ErrorIs(t, err, air.ErrBusy) {
				busy++
			}
		}
		assert.Equal(t, 60-1-32, busy, "one on the air, 32 waiting")
		time.Sleep(5 * time.Minute) // let the others time out, one after another
	})
}

func TestLesson_SaysWhyNothingIsHeardAndWaitsAtLast(t *testing.T) {
	b := newBoard(nil)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		l, err := h.Lessons.Start(t.Context(), wire.NewLesson{Device: "lamp", Keys: []string{"blue"}, Needed: 3}, "test")
		require.NoError(t, err)
		assert.Equal(t, 3, l.Needed)
		now := func() wire.Lesson {
			got, err := h.Lessons.Lesson(l.ID)
			require.NoError(t, err)
			return got
		}
		time.Sleep(19 * time.Second)
		assert.Empty(t, now().Hint)
		for range 20 { // the station lives, and nothing else happens
			time.Sleep(10 * time.Second)
			b.say(station.Pong{})
		}
		assert.Contains(t, now().Hint, "Nothing came in at lecture/ir-in")
		_, err = h.Lessons.Start(t.Context(), wire.NewLesson{Device: "lamp", Keys: []string{"red"}}, "another screen")
		require.NoError(t, err, "a lesson left alone for minutes gives way")
		assert.Equal(t, "ended", now().State, "and one of the same device takes its place")

		l = h.Lessons.Lessons()[0]
		b.hear(0, nec(t, 9), 20_000)
		time.Sleep(time.Second)
		assert.Empty(t, now().Hint)
		assert.Len(t, now().Takes, 1)
		for range 100 {
			time.Sleep(10 * time.Second)
			b.say(station.Pong{})
		}
		assert.Equal(t, "paused", now().State, "a lesson nobody goes on with waits")
		b.hear(3_000_000_000, nec(t, 9), 20_000)
		time.Sleep(time.Second)
		assert.Len(t, now().Takes, 1, "and hears nothing meanwhile")
		_, err = h.Lessons.Step(t.Context(), l.ID, wire.LessonStep{Do: "resume"})
		require.NoError(t, err)
		b.hear(3_010_000_000, nec(t, 9), 20_000)
		time.Sleep(time.Second)
		assert.Equal(t, "done", now().State, "the take before the pause counts")
	})
}

func TestLesson_EndsWithItsDevice(t *testing.T) {
	b := newBoard(nil)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		l, err := h.Lessons.Start(t.Context(), wire.NewLesson{Device: "lamp", Keys: []string{"blue"}}, "test")
		require.NoError(t, err)
		require.NoError(t, h.Library.Remove(t.Context(), "lamp"))
		b.hear(0, nec(t, 9), 20_000)
		time.Sleep(time.Second)
		got, err := h.Lessons.Lesson(l.ID)
		require.NoError(t, err)
		assert.Equal(t, "ended", got.State)
		assert.Empty(t, h.Library.Devices(""), "and brings no device back")
	})
}

func TestAir_GivesADeviceTheTimeItNeeds(t *testing.T) {
	b := newBoard(func(b *board, s station.Send) {
		go func() {
			time.Sleep(time.Duration(s.Airtime()) * time.Microsecond)
			b.say(station.Sent{ID: s.ID})
		}()
	})
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		gap, warm := 900, 20_000
		_, err := h.Library.Update(t.Context(), "lamp", wire.DeviceChange{GapMS: &gap, WarmUpMS: &warm})
		require.NoError(t, err)
		press := func(r air.Request) (wire.Press, time.Duration) {
			began := time.Now()
			p, err := h.Air.Press(t.Context(), r)
			require.NoError(t, err)
			return p, time.Since(began)
		}
		p, first := press(air.Request{Key: power})
		assert.Empty(t, p.Note)
		assert.Less(t, first, 300*time.Millisecond)
		p, second := press(air.Request{Key: wire.KeyRef{Device: "lamp", Key: "red"}})
		assert.GreaterOrEqual(t, second, 900*time.Millisecond, "it rests between two presses")
		assert.Equal(t, "It may ignore this: it warms up for 19 s more.", p.Note)
		time.Sleep(20 * time.Second)
		p, _ = press(air.Request{Key: wire.KeyRef{Device: "lamp", Key: "red"}, Hold: 2 * time.Second})
		assert.Empty(t, p.Note)
		sent := b.sends[len(b.sends)-1]
		assert.InDelta(t, 2_000_000, sent.Airtime(), 120_000, "held, it goes on")
		once := "once"
		_, err = h.Library.ChangeKey(t.Context(), wire.KeyRef{Device: "lamp", Key: "red"}, wire.KeyChange{Hold: &once})
		require.NoError(t, err)
		press(air.Request{Key: wire.KeyRef{Device: "lamp", Key: "red"}, Hold: 2 * time.Second})
		assert.Less(t, b.sends[len(b.sends)-1].Airtime(), 200_000)
	})
}
