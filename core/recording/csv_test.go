package recording_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/recording"
)

// samples lists the level of a press every step µs, after silence.
func samples(press []float64, step float64) []int {
	const before = 30_000.0
	var out []int
	at, i, mark := before, -1, false
	for t := 0.0; t < 1e6; t += step {
		for t >= at {
			if i++; i == len(press) {
				at, mark = 1e9, false
				break
			}
			at, mark = at+press[i], i%2 == 0
		}
		if i >= len(press) && t > 900_000 {
			break
		}
		out = append(out, map[bool]int{true: 1}[mark])
	}
	return out
}

func TestCSV_TablesAsInstrumentsWriteThem(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 2))
	volts := func(level int) float64 { return 0.1 + 3.2*float64(level) + 0.05*rng.NormFloat64() }
	german := func(s string) string { return strings.ReplaceAll(s, ".", ",") }
	kinds := map[string]func(b *strings.Builder, levels []int, press []float64){
		"time and level": func(b *strings.Builder, levels []int, _ []float64) {
			b.WriteString("Time [ms],Channel 0,Channel 1\n")
			for i, l := range levels {
				fmt.Fprintf(b, "%.3f,%d,0\n", float64(i)*0.01, l)
			}
		},
		"the signal is in the last column": func(b *strings.Builder, levels []int, _ []float64) {
			b.WriteString("time_us,clock,data\n")
			for i, l := range levels {
				fmt.Fprintf(b, "%d,%d,%d\n", i*10, i/50%2, l)
			}
		},
		"volts with decimal commas": func(b *strings.Builder, levels []int, _ []float64) {
			b.WriteString("Zeit (s);Kanal A (V)\n")
			for i, l := range levels {
				b.WriteString(german(fmt.Sprintf("%.6f;%.3f\n", float64(i)*1e-5, volts(l))))
			}
		},
		"a head with the interval, samples alone": func(b *strings.Builder, levels []int, _ []float64) {
			b.WriteString("Model,XR-22\nSample Interval,1.0e-05,s\nCH1,CH2\n")
			for _, l := range levels {
				fmt.Fprintf(b, "%.3f,%.3f\n", volts(l), 0.01*rng.NormFloat64())
			}
		},
		"a comment with the rate, sample numbers": func(b *strings.Builder, levels []int, _ []float64) {
			b.WriteString("# sample rate: 100 kHz\nSample\tD0\n")
			for i, l := range levels {
				fmt.Fprintf(b, "%d\t%d\n", i, l)
			}
		},
		"changes only, in ns": func(b *strings.Builder, _ []int, press []float64) {
			b.WriteString("time (ns);level\n0;0\n")
			at := 30_000.0
			for i, us := range append(press, 0) {
				fmt.Fprintf(b, "%.0f;%d\n", at*1000, 1-i%2)
				at += us
			}
		},
		"level and duration": func(b *strings.Builder, _ []int, press []float64) {
			b.WriteString("level,duration_us\nlow,30000\n")
			for i, us := range press {
				fmt.Fprintf(b, "%s,%.0f\n", []string{"high", "low"}[i%2], us)
			}
			b.WriteString("low,400000\n")
		},
		"level and duration, in several rows": func(b *strings.Builder, _ []int, press []float64) {
			b.WriteString("0 30000\n")
			for i, us := range press {
				if us > 1000 {
					fmt.Fprintf(b, "%d 1000\n", 1-i%2)
					us -= 1000
				}
				fmt.Fprintf(b, "%d %.0f\n", 1-i%2, us)
			}
			b.WriteString("0 400000\n")
		},
	}
	for name, write := range kinds {
		t.Run(name, func(t *testing.T) {
			for range 3 {
				press := pressOf(rng)
				var b strings.Builder
				write(&b, samples(press, 10), press)
				r, err := recording.Open("table.csv", strings.NewReader(b.String()), recording.Options{})
				require.NoError(t, err)
				require.Equal(t, "csv", r.Info.Format)
				require.True(t, r.Scan())
				p := r.Press()
				var got []int
				for i, tr := range p.Trains {
					got = append(got, tr.Train...)
					if i+1 < len(p.Trains) {
						got = append(got, tr.Gap)
					}
				}
				require.Len(t, got, len(press))
				for i := range press {
					assert.InDelta(t, press[i], got[i], 21)
				}
				assert.False(t, r.Scan())
				require.NoError(t, r.Err())
			}
		})
	}
}

// BenchmarkCSV reads ten seconds of samples at 200 kHz.
func BenchmarkCSV(b *testing.B) {
	rng := rand.New(rand.NewPCG(2, 2))
	var text bytes.Buffer
	text.WriteString("Time[s],Channel 0\n")
	i := 0
	for range 10 {
		for _, l := range samples(pressOf(rng), 5) {
			fmt.Fprintf(&text, "%.6f,%d\n", float64(i)*5e-6, l)
			i++
		}
	}
	b.SetBytes(int64(text.Len()))
	for b.Loop() {
		r, err := recording.Open("x.csv", bytes.NewReader(text.Bytes()), recording.Options{})
		if err != nil {
			b.Fatal(err)
		}
		for r.Scan() {
		}
	}
	b.ReportMetric(float64(i)*5e-6/(b.Elapsed().Seconds()/float64(b.N)), "x-real-time")
}
