package recording_test

import (
	"bytes"
	"encoding/binary"
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/bench"
	"urbo/core/line"
	"urbo/core/recording"
)

var soundMinutes = flag.Int("minutes", 0, "minutes of each kind that TestSound_ClaimsNothing listens to")
var soundPresses = flag.Int("sounds", 4, "recordings of each kind that TestSound makes")

// microphone is what stands between a receiver and the samples of a sound card.
type microphone struct {
	rate     float64
	bits     int
	corner   float64 // Hz below which the input blocks; 0 lets steady voltages through
	noise    float64 // σ, of the swing
	hum      float64 // of the swing
	gain     bool    // it turns the gain down when it gets loud
	invert   bool
	tone     float64 // Hz that the marks are sent as; 0 for levels
	swing    float64 // of full scale
	right    bool    // the signal is in the right channel only
	smoothed float64 // s that an edge takes
}

// pressOf is a made-up press: frames of one code, in µs, mark first.
func pressOf(rng *rand.Rand) []float64 {
	unit := 260 + 400*rng.Float64()
	ratio := rng.IntN(2) == 0
	bits := rng.Uint32()
	var frame []float64
	if !ratio {
		frame = append(frame, 16*unit, 8*unit)
	}
	for i := range 24 {
		one := bits>>i&1 == 1
		switch {
		case ratio && one:
			frame = append(frame, 3*unit, unit)
		case ratio:
			frame = append(frame, unit, 3*unit)
		case one:
			frame = append(frame, unit, 3*unit)
		default:
			frame = append(frame, unit, unit)
		}
	}
	frame = append(frame, unit)
	var out []float64
	gap := 12_000 + 25_000*rng.Float64()
	for f := range 3 {
		if f > 0 {
			out = append(out, gap)
		}
		out = append(out, frame...)
	}
	return out
}

// record is a WAV file of a press with silence around it.
func (m microphone) record(rng *rand.Rand, press []float64) []byte {
	return wavOf(m, m.samples(rng, press))
}

// before is the silence before and after a press, in s.
const before = 0.4

// samples are what the sound card delivers, of full scale.
func (m microphone) samples(rng *rand.Rand, press []float64) []float64 {
	total := 2 * before
	for _, us := range press {
		total += us / 1e6
	}
	n := int(total * m.rate)
	x := make([]float64, n)
	at, mark := before, true
	for _, us := range press {
		end := at + us/1e6
		for i := int(at * m.rate); mark && i < int(end*m.rate); i++ {
			x[i] = 1
		}
		at, mark = end, !mark
	}
	level, low, gain := 0.0, 0.0, 1.0
	follow := 1.0
	if m.smoothed > 0 {
		follow = 1 - math.Exp(-1/(m.smoothed*m.rate))
	}
	block := 1 - math.Exp(-2*math.Pi*m.corner/m.rate)
	for i := range x {
		level += follow * (x[i] - level)
		v := level
		if m.tone > 0 {
			v = level * math.Sin(2*math.Pi*m.tone*float64(i)/m.rate)
		}
		low += block * (v - low)
		v -= low
		if m.gain {
			gain += (1/(1+2*math.Abs(v)) - gain) / (0.002 * m.rate)
			v *= gain
		}
		v += m.noise*rng.NormFloat64() + m.hum*math.Sin(2*math.Pi*50*float64(i)/m.rate)
		if m.invert {
			v = -v
		}
		x[i] = v * m.swing
	}
	return x
}

func wavOf(m microphone, x []float64) []byte {
	channels := 1
	if m.right {
		channels = 2
	}
	bytesOf := m.bits / 8
	var b bytes.Buffer
	u32 := func(v int) { b.Write(binary.LittleEndian.AppendUint32(nil, uint32(v))) }
	u16 := func(v int) { b.Write(binary.LittleEndian.AppendUint16(nil, uint16(v))) }
	b.WriteString("RIFF")
	u32(36 + len(x)*channels*bytesOf)
	b.WriteString("WAVEfmt ")
	u32(16)
	u16(1)
	u16(channels)
	u32(int(m.rate))
	u32(int(m.rate) * channels * bytesOf)
	u16(channels * bytesOf)
	u16(m.bits)
	b.WriteString("data")
	u32(len(x) * channels * bytesOf)
	for _, v := range x {
		write := func(v float64) {
			v = max(min(v, 0.999), -1)
			if m.bits == 8 {
				b.WriteByte(byte(math.Round(v*127) + 128))
			} else {
				u16(int(int16(math.Round(v * 32767))))
			}
		}
		if channels == 2 {
			write(0)
		}
		write(v)
	}
	return b.Bytes()
}

// reads says whether a press is read out of a file: as many durations, each within a fifth and 70 µs.
func reads(t *testing.T, data []byte, press []float64) (ok bool, wrong string) {
	t.Helper()
	r, err := recording.Open("x.wav", bytes.NewReader(data), recording.Options{})
	require.NoError(t, err)
	var got []int
	n := 0
	for r.Scan() {
		n++
		if n > 1 {
			continue
		}
		p := r.Press()
		for i, tr := range p.Trains {
			got = append(got, tr.Train...)
			if i+1 < len(p.Trains) {
				got = append(got, tr.Gap)
			}
		}
	}
	require.NoError(t, r.Err())
	if n != 1 || len(got) != len(press) {
		return false, fmt.Sprintf("%d presses, %d durations of %d", n, len(got), len(press))
	}
	for i, us := range press {
		if d := math.Abs(float64(got[i]) - us); d > 0.2*us+70 {
			return false, fmt.Sprintf("duration %d is %d, not %.0f", i, got[i], us)
		}
	}
	return true, ""
}

func TestSound_AsSoundCardsRecordIt(t *testing.T) {
	kinds := map[string]microphone{
		"levels":                         {rate: 48_000, bits: 16, swing: 0.5},
		"levels, quiet, 8 bits":          {rate: 44_100, bits: 8, swing: 0.05},
		"blocked below 15 Hz":            {rate: 48_000, bits: 16, corner: 15, swing: 0.5},
		"blocked below 100 Hz":           {rate: 44_100, bits: 16, corner: 100, swing: 0.4},
		"blocked below 300 Hz":           {rate: 48_000, bits: 16, corner: 300, swing: 0.4},
		"blocked below 300 Hz, inverted": {rate: 48_000, bits: 16, corner: 300, swing: 0.4, invert: true},
		"blocked below 1 kHz":            {rate: 48_000, bits: 16, corner: 1000, swing: 0.4},
		"blocked, noise of a tenth":      {rate: 48_000, bits: 16, corner: 80, noise: 0.1, swing: 0.3},
		"blocked, noise of a fifth":      {rate: 48_000, bits: 16, corner: 80, noise: 0.2, swing: 0.3},
		"gain control":                   {rate: 48_000, bits: 16, corner: 40, gain: true, swing: 0.3},
		"hum of a half":                  {rate: 48_000, bits: 16, corner: 20, hum: 0.5, noise: 0.02, swing: 0.2},
		"slow edges":                     {rate: 44_100, bits: 16, corner: 60, smoothed: 60e-6, swing: 0.3},
		"the right channel":              {rate: 48_000, bits: 16, corner: 60, right: true, swing: 0.3},
		"a tone of 12 kHz":               {rate: 48_000, bits: 16, corner: 20, tone: 12_000, noise: 0.05, swing: 0.3},
		"fast, 192 kHz":                  {rate: 192_000, bits: 16, corner: 60, noise: 0.05, swing: 0.3},
	}
	for name, m := range kinds {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			rng := rand.New(rand.NewPCG(uint64(len(name)), 11))
			read := 0
			for range *soundPresses {
				press := pressOf(rng)
				ok, wrong := reads(t, m.record(rng, press), press)
				if ok {
					read++
				} else {
					t.Log(wrong)
				}
			}
			assert.GreaterOrEqual(t, float64(read), 0.97*float64(*soundPresses)-0.5, "%d of %d", read, *soundPresses)
		})
	}
}

// TestSound_ClaimsNothingInWhatIsNoSignal: noise, music, and something that sounds like speech.
func TestSound_ClaimsNothingInWhatIsNoSignal(t *testing.T) {
	const rate, seconds = 48_000, 20
	rng := rand.New(rand.NewPCG(4, 4))
	var base, tempo, pitch float64 // others in each part
	kinds := map[string]func(i int, at float64) float64{
		"noise": func(int, float64) float64 { return 0.2 * rng.NormFloat64() },
		"melody": func(i int, at float64) float64 {
			note := base * math.Pow(2, math.Floor(math.Mod(at*tempo, 12))/12)
			fades := math.Exp(-8 * math.Mod(at, 1/tempo))
			return 0.4 * fades * (math.Sin(2*math.Pi*note*at) + 0.4*math.Sin(6*math.Pi*note*at))
		},
		"chords": func(i int, at float64) float64 {
			step, v := math.Floor(math.Mod(at*tempo, 8)), 0.0
			for _, third := range []float64{0, 4, 7} {
				v += math.Sin(2 * math.Pi * base * math.Pow(2, (third+2*step)/12) * (1 + 0.004*math.Sin(30*at)) * at)
			}
			return 0.2 * math.Exp(-3*math.Mod(at, 1/tempo)) * v
		},
		"saws": func(i int, at float64) float64 {
			note := base * math.Pow(2, math.Floor(math.Mod(at*tempo, 12))/12)
			return 0.6 * math.Exp(-4*math.Mod(at, 1/tempo)) * (math.Mod(at*note, 1) - 0.5)
		},
		"drums": func(i int, at float64) float64 {
			beat := math.Mod(at, 1/tempo)
			return 0.5*math.Exp(-30*beat)*math.Sin(2*math.Pi*(50+200*math.Exp(-20*beat))*beat) +
				0.3*math.Exp(-40*math.Mod(at+0.5/tempo, 1/tempo))*rng.NormFloat64()
		},
		"speech": func(i int, at float64) float64 {
			voice := math.Mod(at*pitch*(1+0.1*math.Sin(3*at)), 1)
			syllable := max(0, math.Sin(2*math.Pi*3*at)) * max(0, math.Sin(2*math.Pi*0.4*at))
			return syllable * (0.5*math.Exp(-8*voice)*math.Sin(2*math.Pi*700*at) + 0.05*rng.NormFloat64())
		},
	}
	for name, level := range kinds {
		t.Run(name, func(t *testing.T) {
			x := make([]float64, rate*seconds)
			n := 0
			for part := range max(*soundMinutes*60/seconds, 1) {
				base, tempo, pitch = 220, 4, 120
				if part > 0 {
					base, tempo, pitch = 80+600*rng.Float64(), 1+11*rng.Float64(), 80+200*rng.Float64()
				}
				for i := range x {
					x[i] = level(i, float64(i)/rate)
				}
				r, err := recording.Open("x.wav", bytes.NewReader(wavOf(microphone{rate: rate, bits: 16}, x)),
					recording.Options{})
				require.NoError(t, err)
				for r.Scan() {
					p := r.Press()
					if s, err := bench.Describe(p.Trains); err == nil && s.Style != bench.Plain {
						n++
						t.Log(part, p.At, p.Trains[0].Train.Short(), s.Words())
					}
					for _, read := range line.Builtin().Decode(p.Trains).Readings {
						assert.LessOrEqual(t, read.Confidence, line.LoneLimit, "%s %v %s", read.Sheet, read.Fields,
							p.Trains[0].Train.Short())
					}
				}
				require.NoError(t, r.Err())
			}
			assert.Zero(t, n)
		})
	}
}

// BenchmarkSound reads ten seconds of a sound card with a press in each.
func BenchmarkSound(b *testing.B) {
	for name, m := range map[string]microphone{"blocked": {rate: 48_000, bits: 16, corner: 80, noise: 0.1, swing: 0.3},
		"levels": {rate: 48_000, bits: 16, swing: 0.5}} {
		rng := rand.New(rand.NewPCG(4, 4))
		var data []byte
		seconds := 0.0
		press := pressOf(rng)
		data = m.record(rng, press)
		seconds = float64(len(data)) / 2 / m.rate
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				r, err := recording.Open("x.wav", bytes.NewReader(data), recording.Options{})
				if err != nil {
					b.Fatal(err)
				}
				for r.Scan() {
				}
			}
			b.ReportMetric(float64(b.Elapsed().Milliseconds())/float64(b.N)/seconds, "ms/s")
		})
	}
}
