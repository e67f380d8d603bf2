package line

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"urbo/core/signal"
)

// Reading is what a decoder read out of a press.
type Reading struct {
	Sheet     string  `json:"sheet"`
	Fields    Fields  `json:"fields"`
	Frames    int     `json:"frames"`       // whole frames with these fields
	Repeats   int     `json:"repeats"`      // short repeat frames after them
	Unit      float64 `json:"unit_us"`      // measured, µs
	Stretch   float64 `json:"stretch_us"`   // what the receiver added to marks and took from spaces, µs
	Deviation float64 `json:"deviation_us"` // the largest difference from the clean frame, µs
	// Confidence is 0 to 1. One frame of a code without any check has at most 0.5.
	Confidence float64 `json:"confidence"`
	// Measured is what a sensor says; nil for keys.
	Measured []Measurement `json:"measured,omitempty"`
	// Rolling is true for a code that a device obeys once: it cannot be a key.
	Rolling bool `json:"rolling,omitempty"`
	// From and To are where in the press its frames stand, in µs since the press began.
	From int `json:"from_us,omitempty"`
	To   int `json:"to_us,omitempty"`

	score float64
}

// Clear is the confidence from which a reading says what a signal is.
const Clear = 0.45

// Measurement is a sensor's value.
type Measurement struct {
	Name  string  `json:"name"` // what it is, such as temperature
	Value float64 `json:"value"`
	Unit  string  `json:"unit"` // such as °C; empty for a bare number
}

// String is "temperature 21.7 °C".
func (m Measurement) String() string {
	return strings.TrimSpace(fmt.Sprintf("%s %g %s", m.Name, m.Value, m.Unit))
}

// measured turns the fields of a sensor's reading into what they measure.
func (s *Sheet) measured(fields Fields) []Measurement {
	var out []Measurement
	for _, f := range s.fields {
		if n, ok := fields[f.Name].Int(); ok && f.Measure != "" && has(fields, f.Name) {
			scale := f.Scale
			if scale == 0 {
				scale = 1
			}
			out = append(out, Measurement{f.Measure, math.Round(float64(n)*scale*1e6) / 1e6, f.In})
		}
	}
	return out
}

// LoneLimit is the highest confidence of one frame without any check.
const LoneLimit = 0.5

// Identity names what a reading means, without what changes from press to press (toggles): two presses of one key
// have the same identity.
func (s *Sheet) Identity(fields Fields) string {
	kept := Fields{}
	for name, v := range fields {
		if f := s.byName[name]; f == nil || !f.changes() {
			kept[name] = v
		}
	}
	return s.Name + " " + kept.String()
}

// Changing lists the fields that change from press to press, and are no part of an identity.
func (s *Sheet) Changing() []string {
	var out []string
	for name, f := range s.byName {
		if f.changes() {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

// match is one frame found in a press.
type match struct {
	frame   *frame
	fields  Fields
	start   int // index of the first duration
	end     int // index after the last duration
	unit    float64
	stretch float64
	most    float64 // largest deviation, µs
	rms     float64 // root mean square deviation, µs
	// headless is a frame whose lead was not there, which its sheet allows.
	headless bool
	// even is a frame without checks of which all bits are alike: a preamble looks like it.
	even bool
}

// Decode finds the sheet's frames in the trains of one press and folds equal ones into readings, best first.
func (s *Sheet) Decode(trains []signal.Reception) []Reading {
	readings, _ := s.decode(signal.Flatten(trains), &scratch{left: effort})
	return readings
}

// decode works on a flattened press. The second result counts short repeat frames that stand alone.
func (s *Sheet) decode(flat []int, tmp *scratch) ([]Reading, int) {
	matches := s.find(flat, tmp)
	if len(matches) == 0 {
		return nil, 0
	}
	var out []Reading
	var sums []float64 // of squared relative deviations, per reading
	checks, headless := make([]float64, 0, 4), make([]int, 0, 4)
	doubted := make([]float64, 0, 4) // the share that is left of each
	last, lone := -1, 0
	whole, off := 0, 0 // whole frames after whole frames, and how many of those come at another pace
	for i, m := range matches {
		if i > 0 && len(m.frame.fields) > 0 && len(matches[i-1].frame.fields) > 0 {
			if whole++; s.offPace(signal.Sum(flat[matches[i-1].start:m.start])) {
				off++
			}
		}
		if len(m.frame.fields) == 0 {
			if last >= 0 {
				out[last].Repeats++
			} else {
				lone++
			}
			continue
		}
		last = slices.IndexFunc(out, func(r Reading) bool { return sameFields(r.Fields, m.fields) })
		if last < 0 {
			last = len(out)
			out = append(out, Reading{Sheet: s.Name, Fields: m.fields, From: signal.Sum(flat[:m.start]),
				Rolling: s.Rolls()})
			sums = append(sums, 0)
			checks = append(checks, float64(m.frame.checks))
			headless = append(headless, 0)
			doubted = append(doubted, 1)
			if m.even {
				doubted[last] = evenBits
			}
		}
		r := &out[last]
		r.Frames++
		r.To = signal.Sum(flat[:m.end])
		if m.headless {
			headless[last]++
		}
		r.Unit += m.unit
		r.Stretch += m.stretch
		r.Deviation = max(r.Deviation, m.most)
		sums[last] += m.rms * m.rms / (m.unit * m.unit)
		r.score = max(r.score, float64(m.frame.checks)+m.frame.rarity)
	}
	most := 0
	for _, r := range out {
		most = max(most, r.Frames)
	}
	share := 1.0
	if partOfLonger(flat, matches) {
		share = unexplained
	}
	for i := range out {
		r := &out[i]
		n := float64(r.Frames)
		r.Unit, r.Stretch = tenth(r.Unit/n), tenth(r.Stretch/n)
		r.Deviation = math.Round(r.Deviation)
		r.Measured = s.measured(r.Fields)
		r.Confidence = confidence(sums[i]/n, checks[i], r.Frames, r.Repeats) * (0.5 + 0.5*n/float64(most)) * share *
			doubted[i]
		r.Confidence = math.Round(r.Confidence*1000) / 1000
		r.score = r.Confidence + 0.01*r.score
		// Of line codes that look alike, the one whose way of repeating was seen comes first.
		if r.Repeats > 0 {
			r.score += 0.03
		}
		if headless[i] == r.Frames { // another sheet may have what stood there instead
			r.score -= 0.02
		}
		if whole > 0 && (s.holdsShort() || 2*off > whole) {
			r.score -= 0.04
		}
	}
	sortReadings(out)
	return out, lone
}

// evenBits is by how much a reading is less sure whose bits are all alike.
const evenBits = 0.75

// allAlike says whether all bits of a frame are alike, where it has no checks.
func (f *frame) allAlike(payload []uint8) bool {
	if f.checks > 0 || len(payload) == 0 {
		return false
	}
	return !slices.ContainsFunc(payload, func(b uint8) bool { return b != payload[0] })
}

// holdsShort says whether a held key sends a short frame instead of the whole one.
func (s *Sheet) holdsShort() bool {
	return slices.ContainsFunc(s.frames, func(f *frame) bool { return len(f.fields) == 0 })
}

// offPace says whether whole frames so many µs apart, start to start, are not what the sheet sends.
func (s *Sheet) offPace(us int) bool {
	p := &s.presses[len(s.presses)-1]
	return p.period > 0 && math.Abs(float64(us-p.period)) > 0.12*float64(p.period)
}

// confidence weighs how well the durations fit (mean square deviation in units) and how much had to come out right:
// checks inside a frame, and frames that are equal.
func confidence(meanSquare, checks float64, frames, repeats int) float64 {
	fit := max(0, 1-3*meanSquare)
	limit := LoneLimit
	if checks >= 4 || frames > 1 {
		limit = min(1, LoneLimit+(checks+16*float64(frames-1)+2*float64(repeats))/16)
	}
	return min(fit, limit)
}

func sortReadings(rs []Reading) {
	slices.SortStableFunc(rs, func(a, b Reading) int {
		return cmp.Or(cmp.Compare(b.score, a.score), cmp.Compare(a.Sheet, b.Sheet))
	})
}

func sameFields(a, b Fields) bool {
	if len(a) != len(b) {
		return false
	}
	for name, v := range a {
		if b[name] != v {
			return false
		}
	}
	return true
}

func tenth(x float64) float64 { return math.Round(x*10) / 10 }
