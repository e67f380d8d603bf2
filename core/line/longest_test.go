package line_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/signal"
)

// longest are trains of the greatest length, of kinds that are hard to read.
func longest() map[string]signal.Train {
	r := rand.New(rand.NewPCG(1, 1))
	const n = signal.MaxDurations - 1
	make := func(next func(i int) int) signal.Train {
		out := make(signal.Train, n)
		for i := range out {
			out[i] = next(i)
		}
		return out
	}
	frame := func(us ...int) func(int) int { return func(i int) int { return us[i%len(us)] } }
	return map[string]signal.Train{
		"noise":     make(func(int) int { return 60 + int(r.ExpFloat64()*300) }),
		"even":      make(frame(500, 500)),
		"two":       make(func(int) int { return []int{350, 1050}[r.IntN(2)] }),
		"leads":     make(frame(9000, 4500)),
		"half bits": make(func(int) int { return []int{889, 1778}[r.IntN(2)] }),
		"glitches":  make(func(i int) int { return []int{560, 560, 30, 1690}[(i+r.IntN(2))%4] }),
		"bits after leads": make(func(i int) int {
			if i%68 < 2 {
				return []int{9000, 4500}[i%68]
			}
			return []int{560, 560 + 1130*r.IntN(2)}[i%2]
		}),
		"rising": make(func(i int) int { return 50 + i }),
	}
}

// TestDecode_APressAtTheEndOfTheLongestNoiseIsRead has noise before each line code of the radio, as much as fits into
// one press: the effort for that must not use up what the press needs.
func TestDecode_APressAtTheEndOfTheLongestNoiseIsRead(t *testing.T) {
	t.Parallel()
	book := line.Builtin().Only(line.Radio)
	noise := longest()["noise"]
	read := 0
	for _, s := range book.Sheets() {
		fields := s.Sample()
		b, err := s.EncodeAnyway(fields, (s.UnitFrom+s.UnitTo)/2)
		require.NoError(t, err, s.Name)
		press := b.Durations()
		if len(press) > signal.MaxDurations/2 {
			continue
		}
		start := signal.MaxDurations - len(press) - 2
		start -= start % 2
		train := append(noise[:start:start], press[:len(press)-1]...)
		got := book.Decode([]signal.Reception{{Train: train, Gap: signal.UnknownGap}})
		alone := book.Decode([]signal.Reception{{Train: append(noise[:40:40], press[:len(press)-1]...),
			Gap: signal.UnknownGap}})
		if len(alone.Readings) == 0 || alone.Readings[0].Sheet != s.Name {
			continue // noise right before it is too much for it, however short
		}
		read++
		require.NotEmpty(t, got.Readings, s.Name)
		assert.Equal(t, alone.Readings[0].Fields, got.Readings[0].Fields, s.Name)
	}
	assert.Greater(t, read, len(book.Sheets())/2)
}

// BenchmarkLongest reads trains of the greatest length.
func BenchmarkLongest(b *testing.B) {
	for _, medium := range []line.Medium{line.Infrared, line.Radio} {
		book := line.Builtin().Only(medium)
		for name, train := range longest() {
			b.Run(string(medium)+"/"+name, func(b *testing.B) {
				heard := []signal.Reception{{Train: train}}
				for b.Loop() {
					book.Decode(heard)
				}
			})
		}
	}
}
