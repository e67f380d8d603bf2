package figure_test

import (
	"bytes"
	"image/color"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/bench"
	"urbo/core/signal"
	"urbo/figure"
)

func TestComparison_DrawsBothSignals(t *testing.T) {
	a := signal.Train{3000, 1500, 1100, 740, 370, 740, 1100, 740, 370, 740, 370, 740, 1100, 740, 370, 740, 370}
	var b signal.Train
	for _, d := range a {
		b = append(b, d*4/5)
	}
	c, err := bench.Compare([]signal.Reception{{Train: a}}, []signal.Reception{{Train: b}})
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, figure.Comparison(&out, "png", c))
	img, err := png.Decode(&out)
	require.NoError(t, err)
	count := map[color.NRGBA]int{}
	for y := range img.Bounds().Dy() {
		for x := range img.Bounds().Dx() {
			count[color.NRGBAModel.Convert(img.At(x, y)).(color.NRGBA)]++
		}
	}
	teal, coral := count[color.NRGBA{0x0F, 0x76, 0x6E, 0xff}], count[color.NRGBA{0xC2, 0x41, 0x0C, 0xff}]
	assert.Greater(t, teal, 5000, "marks of the first")
	assert.InDelta(t, 0.8, float64(coral)/float64(teal), 0.05,
		"those of the second are a fifth shorter on the same axis")

	out.Reset()
	require.NoError(t, figure.Comparison(&out, "svg", c))
	assert.Contains(t, out.String(), "Same")
	assert.ErrorContains(t, figure.Comparison(&out, "gif", c), "png and svg")
}
