package recording_test

import (
	"bytes"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/recording"
)

// sender is a handset on the air: where it sends, how loud, and what.
type sender struct {
	hz, loud float64 // from the centre; of full scale
	begins   float64 // s
	press    []float64
	shift    float64 // Hz: its spaces are another frequency
	drift    float64 // Hz a second
}

// air is samples of 8 bits of what senders send, in noise.
func air(rng *rand.Rand, rate, seconds, noise float64, all ...sender) []byte {
	out := make([]byte, 0, int(2*rate*seconds))
	type state struct {
		at, phase float64
		k         int
	}
	states := make([]state, len(all))
	for i, s := range all {
		states[i] = state{at: s.begins, k: -1}
	}
	for n := range int(rate * seconds) {
		t := float64(n) / rate
		re, im := noise*rng.NormFloat64(), noise*rng.NormFloat64()
		for i, s := range all {
			st := &states[i]
			for t >= st.at && st.k < len(s.press) {
				if st.k++; st.k < len(s.press) {
					st.at += s.press[st.k] / 1e6
				}
			}
			mark, on := st.k >= 0 && st.k < len(s.press) && st.k%2 == 0, st.k >= 0 && st.k < len(s.press)
			hz := s.hz + s.drift*t
			if !mark && s.shift != 0 {
				hz += s.shift
			}
			st.phase += 2 * math.Pi * hz / rate
			if mark || on && s.shift != 0 {
				sin, cos := math.Sincos(st.phase)
				re, im = re+s.loud*cos, im+s.loud*sin
			}
		}
		out = append(out, byte(min(max(128+127*re, 0), 255)), byte(min(max(128+127*im, 0), 255)))
	}
	return out
}

func listenTo(t testing.TB, data []byte, rate float64) ([]recording.Press, recording.Info) {
	t.Helper()
	r, err := recording.Open("air", bytes.NewReader(data), recording.Options{RateHz: rate, Datatype: "cu8",
		FrequencyHz: 433.92e6})
	require.NoError(t, err)
	var out []recording.Press
	for r.Scan() {
		out = append(out, r.Press())
	}
	require.NoError(t, r.Err())
	return out, r.Info
}

// isPress says whether a press was read out of what came.
func isPress(p recording.Press, want []float64) bool {
	var got []int
	for i, tr := range p.Trains {
		got = append(got, tr.Train...)
		if i+1 < len(p.Trains) {
			got = append(got, tr.Gap)
		}
	}
	if len(got) != len(want) {
		return false
	}
	for i, us := range want {
		if math.Abs(float64(got[i])-us) > 0.2*us+70 {
			return false
		}
	}
	return true
}

func TestIQ_HearsWhatIsFarBelowTheNoiseOfTheBand(t *testing.T) {
	t.Parallel()
	const rate = 1e6
	rng := rand.New(rand.NewPCG(3, 1))
	for range 3 {
		press := pressOf(rng)
		// −3 dB in 250 kHz: the noise of the whole band is six dB more.
		noise := 0.2
		loud := math.Sqrt(0.5 * 2 * noise * noise * 0.25)
		one := sender{hz: 130e3, loud: loud, begins: 0.3, press: press}
		got, _ := listenTo(t, air(rng, rate, 0.9, noise, one), rate)
		require.Len(t, got, 1)
		assert.True(t, isPress(got[0], press), "%v %v", press, got[0].Trains)
		assert.InDelta(t, 130e3, got[0].OffsetHz, 2500)
	}
}

func TestIQ_TellsTwoHandsetsApart(t *testing.T) {
	t.Parallel()
	const rate = 1e6
	rng := rand.New(rand.NewPCG(3, 2))
	a, b := pressOf(rng), pressOf(rng)
	got, _ := listenTo(t, air(rng, rate, 1, 0.02, sender{hz: -210e3, loud: 0.3, begins: 0.3, press: a},
		sender{hz: 90e3, loud: 0.15, begins: 0.33, press: b}), rate)
	read := map[string]bool{}
	for _, p := range got {
		read["a"] = read["a"] || isPress(p, a)
		read["b"] = read["b"] || isPress(p, b)
	}
	assert.Equal(t, map[string]bool{"a": true, "b": true}, read, "%d presses", len(got))
}

func TestIQ_NamesFrequencyShiftKeying(t *testing.T) {
	t.Parallel()
	const rate = 1e6
	rng := rand.New(rand.NewPCG(3, 3))
	got, info := listenTo(t, air(rng, rate, 0.9, 0.02, sender{hz: -60e3, shift: 80e3, loud: 0.3, begins: 0.3,
		press: pressOf(rng)}), rate)
	for _, p := range got {
		assert.Less(t, len(p.Trains[0].Train), 6, "one of its frequencies alone would be an on-off code")
	}
	require.NotEmpty(t, info.Notes)
	assert.Contains(t, info.Notes[0], "frequency-shift keying")
}

func TestIQ_FindsNothingInNoise(t *testing.T) {
	t.Parallel()
	got, info := listenTo(t, air(rand.New(rand.NewPCG(3, 4)), 1e6, 2, 0.2), 1e6)
	assert.Empty(t, got)
	assert.Empty(t, info.Notes)
}

// BenchmarkIQ_Band reads samples of 2.4 MS/s, of noise and of a press.
func BenchmarkIQ_Band(b *testing.B) {
	const rate, seconds = 2.4e6, 1.0
	rng := rand.New(rand.NewPCG(3, 5))
	press := pressOf(rng)
	long := append(append(append([]float64{}, press...), 30_000), press...)
	for name, all := range map[string][]sender{"nothing": nil, "a burst": {{hz: 300e3, loud: 0.2, begins: 0.05,
		press: append(append(long, 30_000), long...)}}} {
		data := air(rng, rate, seconds, 0.05, all...)
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				listenTo(b, data, rate)
			}
			b.ReportMetric(seconds/(b.Elapsed().Seconds()/float64(b.N)), "x-real-time")
		})
	}
}
