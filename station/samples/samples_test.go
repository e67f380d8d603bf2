package samples_test

import (
	"context"
	"encoding/binary"
	"io"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/signal"
	"urbo/station"
	"urbo/station/samples"
)

// patience is how long a test waits for what has to come.
const patience = 20 * time.Second

// press is the durations of a key in µs, mark first.
func press(t *testing.T) []int {
	t.Helper()
	s, err := line.Builtin().Sheet("nec")
	require.NoError(t, err)
	b, err := s.Encode(line.Fields{"address": line.Number(64), "command": line.Number(9)})
	require.NoError(t, err)
	return b.Once
}

// keyed calls level for every sample of some seconds, with the press in the middle.
func keyed(durations []int, rate, seconds float64, level func(mark bool, i int)) {
	at, k, mark := seconds/3, -1, false
	for i := range int(seconds * rate) {
		for float64(i)/rate >= at && k < len(durations) {
			if k++; k < len(durations) {
				at, mark = at+float64(durations[k])/1e6, k%2 == 0
			} else {
				mark = false
			}
		}
		level(mark, i)
	}
}

// heard runs a source over samples, and gathers what it says until they end.
func heard(t *testing.T, kind samples.Kind, write func(w io.Writer), levels *[]samples.Level) (station.Hello,
	[]station.Heard) {
	t.Helper()
	in, out := io.Pipe()
	go func() { write(out); _ = out.Close() }()
	s, err := samples.New(in, kind, func(l samples.Level) { *levels = append(*levels, l) })
	require.NoError(t, err)
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	var hello station.Hello
	var all []station.Heard
	require.NoError(t, s.Run(ctx, func(ctx context.Context, l station.Link) error {
		require.NoError(t, l.Tell(ctx, station.Ping{}))
		for {
			m, err := l.Receive(ctx)
			if err != nil {
				return err
			}
			switch m := m.(type) {
			case station.Hello:
				hello = m
			case station.Heard:
				all = append(all, m)
			}
		}
	}))
	return hello, all
}

func read(t *testing.T, all []station.Heard) string {
	t.Helper()
	var trains []signal.Reception
	for _, h := range all {
		trains = append(trains, signal.Reception{Train: h.Train, Gap: h.Gap})
	}
	r := line.Builtin().Decode(trains).Readings
	require.NotEmpty(t, r)
	return r[0].Sheet + " " + r[0].Fields.String()
}

func TestSource_HearsSound(t *testing.T) {
	t.Parallel()
	kind, err := samples.Sound("48000", line.Infrared)
	require.NoError(t, err)
	rng := rand.New(rand.NewPCG(1, 1))
	var levels []samples.Level
	hello, all := heard(t, kind, func(w io.Writer) {
		low := 0.0
		var b []byte
		keyed(press(t), 48_000, 7, func(mark bool, _ int) {
			v := 0.02 * rng.NormFloat64()
			if mark {
				v += 0.5
			}
			low += (v - low) * 0.01 // the input blocks below 80 Hz
			b = binary.LittleEndian.AppendUint16(b, uint16(int16((v-low)*32767)))
		})
		_, _ = w.Write(b)
	}, &levels)
	assert.Equal(t, "infrared", hello.Ports[0].Medium)
	require.Len(t, all, 1)
	assert.Equal(t, "nec address=64 command=9", read(t, all))
	assert.InDelta(t, 7e6/3, all[0].At, 3000)
	require.NotEmpty(t, levels)
	assert.InDelta(t, -6, levels[0].Peak, 4)
}

func TestSource_HearsARadio(t *testing.T) {
	t.Parallel()
	kind, err := samples.Radio("cu8@250k:433.92M")
	require.NoError(t, err)
	s, err := line.Builtin().Sheet("ev1527")
	require.NoError(t, err)
	b, err := s.Encode(line.Fields{"id": line.Number(4711), "key": line.Number(4)})
	require.NoError(t, err)
	durations := append(append(append([]int{}, b.Repeat...), b.Repeat...), b.Repeat...)
	rng := rand.New(rand.NewPCG(2, 1))
	var levels []samples.Level
	hello, all := heard(t, kind, func(w io.Writer) {
		var out []byte
		keyed(durations, 250_000, 3, func(mark bool, i int) {
			re, im := 0.02*rng.NormFloat64(), 0.02*rng.NormFloat64()
			if mark {
				sin, cos := math.Sincos(float64(i) * 0.3)
				re, im = re+0.6*cos, im+0.6*sin
			}
			out = append(out, byte(127.5+127*re), byte(127.5+127*im))
		})
		_, _ = w.Write(out)
	}, &levels)
	assert.Equal(t, 433_920_000, hello.Ports[0].FromHz)
	assert.Equal(t, "ev1527 id=4711 key=4", read(t, all))
	assert.InDelta(t, 433_920_000+0.3/2/math.Pi*250_000, all[0].FrequencyHz, 2000)
}

func TestKinds_SayWhatIsWrong(t *testing.T) {
	for _, text := range []string{"", "cu8", "cu8@2.4M", "cu8@2.4M:", "cu8@x:433M", "mp3@2.4M:433.92M:1",
		"cu8@1:433.92M"} {
		_, err := samples.Radio(text)
		assert.ErrorContains(t, err, "cu8@2.4M:433.92M", text)
	}
	_, err := samples.Sound("fast", line.Infrared)
	assert.ErrorContains(t, err, "such as 48000")
	assert.Equal(t, "-50 dB, peaks of -45 dB: hardly anything comes in: turn the gain up",
		samples.Level{Loud: -50, Peak: -45}.String())
}
