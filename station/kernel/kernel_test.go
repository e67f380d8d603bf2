package kernel

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"sync"
	"testing"
	"testing/fstest"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"urbo/station"
	"urbo/station/linktest"
)

// double stands for a device of the kernel: it refuses what the kernel refuses, and a write takes as long as what it
// sends.
type double struct {
	features uint32
	samples  chan []uint32
	closed   chan struct{}
	close    func()

	mu      sync.Mutex
	set     map[uint]uint32
	written [][]uint32
	at      []time.Time // when each was written
	breaks  bool
}

func newDouble(features uint32) *double {
	d := &double{features: features, samples: make(chan []uint32, 10), closed: make(chan struct{}),
		set: map[uint]uint32{}}
	d.close = sync.OnceFunc(func() { close(d.closed) })
	return d
}

func (d *double) Get(request uint) (uint32, error) {
	switch request {
	case getFeatures:
		return d.features, nil
	case getMinTimeout:
		return 25_000, nil
	case getMaxTimeout:
		return 250_000, nil
	}
	return 0, unix.ENOTTY
}

func (d *double) Set(request uint, value uint32) error {
	needs := map[uint]uint32{setSendMode: canSend, setReceiveMode: canReceive, setSendCarrier: canSetCarrier,
		setSendDuty: canSetDuty, setReceiveTimeout: canSetTimeout, setMeasureCarrier: canMeasure}
	feature, known := needs[request]
	if !known || d.features&feature == 0 {
		return unix.ENOTTY
	}
	if request == setSendCarrier && value > 500_000 || request == setSendDuty && (value == 0 || value >= 100) ||
		request == setReceiveTimeout && (value < 25_000 || value > 250_000) {
		return unix.EINVAL
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	d.set[request] = value
	return nil
}

// is what was set.
func (d *double) is(request uint) uint32 {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.set[request]
}

func (d *double) Read(samples []uint32) (int, error) {
	select {
	case s := <-d.samples:
		return copy(samples, s), nil
	case <-d.closed:
		return 0, os.ErrClosed
	}
}

func (d *double) Write(durations []uint32) error {
	total := 0
	for _, us := range durations {
		total += int(us)
	}
	if len(durations)%2 == 0 || len(durations) > 1024 || total > 500_000 {
		return unix.EINVAL
	}
	d.mu.Lock()
	if d.breaks {
		d.mu.Unlock()
		return unix.EIO
	}
	d.written, d.at = append(d.written, durations), append(d.at, time.Now())
	d.mu.Unlock()
	time.Sleep(time.Duration(total) * time.Microsecond)
	return nil
}

func (d *double) Close() error { d.close(); return nil }

const everything = canSend | canReceive | canSetCarrier | canSetDuty | canSetTimeout

// attach runs a device in fake time, with one link.
func attach(t *testing.T, address string, d *double, use func(t *testing.T, l station.Link)) {
	t.Helper()
	synctest.Test(t, func(t *testing.T) {
		d.samples, d.closed = make(chan []uint32, 10), make(chan struct{})
		d.close = sync.OnceFunc(func() { close(d.closed) })
		dev, err := New(address)
		require.NoError(t, err)
		dev.open = func(string) (device, error) { return d, nil }
		ctx, cancel := context.WithCancel(t.Context())
		require.NoError(t, dev.Run(ctx, func(_ context.Context, l station.Link) error {
			defer cancel()
			use(t, l)
			return nil
		}))
	})
}

func receive[M station.Message](t *testing.T, l station.Link) M {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	for {
		m, err := l.Receive(ctx)
		require.NoError(t, err)
		if m, ok := m.(M); ok {
			return m
		}
	}
}

func TestDevice_KeepsTheRulesOfTheLink(t *testing.T) {
	attach(t, "/dev/pulse0", newDouble(everything), func(t *testing.T, l station.Link) { linktest.Conform(t, l) })
}

func TestDevice_TellsWhatItCanDo(t *testing.T) {
	for _, c := range []struct {
		address  string
		features uint32
		want     []station.Port
	}{
		{"/dev/pulse0", canReceive | canMeasure,
			[]station.Port{{ID: "ir-in", Direction: station.Receiver, Medium: "infrared",
				FromHz: 36_000, ToHz: 40_000, Longest: 4096, Frequency: true}}},
		{"/dev/pulse1", canSend, []station.Port{{ID: "ir-out", Direction: station.Transmitter, Medium: "infrared",
			FromHz: 38_000, ToHz: 38_000, Longest: 1000}}},
		{"/dev/pulse2@433920000", canSend | canSetCarrier,
			[]station.Port{{ID: "radio-out", Direction: station.Transmitter,
				Medium: "radio", FromHz: 433_920_000, ToHz: 433_920_000, Longest: 1000}}},
	} {
		attach(t, c.address, newDouble(c.features), func(t *testing.T, l station.Link) {
			assert.Equal(t, c.want, receive[station.Hello](t, l).Ports, c.address)
			assert.Equal(t, station.Origin{Over: station.Kernel, Address: c.address}, l.Origin())
		})
	}
}

func TestDevice_HearsTrains(t *testing.T) {
	d := newDouble(everything | canMeasure)
	attach(t, "/dev/pulse0", d, func(t *testing.T, l station.Link) {
		receive[station.Hello](t, l)
		assert.Equal(t, uint32(25_000), d.set[setReceiveTimeout], "as short as it may be")
		assert.Equal(t, uint32(0), d.is(setMeasureCarrier), "measuring costs range")
		require.NoError(t, l.Tell(t.Context(), station.Measure{Lease: 500}))
		assert.Equal(t, uint32(1), d.is(setMeasureCarrier))
		time.Sleep(600 * time.Millisecond)
		assert.Equal(t, uint32(0), d.is(setMeasureCarrier), "until the lease ends")
		time.Sleep(time.Second)
		d.samples <- []uint32{space | 0xffffff, pulse | 9000, space | 4500, pulse | 300, pulse | 260,
			frequency | 38_100,
			space | 40_000, pulse | 9000, space | 2250, pulse | 560}
		first := receive[station.Heard](t, l)
		assert.Equal(t, station.Heard{Port: "ir-in", At: first.At, Train: []int{9000, 4500, 560}, Gap: 40_000,
			CarrierHz: 38_100}, first)
		time.Sleep(25 * time.Millisecond)
		d.samples <- []uint32{timeout | 25_000}
		second := receive[station.Heard](t, l)
		assert.Equal(t, []int{9000, 2250, 560}, []int(second.Train))
		assert.GreaterOrEqual(t, second.At, first.At+14_060)
		d.samples <- []uint32{pulse | 9000, space | 4500, overflow, pulse | 500, space | 500, pulse | 500,
			timeout | 25_000}
		assert.Equal(t, []int{500, 500, 500}, []int(receive[station.Heard](t, l).Train), "what overflowed is dropped")
		for range 10 { // one that never ends is told in pieces
			var long []uint32
			for range 100 {
				long = append(long, pulse|500, space|500, pulse|500, space|500, pulse|500, space|500)
			}
			for len(long) > 0 {
				n := min(len(long), 256)
				d.samples <- long[:n]
				long = long[n:]
			}
		}
		assert.True(t, receive[station.Heard](t, l).More)
	})
}

func TestDevice_SendsInPiecesAtTheirTimes(t *testing.T) {
	d := newDouble(everything)
	attach(t, "/dev/pulse0", d, func(t *testing.T, l station.Link) {
		receive[station.Hello](t, l)
		require.NoError(t, l.Tell(t.Context(), station.Send{ID: "a", Port: "ir-out", CarrierHz: 40_000, Duty: 0.33,
			Once: []int{300_000, 100_000, 200_000, 50_000}, Repeat: []int{500, 99_500}, Repeats: 2, GapUS: 150_000}))
		sent := receive[station.Sent](t, l)
		assert.Equal(t, [][]uint32{{300_000}, {200_000}, {500, 99_500, 500}}, d.written,
			"500 ms at most, and no space at the end")
		for i, ms := range []int{0, 400, 650} {
			assert.Equal(t, time.Duration(ms)*time.Millisecond, d.at[i].Sub(d.at[0]))
		}
		assert.Equal(t, int64(650_000+100_000+500+150_000), sent.Took)
		assert.Equal(t, uint32(40_000), d.set[setSendCarrier])
		assert.Equal(t, uint32(33), d.set[setSendDuty])
	})
	d = newDouble(everything)
	attach(t, "/dev/pulse0", d, func(t *testing.T, l station.Link) {
		require.NoError(t, l.Tell(t.Context(), station.Send{ID: "b", Port: "ir-out", CarrierHz: 40_000,
			Once: []int{9000, 40_000}, Repeat: []int{500, 99_500}, Repeats: 3}))
		receive[station.Sent](t, l)
		assert.Equal(t, [][]uint32{{9000, 40_000, 500, 99_500, 500, 99_500, 500}}, d.written, "what fits is one write")
	})
	d = newDouble(canSend | canSetCarrier)
	attach(t, "/dev/pulse1@433920000", d, func(t *testing.T, l station.Link) {
		require.NoError(t, l.Tell(t.Context(), station.Send{ID: "a", Port: "radio-out", FrequencyHz: 433_920_000,
			Once: []int{350, 1050}}))
		receive[station.Sent](t, l)
		assert.Equal(t, uint32(0), d.set[setSendCarrier], "a bare radio module has no carrier")
	})
}

func TestDevice_OneThatBreaksEndsTheLinkAndSaysNothingWrong(t *testing.T) {
	d := newDouble(everything)
	d.breaks = true
	attach(t, "/dev/pulse0", d, func(t *testing.T, l station.Link) {
		receive[station.Hello](t, l)
		require.NoError(t, l.Tell(t.Context(),
			station.Send{ID: "a", Port: "ir-out", CarrierHz: 38_000, Once: []int{500, 500}}))
		for {
			m, err := l.Receive(t.Context())
			if err != nil {
				assert.ErrorIs(t, err, station.ErrAway)
				return
			}
			assert.IsType(t, station.Note{}, m, "neither sent nor failed")
		}
	})
}

func TestDevice_IsWaitedFor(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		dev, err := New("/dev/pulse0")
		require.NoError(t, err)
		tries := 0
		dev.open = func(string) (device, error) {
			if tries++; tries < 3 {
				return nil, &fs.PathError{Err: fs.ErrNotExist}
			}
			return nil, &fs.PathError{Err: fs.ErrPermission}
		}
		err = dev.Run(t.Context(), func(context.Context, station.Link) error { return errors.New("none") })
		assert.ErrorContains(t, err, "no permission: add the user")
		assert.Equal(t, 3, tries)
	})
}

func TestNew_SaysWhatIsWrongWithAnAddress(t *testing.T) {
	for bad, says := range map[string]string{"pulse0": "such as rc0", "rc0@": "the module's frequency",
		"/dev/pulse0@433": "the module's frequency"} {
		_, err := New(bad)
		assert.ErrorContains(t, err, says)
	}
	sys := fstest.MapFS{"rc0/pulse0/dev": {}, "rc1/pulse1/dev": {}, "rc1/input5/name": {}, "rc1/input5/event3/dev": {},
		"rc2/input6/name": {}}
	assert.Equal(t, []string{"rc0", "rc1"}, find(sys), "the others hear nothing raw")
	at, err := fileOf(sys, "rc1")
	require.NoError(t, err)
	assert.Equal(t, "/dev/pulse1", at)
	_, err = fileOf(sys, "rc2")
	assert.ErrorIs(t, err, fs.ErrNotExist, "it is waited for")
}
