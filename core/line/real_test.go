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
func reads(trains []signal.Reception, sheet string, fields line.Fields) (line.Reading, bool) {
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
		trains := []signal.Reception{{Train: flat[:cut:cut], Gap: flat[cut]}}
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
	flat := clean(t, "twin32", line.Fields{"address": line.Number(7), "command": line.Number(9)})
	want := line.Fields{"address": line.Number(7), "command": line.Number(9), "subaddress": line.Number(7)}
	for _, off := range []int{-200, 200} {
		spoiled := slices.Clone(flat)
		spoiled[0] += off
		_, ok := reads(signal.Split(spoiled, 20_000), "twin32", want)
		assert.True(t, ok, "first mark off by %d µs", off)
	}
	twice := append(slices.Clone(flat), flat...)
	_, ok := reads(signal.Split(twice[11*2:], 20_000), "twin32", want)
	assert.True(t, ok, "the first frame came in late")
	_, ok = reads(signal.Split(twice[:len(flat)+20], 20_000), "twin32", want)
	assert.True(t, ok, "let go inside the second frame")
}

func TestDecode_AReceiverThatInverts(t *testing.T) {
	fields := line.Fields{"id": line.Number(0x12345), "key": line.Number(2)}
	inverted := append([]int{300}, clean(t, "ev1527", fields)...) // the silence before it looks like a mark
	inverted = append(inverted[:len(inverted)-1], 300)
	require.Equal(t, 1, len(inverted)%2)
	_, ok := reads([]signal.Reception{{Train: inverted}}, "ev1527", fields)
	assert.True(t, ok)
}

// ratio makes two frames of a 1:3 code that is longer than any sheet's, with so many units of silence between.
func ratio(bits string, unit, gap int) []signal.Reception {
	var flat []int
	for range 2 {
		for _, b := range bits {
			if b == '1' {
				flat = append(flat, 3*unit, unit)
			} else {
				flat = append(flat, unit, 3*unit)
			}
		}
		flat = append(flat, unit, gap*unit)
	}
	return signal.Split(flat, 20_000)
}

// TestDecode_ALongerCodeIsNoneOfItsParts: 36 bits were ev1527 by their last 24, and two keys were one.
func TestDecode_ALongerCodeIsNoneOfItsParts(t *testing.T) {
	for _, head := range []string{"000101100011", "010001000011", "1", "0110", "111100001111000011110000"} {
		for _, gap := range []int{20, 31, 40} {
			for _, r := range line.Builtin().Decode(ratio(head+"111001111011111111010111", 350, gap)).Readings {
				assert.NotContains(t, []string{"ev1527", "ratio24-a", "ratio24-b", "ratio24-c", "pt2262"}, r.Sheet,
					"%s at a gap of %d: %v", head, gap, r)
			}
		}
	}
	reading := line.Builtin().Decode(ratio("111001111011111111010111", 350, 31)).Readings
	require.NotEmpty(t, reading)
	assert.Equal(t, "ev1527", reading[0].Sheet, "24 bits are")
}

// TestDecode_ACutFrameIsNoShorterCode: hop66 with its last frame cut off was ht12e at 0.98.
func TestDecode_ACutFrameIsNoShorterCode(t *testing.T) {
	fields := line.Fields{"encrypted": line.Number(0x5A3C_91E7), "serial": line.Number(0x0ABCDE1),
		"button": line.Number(2), "status": line.Number(1)}
	s, err := line.Builtin().Sheet("hop66")
	require.NoError(t, err)
	b, err := s.EncodeAnyway(fields, 400)
	require.NoError(t, err)
	for cut := 30; cut < len(b.Repeat); cut += 7 {
		flat := append(append([]int{}, b.Repeat...), b.Repeat[:cut]...)
		for _, r := range line.Builtin().Decode(signal.Split(flat, 20_000)).Readings {
			assert.NotEqual(t, "ht12e", r.Sheet, "cut after %d: %v", cut, r)
		}
	}
}
