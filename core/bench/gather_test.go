package bench_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/bench"
	"urbo/core/line"
	"urbo/core/recording"
	"urbo/core/signal"
)

// TestGatherer_KeepsFourHundredCodesApart: a recording of a whole drawer ended in "more not kept apart".
func TestGatherer_KeepsFourHundredCodesApart(t *testing.T) {
	book := line.Builtin()
	s, err := book.Sheet("nec")
	require.NoError(t, err)
	g := bench.NewGatherer(book)
	for i := range int64(400) {
		b, err := s.Encode(line.Fields{"address": line.Number(i / 256), "command": line.Number(i % 256)})
		require.NoError(t, err)
		for range 2 {
			g.Add(recording.Press{Trains: signal.Split(b.Once, signal.UnknownGap)})
		}
	}
	assert.Len(t, g.Findings, 400)
	assert.Zero(t, g.LeftOut)
	assert.Equal(t, 2, g.Findings[399].Count)
}
