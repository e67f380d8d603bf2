package service_test

import (
	"context"
	"errors"
	"os"
	"slices"
	"strconv"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"urbo/core/line"
	"urbo/core/signal"
	"urbo/service"
	"urbo/service/air"
	"urbo/station"
	"urbo/wire"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

// board is a station under the test's control.
type board struct {
	name string
	// obey answers a send; nil is a board that always sends at once.
	obey func(b *board, s station.Send)

	mu    sync.Mutex
	up    func(station.Message)
	here  chan struct{}
	sends []station.Send
	told  []station.Message
}

func newBoard(obey func(*board, station.Send)) *board {
	return &board{name: "lecture", obey: obey, here: make(chan struct{})}
}

func (b *board) Run(ctx context.Context, up func(station.Message)) error {
	b.mu.Lock()
	b.up = up
	b.mu.Unlock()
	up(station.Hello{Link: station.Version, Station: b.name, Ports: []station.Port{
		{ID: "ir-in", Direction: station.Receiver, Medium: "infrared", FromHz: 36_000, ToHz: 40_000, Longest: 1024},
		{ID: "ir-out", Direction: station.Transmitter, Medium: "infrared", FromHz: 30_000, ToHz: 60_000, Longest: 200},
		{ID: "radio-in", Direction: station.Receiver, Medium: "radio", FromHz: 433_000_000, ToHz: 434_000_000, Longest: 1024},
		{ID: "radio-out", Direction: station.Transmitter, Medium: "radio", FromHz: 433_900_000, ToHz: 433_940_000, Longest: 1024},
	}})
	close(b.here)
	<-ctx.Done()
	return nil
}

func (b *board) Tell(m station.Message) error {
	b.mu.Lock()
	b.told = append(b.told, m)
	s, isSend := m.(station.Send)
	if isSend {
		b.sends = append(b.sends, s)
	}
	b.mu.Unlock()
	switch {
	case !isSend:
	case b.obey != nil:
		b.obey(b, s)
	default:
		go b.say(station.Sent{ID: s.ID, Took: int64(s.Airtime())})
	}
	return nil
}

// sent is what it was told to send so far.
func (b *board) sent() []station.Send {
	b.mu.Lock()
	defer b.mu.Unlock()
	return slices.Clone(b.sends)
}

func (b *board) say(m station.Message) {
	b.mu.Lock()
	up := b.up
	b.mu.Unlock()
	up(m)
}

// hear lets the infrared receiver hear a train, at a time of the station's clock in µs.
func (b *board) hear(at int64, train []int, gap int) {
	b.say(station.Heard{Port: "ir-in", At: at, Train: train, Gap: gap})
}

// run opens a house on a board and runs it until the test ends.
func run(t *testing.T, dir string, drivers ...station.Driver) *service.House {
	t.Helper()
	h, err := service.Open(t.Context(), service.Config{Dir: dir, Drivers: drivers, Version: "test"})
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { defer close(done); _ = h.Run(ctx) }()
	t.Cleanup(func() {
		cancel()
		<-done
		require.NoError(t, h.Close())
	})
	for _, d := range drivers {
		if b, ok := d.(*board); ok {
			<-b.here
		}
	}
	return h
}

var power = wire.KeyRef{Device: "lamp", Key: "power"}

// lamp adds a device whose power key sends a line code.
func lamp(t *testing.T, h *service.House) {
	t.Helper()
	_, err := h.Library.Add(t.Context(), wire.NewDevice{Name: "Lamp", Keys: []string{"power", "red", "blue"}})
	require.NoError(t, err)
	setNEC(t, h, "power", 1)
	setNEC(t, h, "red", 2)
}

func setNEC(t *testing.T, h *service.House, key string, command int) {
	t.Helper()
	_, err := h.Library.SetCodes(t.Context(), wire.KeyRef{Device: "lamp", Key: key}, []wire.Code{{Sheet: "nec", Fields: map[string]any{"address": 9, "command": command}}})
	require.NoError(t, err)
}

// nec is a press of the lamp's handset, as a train and the silence after it.
func nec(t *testing.T, command int64) []int {
	t.Helper()
	s, err := line.Builtin().Sheet("nec")
	require.NoError(t, err)
	b, err := s.Encode(line.Fields{"address": line.Number(9), "command": line.Number(command)})
	require.NoError(t, err)
	return b.Once[:len(b.Once)-1]
}

func captures(t *testing.T, h *service.House) []wire.Capture {
	t.Helper()
	cs, err := h.Captures(t.Context(), "", 50)
	require.NoError(t, err)
	return cs
}

func eventually(t *testing.T, f func() bool, what string) {
	t.Helper()
	require.Eventually(t, f, 10*time.Second, 2*time.Millisecond, what)
}

func TestAir_OnePressAtATimePerTransmitter(t *testing.T) {
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
		group.Go(func() {
			p, err := h.Air.Press(t.Context(), air.Request{Key: power, By: "test"})
			assert.NoError(t, err)
			assert.Equal(t, wire.Sent, p.Outcome)
		})
	}
	group.Wait()
	assert.Equal(t, 1, most)
	assert.Len(t, b.sends, 20)
}

func TestAir_FailureIsReportedAndNothingIsRepeated(t *testing.T) {
	b := newBoard(func(b *board, s station.Send) { go b.say(station.Failed{ID: s.ID, Reason: "the lamp's wire is off"}) })
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	p, err := h.Air.Press(t.Context(), air.Request{Key: power, Times: 3, By: "test"})
	require.NoError(t, err)
	assert.Equal(t, wire.Failed, p.Outcome)
	assert.Equal(t, "the lamp's wire is off", p.Reason)
	assert.Len(t, b.sends, 1, "the other presses are not tried")
	eventually(t, func() bool {
		entries, err := h.Journal.Entries(t.Context(), "", 10)
		require.NoError(t, err)
		for _, e := range entries {
			if e.ID == p.ID {
				return e.Outcome == "failed" && e.By == "test"
			}
		}
		return false
	}, "the journal has it")
}

func TestAir_APressGivenUpWhileItWaitsSendsNothing(t *testing.T) {
	first := make(chan station.Send, 1)
	b := newBoard(func(_ *board, s station.Send) { first <- s })
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	done := make(chan struct{})
	go func() {
		defer close(done)
		_, err := h.Air.Press(context.Background(), air.Request{Key: power})
		assert.NoError(t, err)
	}()
	s := <-first
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := h.Air.Press(ctx, air.Request{Key: power})
	assert.ErrorIs(t, err, context.Canceled)
	b.say(station.Sent{ID: s.ID})
	<-done
	assert.Len(t, b.sends, 1)
}

func TestAir_RefusesWhatNoTransmitterCanSend(t *testing.T) {
	h := run(t, t.TempDir(), newBoard(nil))
	lamp(t, h)
	long := make(signal.Train, 401)
	for i := range long {
		long[i] = 500
	}
	for _, c := range []struct {
		code wire.Code
		says string
	}{
		{wire.Code{Train: long, CarrierHz: 38_000}, "402 durations, the most is 200"},
		{wire.Code{Train: long, FrequencyHz: 433_420_000}, "sends from 433.9 MHz to 433.94 MHz"},
	} {
		_, err := h.Library.SetCodes(t.Context(), wire.KeyRef{Device: "lamp", Key: "blue"}, []wire.Code{c.code})
		require.NoError(t, err)
		_, err = h.Air.Press(t.Context(), air.Request{Key: wire.KeyRef{Device: "lamp", Key: "blue"}})
		assert.ErrorContains(t, err, c.says)
	}
	place := "lecture/radio-out"
	_, err := h.Library.Update(t.Context(), "lamp", wire.DeviceChange{Transmitter: &place})
	require.NoError(t, err)
	_, err = h.Air.Press(t.Context(), air.Request{Key: power})
	assert.ErrorContains(t, err, "lecture/radio-out sends radio")
}

func TestAir_AStationThatIsAwayIsNamed(t *testing.T) {
	h := run(t, t.TempDir())
	lamp(t, h)
	_, err := h.Air.Press(t.Context(), air.Request{Key: power})
	assert.ErrorContains(t, err, "no transmitter for infrared at 38 kHz: attach a station")
}

func TestAir_SendsWholeCarrierCyclesAndTheRightPort(t *testing.T) {
	b := newBoard(nil)
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	_, err := h.Air.Press(t.Context(), air.Request{Key: power, Times: 2})
	require.NoError(t, err)
	require.Len(t, b.sends, 2)
	s := b.sends[0]
	assert.Equal(t, "ir-out", s.Port)
	assert.Equal(t, 38_000, s.CarrierHz)
	assert.InDelta(t, 108_000, signal.Sum(s.Once), 30)
	assert.GreaterOrEqual(t, s.GapUS, signal.PressSilence, "the next press is heard as one of its own")
	assert.Zero(t, b.sends[1].GapUS)
	assert.NotEqual(t, s.ID, b.sends[1].ID)
}

func TestAir_TogglesFlipWithEveryPressAndAcrossRestarts(t *testing.T) {
	dir := t.TempDir()
	press := func(times int) []string {
		b := newBoard(nil)
		h, err := service.Open(t.Context(), service.Config{Dir: dir, Drivers: []station.Driver{b}})
		require.NoError(t, err)
		ctx, cancel := context.WithCancel(t.Context())
		done := make(chan struct{})
		go func() { defer close(done); _ = h.Run(ctx) }()
		<-b.here
		if len(h.Library.Devices("")) == 0 {
			lamp(t, h)
			_, err := h.Library.SetCodes(t.Context(), power, []wire.Code{{Sheet: "rc5", Fields: map[string]any{"address": 3, "command": 4}}})
			require.NoError(t, err)
		}
		_, err = h.Air.Press(t.Context(), air.Request{Key: power, Times: times})
		require.NoError(t, err)
		cancel()
		<-done
		require.NoError(t, h.Close())
		var toggles []string
		for _, s := range b.sends {
			r := line.Builtin().Decode([]signal.Heard{{Train: s.Repeat[:len(s.Repeat)-1]}}).Readings
			require.NotEmpty(t, r)
			toggles = append(toggles, r[0].Fields["toggle"].String())
		}
		return toggles
	}
	assert.Equal(t, []string{"0", "1", "0"}, press(3))
	assert.Equal(t, []string{"1"}, press(1), "after a restart it goes on where it was")
}

func TestEar_JoinsTheTrainsOfAPress(t *testing.T) {
	b := newBoard(nil)
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	train := nec(t, 2)
	length := int64(signal.Sum(train))
	b.hear(1_000, train, 20_000)
	b.hear(1_000+length+40_000, []int{9000, 2250, 560}, 20_000)
	b.hear(1_000+length+400_000, train, 20_000) // another press, by the station's own clock
	eventually(t, func() bool { return len(captures(t, h)) == 2 }, "two presses")
	cs := captures(t, h)
	first := cs[1]
	require.Len(t, first.Trains, 2)
	assert.Equal(t, 40_000, first.Trains[0].Gap)
	assert.Equal(t, 1, first.Readings[0].Repeats)
	assert.Equal(t, []wire.KeyRef{{Device: "lamp", Key: "red"}}, first.Keys)
	eventually(t, func() bool { return captures(t, h)[0].Stored }, "it is stored within a moment")
}

func TestEar_OwnSendingIsAnEchoAndAHandsetMeanwhileIsNot(t *testing.T) {
	own, foreign := nec(t, 1), nec(t, 2)
	b := newBoard(func(b *board, s station.Send) {
		go func() {
			b.hear(0, own, 20_000)
			b.hear(2_000_000, foreign, 20_000)
			b.say(station.Sent{ID: s.ID})
		}()
	})
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	l, err := h.Lessons.Start(t.Context(), wire.NewLesson{Device: "lamp", Keys: []string{"blue"}}, "test")
	require.NoError(t, err)
	p, err := h.Air.Press(t.Context(), air.Request{Key: power})
	require.NoError(t, err)
	eventually(t, func() bool { return len(captures(t, h)) == 2 }, "both are heard")
	for _, c := range captures(t, h) {
		assert.Equal(t, c.Keys[0].Key == "power", c.Echo)
		if c.Echo {
			assert.Equal(t, p.ID, c.PressID)
		}
	}
	l, err = h.Lessons.Lesson(l.ID)
	require.NoError(t, err)
	require.NotNil(t, l.Last)
	assert.Contains(t, l.Last.Text, `"red"`, "the lesson heard the handset, not the echo")
}

func TestEar_NoiseIsNotKept(t *testing.T) {
	b := newBoard(nil)
	h := run(t, t.TempDir(), b)
	b.hear(0, []int{120, 300, 180}, 20_000)
	b.say(station.Heard{Port: "radio-in", Train: []int{90, 200, 110, 300, 80, 95, 400, 70, 90}})
	b.hear(1_000_000, []int{500, 600, 500, 1700, 500, 600, 500}, 20_000)
	eventually(t, func() bool { return len(captures(t, h)) == 1 }, "only the signal that may be a code")
	count := map[string]int{}
	for _, p := range h.Roster.Stations()[0].Ports {
		count[p.ID] = p.Count
	}
	assert.Equal(t, 1, count["radio-in"], "the port still shows that it hears something")
}

func TestLesson_SignalsWithoutALineCodeAreKeptAndReplayed(t *testing.T) {
	b := newBoard(nil)
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	_, err := h.Lessons.Start(t.Context(), wire.NewLesson{Device: "lamp", Keys: []string{"blue"}}, "test")
	require.NoError(t, err)
	odd := []int{2100, 1050, 700, 350, 350, 700, 700, 350, 350, 700, 700, 350, 350, 700, 700, 350, 350}
	for n := range 2 {
		b.hear(int64(n)*1_000_000, odd, 20_000)
		eventually(t, func() bool { return len(captures(t, h)) == n+1 }, "heard")
	}
	eventually(t, func() bool { return h.Lessons.Lessons()[0].State == "done" }, "settled")
	_, err = h.Air.Press(t.Context(), air.Request{Key: wire.KeyRef{Device: "lamp", Key: "blue"}})
	require.NoError(t, err)
	got := append(b.sends[0].Once, b.sends[0].Repeat...)
	require.Len(t, got, len(odd)+1)
	assert.InDeltaSlice(t, odd, got[:len(odd)], 40, "clean, and no more than a carrier cycle off")

	b.hear(9_000_000, odd, 20_000)
	eventually(t, func() bool {
		c := captures(t, h)[0]
		return len(c.Keys) == 1 && c.Keys[0].Key == "blue"
	}, "the handset's key is recognised again")
}

func TestLesson_OneAtATimeAndNothingToLearn(t *testing.T) {
	h := run(t, t.TempDir(), newBoard(nil))
	lamp(t, h)
	setNEC(t, h, "blue", 3)
	_, err := h.Lessons.Start(t.Context(), wire.NewLesson{Device: "lamp"}, "test")
	assert.ErrorContains(t, err, "every key of lamp is learned")
	l, err := h.Lessons.Start(t.Context(), wire.NewLesson{Device: "lamp", Keys: []string{"red"}}, "the tablet")
	require.NoError(t, err)
	_, err = h.Lessons.Start(t.Context(), wire.NewLesson{Device: "lamp", Keys: []string{"red"}}, "test")
	assert.ErrorContains(t, err, "started by the tablet: finish or pause it first")
	_, err = h.Lessons.Step(t.Context(), l.ID, wire.LessonStep{Do: "dance"})
	assert.ErrorContains(t, err, "skip, back, redo, add, name, drop, accept, pause, resume, finish")
	_, err = h.Lessons.Step(t.Context(), l.ID, wire.LessonStep{Do: "finish"})
	require.NoError(t, err)
	_, err = h.Lessons.Start(t.Context(), wire.NewLesson{Device: "lamp", Keys: []string{"red"}}, "test")
	assert.NoError(t, err)
}

func TestLibrary_KeepsEarlierVersionsAndMatchesTheNewest(t *testing.T) {
	dir := t.TempDir()
	h := run(t, dir, newBoard(nil))
	lamp(t, h)
	setNEC(t, h, "power", 77)
	d, err := h.Library.Device("lamp")
	require.NoError(t, err)
	assert.Equal(t, 2, d.Keys[0].Version)
	match := func(command int64) []wire.KeyRef {
		return h.Library.Match(line.Builtin().Decode([]signal.Heard{{Train: nec(t, command)}}).Readings, nil)
	}
	assert.Equal(t, []wire.KeyRef{power}, match(77))
	assert.Empty(t, match(1), "the earlier code is kept, but no longer sent")
	require.NoError(t, h.Library.Remove(t.Context(), "lamp"))
	assert.Empty(t, match(77))
}

func TestRoster_AHelloThatBreaksTheRulesIsRefused(t *testing.T) {
	b := newBoard(nil)
	b.name = "Not A Name"
	h := run(t, t.TempDir(), b)
	assert.Empty(t, h.Roster.Stations())
	require.NotEmpty(t, b.told)
	assert.Contains(t, b.told[0].(station.Refused).Reason, "1 to 40 of a-z")
}

func TestOpen_ASecondHouseOnTheSameDirectoryNamesTheFirst(t *testing.T) {
	dir := t.TempDir()
	run(t, dir)
	_, err := service.Open(t.Context(), service.Config{Dir: dir})
	assert.ErrorIs(t, err, service.ErrLocked)
	assert.ErrorContains(t, err, "held by process "+strconv.Itoa(os.Getpid()))
}

func TestHouse_WhatWasHeardInTheLastMomentIsStored(t *testing.T) {
	dir := t.TempDir()
	b := newBoard(nil)
	h, err := service.Open(t.Context(), service.Config{Dir: dir, Drivers: []station.Driver{b}})
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() { defer close(done); _ = h.Run(ctx) }()
	<-b.here
	b.hear(0, nec(t, 1), 20_000)
	cancel() // before the press is even over
	<-done
	require.NoError(t, h.Close())
	again := run(t, dir)
	cs := captures(t, again)
	require.Len(t, cs, 1)
	assert.True(t, cs[0].Stored)
	entries, err := again.Journal.Entries(t.Context(), "", 10)
	require.NoError(t, err)
	texts := []string{}
	for _, e := range entries {
		texts = append(texts, e.Text)
	}
	assert.Contains(t, texts, "Urbo stopped")
	assert.Contains(t, texts, "Heard nec address=9 command=1")
}

var errGone = errors.New("gone")

func TestEvents_ASlowListenerIsResetNotBlocked(t *testing.T) {
	h := run(t, t.TempDir())
	started, release := make(chan struct{}), make(chan struct{})
	got := make(chan any, 2000)
	done := make(chan struct{})
	go func() {
		defer close(done)
		first := true
		_ = h.Events.Listen(t.Context(), 0, func(e wire.Event) error {
			if first {
				first = false
				close(started)
				<-release
			}
			got <- e.Data
			if e.Data == (wire.Reset{}) {
				return errGone
			}
			return nil
		})
	}()
	<-started
	for range 1000 {
		h.Events.Publish(wire.StageChanged{})
	}
	close(release)
	<-done
	assert.Less(t, len(got), 400, "what did not fit is replaced by one reset")
}

// BenchmarkPress is the way from a wish to the bytes at the station and back to the receipt.
func BenchmarkPress(b *testing.B) {
	st := newBoard(nil)
	h, err := service.Open(b.Context(), service.Config{Dir: b.TempDir(), Drivers: []station.Driver{st}})
	require.NoError(b, err)
	ctx, cancel := context.WithCancel(b.Context())
	done := make(chan struct{})
	go func() { defer close(done); _ = h.Run(ctx) }()
	<-st.here
	_, err = h.Library.Add(ctx, wire.NewDevice{Name: "Lamp", Keys: []string{"power"}})
	require.NoError(b, err)
	_, err = h.Library.SetCodes(ctx, power, []wire.Code{{Sheet: "nec", Fields: map[string]any{"address": 9, "command": 1}}})
	require.NoError(b, err)
	for b.Loop() {
		if _, err := h.Air.Press(ctx, air.Request{Key: power}); err != nil {
			b.Fatal(err)
		}
	}
	cancel()
	<-done
	require.NoError(b, h.Close())
}
