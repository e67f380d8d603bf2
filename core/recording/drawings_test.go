package recording_test

import (
	"bytes"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"urbo/core/bench"
	"urbo/core/recording"
	"urbo/core/signal"
)

var drawings = flag.String("drawings", "", "folder to draw docs/bench.md's recordings into")

// Colours and sizes of a drawing.
const (
	ground, ink, teal, coral = "#F7F5F0", "#1B2330", "#1F7A7A", "#C4563F"
	wide, high, row, margin  = 860.0, 250.0, 80.0, 20.0
)

// sheet is a drawing of two rows: what was recorded, and what was read in it.
type sheet struct {
	text     strings.Builder
	from, to float64 // µs that it shows
}

func newSheet(from, to float64, title string) *sheet {
	s := &sheet{from: from, to: to}
	fmt.Fprintf(&s.text, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %g %g" width="%g" height="%g" role="img" `+
		`aria-label="%s" font-family="sans-serif" font-size="13"><rect width="%g" height="%g" fill="%s"/>`, wide, high,
		wide, high, title, wide, high, ground)
	s.label(margin, 24, "recorded")
	s.label(margin, 144, "read")
	return s
}

func (s *sheet) x(us float64) float64 { return margin + (us-s.from)/(s.to-s.from)*(wide-2*margin) }

func (s *sheet) label(x, y float64, text string) {
	fmt.Fprintf(&s.text, `<text x="%.1f" y="%.1f" fill="%s">%s</text>`, x, y, ink, text)
}

// line draws points of time and level, 0 to 1, in a row whose top is at y.
func (s *sheet) line(points [][2]float64, y float64, colour string) {
	var path strings.Builder
	for i, p := range points {
		fmt.Fprintf(&path, "%s%.1f %.1f", []string{"L", "M"}[map[bool]int{true: 1}[i == 0]], s.x(p[0]), y+row*(1-p[1]))
	}
	fmt.Fprintf(&s.text, `<path d="%s" fill="none" stroke="%s" stroke-width="1.2"/>`, path.String(), colour)
}

// pulses draws durations from a time on, mark first.
func (s *sheet) pulses(at float64, durations []float64, y float64, colour string) {
	points := [][2]float64{{s.from, 0}}
	for i, us := range durations {
		if at >= s.to {
			break
		}
		level := float64(1 - i%2)
		points = append(points, [2]float64{at, 1 - level}, [2]float64{at, level}, [2]float64{at + us, level})
		at += us
	}
	points = append(points, [2]float64{at, 0}, [2]float64{s.to, 0})
	var shown [][2]float64
	for _, p := range points {
		shown = append(shown, [2]float64{min(max(p[0], s.from), s.to), p[1]})
	}
	s.line(shown, y, colour)
}

func (s *sheet) save(t *testing.T, name string) {
	t.Helper()
	s.text.WriteString("</svg>\n")
	require.NoError(t, os.WriteFile(filepath.Join(*drawings, name+".svg"), []byte(s.text.String()), 0o644))
}

// TestDrawings draws the ways in which recordings go wrong, with what is read in them all the same.
func TestDrawings(t *testing.T) {
	if *drawings == "" {
		t.Skip("name a folder with -drawings to draw docs/bench.md's recordings")
	}
	for name, m := range map[string]microphone{
		"wrong-blocked": {rate: 48_000, bits: 16, corner: 120, swing: 0.4},
		"wrong-gain":    {rate: 48_000, bits: 16, corner: 40, gain: true, swing: 0.3},
		"wrong-hum":     {rate: 48_000, bits: 16, corner: 20, hum: 0.5, noise: 0.02, swing: 0.2},
		"wrong-noise":   {rate: 48_000, bits: 16, corner: 80, noise: 0.2, swing: 0.3},
	} {
		drawSound(t, name, m)
	}
	drawPress(t, "wrong-splinters", func(rng *rand.Rand, flat []float64) []float64 {
		var out []float64
		for i, us := range flat {
			if i%17 == 9 && us > 150 {
				out = append(out, 0.4*us, 40, 0.6*us-40)
				continue
			}
			out = append(out, us+20*rng.NormFloat64())
		}
		return out
	})
	drawPress(t, "wrong-between", func(rng *rand.Rand, flat []float64) []float64 {
		var out []float64
		for i, us := range flat {
			if us < 8000 || i%2 == 0 {
				out = append(out, us+20*rng.NormFloat64())
				continue
			}
			out = append(out, 5000)
			for us -= 5000; us > 3000; {
				a, b := 60+400*rng.Float64(), 60+1500*rng.Float64()
				out = append(out, a, b)
				us -= a + b
			}
		}
		return out
	})
	drawPress(t, "wrong-cut", func(rng *rand.Rand, flat []float64) []float64 {
		return flat[14 : len(flat)-20]
	})
}

func drawSound(t *testing.T, name string, m microphone) {
	t.Helper()
	rng := rand.New(rand.NewPCG(7, 1))
	press := pressOf(rng)
	x := m.samples(rng, press)
	from, to := (before-0.004)*1e6, (before+0.05)*1e6
	s := newSheet(from, to, "A sound card's samples, and the marks and spaces that are read in them")
	shown := x[int(from*m.rate/1e6):int(to*m.rate/1e6)]
	low, top := slices.Min(shown), slices.Max(shown)
	var points [][2]float64
	for i, v := range shown {
		points = append(points, [2]float64{from + float64(i)*1e6/m.rate, (v - low) / (top - low)})
	}
	s.line(points, 36, coral)
	r, err := recording.Open("x.wav", bytes.NewReader(wavOf(m, x)), recording.Options{})
	require.NoError(t, err)
	require.True(t, r.Scan(), name)
	p := r.Press()
	s.pulses(float64(p.At), floats(signal.Flatten(p.Trains)), 156, teal)
	s.save(t, name)
}

func floats(in []int) []float64 {
	out := make([]float64, len(in))
	for i, v := range in {
		out[i] = float64(v)
	}
	return out
}

// drawPress draws a press that was damaged, and the bits that are found in it.
func drawPress(t *testing.T, name string, damage func(*rand.Rand, []float64) []float64) {
	t.Helper()
	rng := rand.New(rand.NewPCG(7, 2))
	flat := damage(rng, pressOf(rng))
	ints := make([]int, len(flat))
	for i, us := range flat {
		ints[i] = max(int(us), 20)
	}
	found, err := bench.Describe(signal.Split(ints, signal.UnknownGap))
	require.NoError(t, err)
	require.NotEmpty(t, found.Bits, name)
	to := 0.0
	for _, us := range flat {
		to += us
	}
	s := newSheet(-2000, to+2000, "A damaged press, and the frames that are found in it")
	s.pulses(0, flat, 36, coral)
	for _, start := range found.Starts {
		s.pulses(float64(signal.Sum(ints[:start])), floats(found.Frame), 156, teal)
	}
	s.label(margin+60, 144, fmt.Sprintf("%d bits, %d of %d frames whole: %s", len(found.Bits[0]), found.Frames, 3,
		found.Bits[0]))
	s.save(t, name)
}
