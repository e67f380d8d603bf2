package service_test

import (
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/core/signal"
	"urbo/service"
	"urbo/service/lessons"
	"urbo/station"
)

func TestReceive_JoinsTheTrainsOfAPress(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	train := nec(t, 2)
	length := int64(signal.Sum(train))
	b.hear(1_000, train, 20_000)
	b.hear(1_000+length+40_000, []int{9000, 2250, 560}, 20_000)
	b.hear(1_000+length+400_000, train, 20_000) // another press, by the station's own clock
	eventually(t, func() bool { return len(captures(t, h)) == 2 }, "two presses")
	first := captures(t, h)[1]
	require.Len(t, first.Trains, 2)
	assert.Equal(t, 40_000, first.Trains[0].Gap)
	assert.Equal(t, 1, first.Readings[0].Repeats)
	require.Len(t, first.Keys, 1)
	assert.Equal(t, red, first.Keys[0].Ref)
	eventually(t, func() bool { return captures(t, h)[0].Stored }, "it is stored within a moment")
}

func TestReceive_ATrainThatWasTooLongForTheStationIsOneAgain(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	train := nec(t, 2)
	head := train[:33]
	b.say(station.Heard{Port: "ir-in", At: 0, Train: head, Gap: train[33], More: true})
	b.say(station.Heard{Port: "ir-in", At: int64(signal.Sum(train[:34])), Train: train[34:], Gap: 20_000})
	eventually(t, func() bool { return len(captures(t, h)) == 1 }, "one press")
	c := captures(t, h)[0]
	require.Len(t, c.Trains, 1)
	assert.Equal(t, signal.Train(train), c.Trains[0].Train)
	assert.Equal(t, red, c.Keys[0].Ref)
}

func TestReceive_AMeasuredCarrierIsKept(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	_, err := h.Lessons.Start(t.Context(), lessons.New{Device: "lamp", Keys: []string{"blue"}})
	require.NoError(t, err)
	for n := range int64(2) {
		b.say(station.Heard{Port: "ir-in", At: n * 1_000_000, Train: nec(t, 9), Gap: 20_000, CarrierHz: 56_000})
	}
	eventually(t, func() bool { _, _, err := h.Library.Key(blue); return err == nil }, "it is learned")
	_, k, err := h.Library.Key(blue)
	require.NoError(t, err)
	assert.Equal(t, device.Channel{Medium: line.Infrared, Hz: 56_000}, k.Codes[0].Channel)
	assert.Equal(t, 56_000, captures(t, h)[0].Hz)
}

func TestReceive_OwnSendingIsAnEchoAndAHandsetMeanwhileIsNot(t *testing.T) {
	t.Parallel()
	own, foreign := nec(t, 1), nec(t, 2)
	b := newBoard(func(b *board, s station.Send) {
		b.hear(0, own, 20_000)
		b.hear(2_000_000, foreign, 20_000)
		b.say(station.Sent{ID: s.ID})
	})
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	l, err := h.Lessons.Start(t.Context(), lessons.New{Device: "lamp", Keys: []string{"blue"}})
	require.NoError(t, err)
	r := press(t, h, power)
	eventually(t, func() bool { return len(captures(t, h)) == 2 }, "both are heard")
	for _, c := range captures(t, h) {
		echo := c.PressID != ""
		assert.Equal(t, c.Keys[0].Ref == power, echo)
		if echo {
			assert.Equal(t, r.ID, c.PressID)
		}
	}
	eventually(t, func() bool { got, err := h.Lessons.Lesson(l.ID); return err == nil && got.Lesson.Last != nil },
		"the lesson heard something")
	l, err = h.Lessons.Lesson(l.ID)
	require.NoError(t, err)
	assert.Contains(t, l.Lesson.Last.Text, `"red"`, "the handset, not the echo")
}

func TestReceive_NoiseIsNotKept(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	h := run(t, t.TempDir(), b)
	b.hear(0, []int{120, 300, 180}, 20_000)
	b.say(station.Heard{Port: "radio-in", Train: []int{90, 200, 110, 300, 80, 95, 400, 70, 90}})
	b.hear(1_000_000, []int{500, 600, 500, 1700, 500, 600, 500}, 20_000)
	eventually(t, func() bool { return len(captures(t, h)) == 1 }, "only the signal that may be a code")
	count := map[string]int{}
	for _, p := range h.Stations.List()[0].Ports {
		count[p.ID] = p.Count
	}
	assert.Equal(t, 1, count["radio-in"], "the port still shows that it hears something")
	assert.Equal(t, 2, count["ir-in"])
}

func TestReceive_RadioWithoutALineCodeIsKeptOnlyWhenItComesAgain(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	h := run(t, t.TempDir(), b)
	frame := []int{900, 450}
	for i := range 17 {
		frame = append(frame, 450+900*(i*7%3%2), 900)
	}
	frame = append(frame, 450)
	once := append([]int{}, frame...)
	twice := append(append(append([]int{}, frame...), 15_000), frame...)
	b.say(station.Heard{Port: "radio-in", At: 0, Train: once, Gap: 40_000})
	b.say(station.Heard{Port: "radio-in", At: 2_000_000, Train: twice, Gap: 40_000})
	eventually(t, func() bool { return len(captures(t, h)) == 1 }, "only the one that repeats")
	c := captures(t, h)[0]
	assert.Equal(t, line.Radio, c.Medium)
	assert.Len(t, c.Trains[0].Train, len(twice))
}

func TestReceive_WaitsForSilenceBeforeItDecides(t *testing.T) {
	t.Parallel()
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

func TestReceive_AMachineThatStoodStillSplitsNoPress(t *testing.T) {
	t.Parallel()
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

// TestReceive_WhatAStationKeptIsAllRead has a station tell a thousand presses at once, as one does that was away: none
// is left out.
func TestReceive_WhatAStationKeptIsAllRead(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	h := run(t, t.TempDir(), b)
	events := h.Stream.Subscribe()
	defer h.Stream.Leave(events)
	const presses = 1000
	train := nec(t, 2)
	go func() {
		for n := range presses {
			b.say(station.Heard{Port: "ir-in", At: int64(n) * 1_000_000, Train: train, Gap: 60_000})
		}
	}()
	read := 0
	for read < presses {
		all, err := events.Next(t.Context())
		require.NoError(t, err)
		for _, e := range all {
			switch what := e.What.(type) {
			case happening.Heard:
				read++
			case happening.StationNote:
				require.Fail(t, what.Text)
			}
		}
	}
}
