package bench

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/signal"
)

// evidenceOf is what one clean frame of a code gives: zero and one, at a unit in µs.
func evidenceOf(bits string, zero, one [2]float64, unit float64) evidence {
	return newEvidence(signal.Flatten([]signal.Reception{{Train: flat(pairs([]float64{9, 5}, zero, one, 1)(bits), unit),
		Gap: 40_000}}))
}

const someBits = "011010011100101001101110"

func TestClocks_TheUnitIsAmongTheBest(t *testing.T) {
	for _, unit := range []float64{90, 260, 562, 1100} {
		e := evidenceOf(someBits, [2]float64{1, 1}, [2]float64{1, 3}, unit)
		found := false
		for _, c := range e.clocks() {
			found = found || c.unit > 0.97*unit && c.unit < 1.03*unit
		}
		assert.True(t, found, "%g µs", unit)
	}
}

func TestLikely_TheShapeWins(t *testing.T) {
	for style, c := range map[Style][2][2]float64{Distance: {{1, 1}, {1, 4}}, Width: {{1, 2}, {3, 2}},
		Ratio: {{1, 3}, {3, 1}}} {
		e := evidenceOf(someBits, c[0], c[1], 400)
		m, _, next := e.explain()
		assert.Equal(t, style, m.style)
		assert.Equal(t, pair{int(c[0][0]), int(c[0][1])}, m.pairs[0])
		assert.Greater(t, next, 3.0)
		assert.InDelta(t, 400, m.unit, 5)
	}
}

// modelOf is a code with a clock that is known.
func modelOf(style Style, unit float64, of ...pair) model {
	return model{newShape(style, of...), clock{unit: unit, sigma: 20}}
}

func TestWalk_ASplinterIsPartOfADuration(t *testing.T) {
	durations := []int{500, 500, 500, 1500, 500, 500, 500, 1500, 500, 500, 500, 40_000}
	whole := newEvidence(durations)
	// The fourth space is in three pieces: a spike of 30 µs in it.
	broken := newEvidence(append(append([]int{500, 500, 500, 1500, 500, 500, 500}, 700, 30, 770), durations[8:]...))
	m := modelOf(Distance, 500, pair{1, 1}, pair{1, 3})
	bits := func(e evidence) string {
		var w walker
		_, path := w.walk(e, m)
		require.NotEmpty(t, runsOf(e, m, path))
		return runsOf(e, m, path)[0].bits
	}
	assert.Equal(t, "01010", bits(whole))
	assert.Equal(t, "01010", bits(broken))
}

func TestWalk_BiphaseFindsTheHalvesThatAreLost(t *testing.T) {
	m := modelOf(Biphase, 700)
	for _, bits := range []string{"1011001", "0110100", "1111110", "0000001"} {
		e := newEvidence(signal.Flatten([]signal.Reception{{Train: flat(manchester(bits), 700), Gap: 50_000}}))
		var w walker
		_, path := w.walk(e, m)
		runs := runsOf(e, m, path)
		require.Len(t, runs, 1)
		assert.Contains(t, runs[0].bits, strings.Trim(bits, "0"), bits)
	}
}

func TestRefit_FindsUnitAndStretch(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 3))
	frame := pairs([]float64{8, 4}, [2]float64{1, 1}, [2]float64{1, 3}, 1)(someBits)
	heard := hear(rng, frame, 500, 30_000, 3, 1.04, 60, 5)
	m, _, _ := newEvidence(signal.Flatten(heard)).explain()
	assert.InDelta(t, 520, m.unit, 4)
	assert.InDelta(t, 60, m.stretch, 8)
}

// segmentsWith makes segments of bits, with a pause before each.
func segmentsWith(pauses map[string]float64, bits ...string) []segment {
	out := make([]segment, len(bits))
	for i, b := range bits {
		sure := make([]float64, len(b))
		for p := range sure {
			sure[p] = float64(int(b[p]-'0')*2-1) * 10
		}
		out[i] = join([]bitRun{{bits: b, sure: sure}}, pauses[b])
		out[i].first = i == 0
	}
	return out
}

const blockA, blockB = "0110100111001010", "111100001010110010"

func TestCycles_BlocksThatComeInTurnsAreOneFrame(t *testing.T) {
	near := distances{}
	joined := func(segments []segment) []string {
		c := cut{segments: segments, groups: near.group(segments)}
		out, ok := cycles(c)
		if !ok {
			return nil
		}
		var bits []string
		for _, s := range out {
			bits = append(bits, s.bits)
		}
		return bits
	}
	assert.Equal(t, []string{blockA + blockB, blockA + blockB},
		joined(segmentsWith(map[string]float64{blockB: 35_000, blockA: 20_000}, blockA, blockB, blockA, blockB)),
		"a press has whole frames only, whichever pause is longer")
	assert.Equal(t, []string{blockB, blockA + blockB, blockA + blockB},
		joined(segmentsWith(map[string]float64{blockB: 9_000, blockA: 30_000}, blockB, blockA, blockB, blockA, blockB)),
		"a frame begins after the longer pause")
	assert.Nil(t, joined(segmentsWith(nil, blockA, blockA, blockA, blockA)))
}

func TestVoted_AWrongBitIsOutvotedAndAToggleIsNot(t *testing.T) {
	flip := func(bits string, p int) string { return bits[:p] + string('0'+'1'-bits[p]) + bits[p+1:] }
	vote := func(sure float64, bits ...string) ballot {
		segments := segmentsWith(nil, bits...)
		for i, b := range bits {
			for p := range b {
				if b[p] != blockB[p] {
					segments[i].sure[p] *= sure / 10
				}
			}
		}
		b, ok := voted(cut{segments: segments, groups: distances{}.group(segments)}, Distance)
		require.True(t, ok)
		return b
	}
	b := vote(2, blockB, flip(blockB, 5), blockB)
	assert.Equal(t, blockB, b.mask, "a bit that is not sure")
	b = vote(10, blockB, flip(blockB, 5), blockB, flip(blockB, 5), blockB)
	assert.Equal(t, blockB[:5]+"*"+blockB[6:], b.mask)
	assert.Equal(t, blockB, b.bits, "what is sent is a frame that was heard")
	b = vote(10, flip(blockB, 5), blockB, blockB, blockB)
	assert.Equal(t, blockB, b.mask, "a first frame that is sent once")
	b = vote(10, blockB, blockB, blockB[3:])
	assert.Equal(t, blockB, b.bits, "a frame that was cut has a vote, and no say about its length")
}

func TestEdits_InsideItsBand(t *testing.T) {
	for _, c := range []struct {
		a, b string
		n    int
	}{{"0110", "0110", 0}, {"0110", "0100", 1}, {"0110", "110", 1}, {"0110", "01101", 1}, {"0000", "1111", 3},
		{"", "01", 2}, {"10101010", "01010101", 2}} {
		assert.Equal(t, c.n, edits(c.a, c.b, 2), "%s %s", c.a, c.b)
		assert.Equal(t, c.n, edits(c.b, c.a, 2), "%s %s", c.b, c.a)
	}
}

func TestStructure_SaysWhatCannotBeKnown(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 9))
	stop := hear(rng, pairs(nil, [2]float64{1, 3}, [2]float64{3, 1}, 1)(someBits), 350, 12_000, 4, 1, 0, 8)
	s, err := Describe(stop)
	require.NoError(t, err)
	assert.Equal(t, someBits, strings.Join(s.Bits, ""))
	assert.Contains(t, strings.Join(s.Doubts, " "), "It may be a bit: then there are 25 bits.")
	s, err = Describe(stop[:1])
	require.NoError(t, err)
	assert.Contains(t, strings.Join(s.Doubts, " "), "Only one whole frame")
	assert.Less(t, s.Sure, 0.9)
}

func TestStructure_ATogglesSheetSendsTheOtherValueNext(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 9))
	w := wild{style: Distance, pairs: [2][2]int{{1, 1}, {1, 3}}, unit: 500, lead: []float64{9, 5}, blocks: []int{24},
		stop: true, frames: 6, gap: 40_000, toggle: 7}
	s, err := Describe(w.hear(rng, w.sends(someBits, 0), pressAt(rng, "usual", w.unit)))
	require.NoError(t, err)
	assert.Equal(t, []int{8}, s.Varies())
	assert.Contains(t, s.Words(), "Bit 8 differs from frame to frame: a toggle")
	sheet, err := line1(s)
	require.NoError(t, err)
	assert.Equal(t, int64(2), sheet.Turns()["turn"].Values)
	print, ok := SheetPrint(sheet, s.Fields())
	assert.True(t, ok)
	assert.Equal(t, s.Print, print)
}
