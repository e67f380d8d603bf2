// Package figure draws signals into PNG and SVG files, without a browser.
package figure

import (
	"fmt"
	"image/color"
	"io"
	"math"
	"strings"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/text"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"

	"urbo/core/bench"
	"urbo/core/signal"
)

// The console's colours: received, transmitted, paper, ink.
var (
	teal  = color.NRGBA{0x0F, 0x76, 0x6E, 0xff}
	coral = color.NRGBA{0xC2, 0x41, 0x0C, 0xff}
	paper = color.NRGBA{0xF7, 0xF5, 0xF0, 0xff}
	ink   = color.NRGBA{0x1B, 0x23, 0x30, 0xff}
)

// row is one signal: marks as filled boxes that stand on a line.
type row struct {
	train  signal.Train
	start  float64 // µs
	bottom float64
	height float64
	fill   color.Color
}

// Plot draws the marks.
func (r row) Plot(c draw.Canvas, p *plot.Plot) {
	x, y := p.Transforms(&c)
	at := r.start
	for i, d := range r.train {
		if i%2 == 0 {
			box := []vg.Point{{X: x(at / 1000), Y: y(r.bottom)}, {X: x(at / 1000), Y: y(r.bottom + r.height)},
				{X: x((at + float64(d)) / 1000), Y: y(r.bottom + r.height)},
				{X: x((at + float64(d)) / 1000), Y: y(r.bottom)}}
			c.FillPolygon(r.fill, c.ClipPolygonXY(box))
		}
		at += float64(d)
	}
	c.StrokeLine2(draw.LineStyle{Color: r.fill, Width: vg.Points(0.7)}, x(r.start/1000), y(r.bottom), x(at/1000),
		y(r.bottom))
}

// DataRange is what the axes must show: ms, and rows.
func (r row) DataRange() (xmin, xmax, ymin, ymax float64) {
	return r.start / 1000, (r.start + float64(r.train.Length())) / 1000, r.bottom, r.bottom + r.height
}

// Comparison draws two signals over one time axis: the first, the second below it, and then both laid over each
// other at the first's clock, so that what still differs can be seen. format is png or svg.
func Comparison(w io.Writer, format string, c bench.Comparison) error {
	if format != "png" && format != "svg" {
		return fmt.Errorf("figure: format %q: png and svg can be drawn", format)
	}
	p := plot.New()
	p.BackgroundColor = paper
	p.Title.Text, _, _ = strings.Cut(c.Words, ". ")
	p.Title.Padding = vg.Points(8)
	p.X.Label.Text = "ms"
	for _, t := range []*text.Style{&p.Title.TextStyle, &p.X.Label.TextStyle, &p.X.Tick.Label, &p.Y.Tick.Label} {
		t.Color = ink
		t.Font.Variant = "Sans"
	}
	p.X.Color, p.X.Tick.Color = ink, ink
	start := float64(signal.Sum(c.A.Raw[:min(c.Offset, len(c.A.Raw))]))
	p.Add(row{c.A.Raw, 0, 2.4, 0.8, teal}, row{c.B.Raw, 0, 1.2, 0.8, coral},
		row{c.A.Raw, 0, 0, 0.8, half(teal)}, row{c.Scaled, start, 0, 0.8, half(coral)})
	p.X.Min, p.Y.Min, p.Y.Max = 0, -0.2, 3.4
	p.Y.Tick.Marker = plot.ConstantTicks{{Value: 0.4, Label: "laid over"}, {Value: 1.6, Label: "second"},
		{Value: 2.8, Label: "first"}}
	p.Y.Tick.Length, p.Y.LineStyle.Width = 0, 0

	width := vg.Length(9+3*math.Min(float64(max(len(c.A.Raw), len(c.B.Raw)))/150, 4)) * vg.Inch
	height := 3.6 * vg.Inch
	file, err := draw.NewFormattedCanvas(width, height, format)
	if err != nil {
		return fmt.Errorf("figure: %w", err)
	}
	all := draw.New(file)
	all.FillPolygon(paper, []vg.Point{{X: 0, Y: 0}, {X: width, Y: 0}, {X: width, Y: height}, {X: 0, Y: height}})
	const margin = 14
	p.Draw(draw.Crop(all, margin, -margin, margin, -margin))
	if _, err := file.WriteTo(w); err != nil {
		return fmt.Errorf("figure: %w", err)
	}
	return nil
}

// half lets what lies under it shine through.
func half(c color.NRGBA) color.NRGBA {
	c.A = 0x88
	return c
}
