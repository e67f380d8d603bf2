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
	"urbo/core/plain"
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
	Symbols  Style = "symbol"  // four kinds of pairs, of two bits each
	Plain    Style = "train"   // none of these: only durations
)

var styleWords = map[Style]string{Distance: "bits are told by their spaces", Width: "bits are told by their marks",
	Ratio: "bits are told by marks and spaces together", Biphase: "bits are changes of level (biphase)",
	Symbols: "bits are told two at a time, by four kinds of pulses", Plain: "no regular bits, kept as a train"}

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
	// Mask is the bits of all blocks by which the signal is recognised, with * where they vary from frame to frame.
	Mask    string
	Frames  int          // equal frames that were heard
	Starts  []int        // where they begin among the durations of the press (signal.Flatten)
	Once    signal.Train // clean, sent once before the frame, with OnceGap after it; nil where there is none
	OnceGap int          // µs
	Frame   signal.Train // clean: without stretch, at multiples of the unit
	Raw     signal.Train // the frame as heard: the median of all equal ones
	Gap     int          // µs from frame to frame, 0 where only one frame was heard
	Others  []string     // bits of other frames in the press
	Marks   []Cluster
	Spaces  []Cluster
	Spans   []Span
	Print   Fingerprint
	Sure    float64  // 0 to 1: how sure the bits are; 0 where there are none
	Doubts  []string // what cannot be known, or is not sure, in sentences

	shape  shape
	pieces []piece
	merged bool // no sheet can say what stands between its blocks
	across bool // bits vary from press to press, not within one
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
	if s, ok := modelled(flat); ok {
		return s, nil
	}
	return unmodelled(flat), nil
}

// mostDurations is how many durations of a press are explained. A press has a few hundred.
const mostDurations = 12_000

// How much more likely a code has to be than durations that mean nothing, as a logarithm: all of it, and each of its
// bits where the frame recurs, or does not. Noise reaches 2 a bit.
const leastScore, leastRecurring, leastAlone = 20.0, 1.0, 2.6

// modelled explains a press with one line code. It is false where no code explains enough.
func modelled(flat []int) (Structure, bool) {
	flat = flat[:min(len(flat), mostDurations)]
	e := newEvidence(flat)
	m, path, next := e.explain()
	runs := runsOf(e, m, path)
	bits := 0
	for _, r := range runs {
		bits += len(r.bits)
	}
	if bits < 2*fewestBits || m.score < max(leastScore, leastRecurring*float64(bits)) {
		return Structure{}, false
	}
	c := cutUp(e, m, runs)
	b, ok := voted(c, m.style)
	if !ok || !b.believable(m.score/float64(bits), m.sigma/m.unit, len(flat)) {
		return Structure{}, false
	}
	b.trimEnds(m)
	l, lead, tail := lay(e, m, &b)
	s := Structure{Style: m.style, Unit: m.unit, Stretch: m.stretch, Bits: b.blocks(b.bits), Mask: b.mask,
		Frames: len(b.equal()), Frame: whole(l.us), Raw: l.raw(lead, tail), Spans: l.spans, shape: m.shape,
		pieces: l.pieces, merged: l.merged}
	s.Marks, s.Spaces = l.clusters()
	s.place(l, lead, tail)
	s.Others = b.others()
	s.Print = printOf(s.Style, s.Mask)
	s.judge(b, next)
	return s, s.Frame.Check() == nil
}

// Varies are the numbers of the bits that vary, from 1, over all blocks.
func (s Structure) Varies() []int {
	var out []int
	for p, c := range s.Mask {
		if c == vary {
			out = append(out, p+1)
		}
	}
	return out
}

// believable says whether a frame is one, by how much each bit of the press is worth: a short one, or one that comes
// alone, has to be better, and so has one whose durations are far off: blur is of a unit. A frame that comes alone has
// to be most of the durations of the press, and its bits neither hardly change nor only take turns: that is a clock
// or a tone.
func (b *ballot) believable(perBit, blur float64, durations int) bool {
	const usualBlur, enoughBlurred, leastCovered = 0.16, 60, 0.4
	if blur > usualBlur && len(b.bits)*len(b.group) < enoughBlurred {
		return false
	}
	if len(b.group) > 1 {
		return len(b.bits) >= fewestBits && (len(b.bits) >= 2*fewestBits || len(b.group) >= 3)
	}
	covered := 0
	for _, r := range b.segments[b.group[0]].runs {
		covered += r.to - r.from
	}
	return len(b.bits) >= 2*fewestBits && perBit >= leastAlone && !even(b.bits) &&
		float64(covered) >= leastCovered*float64(durations)
}

// even says whether bits hardly change, or hardly do anything else.
func even(bits string) bool {
	const leastChanges, oneIn = 3, 6
	changes, breaks := 0, 0 // breaks are where a bit that changed comes after one that did not, or the other way round
	for i := 1; i < len(bits); i++ {
		if bits[i] != bits[i-1] {
			changes++
		}
		if i > 1 && (bits[i] != bits[i-1]) != (bits[i-1] != bits[i-2]) {
			breaks++
		}
	}
	return min(changes, breaks) < max(leastChanges, (len(bits)+oneIn-1)/oneIn)
}

// place finds where the frames of a press begin, how far they are apart, and what is sent once before them.
func (s *Structure) place(l *layout, lead, tail int) {
	var gaps []int
	last := -1
	equal := l.b.equal()
	for _, v := range equal {
		runs := l.b.segments[v].runs
		from, to := max(runs[0].from-lead, 0), min(runs[len(runs)-1].to+tail, len(l.e.us))
		from -= from % 2
		if last >= 0 && v == equal[len(s.Starts)-1]+1 {
			_, us := l.e.between(last, from)
			gaps = append(gaps, int(us))
		}
		s.Starts = append(s.Starts, from)
		last = to
	}
	s.Gap = median(gaps)
	s.sentOnce(l)
}

// sentOnce finds what stands before the first frame: a few pulses that wake a receiver, or a frame of its own.
func (s *Structure) sentOnce(l *layout) {
	const mostPulses, mostBetween = 6, 16
	first := s.Starts[0]
	if first == 0 || l.e.us[first-1] < 4*l.m.unit {
		return
	}
	covered := 0
	for v, seg := range l.b.segments {
		if seg.part || seg.runs[0].from >= first || slices.Contains(l.b.group, v) {
			continue
		}
		for _, r := range seg.runs {
			covered += r.to - r.from
		}
	}
	for _, v := range l.b.voters {
		if seg := l.b.segments[v]; seg.part {
			return // a frame of which something is missing
		}
	}
	if n := first - covered; covered == 0 && n > mostPulses || n > mostBetween {
		return
	}
	us := make([]float64, first-1)
	for i := range us {
		us[i] = l.e.us[i] + l.m.stretch*float64(i%2*2-1)
		if us[i] < longestFixed*l.m.unit {
			us[i] = max(multiple(us[i]/l.m.unit), 0.1) * l.m.unit
		}
		us[i] = max(us[i], 1)
	}
	s.Once, s.OnceGap = whole(us), int(l.e.us[first-1])
}

// others lists the bits of frames that are not the one that was found, each once.
func (b *ballot) others() []string {
	var out []string
	for i, s := range b.segments {
		if !s.part && !slices.Contains(b.group, i) && len(s.bits) >= 2*fewestBits && !slices.Contains(out, s.bits) &&
			!strings.Contains(b.bits, s.bits) {
			out = append(out, s.bits)
		}
	}
	return out
}

// unmodelled keeps the durations of a press without bits: of the frame that recurs, where there is one.
func unmodelled(flat []int) Structure {
	p := takeApart(flat)
	s := Structure{Style: Plain, Frames: len(p.starts), Starts: p.starts, Raw: p.frame, Gap: p.gap, OnceGap: p.onceGap,
		Once: p.once}
	var marks, spaces []int
	for i, us := range p.frame {
		if i%2 == 0 {
			marks = append(marks, us)
		} else {
			spaces = append(spaces, us)
		}
	}
	s.Marks, s.Spaces = clusters(marks), clusters(spaces)
	s.Frame = slices.Clone(p.frame)
	for i, us := range s.Frame {
		cs := s.Marks
		if i%2 == 1 {
			cs = s.Spaces
		}
		if c := classOf(cs, us); c >= 0 {
			s.Frame[i] = int(math.Round(cs[c].Center))
		}
	}
	s.Print = FingerprintOf(s.Frame)
	return s
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
	if len(s.Varies()) > 0 {
		out += " " + s.variesWords()
	}
	if len(s.Others) > 0 {
		out += " " + plain.Count(len(s.Others), "other frame is", "other frames are") + " in the press."
	}
	if s.Once != nil {
		out += fmt.Sprintf(" %d durations before them are sent once.", len(s.Once))
	}
	return out
}

// section is a run of pairs between two long spaces.
type section struct{ from, to int } // indices of durations; to is after the last mark

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
