package line_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/signal"
)

// TestDecode_AFrameInsideALongerOneIsNotClear puts the same pulses before or after each frame.
func TestDecode_AFrameInsideALongerOneIsNotClear(t *testing.T) {
	s, err := line.Builtin().Sheet("ev1527")
	require.NoError(t, err)
	b, err := s.Encode(line.Fields{"id": line.Number(0x5A3C1), "key": line.Number(4)})
	require.NoError(t, err)
	press := func(before, after []int) float64 {
		var flat []int
		for range 4 {
			frame := b.Repeat[:len(b.Repeat)-1]
			flat = append(append(append(append(flat, before...), frame...), after...), 14_000)
		}
		for _, r := range line.Builtin().Decode(signal.Split(flat, signal.UnknownGap)).Readings {
			if r.Sheet == "ev1527" {
				return r.Confidence
			}
		}
		return 0
	}
	assert.Greater(t, press(nil, nil), 0.9)
	assert.LessOrEqual(t, press([]int{4000, 2000}, nil), line.Clear)
	assert.LessOrEqual(t, press(nil, []int{2500, 4000, 700, 900, 300}), line.Clear)
}

// TestDecode_NoSheetTakesItsOwnPressForAPart: with all that a sheet sends around its frames.
func TestDecode_NoSheetTakesItsOwnPressForAPart(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 2))
	for _, s := range line.Builtin().Sheets() {
		for range 20 {
			_, trains, err := noises[0].spoil(r, s)
			require.NoError(t, err)
			trains = append(trains, trains...)
			for _, x := range s.Decode(trains) {
				assert.False(t, x.Confidence > 0.43 && x.Confidence < 0.47, "%s: %v", s.Name, x)
			}
		}
	}
}
