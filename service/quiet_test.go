package service_test

import (
	"context"
	"fmt"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/audition"
	"urbo/core/line"
	"urbo/core/pack"
	"urbo/service"
	"urbo/service/air"
	"urbo/service/library"
	"urbo/station"
	"urbo/wire"
)

// inFakeTime runs a house on a board under a clock that jumps when nothing happens. The house is late by late, where given.
func inFakeTime(t *testing.T, b *board, act func(t *testing.T, h *service.House), late ...*atomic.Int64) {
	synctest.Test(t, func(t *testing.T) {
		b.here = make(chan struct{})
		c := service.Config{Dir: t.TempDir(), Drivers: []station.Driver{b}}
		if len(late) > 0 {
			c.Now = func() time.Time { return time.Now().Add(time.Duration(late[0].Load())) }
		}
		h, err := service.Open(t.Context(), c)
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

func TestEar_AMachineThatStoodStillSplitsNoPress(t *testing.T) {
	b := newBoard(nil)
	var late atomic.Int64
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		b.hear(0, nec(t, 1), 20_000)
		time.Sleep(10 * time.Millisecond)
		late.Store(int64(time.Second)) // nothing ran for a second; meanwhile the handset went on
		b.say(station.Heard{Port: "radio-in", Train: []int{90, 200, 110}})
		time.Sleep(50 * time.Millisecond)
		b.hear(108_000, []int{9000, 2250, 560}, 20_000)
		time.Sleep(time.Second)
		all := captures(t, h)
		require.Len(t, all, 1)
		assert.Len(t, all[0].Trains, 2, "its repeat frame belongs to it")
	}, &late)
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
		sent := b.sent()[len(b.sent())-1]
		assert.InDelta(t, 2_000_000, sent.Airtime(), 120_000, "held, it goes on")
		once := "once"
		_, err = h.Library.ChangeKey(t.Context(), wire.KeyRef{Device: "lamp", Key: "red"}, wire.KeyChange{Hold: &once})
		require.NoError(t, err)
		press(air.Request{Key: wire.KeyRef{Device: "lamp", Key: "red"}, Hold: 2 * time.Second})
		assert.Less(t, b.sent()[len(b.sent())-1].Airtime(), 200_000)
	})
}

// shelved puts code sets of an address each on the shelf: their power is command 1, their red command 2.
func shelved(t *testing.T, h *service.House, addresses ...int64) {
	t.Helper()
	p := pack.Pack{Format: pack.Format, Version: pack.Version}
	for _, a := range addresses {
		set := pack.Device{Slug: fmt.Sprintf("set-%d", a), Name: fmt.Sprintf("Set %d", a), Kind: "light"}
		for i, name := range []string{"power", "red"} {
			fields := line.Fields{"address": line.Number(a), "command": line.Number(int64(i + 1))}
			set.Keys = append(set.Keys, pack.Key{Name: name, Codes: []pack.Code{{Sheet: "nec", Fields: fields}}})
		}
		p.Sets = append(p.Sets, set)
	}
	_, err := h.Library.Import(t.Context(), p, library.Skip)
	require.NoError(t, err)
}

func TestAudition_PlaysAtItsPaceAndKeepsWhatWasConfirmed(t *testing.T) {
	b := newBoard(nil)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		shelved(t, h, 3, 4, 5, 6)
		_, err := h.Library.Add(t.Context(), wire.NewDevice{Name: "Lights", Kind: "light"})
		require.NoError(t, err)
		wanted := wire.NewAudition{Device: "lights", PauseMS: 2000}
		plan, err := h.Auditions.Plan(wanted)
		require.NoError(t, err)
		assert.Equal(t, "4 codes, 2.0 s apart: 8 seconds until all were played, 0 s of it on the air.", plan.Text)
		assert.Empty(t, b.sent(), "a plan plays nothing")

		a, err := h.Auditions.Start(t.Context(), wanted, "test")
		require.NoError(t, err)
		now := func() wire.Audition {
			a, err := h.Auditions.Audition(a.ID)
			require.NoError(t, err)
			return a
		}
		step := func(do string) {
			t.Helper()
			_, err := h.Auditions.Step(t.Context(), a.ID, do)
			require.NoError(t, err)
			time.Sleep(time.Second) // what is asked about is played
		}
		time.Sleep(5 * time.Second)
		assert.Len(t, b.sent(), 3, "one every two seconds")
		step("reacted")
		assert.Len(t, b.sent(), 4, "the last one again, and no further ones")
		assert.Equal(t, "Set 5 was played again. Did the device react?", now().Prompt)
		time.Sleep(3 * time.Second)
		assert.Len(t, b.sent(), 4, "it waits for the answer")
		step("no")
		step("yes")
		assert.Equal(t, "Set 4", now().Set)
		assert.Equal(t, "red", now().Key)
		step("switch")
		time.Sleep(time.Second)
		assert.Equal(t, b.sent()[4].Once, b.sent()[len(b.sent())-2].Once, "its power first")
		assert.Equal(t, b.sent()[5].Once, b.sent()[len(b.sent())-1].Once, "and then the key again")
		step("yes")
		assert.Equal(t, "found", now().Phase)
		assert.Equal(t, []string{"power", "red"}, now().Kept)
		d, err := h.Library.Device("lights")
		require.NoError(t, err)
		assert.EqualValues(t, 4, d.Keys[0].Codes[0].Fields["address"])
		assert.Equal(t, "audition", d.Keys[1].Codes[0].Source)
		_, err = h.Auditions.Step(t.Context(), a.ID, "yes")
		require.ErrorIs(t, err, audition.ErrOver)

		entries, err := h.Journal.Entries(t.Context(), "", 50)
		require.NoError(t, err)
		var texts []string
		for _, e := range entries {
			texts = append(texts, e.Text)
		}
		assert.Contains(t, texts, "Found: Set 4. 2 keys are confirmed.")
	})
}

func TestAudition_WaitsWhereNothingGoesOutAndPassesNothingOver(t *testing.T) {
	broken := true
	b := newBoard(func(b *board, s station.Send) {
		if broken {
			go b.say(station.Failed{ID: s.ID, Reason: "its transmitter is hot"})
			return
		}
		go b.say(station.Sent{ID: s.ID})
	})
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		shelved(t, h, 3, 4)
		_, err := h.Library.Add(t.Context(), wire.NewDevice{Name: "Lights", Kind: "light"})
		require.NoError(t, err)
		a, err := h.Auditions.Start(t.Context(), wire.NewAudition{Device: "lights", PauseMS: 500}, "test")
		require.NoError(t, err)
		time.Sleep(10 * time.Second)
		assert.Len(t, b.sent(), 1, "it stops at the first that does not go out")
		a, err = h.Auditions.Audition(a.ID)
		require.NoError(t, err)
		assert.True(t, a.Paused)
		assert.Zero(t, a.Played)
		assert.Equal(t, "failed: its transmitter is hot", a.Trouble)
		broken = false
		_, err = h.Auditions.Step(t.Context(), a.ID, "resume")
		require.NoError(t, err)
		time.Sleep(10 * time.Second)
		assert.Len(t, b.sent(), 3)
		assert.Equal(t, b.sent()[0].Once, b.sent()[1].Once, "the same again")
		a, err = h.Auditions.Audition(a.ID)
		require.NoError(t, err)
		assert.Equal(t, "All were played. Did the device react to the last ones?", a.Prompt)
		a, err = h.Auditions.Step(t.Context(), a.ID, "finish")
		require.NoError(t, err)
		assert.Equal(t, "All were played, and the device reacted to none.", a.Prompt)

		for says, bad := range map[string]wire.NewAudition{
			"unknown device":                 {Device: "moon"},
			"none of the 2 code sets has":    {Device: "lights", Function: "blank"},
			"use a-z, 0-9":                   {Device: "lights", Function: "Power!"},
			"unknown code set":               {Device: "lights", Sets: []string{"set-9"}},
			"no code sets to try":            {Device: "lights", Kind: "fan"},
			"counts its presses":             {Device: "lights", Sweep: &wire.Sweep{Sheet: "roll56", Field: "remote", To: 3}},
			"would take 250 minutes":         {Device: "lights", PauseMS: 30_000, Sweep: &wire.Sweep{Sheet: "nec-wide", Fields: map[string]any{"command": 1}, Field: "address", To: 498}},
			"write a whole number or a text": {Device: "lights", Sweep: &wire.Sweep{Sheet: "nec", Fields: map[string]any{"command": true}, Field: "address", To: 3}},
		} {
			_, err := h.Auditions.Plan(bad)
			assert.ErrorContains(t, err, says)
		}
	})
}
