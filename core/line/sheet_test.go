package line_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/signal"
)

// randomFields draws a value for every field that the sheet's usual press sends.
func randomFields(r *rand.Rand, s *line.Sheet) line.Fields {
	out := line.Fields{}
	for _, f := range s.Fields() {
		if f.Digits > 0 {
			text := make([]byte, f.Digits)
			for i := range text {
				text[i] = f.Of[r.IntN(len(f.Of))]
			}
			out[f.Name] = line.Text(string(text))
			continue
		}
		out[f.Name] = line.Number(f.Min + r.Int64N(f.Max-f.Min+1))
	}
	return out
}

// worsen does to a burst what a handset's clock and a receiver do: clock error, stretch, jitter on every edge.
func worsen(r *rand.Rand, flat []int, clock, stretch, jitter float64) []int {
	out := make([]int, len(flat))
	edge := r.NormFloat64() * jitter
	for i, d := range flat {
		next := r.NormFloat64() * jitter
		us := float64(d)*clock + next - edge
		if i%2 == 0 {
			us += stretch
		} else {
			us -= stretch
		}
		out[i] = max(int(us+0.5), 1)
		edge = next
	}
	return out
}

func wholePress(b line.Burst) []int {
	flat := append([]int{}, b.Once...)
	for range max(b.Repeats, 1) {
		flat = append(flat, b.Repeat...)
	}
	return append(flat, b.Last...)
}

func TestDebug(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for _, s := range line.Builtin().Sheets() {
		bad, badTop := 0, 0
		n := 2000
		example := ""
		for range n {
			f := randomFields(r, s)
			unit := s.UnitFrom
			if s.UnitFrom != s.UnitTo {
				unit = 250 + r.Float64()*(s.UnitTo-250)
			}
			b, err := s.EncodeUnit(f, unit)
			require.NoError(t, err)
			stretch := -130 + 290*r.Float64()
			if s.Medium == line.Radio {
				stretch = -60 + 120*r.Float64()
			}
			flat := worsen(r, wholePress(b), 0.9+0.2*r.Float64(), stretch, 40)
			d := line.Builtin().Decode(signal.Split(flat, 20000))
			ok := false
			for _, rd := range d.Readings {
				if rd.Sheet == s.Name && rd.Fields.String() == f.String() {
					ok = true
				}
			}
			if !ok {
				bad++
				if example == "" {
					example = fmt.Sprint(f, unit, stretch, flat)
				}
			} else if d.Readings[0].Sheet != s.Name {
				badTop++
			}
		}
		fmt.Println(s.Name, "missed", bad, "of", n, "not first", badTop)
		if bad > 50 && testing.Verbose() {
			fmt.Println(example)
		}
	}
}
