package line_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/signal"
)

// clean is a press of a line code, as durations.
func clean(t *testing.T, sheet string, fields line.Fields) []int {
	t.Helper()
	s, err := line.Builtin().Sheet(sheet)
	require.NoError(t, err)
	b, err := s.Encode(fields)
	require.NoError(t, err)
	return press(b)
}

var volume = line.Fields{"address": line.Number(57), "command": line.Number(23)}

// reads looks for a reading among those of a press.
func reads(trains []signal.Heard, sheet string, fields line.Fields) (line.Reading, bool) {
	for _, r := range line.Builtin().Decode(trains).Readings {
		if r.Sheet == sheet && assert.ObjectsAreEqual(fields, r.Fields) {
			return r, true
		}
	}
	return line.Reading{}, false
}

func TestDecode_MergesGlitches(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	read := 0
	for range 200 {
		flat := clean(t, "nec", volume)
		for range 4 { // marks broken by short gaps, spaces by stray pulses
			i := r.IntN(67)
			for flat[i] < 900 {
				i = r.IntN(67)
			}
			short := 60 + r.IntN(150)
			before := 250 + r.IntN(flat[i]-500-short)
			flat = slices.Insert(flat, i+1, short, flat[i]-before-short)
			flat[i] = before
		}
		if _, ok := reads(signal.Split(flat, 20_000), "nec", volume); ok {
			read++
		}
	}
	assert.GreaterOrEqual(t, read, 150)
}

func TestDecode_JoinsAPressThatATimeOutCut(t *testing.T) {
	flat := clean(t, "nec", volume)
	for _, cut := range []int{1, 15, 31, 51} { // after the lead, and inside the bits
		trains := []signal.Heard{{Train: flat[:cut:cut], Gap: flat[cut]}}
		trains = append(trains, signal.Split(flat[cut+1:], 20_000)...)
		r, ok := reads(trains, "nec", volume)
		require.True(t, ok, "cut at %d", cut)
		assert.Equal(t, 1, r.Frames)
	}
}

func TestDecode_TwoHandsetsAtOnceAreBothRead(t *testing.T) {
	other := line.Fields{"address": line.Number(3), "command": line.Number(40), "toggle": line.Number(0)}
	var flat []int
	for range 3 {
		flat = append(append(flat, clean(t, "nec", volume)...), clean(t, "rc5", other)...)
	}
	trains := signal.Split(flat, 20_000)
	for sheet, fields := range map[string]line.Fields{"nec": volume, "rc5": other} {
		r, ok := reads(trains, sheet, fields)
		require.True(t, ok, sheet)
		assert.GreaterOrEqual(t, r.Frames, 3)
	}
}

func TestDecode_AnUnsureFirstMarkAndLostEdges(t *testing.T) {
	flat := clean(t, "samsung32", line.Fields{"address": line.Number(7), "command": line.Number(9)})
	want := line.Fields{"address": line.Number(7), "command": line.Number(9), "subaddress": line.Number(7)}
	for _, off := range []int{-200, 200} {
		spoiled := slices.Clone(flat)
		spoiled[0] += off
		_, ok := reads(signal.Split(spoiled, 20_000), "samsung32", want)
		assert.True(t, ok, "first mark off by %d µs", off)
	}
	twice := append(slices.Clone(flat), flat...)
	_, ok := reads(signal.Split(twice[11*2:], 20_000), "samsung32", want)
	assert.True(t, ok, "the first frame came in late")
	_, ok = reads(signal.Split(twice[:len(flat)+20], 20_000), "samsung32", want)
	assert.True(t, ok, "let go inside the second frame")
}

func TestDecode_AReceiverThatInverts(t *testing.T) {
	fields := line.Fields{"id": line.Number(0x12345), "key": line.Number(2)}
	inverted := append([]int{300}, clean(t, "ev1527", fields)...) // the silence before it looks like a mark
	inverted = append(inverted[:len(inverted)-1], 300)
	require.Equal(t, 1, len(inverted)%2)
	_, ok := reads([]signal.Heard{{Train: inverted}}, "ev1527", fields)
	assert.True(t, ok)
}
