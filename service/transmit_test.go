package service_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/core/signal"
	"urbo/service"
	"urbo/service/journal"
	"urbo/service/library"
	"urbo/service/stations"
	"urbo/service/transmit"
	"urbo/station"
)

func TestTransmit_OnePressAtATimePerTransmitter(t *testing.T) {
	t.Parallel()
	var mu sync.Mutex
	onAir, most := 0, 0
	b := newBoard(func(b *board, s station.Send) {
		mu.Lock()
		onAir++
		most = max(most, onAir)
		mu.Unlock()
		go func() {
			mu.Lock()
			onAir--
			mu.Unlock()
			b.say(station.Sent{ID: s.ID, Took: 1000})
		}()
	})
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	var group sync.WaitGroup
	for range 20 {
		group.Go(func() { assert.Equal(t, happening.Sent, press(t, h, power).Outcome) })
	}
	group.Wait()
	assert.Equal(t, 1, most)
	assert.Len(t, b.sent(), 20)
}

func TestTransmit_FailureIsReportedAndNothingIsRepeated(t *testing.T) {
	t.Parallel()
	b := newBoard(func(b *board, s station.Send) { b.say(station.Failed{ID: s.ID, Reason: "the lamp's wire is off"}) })
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	o := order(t, h, power)
	o.Times = 3
	r, err := h.Transmit.Press(t.Context(), o)
	require.NoError(t, err)
	assert.Equal(t, happening.Failed, r.Outcome)
	assert.Equal(t, "the lamp's wire is off", r.Reason)
	assert.Len(t, b.sent(), 1, "the other presses are not tried")
	page, err := h.Journal.Find(t.Context(), journal.Query{Limit: 10})
	entries := page.Entries
	require.NoError(t, err)
	i := slices.IndexFunc(entries, func(e happening.Happening) bool { return e.ID == r.ID })
	require.GreaterOrEqual(t, i, 0)
	l, _ := entries[i].What.Tell()
	assert.Equal(t, []string{"failed", "test"}, []string{l.Outcome, entries[i].By.Name})
}

func TestTransmit_APressGivenUpWhileItWaitsSendsNothing(t *testing.T) {
	t.Parallel()
	first := make(chan station.Send, 1)
	b := newBoard(func(_ *board, s station.Send) { first <- s })
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	k, err := h.Transmit.Start(order(t, h, power))
	require.NoError(t, err)
	s := <-first
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = h.Transmit.Press(ctx, order(t, h, power))
	assert.ErrorIs(t, err, transmit.ErrGivenUp)
	b.say(station.Sent{ID: s.ID})
	_, err = k.Wait(t.Context())
	require.NoError(t, err)
	assert.Len(t, b.sent(), 1)
	assert.Contains(t, told(t, h), "Did not press lamp/power: given up while it waited")
}

func TestTransmit_RefusesWhatNoTransmitterCanSendAndTheJournalSaysSo(t *testing.T) {
	t.Parallel()
	h := run(t, t.TempDir(), newBoard(nil))
	lamp(t, h)
	long := make(signal.Train, 401)
	for i := range long {
		long[i] = 500
	}
	for _, c := range []struct {
		code device.Code
		says string
	}{
		{device.Code{Train: long, Channel: device.Channel{Medium: line.Infrared, Hz: 38_000}},
			"402 durations, the most is 200"},
		{device.Code{Train: long, Channel: device.Channel{Medium: line.Radio, Hz: 433_420_000}},
			"sends from 433.9 MHz to 433.94 MHz"},
	} {
		set(t, h, blue, c.code)
		_, err := h.Transmit.Start(order(t, h, blue))
		assert.ErrorContains(t, err, c.says)
		assert.Contains(t, told(t, h)[0], "Did not press lamp/blue")
	}
	change(t, h, func(d *device.Device) error { d.Transmitter = place(t, h, "lecture/radio-out"); return nil })
	_, err := h.Transmit.Start(order(t, h, power))
	assert.ErrorContains(t, err, "lecture/radio-out sends radio")
}

func TestTransmit_WithoutAStationSaysWhatToDo(t *testing.T) {
	t.Parallel()
	h := run(t, t.TempDir())
	lamp(t, h)
	_, err := h.Transmit.Start(order(t, h, power))
	require.ErrorIs(t, err, stations.ErrNoTransmitter)
	assert.ErrorContains(t, err, "no transmitter for infrared at 38 kHz: attach a station")
}

func TestTransmit_SendsWholeCarrierCyclesAndTheRightPort(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	o := order(t, h, power)
	o.Times = 2
	_, err := h.Transmit.Press(t.Context(), o)
	require.NoError(t, err)
	sends := b.sent()
	require.Len(t, sends, 2)
	assert.Equal(t, "ir-out", sends[0].Port)
	assert.Equal(t, 38_000, sends[0].CarrierHz)
	assert.InDelta(t, 108_000, signal.Sum(sends[0].Once), 30)
	assert.GreaterOrEqual(t, sends[0].GapUS, signal.PressSilence, "the next press is heard as one of its own")
	assert.Zero(t, sends[1].GapUS)
	assert.NotEqual(t, sends[0].ID, sends[1].ID)
}

func toggles(t *testing.T, b *board) (out []string) {
	t.Helper()
	for _, s := range b.sent() {
		r := line.Builtin().Decode([]signal.Reception{{Train: s.Repeat[:len(s.Repeat)-1]}}).Readings
		require.NotEmpty(t, r)
		out = append(out, r[0].Fields["toggle"].String())
	}
	return out
}

var rc5 = device.Code{Sheet: "rc5", Fields: line.Fields{"address": line.Number(3), "command": line.Number(4)}}

func TestTransmit_TogglesFlipWithEveryPressAndAcrossRestarts(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	pressed := func(times int) []string {
		b := newBoard(nil)
		h, stop := start(t, dir, nil, b)
		defer stop()
		if len(h.Library.Lines("")) == 0 {
			lamp(t, h)
			set(t, h, power, rc5)
		}
		o := order(t, h, power)
		o.Times = times
		_, err := h.Transmit.Press(t.Context(), o)
		require.NoError(t, err)
		return toggles(t, b)
	}
	assert.Equal(t, []string{"0", "1", "0"}, pressed(3))
	assert.Equal(t, []string{"1"}, pressed(1), "after a restart it goes on where it was")
}

// TestTransmit_ARollingCodeByHandCountsUp: it went out twice with one counter.
func TestTransmit_ARollingCodeByHandCountsUp(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	var counters []string
	for range 2 {
		b := newBoard(nil)
		h, stop := start(t, dir, nil, b)
		if len(h.Library.Lines("")) == 0 {
			lamp(t, h)
			set(t, h, blue, device.Code{Sheet: "roll56", Channel: device.Channel{Medium: line.Radio, Hz: 433_920_000},
				Fields: line.Fields{"handset": line.Number(0xABCD), "button": line.Number(2),
					"counter": line.Number(65534)}})
		}
		o := order(t, h, blue)
		o.Times = 2
		_, err := h.Transmit.Press(t.Context(), o)
		require.NoError(t, err)
		for _, s := range b.sent() {
			r := line.Builtin().Decode(signal.Split(append(slices.Clone(s.Once), s.Repeat...), 20_000)).Readings
			require.NotEmpty(t, r)
			counters = append(counters, r[0].Fields["counter"].String())
		}
		stop()
	}
	assert.Equal(t, []string{"65534", "65535", "0", "1"}, counters)
}

func TestTransmit_AnUnansweredPressIsUnknownAndNeverSentAgain(t *testing.T) {
	t.Parallel()
	b := newBoard(func(*board, station.Send) {})
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		began := time.Now()
		o := order(t, h, power)
		o.Times = 3
		r, err := h.Transmit.Press(t.Context(), o)
		require.NoError(t, err)
		assert.Equal(t, happening.Unknown, r.Outcome)
		assert.Contains(t, r.Reason, "may or may not")
		assert.InDelta(t, 3.4, time.Since(began).Seconds(), 0.1, "its air time, a second to begin in, two of grace")
		time.Sleep(15 * time.Second)
		require.Len(t, b.sent(), 1)
		b.say(station.Sent{ID: b.sent()[0].ID}) // far too late: it changes nothing
		assert.Equal(t, happening.Unknown, press(t, h, power).Outcome, "the transmitter is free for the next")
	})
}

func TestTransmit_AStationThatGoesAwayDuringASendMakesItUnknownAtOnce(t *testing.T) {
	t.Parallel()
	b := newBoard(func(b *board, _ station.Send) { _ = b.Close() })
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		began := time.Now()
		r := press(t, h, power)
		assert.Equal(t, happening.Unknown, r.Outcome)
		assert.Contains(t, r.Reason, "the station went away")
		assert.Zero(t, time.Since(began))
		_, err := h.Transmit.Start(order(t, h, power))
		require.ErrorContains(t, err, `station "lecture" is away since`, "it is away at once")
		b.obey = nil
		b.again <- struct{}{}
		synctest.Wait()
		assert.Equal(t, happening.Sent, press(t, h, power).Outcome)
		assert.Len(t, b.sent(), 2, "and nothing is sent again by itself")
	})
}

func TestTransmit_HasAQueueThatEnds(t *testing.T) {
	t.Parallel()
	b := newBoard(func(*board, station.Send) {})
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		var tickets []*transmit.Ticket
		_, err := h.Transmit.Start(order(t, h, power))
		require.NoError(t, err)
		synctest.Wait() // it is on the air
		for err == nil {
			var k *transmit.Ticket
			if k, err = h.Transmit.Start(order(t, h, power)); err == nil {
				tickets = append(tickets, k)
			}
		}
		require.ErrorIs(t, err, transmit.ErrBusy)
		assert.Len(t, tickets, 32)
		first, err := tickets[0].Wait(t.Context())
		require.NoError(t, err)
		assert.Equal(t, happening.Unknown, first.Outcome)
	})
}

func TestTransmit_WhatIsToldTooLateIsDropped(t *testing.T) {
	t.Parallel()
	b := newBoard(func(*board, station.Send) {}) // each takes seconds to be given up
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		o := order(t, h, power)
		o.Hold = 18 * time.Second
		var last *transmit.Ticket
		for range 12 {
			var err error
			last, err = h.Transmit.Start(o)
			require.NoError(t, err)
		}
		_, err := last.Wait(t.Context())
		require.ErrorIs(t, err, transmit.ErrLate)
		assert.Less(t, len(b.sent()), 12)
	})
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		_, err := h.Transmit.Start(order(t, h, power)) // takes its transmitter for seconds
		require.NoError(t, err)
		o := order(t, h, power)
		o.Within = time.Second
		_, err = h.Transmit.Press(t.Context(), o)
		require.ErrorIs(t, err, transmit.ErrLate, "later, whoever asked does not want it any more")
	})
}

func TestTransmit_GivesADeviceTheTimeItNeedsAndBlocksNoOther(t *testing.T) {
	t.Parallel()
	b := newBoard(takes)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		change(t, h, func(d *device.Device) error { d.GapMS, d.WarmUpMS = 9000, 20_000; return nil })
		_, err := h.Library.Add(t.Context(), device.Device{Name: "Fan",
			Keys: []device.Key{{Name: "power", Codes: []device.Code{necCode(7)}}}}, library.Note{})
		require.NoError(t, err)
		timed := func(o transmit.Order) (happening.Receipt, time.Duration) {
			began := time.Now()
			r, err := h.Transmit.Press(t.Context(), o)
			require.NoError(t, err)
			return r, time.Since(began)
		}
		r, first := timed(order(t, h, power))
		assert.Empty(t, r.Note)
		assert.Less(t, first, 300*time.Millisecond)
		waits, err := h.Transmit.Start(order(t, h, red))
		require.NoError(t, err)
		_, other := timed(order(t, h, device.Ref{Device: "fan", Key: "power"}))
		assert.Less(t, other, 300*time.Millisecond, "the fan does not wait for the lamp's pause")
		r, err = waits.Wait(t.Context())
		require.NoError(t, err)
		assert.Equal(t, "It may ignore this: it warms up for 11 s more.", r.Note, "it rested between two presses")
		time.Sleep(20 * time.Second)
		o := order(t, h, red)
		o.Hold = 2 * time.Second
		r, _ = timed(o)
		assert.Empty(t, r.Note)
		assert.InDelta(t, 2, r.Took.Seconds(), 0.12, "held, it goes on")
		time.Sleep(20 * time.Second)
		plain := o
		plain.Key.Codes = []device.Code{{Train: signal.Train{2000, 1000, 350}, Channel: device.ChannelAt(38_000)}}
		r, err = h.Transmit.Press(t.Context(), plain)
		require.NoError(t, err)
		assert.Contains(t, r.Note, "It cannot be held", "a plain train says so")
		change(t, h, func(d *device.Device) error { d.Keys[1].Hold = device.HoldOnce; return nil })
		o = order(t, h, red)
		o.Hold = 2 * time.Second
		r, _ = timed(o)
		assert.Less(t, r.Took, 200*time.Millisecond)
	})
}

func TestTransmit_AHeldKeyIsOnePressWithOneToggle(t *testing.T) {
	t.Parallel()
	b := newBoard(takes)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		set(t, h, power, rc5)
		o := order(t, h, power)
		o.Lease = time.Second
		k, err := h.Transmit.Start(o)
		require.NoError(t, err)
		for range 6 { // the finger stays for three seconds
			time.Sleep(500 * time.Millisecond)
			require.NoError(t, k.Hold(time.Second))
		}
		k.LetGo()
		r, err := k.Wait(t.Context())
		require.NoError(t, err)
		assert.InDelta(t, 3, r.Took.Seconds(), 0.2)
		assert.Len(t, b.sent(), 1)
		require.ErrorIs(t, k.Hold(time.Second), transmit.ErrOver)

		time.Sleep(300 * time.Millisecond) // else the lamp would take it for the same press
		k, err = h.Transmit.Start(o)
		require.NoError(t, err)
		r, err = k.Wait(t.Context()) // the phone is lost
		require.NoError(t, err)
		assert.InDelta(t, 1, r.Took.Seconds(), 0.2, "it lets go by itself")
		assert.Equal(t, []string{"0", "1"}, toggles(t, b))

		k, err = h.Transmit.Start(o)
		require.NoError(t, err)
		k.LetGo() // a quick finger, before its turn
		r, err = k.Wait(t.Context())
		require.NoError(t, err)
		assert.Equal(t, happening.Sent, r.Outcome, "goes out all the same")
		assert.Less(t, r.Took, 300*time.Millisecond)

		k, err = h.Transmit.Start(o)
		require.NoError(t, err)
		for err == nil { // something heavy lies on the key
			time.Sleep(500 * time.Millisecond)
			err = k.Hold(time.Second)
		}
		r, err = k.Wait(t.Context())
		require.NoError(t, err)
		assert.InDelta(t, transmit.MaxHold.Seconds(), r.Took.Seconds(), 1)
	})
}

func TestTransmit_WhoeverHangsUpLetsGo(t *testing.T) {
	t.Parallel()
	b := newBoard(takes)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		o := order(t, h, power)
		o.Hold, o.Times = 15*time.Second, 2
		ctx, cancel := context.WithTimeout(t.Context(), 3*time.Second)
		defer cancel()
		r, err := h.Transmit.Press(ctx, o)
		require.NoError(t, err)
		assert.InDelta(t, 3, r.Took.Seconds(), 0.2)
		assert.Len(t, toldOf[station.Cancel](b), 1)
		assert.Len(t, b.sent(), 1, "and the second press is not sent")
		assert.Equal(t, "Let go after 1 press.", r.Note)
	})
}

func TestTransmit_OneCallCannotTakeATransmitterForMinutes(t *testing.T) {
	t.Parallel()
	h := run(t, t.TempDir(), newBoard(nil))
	lamp(t, h)
	o := order(t, h, power)
	o.Times, o.Hold = 50, 20*time.Second
	_, err := h.Transmit.Start(o)
	require.ErrorIs(t, err, transmit.ErrMuch)
	assert.ErrorContains(t, err, "the most is 60 s")
}

func TestTransmit_PeopleGoBeforeWhatNobodyWaitsFor(t *testing.T) {
	t.Parallel()
	b := newBoard(takes)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		var went []string
		var mu sync.Mutex
		var group sync.WaitGroup
		ask := func(name string, background bool) {
			o := order(t, h, power)
			o.Background = background
			k, err := h.Transmit.Start(o)
			require.NoError(t, err)
			group.Go(func() {
				_, _ = k.Wait(t.Context())
				mu.Lock()
				defer mu.Unlock()
				went = append(went, name)
			})
		}
		ask("on the air", true)
		synctest.Wait()
		ask("errand 1", true)
		ask("errand 2", true)
		ask("person 1", false)
		ask("person 2", false)
		group.Wait()
		assert.Equal(t, []string{"on the air", "person 1", "person 2", "errand 1", "errand 2"}, went)
	})
}

// TestTransmit_APressOnTheAirAtTheEndHasItsReceiptAndItsEntry: it left neither.
func TestTransmit_APressOnTheAirAtTheEndHasItsReceiptAndItsEntry(t *testing.T) {
	t.Parallel()
	synctest.Test(t, func(t *testing.T) {
		dir := t.TempDir()
		b := newBoard(takes)
		h, stop := start(t, dir, nil, b)
		lamp(t, h)
		o := order(t, h, power)
		o.Hold = 10 * time.Second
		onAir, err := h.Transmit.Start(o)
		require.NoError(t, err)
		waits, err := h.Transmit.Start(order(t, h, red))
		require.NoError(t, err)
		time.Sleep(time.Second)
		stop()
		r, err := onAir.Wait(t.Context())
		require.NoError(t, err)
		assert.Equal(t, happening.Sent, r.Outcome)
		assert.InDelta(t, 1, r.Took.Seconds(), 0.1, "the key is let go")
		_, err = waits.Wait(t.Context())
		require.ErrorIs(t, err, transmit.ErrGivenUp)
		_, err = h.Transmit.Start(order(t, h, red))
		require.ErrorIs(t, err, transmit.ErrEnding)

		h, stop = start(t, dir, nil)
		defer stop()
		texts := told(t, h)
		assert.Contains(t, texts, "Pressed lamp/power")
		assert.Contains(t, texts, "Did not press lamp/red: given up while it waited")
		assert.Contains(t, texts, "Urbo stopped")
	})
}

// BenchmarkPress is the way from a wish to the bytes at the station and back to the receipt.
func BenchmarkPress(b *testing.B) {
	h, stop := start(b, b.TempDir(), nil, newBoard(nil))
	defer stop()
	lamp(b, h)
	o := order(b, h, power)
	for b.Loop() {
		if _, err := h.Transmit.Press(b.Context(), o); err != nil {
			b.Fatal(fmt.Errorf("press: %w", err))
		}
	}
}

// TestTrace_APressThatWasKilledIsClosedAsUnknown: a house that is killed while a toggle goes out inverted the lamp, and
// was sure.
func TestTrace_APressThatWasKilledIsClosedAsUnknown(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	h, stop := start(t, dir, nil, newBoard(nil))
	d, err := h.Library.Add(t.Context(), observatory()[1], library.Note{})
	require.NoError(t, err)
	tellTrue(t, h, "amplifier", "power", "off")
	stop()
	line := `{"id":"killed","at":"` + time.Now().Format(time.RFC3339Nano) + `","receipt":{"device_id":"` +
		d.ID + `","device":"amplifier","key":"power","times":1,"pressed":1,"outcome":"sent"}}` + "\n"
	require.NoError(t, os.WriteFile(filepath.Join(dir, transmit.TraceFile), []byte(line), 0o600))
	h, stop = start(t, dir, nil, newBoard(nil))
	assert.Equal(t, "Pressed amplifier/power: Urbo was ended while it went out", entryText(t, h, "killed"))
	st := believed(t, h, "amplifier", "power")
	assert.Empty(t, st.Value, "it may be on or off")
	assert.Equal(t, control.Doubtful, st.Word)
	stop()
	h, stop = start(t, dir, nil, newBoard(nil))
	defer stop()
	page, err := h.Journal.Find(t.Context(), journal.Query{Kind: "press", Limit: 10})
	require.NoError(t, err)
	assert.Len(t, page.Entries, 1, "it is told once")
}

// entryText is what the journal says of something that happened.
func entryText(t *testing.T, h *service.House, id string) string {
	t.Helper()
	page, err := h.Journal.Find(t.Context(), journal.Query{Limit: 100})
	require.NoError(t, err)
	for _, e := range page.Entries {
		if e.ID == id {
			l, _ := e.What.Tell()
			return l.Text
		}
	}
	return ""
}
