// Package bench looks into signals that nobody has a name for: it finds the frames of a press, how bits become
// durations in them, the unit and the bits; it writes a line sheet for what it found, makes a fingerprint to recognise
// it by, and compares two signals.
package bench

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"urbo/core/fault"
	"urbo/core/signal"
)

// ErrTooShort is wrapped where there is too little to describe.
var ErrTooShort = fault.New(fault.Invalid, "too short to describe")

// Style is how the bits of a frame become durations.
type Style string

// The styles.
const (
	Distance Style = "space"   // spaces differ
	Width    Style = "mark"    // marks differ
	Ratio    Style = "ratio"   // both differ, together equally long
	Biphase  Style = "biphase" // bits are changes of level
	Symbols  Style = "symbol"  // more than two kinds of pairs
	Plain    Style = "train"   // none of these: only durations
)

var styleWords = map[Style]string{Distance: "bits are told by their spaces", Width: "bits are told by their marks",
	Ratio: "bits are told by marks and spaces together", Biphase: "bits are changes of level (biphase)",
	Symbols: "more than two kinds of pulses, each a symbol", Plain: "no regular bits, kept as a train"}

// Span is a piece of the frame and what it is.
type Span struct {
	From int    `json:"from"` // index of its first duration in the frame
	To   int    `json:"to"`   // index after its last duration
	Text string `json:"text"` // "0", "1", a symbol, "lead", "pause" or "tail"
}

// Structure is what was found out about a press.
type Structure struct {
	Style   Style
	Unit    float64 // µs
	Stretch float64 // µs, what the receiver added to marks and took from spaces
	Bits    []string
	Frames  int          // equal frames that were heard
	Starts  []int        // where they begin among the durations of the press (signal.Flatten)
	Once    signal.Train // clean, sent once before the frame, with OnceGap after it; nil where there is none
	OnceGap int          // µs
	Frame   signal.Train // clean: without stretch, at multiples of the unit
	Raw     signal.Train // the frame as heard: the median of all equal ones
	Gap     int          // µs from frame to frame, 0 where only one frame was heard
	Marks   []Cluster
	Spaces  []Cluster
	Spans   []Span
	Print   Fingerprint

	zero, one  []float64 // units
	shapes     [][]float64
	names      []string // of the shapes
	spaceFirst bool
	open       bool // the last mark is a bit whose space is silence
	rise       string
	pieces     []piece
}

// piece is one part of the frame as it is written into a sheet.
type piece struct {
	units []float64 // fixed durations
	us    []int     // or fixed durations in µs
	bits  string    // or bits
}

// Describe finds the structure of a press. Errors wrap ErrTooShort.
func Describe(trains []signal.Reception) (Structure, error) {
	flat := signal.Flatten(trains)
	if len(flat) < 4 {
		return Structure{}, fmt.Errorf("%w: %d durations: record a whole press", ErrTooShort, max(len(flat)-1, 0))
	}
	p := takeApart(flat)
	s := Structure{Frames: len(p.starts), Starts: p.starts, Raw: p.frame, Gap: p.gap, OnceGap: p.onceGap}
	s.read(p.frame)
	s.Once = s.clean(p.once)
	s.Print = FingerprintOf(s.Frame)
	return s, nil
}

// Words says what was found, in one or two sentences.
func (s Structure) Words() string {
	n := 0
	for _, b := range s.Bits {
		n += len(b)
	}
	var out string
	switch {
	case s.Style == Plain:
		out = fmt.Sprintf("%d durations without regular bits, kept as a train", len(s.Frame))
	case len(s.Bits) == 1:
		out = fmt.Sprintf("%d bits; %s", n, styleWords[s.Style])
	default:
		out = fmt.Sprintf("%d bits in %d blocks; %s", n, len(s.Bits), styleWords[s.Style])
	}
	if s.Style == Symbols {
		out = strings.Replace(out, "bits", "symbols", 1)
	}
	if s.Unit > 0 {
		out += fmt.Sprintf("; unit %.0f µs", s.Unit)
	}
	out += "."
	switch {
	case s.Frames > 1:
		out += fmt.Sprintf(" %d equal frames, %.1f ms apart.", s.Frames, float64(s.Gap)/1000)
	default:
		out += " One frame."
	}
	if s.Once != nil {
		out += fmt.Sprintf(" %d durations before them are sent once.", len(s.Once))
	}
	return out
}

// section is a run of pairs between two long spaces.
type section struct {
	from, to int // indices of durations; to is after the last mark
	lead     int // fixed durations at its start
}

// read classifies the durations of a frame.
func (s *Structure) read(frame []int) {
	sections := sectionsOf(frame)
	var marks, spaces []int
	for _, c := range sections {
		for i := c.from + 2; i < c.to; i++ {
			if i%2 == 0 {
				marks = append(marks, frame[i])
			} else {
				spaces = append(spaces, frame[i])
			}
		}
	}
	s.Marks, s.Spaces = clusters(marks), clusters(spaces)
	for i := range sections {
		c := &sections[i]
		if c.to-c.from > 1 && (classOf(s.Marks, frame[c.from]) < 0 || classOf(s.Spaces, frame[c.from+1]) < 0) {
			c.lead = 2
		}
	}
	if len(marks) < 4 || len(s.Marks) > 4 || len(s.Spaces) > 4 {
		s.plain(frame)
		return
	}
	s.Unit, s.Stretch = fitUnit(s.Marks, s.Spaces)
	if s.Unit == 0 || !(s.pulses(frame, sections, false) || s.pulses(frame, sections, true) ||
		s.biphase(frame, sections) || s.symbols(frame, sections)) {
		s.plain(frame)
		return
	}
	s.Frame = s.clean(frame)
}

// sectionsOf cuts a frame at spaces far longer than those of its bits. The first space is never such a pause: it
// belongs to the lead.
func sectionsOf(frame []int) []section {
	long := 4 * usualSpace(frame)
	out := []section{{}}
	for i := 3; i < len(frame); i += 2 {
		if frame[i] > long {
			out[len(out)-1].to = i
			out = append(out, section{from: i + 1})
		}
	}
	out[len(out)-1].to = len(frame)
	return out
}

// usualSpace is a space that four of five are no longer than, in µs.
func usualSpace(durations []int) int {
	var spaces []int
	for i := 1; i < len(durations); i += 2 {
		spaces = append(spaces, durations[i])
	}
	if len(spaces) == 0 {
		return 0
	}
	slices.Sort(spaces)
	return spaces[(len(spaces)-1)*4/5]
}

// plain keeps the durations, each the mean of its cluster where it has one.
func (s *Structure) plain(frame []int) {
	s.Style, s.Unit, s.Stretch = Plain, 0, 0
	s.Frame = append(signal.Train(nil), frame...)
	for i, us := range s.Frame {
		cs := s.Marks
		if i%2 == 1 {
			cs = s.Spaces
		}
		if c := classOf(cs, us); c >= 0 {
			s.Frame[i] = int(math.Round(cs[c].Center))
		}
	}
}

// unitsOf is how many units a duration lasts.
func (s *Structure) unitsOf(i, us int) float64 {
	cs, e := s.Marks, s.Stretch
	if i%2 == 1 {
		cs, e = s.Spaces, -s.Stretch
	}
	if c := classOf(cs, us); c >= 0 {
		return cs[c].Units
	}
	return multiple((float64(us) - e) / s.Unit)
}

// clean puts durations on multiples of the unit. Long pauses stay as they are, to ten µs.
func (s *Structure) clean(durations []int) signal.Train {
	if durations == nil {
		return nil
	}
	out := make(signal.Train, len(durations))
	at, rounded := 0.0, 0
	for i, us := range durations {
		d := float64(us)
		switch {
		case s.Style == Plain:
		case i%2 == 1 && us > pause:
			d = math.Round(d/10) * 10
		default:
			d = s.unitsOf(i, us) * s.Unit
		}
		at += d
		out[i] = max(int(math.Round(at))-rounded, 1)
		rounded = int(math.Round(at))
	}
	return out
}

// pause is the length in µs from which a space inside a frame is written in µs instead of units.
const pause = 6000

// Clean is the press as it should be sent: what comes once, then as many clean frames as were heard.
func (s Structure) Clean() []signal.Reception {
	gap := s.Gap
	if gap == 0 {
		gap = usualGap
	}
	var flat []int
	if s.Once != nil {
		flat = append(append(flat, s.Once...), s.OnceGap)
	}
	for range s.Repeats() {
		flat = append(append(flat, s.Frame...), gap)
	}
	return signal.Split(flat, signal.UnknownGap)
}

// usualGap is the silence in µs after a frame that was heard only once.
const usualGap = 40_000
