package recording

import (
	"bufio"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"slices"
	"strings"
	"time"

	"urbo/core/signal"
)

// Signal is what is written: a press, with a name and what carries it.
type Signal struct {
	Name        string
	Trains      []signal.Reception
	CarrierHz   int
	FrequencyHz int
}

// exporters by the name of their format.
var exporters = map[string]func(io.Writer, Signal) error{
	"vcd": writeVCD, "csv": writeCSV, "wav": writeWAV, "text": writeText, "c": writeArray,
}

// Exports lists the formats that Export writes.
func Exports() []string {
	return slices.Sorted(func(yield func(string) bool) {
		for name := range exporters {
			if !yield(name) {
				return
			}
		}
	})
}

// Export writes a press. Reading the file again gives the same trains, to the µs but for WAV, whose edges lie within
// 2 µs. Errors wrap ErrRecording where the format is not known.
func Export(w io.Writer, format string, s Signal) error {
	write := exporters[format]
	if write == nil {
		return fmt.Errorf("%w: format %.20q: %s can be written", ErrRecording, format, strings.Join(Exports(), ", "))
	}
	if len(s.Trains) == 0 {
		return fmt.Errorf("%w: there is nothing to write: name a signal with at least one train", ErrRecording)
	}
	out := bufio.NewWriter(w)
	if err := write(out, s); err != nil {
		return fmt.Errorf("write %s: %w", format, err)
	}
	return out.Flush()
}

// quiet is the silence in µs before and after what is written.
const quiet = 20_000

// durations lists marks and spaces, with the silence after the last mark.
func (s Signal) durations() []int {
	var flat []int
	for _, h := range s.Trains {
		gap := h.Gap
		if gap <= 0 {
			gap = signal.UnknownGap
		}
		flat = append(append(flat, h.Train...), gap)
	}
	return flat
}

// edges gives the time of each edge in µs, after some quiet, and the level from then on; the end of the last silence
// is the last.
func (s Signal) edges(yield func(at, level int) bool) {
	at, level := quiet, 1
	for _, d := range s.durations() {
		if !yield(at, level) {
			return
		}
		at, level = at+d, 1-level
	}
	yield(at, 0)
}

// on says what carries the signal.
func (s Signal) on() string {
	switch {
	case s.FrequencyHz > 0:
		return fmt.Sprintf("%g MHz", float64(s.FrequencyHz)/1e6)
	case s.CarrierHz > 0:
		return fmt.Sprintf("carrier %g kHz", float64(s.CarrierHz)/1e3)
	}
	return "carrier not known"
}

var noWord = regexp.MustCompile(`[^a-zA-Z0-9]+`)

// word is the name as an identifier.
func (s Signal) word() string {
	w := strings.Trim(noWord.ReplaceAllString(s.Name, "_"), "_")
	if w == "" || w[0] <= '9' {
		w = "train_" + w
	}
	return strings.TrimSuffix(w, "_")
}

// comment is the name without what could end a comment.
func (s Signal) comment() string {
	return strings.Map(func(c rune) rune {
		if c < ' ' || c == '$' || c == 0x7f {
			return ' '
		}
		return c
	}, s.Name)
}

func writeVCD(w io.Writer, s Signal) error {
	p := printer{w: w}
	p.f("$comment %s, %s $end\n$timescale 1 us $end\n$scope module urbo $end\n$var wire 1 ! %s $end\n$upscope "+
		"$end\n$enddefinitions $end\n#0\n0!\n", s.comment(), s.on(), s.word())
	for at, level := range s.edges {
		p.f("#%d\n%d!\n", at, level)
	}
	return p.err
}

func writeCSV(w io.Writer, s Signal) error {
	p := printer{w: w}
	p.f("time_us,%s\n0,0\n", s.word())
	for at, level := range s.edges {
		p.f("%d,%d\n", at, level)
	}
	return p.err
}

func writeText(w io.Writer, s Signal) error {
	p := printer{w: w}
	p.f("# %s: durations in µs, mark/space, %s\n", s.comment(), s.on())
	flat := s.durations()
	p.f("%s\n", signal.Train(flat).String())
	return p.err
}

func writeArray(w io.Writer, s Signal) error {
	flat := s.durations()
	p := printer{w: w}
	p.f("// %s: marks and spaces in turn, in µs; %s\n#include <stdint.h>\n\nconst uint32_t %s[%d] = {",
		strings.ReplaceAll(s.comment(), "\\", "/"), s.on(), s.word(), len(flat))
	for i, d := range flat {
		if i%12 == 0 {
			p.f("\n  ")
		} else {
			p.f(" ")
		}
		p.f("%d,", d)
	}
	p.f("\n};\n")
	return p.err
}

// wavRate is how many samples a second are written.
const wavRate = 96_000

func writeWAV(w io.Writer, s Signal) error {
	flat := append([]int{quiet}, s.durations()...)
	flat[len(flat)-1] += quiet // the last edge is beyond the last sample
	total := int64(-quiet / 2)
	for _, d := range flat {
		total += int64(d)
	}
	if total > time.Hour.Microseconds() {
		return errors.New("it is too long for a sound")
	}
	samples := int(total * wavRate / 1_000_000)
	if _, err := w.Write(wavHeader(wavRate, samples)); err != nil {
		return err
	}
	// A sample in which an edge lies has a level in between, so the edge is not moved to the next sample.
	const top = 26000
	i, at, mark := 0, 0.0, false
	for _, d := range flat {
		end := at + float64(d)*wavRate/1e6
		for ; i < samples && float64(i)+0.5 <= end-0.5; i++ {
			if err := writeSample(w, mark, 1, top); err != nil {
				return err
			}
		}
		if part := end - float64(i); i < samples && part > 0 { // of this sample that is before the edge
			if part > 1 {
				part = 1
			}
			if err := writeSample(w, mark, part, top); err != nil {
				return err
			}
			i++
		}
		at, mark = end, !mark
	}
	for ; i < samples; i++ {
		if err := writeSample(w, false, 1, top); err != nil {
			return err
		}
	}
	return nil
}

// writeSample writes one sample of which a part has a level and the rest the other.
func writeSample(w io.Writer, mark bool, part, top float64) error {
	if !mark {
		part = 1 - part
	}
	_, err := w.Write(binary.LittleEndian.AppendUint16(nil, uint16(int16(math.Round(part*top)))))
	return err
}

// printer keeps the first error.
type printer struct {
	w   io.Writer
	err error
}

func (p *printer) f(format string, args ...any) {
	if p.err == nil {
		_, p.err = fmt.Fprintf(p.w, format, args...)
	}
}
