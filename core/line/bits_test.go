package line_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/signal"
)

// TestOfBits_ReadsTheNumberOfAFrameFromBothEnds: the number of the textbook's NEC frame, written both ways.
func TestOfBits_ReadsTheNumberOfAFrameFromBothEnds(t *testing.T) {
	nec, err := line.Builtin().Sheet("nec")
	require.NoError(t, err)
	want := line.Fields{"address": line.Number(4), "command": line.Number(8)}
	got, ok := nec.OfBits(0x20DF10EF, 32, line.HighestFirst)
	require.True(t, ok)
	assert.Equal(t, want, got)
	got, ok = nec.OfBits(0xF708FB04, 32, line.LowestFirst)
	require.True(t, ok)
	assert.Equal(t, want, got)
	_, ok = nec.OfBits(0x20DF10EE, 32, line.HighestFirst)
	assert.False(t, ok, "the complement does not hold")
	_, ok = nec.OfBits(0x20DF, 16, line.HighestFirst)
	assert.False(t, ok, "no frame has so many bits")
	assert.Equal(t, []int{32}, nec.FrameBits())
	pt2262, err := line.Builtin().Sheet("pt2262")
	require.NoError(t, err)
	assert.Empty(t, pt2262.FrameBits(), "its values are no bits")
}

// TestSaid_NamesDifferentCodesOfOnePress: two codes 60 ms apart were one reading and others beside it.
func TestSaid_NamesDifferentCodesOfOnePress(t *testing.T) {
	book := line.Builtin()
	for _, c := range []struct {
		sheet string
		codes []line.Fields
	}{
		{"nec", []line.Fields{{"address": line.Number(4), "command": line.Number(8)},
			{"address": line.Number(4), "command": line.Number(9)}}},
		{"sirc15", []line.Fields{{"address": line.Number(7), "command": line.Number(1)},
			{"address": line.Number(7), "command": line.Number(2)},
			{"address": line.Number(7), "command": line.Number(3)}}},
	} {
		s, err := book.Sheet(c.sheet)
		require.NoError(t, err)
		var flat []int
		var want []string
		for _, fields := range c.codes {
			b, err := s.Encode(fields)
			require.NoError(t, err)
			d := b.Durations()
			d[len(d)-1] = 60_000
			flat = append(flat, d...)
			want = append(want, fields.String())
		}
		var got []string
		for _, r := range line.Said(book.Decode(signal.Split(flat, signal.UnknownGap)).Readings) {
			got = append(got, r.Fields.String())
		}
		assert.Equal(t, want, got, c.sheet)
	}
	assert.Len(t, line.Said([]line.Reading{{Sheet: "a", To: 9, Confidence: 1}, {Sheet: "b", To: 9, Confidence: 1}}), 1,
		"two ways to read one frame are one code")
	assert.Empty(t, line.Said(nil))
}
