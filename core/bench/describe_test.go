package bench

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/signal"
)

// code is a made-up line code: how a frame of it looks in units, without any sheet.
type code struct {
	style Style
	unit  float64
	make  func(bits string) []float64 // mark first, ends with a mark
	gap   float64                     // µs
	bits  int
}

func pairs(lead []float64, zero, one [2]float64, tail ...float64) func(string) []float64 {
	return func(bits string) []float64 {
		out := append([]float64{}, lead...)
		for _, b := range bits {
			if b == '0' {
				out = append(out, zero[0], zero[1])
			} else {
				out = append(out, one[0], one[1])
			}
		}
		if len(tail) == 0 {
			return out[:len(out)-1]
		}
		return append(out, tail...)
	}
}

func manchester(bits string) []float64 {
	var levels []bool
	for _, b := range bits {
		levels = append(levels, b == '0', b == '1')
	}
	for !levels[0] {
		levels = levels[1:]
	}
	for !levels[len(levels)-1] {
		levels = levels[:len(levels)-1]
	}
	out := []float64{0}
	for i, l := range levels {
		if i > 0 && l != levels[i-1] {
			out = append(out, 0)
		}
		out[len(out)-1]++
	}
	return out
}

var codes = map[string]code{
	"distance":          {Distance, 510, pairs([]float64{12, 6}, [2]float64{1, 1}, [2]float64{1, 3}, 1), 42_000, 33},
	"distance, no lead": {Distance, 320, pairs(nil, [2]float64{1, 1}, [2]float64{1, 4}, 1), 30_000, 20},
	"width":             {Width, 640, pairs([]float64{5, 1}, [2]float64{1, 1}, [2]float64{2, 1}), 25_000, 14},
	"width, no lead":    {Width, 430, pairs(nil, [2]float64{1, 2}, [2]float64{3, 2}), 18_000, 16},
	"ratio":             {Ratio, 280, pairs(nil, [2]float64{1, 3}, [2]float64{3, 1}, 1), 8_700, 24},
	"ratio with sync":   {Ratio, 300, pairs([]float64{6, 14}, [2]float64{1, 2}, [2]float64{2, 1}, 1), 9_000, 32},
	"space first": {Ratio, 370, func(b string) []float64 {
		return append([]float64{1}, pairs(nil, [2]float64{1, 2}, [2]float64{2, 1}, 1)(b)[:2*len(b)]...)
	}, 13_000, 12},
	"biphase": {Biphase, 700, manchester, 60_000, 17},
}

func randomBits(rng *rand.Rand, n int) string {
	var b strings.Builder
	for range n {
		b.WriteByte('0' + byte(rng.IntN(2)))
	}
	return b.String()
}

// hear plays frames as a receiver delivers them: another clock, stretched marks, jitter on each edge.
func hear(rng *rand.Rand, frame []float64, unit, gap float64, frames int, clock, stretch,
	jitter float64) []signal.Reception {
	var out []signal.Reception
	for range frames {
		var t signal.Train
		for i, u := range frame {
			d := u*unit*clock + stretch + rng.NormFloat64()*jitter
			if i%2 == 1 {
				d = u*unit*clock - stretch + rng.NormFloat64()*jitter
			}
			if i == 0 {
				d -= rng.Float64() * 60
			}
			t = append(t, max(int(d), 20))
		}
		out = append(out, signal.Reception{Train: t, Gap: int(gap * clock)})
	}
	return out
}

func TestDescribe_ReadsTheBitsOfEveryStyle(t *testing.T) {
	for name, c := range codes {
		t.Run(name, func(t *testing.T) {
			rng := rand.New(rand.NewPCG(1, 2))
			wrong := 0
			for range 50 {
				bits := "01" + randomBits(rng, c.bits-4) + "10"
				trains := hear(rng, c.make(bits), c.unit, c.gap, 2+rng.IntN(4), 0.93+0.14*rng.Float64(),
					(rng.Float64()*200-90)*min(c.unit/500, 1), 12)
				s, err := Describe(trains)
				require.NoError(t, err)
				if s.Style != c.style || strings.Join(s.Bits, "") != bits && c.style != Ratio ||
					s.Frames != len(trains) {
					wrong++
					if wrong == 3 {
						t.Logf("%s\n%v\n%+v", bits, trains[0].Train, s)
					}
					continue
				}
				assert.InDelta(t, c.unit, s.Unit, 0.1*c.unit)
			}
			assert.LessOrEqual(t, wrong, 1)
		})
	}
}

func TestDescribe_SheetReadsAndSendsTheSame(t *testing.T) {
	for name, c := range codes {
		t.Run(name, func(t *testing.T) {
			rng := rand.New(rand.NewPCG(3, 4))
			bits := "01" + randomBits(rng, c.bits-4) + "10"
			trains := hear(rng, c.make(bits), c.unit, c.gap, 4, 1.03, 40, 8)
			s, err := Describe(trains)
			require.NoError(t, err)
			text := s.Sheet("found", On{line.Infrared, 38_000})
			sheet, err := line.ParseSheet("found.yaml", []byte(text))
			require.NoError(t, err, text)
			burst, err := sheet.Encode(s.Fields())
			require.NoError(t, err)
			require.Equal(t, len(s.Frame)+1, len(burst.Repeat)+len(burst.Repeat)%2, text)
			for i, d := range s.Frame {
				assert.InDelta(t, d, burst.Repeat[i], 15, "duration %d", i)
			}
			book, err := line.NewBook(sheet)
			require.NoError(t, err)
			readings := book.Decode(trains).Readings
			require.NotEmpty(t, readings, text)
			assert.Equal(t, s.Fields(), readings[0].Fields)
			assert.Equal(t, 4, readings[0].Frames)
		})
	}
}

func TestFingerprint_SameKeyAtAnotherClock(t *testing.T) {
	for name, c := range codes {
		t.Run(name, func(t *testing.T) {
			rng := rand.New(rand.NewPCG(5, 6))
			missed, confused := 0, 0
			for range 40 {
				bits := "01" + randomBits(rng, c.bits-4) + "10"
				other := bits[:5] + string('0'+'1'-bits[5]) + bits[6:]
				first, err := Describe(hear(rng, c.make(bits), c.unit, c.gap, 3, 1, 30, 10))
				require.NoError(t, err)
				again, err := Describe(hear(rng, c.make(bits), c.unit, c.gap, 1+rng.IntN(3), 0.84+0.32*rng.Float64(),
					rng.Float64()*120-60, 15))
				require.NoError(t, err)
				if again.Print != first.Print || !Alike(first.Frame, again.Frame) {
					missed++
					t.Logf("%v %v\n%v\n%v\n%v\n%v", again.Print == first.Print, again.Frames, first.Frame, again.Frame,
						again.Marks, again.Spaces)
				}
				wrong, err := Describe(hear(rng, c.make(other), c.unit, c.gap, 3, 1, 30, 10))
				require.NoError(t, err)
				if wrong.Print == first.Print && Alike(first.Frame, wrong.Frame) {
					confused++
				}
			}
			assert.LessOrEqual(t, missed, 1)
			assert.Zero(t, confused)
		})
	}
}

// flat lists the durations of a frame in µs.
func flat(frame []float64, unit float64) []int {
	out := make([]int, len(frame))
	for i, u := range frame {
		out[i] = int(u * unit)
	}
	return out
}

func TestDescribe_FindsFramesByWhatRecurs(t *testing.T) {
	a := flat(codes["distance"].make("0110010110100111"), 500)
	b := flat(codes["distance"].make("1010"), 500)
	held := []int{6000, 1500, 500}
	heard := func(pieces ...any) []signal.Reception {
		var out []signal.Reception
		for i := 0; i < len(pieces); i += 2 {
			out = append(out, signal.Reception{Train: pieces[i].([]int), Gap: pieces[i+1].(int)})
		}
		return out
	}
	for _, c := range []struct {
		name   string
		press  []signal.Reception
		frame  int // durations
		frames int
		once   int
		gap    int
	}{
		{"alone", heard(a, 0), len(a), 1, 0, 0},
		{"three", heard(a, 40_000, a, 40_000, a, 0), len(a), 3, 0, 40_000},
		{"wake-up pause longer than the gap", heard([]int{9400}, 89_000, a, 30_000, a, 30_000, a, 0), len(a), 3, 1,
			30_000},
		{"pause in the middle longer than the gap", heard(a, 35_000, b, 20_000, a, 35_000, b, 0), len(a) + 1 + len(b),
			2, 0, 20_000},
		{"pause in the middle shorter than the gap", heard(a, 9_000, b, 30_000, a, 9_000, b, 0), len(a) + 1 + len(b), 2,
			0, 30_000},
		{"short frames while held", heard(a, 40_000, held, 90_000, held, 90_000, held, 0), len(a), 1, 0, 0},
		{"a damaged first frame", heard(a[6:], 40_000, a, 40_000, a, 0), len(a), 2, 0, 40_000},
		{"let go inside a frame", heard(a, 40_000, a, 40_000, a[:9], 0), len(a), 2, 0, 40_000},
	} {
		t.Run(c.name, func(t *testing.T) {
			s, err := Describe(c.press)
			require.NoError(t, err)
			assert.Len(t, s.Frame, c.frame)
			assert.Equal(t, c.frames, s.Frames)
			assert.Len(t, s.Once, c.once)
			assert.InDelta(t, c.gap, s.Gap, 1)
		})
	}
}

func TestDescribe_FindsAFrameInsideNoise(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 8))
	c := codes["ratio"]
	for range 20 {
		bits := "01" + randomBits(rng, c.bits-4) + "10"
		var t1 signal.Train
		noise := func() {
			for n := 20 + 2*rng.IntN(12); n > 0; n-- {
				t1 = append(t1, 60+rng.IntN(1400))
			}
		}
		noise()
		for range 4 {
			t1 = append(t1, hear(rng, c.make(bits), c.unit, c.gap, 1, 1, 30, 10)[0].Train...)
			t1 = append(t1, 300+rng.IntN(900))
			noise()
		}
		t1 = t1[:len(t1)-1+len(t1)%2]
		s, err := Describe([]signal.Reception{{Train: t1}})
		require.NoError(t, err)
		require.GreaterOrEqual(t, s.Frames, 3)
		require.Contains(t, strings.Join(s.Bits, ""), bits[1:len(bits)-1])
	}
}

func TestDescribe_SaysTheSameEachTime(t *testing.T) {
	trains := hear(rand.New(rand.NewPCG(1, 1)), pairs([]float64{8, 4}, [2]float64{1, 1}, [2]float64{1, 1.4},
		1)("0110100111001010"), 500, 30_000, 2, 1, 0, 2)
	first, err := Describe(trains)
	require.NoError(t, err)
	for range 50 {
		again, err := Describe(trains)
		require.NoError(t, err)
		require.Equal(t, first.Bits, again.Bits)
	}
	assert.Equal(t, []string{"0110100111001010"}, first.Bits)
}

func TestDescribe_KeepsWhatHasNoBitsAsATrain(t *testing.T) {
	rng := rand.New(rand.NewPCG(9, 1))
	odd := signal.Train{}
	for range 41 {
		odd = append(odd, 100+rng.IntN(9000))
	}
	s, err := Describe([]signal.Reception{{Train: odd}})
	require.NoError(t, err)
	assert.Equal(t, Plain, s.Style)
	assert.Len(t, s.Frame, len(odd))
	assert.False(t, s.HasSheet())
	assert.Contains(t, s.Words(), "kept as a train")
	_, err = Describe([]signal.Reception{{Train: signal.Train{500}}})
	require.ErrorIs(t, err, ErrTooShort)
	_, err = Describe(nil)
	require.ErrorIs(t, err, ErrTooShort)
}

func TestDescribe_ReadsSymbolsOfTwoBits(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 1))
	frame := signal.Train{4000, 2000}
	want := ""
	for i := range 24 {
		k := rng.IntN(4)
		if i < 4 {
			k = i
		}
		frame = append(frame, 400, 400*(k+1))
		want += []string{"00", "01", "10", "11"}[k]
	}
	frame = append(frame, 400)
	s, err := Describe([]signal.Reception{{Train: frame, Gap: 30_000}, {Train: frame}})
	require.NoError(t, err)
	assert.Equal(t, Symbols, s.Style)
	assert.Equal(t, []string{want}, s.Bits)
	_, err = line.ParseSheet("x", []byte(s.Sheet("found", On{line.Infrared, 38_000})))
	require.NoError(t, err)
}

// climate is a whole state as a long frame of several blocks.
func climate(rng *rand.Rand, bits int) []signal.Reception {
	var t signal.Train
	for n := 0; n < bits; n += 75 {
		if n > 0 {
			t = append(t, 20_000)
		}
		t = append(t, flat(codes["distance"].make(randomBits(rng, 75)), 430)...)
	}
	return []signal.Reception{{Train: t, Gap: 60_000}, {Train: t}}
}

func TestDescribe_LongFramesOfSeveralBlocks(t *testing.T) {
	s, err := Describe(climate(rand.New(rand.NewPCG(4, 4)), 300))
	require.NoError(t, err)
	require.Len(t, s.Bits, 4)
	assert.Len(t, s.Bits[3], 75)
	assert.Equal(t, 2, s.Frames)
	sheet, err := line.ParseSheet("x", []byte(s.Sheet("found", On{line.Infrared, 38_000})))
	require.NoError(t, err)
	burst, err := sheet.Encode(s.Fields())
	require.NoError(t, err)
	assert.True(t, Alike(s.Frame, burst.Repeat[:len(burst.Repeat)-1]))
}

func FuzzDescribe(f *testing.F) {
	f.Add("9024/4512 564/564 564/1692 564/564 564")
	f.Add("300/900 900/300 300/900 900/300 300")
	f.Add("1 1 1 1 1 1 1 1 1 1 1 1 1 1 1 1 1 1 1 1 1")
	f.Fuzz(func(t *testing.T, text string) {
		parsed, err := signal.ParseText(text)
		if err != nil {
			return
		}
		s, err := Describe([]signal.Reception{{Train: parsed.Train, Gap: parsed.Gap}})
		if err != nil {
			return
		}
		require.NoError(t, s.Frame.Check())
		for _, span := range s.Spans {
			require.Less(t, span.From, span.To)
			require.LessOrEqual(t, span.To, len(s.Frame))
		}
		if sheet := s.Sheet("found", On{line.Radio, 433_920_000}); sheet != "" {
			compiled, err := line.ParseSheet("found", []byte(sheet))
			if err != nil {
				return // a unit or a pause that no sheet may have
			}
			_, err = compiled.Encode(s.Fields())
			require.NoError(t, err, sheet)
		}
		require.True(t, Alike(s.Frame, s.Frame))
	})
}

func BenchmarkDescribe(b *testing.B) {
	rng := rand.New(rand.NewPCG(4, 4))
	presses := map[string][]signal.Reception{"300 bits": climate(rng, 300)}
	for name, damage := range map[string]string{"usual": "", "noise between frames": "noise"} {
		w := newWild(rng)
		w.frames, w.gap = 4, 30_000
		p := pressAt(rng, "usual", w.unit)
		p.damage = damage
		presses[name] = w.hear(rng, w.sends(w.bits(rng), 0), p)
	}
	noise := signal.Train{}
	for range 4095 {
		noise = append(noise, 60+rng.IntN(3000))
	}
	presses[fmt.Sprint("noise of ", len(noise))] = []signal.Reception{{Train: noise}}
	for name, press := range presses {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				_, _ = Describe(press)
			}
		})
	}
}
