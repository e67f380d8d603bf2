package service_test

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/service"
	"urbo/service/journal"
	"urbo/service/library"
	"urbo/service/transmit"
	"urbo/station"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

// board is a station under the test's control.
type board struct {
	name string
	// obey answers a send; nil is a board that always sends at once.
	obey  func(b *board, s station.Send)
	quiet bool // it answers no ping

	up    chan station.Message
	here  chan struct{} // closed when it was told welcome or refused
	again chan struct{} // lets it join once more

	mu    sync.Mutex
	cut   chan struct{} // closed when the link was
	sends []station.Send
	told  []station.Message
}

func newBoard(obey func(*board, station.Send)) *board {
	b := &board{name: "lecture", obey: obey}
	b.plugIn()
	return b
}

// plugIn makes its channels, which have to be of the bubble of a test in fake time.
func (b *board) plugIn() {
	b.up, b.here, b.again, b.cut = make(chan station.Message, 1000), make(chan struct{}), make(chan struct{}),
		make(chan struct{})
}

func (b *board) Run(ctx context.Context, join func(context.Context, station.Link) error) error {
	for {
		b.say(station.Hello{Link: station.Version, Station: b.name, Ports: []station.Port{
			{ID: "ir-in", Direction: station.Receiver, Medium: "infrared", FromHz: 36_000, ToHz: 40_000, Longest: 1024},
			{ID: "ir-out", Direction: station.Transmitter, Medium: "infrared", FromHz: 30_000, ToHz: 60_000,
				Longest: 200},
			{ID: "radio-in", Direction: station.Receiver, Medium: "radio", FromHz: 433_000_000, ToHz: 434_000_000,
				Longest: 1024},
			{ID: "radio-out", Direction: station.Transmitter, Medium: "radio", FromHz: 433_900_000, ToHz: 433_940_000,
				Longest: 1024},
		}})
		_ = join(ctx, b)
		select {
		case <-ctx.Done():
			return nil
		case <-b.again:
			b.mu.Lock()
			b.cut = make(chan struct{})
			b.mu.Unlock()
		}
	}
}

func (b *board) Origin() station.Origin {
	return station.Origin{Over: station.Stage, Address: b.name}
}

func (b *board) Receive(ctx context.Context) (station.Message, error) {
	b.mu.Lock()
	cut := b.cut
	b.mu.Unlock()
	select {
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-cut:
		return nil, fmt.Errorf("%w: %s", station.ErrAway, b.name)
	case m := <-b.up:
		return m, nil
	}
}

func (b *board) Close() error {
	b.mu.Lock()
	defer b.mu.Unlock()
	select {
	case <-b.cut:
	default:
		close(b.cut)
	}
	return nil
}

func (b *board) Tell(_ context.Context, m station.Message) error {
	b.mu.Lock()
	b.told = append(b.told, m)
	s, isSend := m.(station.Send)
	if isSend {
		b.sends = append(b.sends, s)
	}
	b.mu.Unlock()
	switch m.(type) {
	case station.Ping:
		if !b.quiet {
			b.say(station.Pong{})
		}
	case station.Welcome, station.Refused:
		select {
		case <-b.here:
		default:
			close(b.here)
		}
	}
	switch {
	case !isSend:
	case b.obey != nil:
		b.obey(b, s)
	default:
		b.say(station.Sent{ID: s.ID, Took: int64(s.Airtime())})
	}
	return nil
}

func (b *board) say(m station.Message) { b.up <- m }

// sent is what it was told to send so far.
func (b *board) sent() []station.Send {
	b.mu.Lock()
	defer b.mu.Unlock()
	return slices.Clone(b.sends)
}

// toldOf lists what a board was told of a type.
func toldOf[M station.Message](b *board) []M {
	b.mu.Lock()
	defer b.mu.Unlock()
	var out []M
	for _, m := range b.told {
		if m, ok := m.(M); ok {
			out = append(out, m)
		}
	}
	return out
}

// hear lets the infrared receiver hear a train, at a time of the station's clock in µs.
func (b *board) hear(at int64, train []int, gap int) {
	b.say(station.Heard{Port: "ir-in", At: at, Train: train, Gap: gap})
}

// takes is an obey that takes as long as the send does, and is held and cancelled.
func takes(b *board, s station.Send) {
	go func() {
		began := time.Now()
		end := began.Add(time.Duration(s.Airtime()) * time.Microsecond)
		for {
			for _, h := range toldOf[station.Hold](b) {
				if h.ID == s.ID {
					end = time.Now().Add(time.Duration(h.Lease) * time.Millisecond)
				}
			}
			b.mu.Lock()
			b.told = slices.DeleteFunc(b.told, func(m station.Message) bool {
				h, ok := m.(station.Hold)
				return ok &&
					h.ID == s.ID
			})
			b.mu.Unlock()
			cancelled := slices.Contains(toldOf[station.Cancel](b), station.Cancel{ID: s.ID})
			if cancelled || !time.Now().Before(end) {
				b.say(station.Sent{ID: s.ID, Took: time.Since(began).Microseconds()})
				return
			}
			time.Sleep(10 * time.Millisecond)
		}
	}()
}

// run opens a house on some boards and runs it until the test ends.
func run(t *testing.T, dir string, boards ...*board) *service.House {
	t.Helper()
	h, stop := start(t, dir, nil, boards...)
	t.Cleanup(stop)
	return h
}

func start(t testing.TB, dir string, now func() time.Time, boards ...*board) (*service.House, func()) {
	t.Helper()
	c := service.Config{Dir: dir, Version: "test", Now: now}
	for _, b := range boards {
		c.Transports = append(c.Transports, b)
	}
	h, stop := startWith(t, c)
	for _, b := range boards {
		<-b.here
	}
	return h, stop
}

// startWith opens a house and runs it, until stop.
func startWith(t testing.TB, c service.Config) (h *service.House, stop func()) {
	t.Helper()
	h, err := service.Open(context.Background(), c)
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { defer close(done); _ = h.Run(ctx) }()
	return h, func() {
		cancel()
		<-done
		require.NoError(t, h.Close())
	}
}

// inFakeTime runs a house on a board under a clock that jumps when nothing happens. The house is late by late, where
// given.
func inFakeTime(t *testing.T, b *board, act func(t *testing.T, h *service.House), late ...*atomic.Int64) {
	synctest.Test(t, func(t *testing.T) {
		b.plugIn()
		var now func() time.Time
		if len(late) > 0 {
			now = func() time.Time { return time.Now().Add(time.Duration(late[0].Load())) }
		}
		h, stop := start(t, t.TempDir(), now, b)
		act(t, h)
		stop()
	})
}

var (
	power = device.Ref{Device: "lamp", Key: "power"}
	red   = device.Ref{Device: "lamp", Key: "red"}
	blue  = device.Ref{Device: "lamp", Key: "blue"}
)

// lamp adds a device with two learned keys and one that is not.
func lamp(t testing.TB, h *service.House) {
	t.Helper()
	d := device.Device{Name: "Lamp", Keys: []device.Key{{Name: "power", Codes: []device.Code{necCode(1)}},
		{Name: "red", Codes: []device.Code{necCode(2)}}, {Name: "blue"}}}
	_, err := h.Library.Add(t.Context(), d, library.Note{})
	require.NoError(t, err)
}

func necCode(command int64) device.Code {
	return device.Code{Sheet: "nec", Fields: line.Fields{"address": line.Number(9), "command": line.Number(command)}}
}

func set(t testing.TB, h *service.House, ref device.Ref, codes ...device.Code) {
	t.Helper()
	change(t, h, func(d *device.Device) error { return d.SetCodes(ref.Key, codes) })
}

func change(t testing.TB, h *service.House, f func(*device.Device) error) {
	t.Helper()
	_, err := h.Library.ChangeBySlug(t.Context(), "lamp", library.Note{}, f)
	require.NoError(t, err)
}

// order is a press of a key.
func order(t testing.TB, h *service.House, ref device.Ref) transmit.Order {
	t.Helper()
	d, k, err := h.Library.Key(ref)
	require.NoError(t, err)
	return transmit.Order{Device: d, Key: k, Transmitter: d.Transmitter, By: grant.Named("test")}
}

func press(t testing.TB, h *service.House, ref device.Ref) happening.Receipt {
	t.Helper()
	r, err := h.Transmit.Press(t.Context(), order(t, h, ref))
	require.NoError(t, err)
	return r
}

// nec is a press of the lamp's handset, as a train.
func nec(t *testing.T, command int64) []int {
	t.Helper()
	b, err := necCode(command).Burst(line.Builtin())
	require.NoError(t, err)
	return b.Once[:len(b.Once)-1]
}

func captures(t *testing.T, h *service.House) []happening.Capture {
	t.Helper()
	cs, err := h.Workbench.Captures(t.Context(), "", 50)
	require.NoError(t, err)
	return cs
}

// told are the entries of the journal, the newest first.
func told(t *testing.T, h *service.House) (texts []string) {
	t.Helper()
	page, err := h.Journal.Find(t.Context(), journal.Query{Limit: 100})
	entries := page.Entries
	require.NoError(t, err)
	for _, e := range entries {
		l, _ := e.What.Tell()
		texts = append(texts, l.Text)
	}
	return texts
}

func eventually(t *testing.T, f func() bool, what string) {
	t.Helper()
	require.Eventually(t, f, 10*time.Second, 2*time.Millisecond, what)
}

// place is the transmitter of a name.
func place(t testing.TB, h *service.House, name string) device.Place {
	t.Helper()
	p, err := h.Stations.Place(name)
	require.NoError(t, err)
	return p
}
