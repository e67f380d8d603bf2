package line

import (
	"math"
	"unique"

	"urbo/core/signal"
)

// How far a unit may lie outside a sheet's own, which is the steady clock error of handsets.
const (
	unitLow  = 0.88
	unitHigh = 1.12
)

// silence is the shortest space in µs that may stand before the first mark of a frame without a lead.
const silence = 3000

// scratch is the memory that a search needs, kept from one sheet to the next.
type scratch struct {
	left    int // durations that may still be looked at for the sheet that is tried
	payload []uint8
	chosen  []*symbol
	runs    []run
	doubts  []doubt                               // of a walk along a biphase frame
	laid    int                                   // half bits of it
	shared  map[unique.Handle[string]]*[]measured // waves that several sheets have, and what they were found to be
}

// measured is what the wave of a frame was found to be at one place, before its bits are given a meaning.
type measured struct {
	at                       int
	ok                       bool
	payload                  []uint8
	unit, stretch, most, rms float64
}

// run is one duration in a fit: how long it should be and how long it is.
type run struct {
	units float64
	us    float64
	mark  bool
}

// effort is how many durations of one press are looked at, each time that one is tried anew. Presses need a small part
// of it; trains of the greatest length that nearly fit many sheets at every place are given up, so that nobody waits
// for them.
const effort = 250_000

// share is how much of the effort that is left a sheet may take, with so many sheets to go: more than its part, since
// most need little.
func share(left, sheets int) int { return min(left, 5*left/sheets) }

// find looks for the sheet's frames from left to right in a flattened press (mark first, even length), as long as there
// is effort left.
func (s *Sheet) find(flat []int, tmp *scratch) []match {
	var out []match
	// Several line codes share a wave and differ only in what their bits mean: each wave is measured once.
	var known [maxFrames]*[]measured
	for i, f := range s.frames {
		if len(f.guesses) == 1 {
			known[i] = tmp.shared[f.wave]
		}
	}
	last := len(flat) - s.fewest
	for at := 0; at <= last && tmp.left > 0; at += 2 {
		if flat[at] < s.markLow || flat[at] > s.markHigh {
			continue
		}
		for i, f := range s.frames {
			if at+f.atLeast > len(flat) {
				continue
			}
			if d, gap := flat[at], flat[at+1]; d < f.firstLow || d > f.firstHigh || gap < f.spaceLow ||
				gap > f.spaceHigh ||
				f.afterSilence && at > 0 && flat[at-1] < silence ||
				f.evenPairs > 0 && !f.mayBeEven(flat, at) {
				continue
			}
			if m, ok := s.matchAt(flat, at, f, tmp, known[i]); ok {
				out = append(out, m)
				at = m.end + m.end%2 - 2 // the next mark after the frame
				break
			}
		}
	}
	return out
}

// matchAt tries a frame at one place; known is what its wave was measured to be, nil where no other sheet has it.
func (s *Sheet) matchAt(flat []int, at int, f *frame, tmp *scratch, known *[]measured) (match, bool) {
	if s.biphase {
		return s.matchBiphase(flat, at, f, tmp)
	}
	if f.lead == 0 || s.leadFits(flat, at, f) {
		if m, ok := s.matchCells(flat, at, f, 0, tmp, known); ok {
			return m, true
		}
	}
	if f.lossy {
		m, ok := s.matchCells(flat, at, f, 1, tmp, nil)
		m.headless = true
		return m, ok
	}
	return match{}, false
}

// leadFits says whether a lead could stand at a place.
func (s *Sheet) leadFits(flat []int, at int, f *frame) bool {
	if at+f.runs > len(flat) {
		return false
	}
	unit := float64(signal.Sum(flat[at:at+f.leads])) / f.lead
	return s.unitFits(unit) && near(float64(flat[at]), f.steps[0].units[0]*unit, 0.2, 250)
}

// mayBeEven says whether the pairs of a frame that begins at a place could all last equally long, with its lead or
// without one that may be lost.
func (f *frame) mayBeEven(flat []int, at int) bool {
	if f.lossy && evenSums(flat[at+f.evenFrom-f.steps[0].size():], f.evenPairs) {
		return true
	}
	return at+f.runs <= len(flat) && evenSums(flat[at+f.evenFrom:], f.evenPairs)
}

// evenSums says whether so many pairs could all last equally long.
func evenSums(d []int, pairs int) bool {
	first := d[0] + d[1]
	for i := 1; i < pairs; i++ {
		if !alikeSums(first, d[2*i]+d[2*i+1]) {
			return false
		}
	}
	return true
}

// alikeSums says whether two pairs could last equally long: within a third, and what receivers blur the edges.
func alikeSums(a, b int) bool { return 3*a < 4*b+600 && 3*b < 4*a+600 }

// unitFits says whether a measured unit is one that the sheet allows.
func (s *Sheet) unitFits(u float64) bool {
	return u >= s.UnitFrom*unitLow && u <= s.UnitTo*unitHigh
}

// fit solves for the unit and the stretch that explain the runs best, by least squares of
// us = units·unit ± stretch (plus for marks, minus for spaces).
func fit(runs []run) (unit, stretch float64) {
	var ee, es, ed, sd float64
	for _, r := range runs {
		sign := 1.0
		if !r.mark {
			sign = -1
		}
		ee += r.units * r.units
		es += r.units * sign
		ed += r.units * r.us
		sd += sign * r.us
	}
	n := float64(len(runs))
	det := ee*n - es*es
	if math.Abs(det) < 1e-6*ee*n {
		if ee == 0 {
			return 0, 0
		}
		return ed / ee, 0
	}
	return (ed*n - sd*es) / det, (ee*sd - es*ed) / det
}

// deviation is the largest and the root mean square difference between the runs and what they should be.
func deviation(runs []run, unit, stretch float64) (most, rms float64) {
	sum := 0.0
	for _, r := range runs {
		d := r.us - r.units*unit - stretch
		if !r.mark {
			d = r.us - r.units*unit + stretch
		}
		most = max(most, math.Abs(d))
		sum += d * d
	}
	if len(runs) > 0 {
		rms = math.Sqrt(sum / float64(len(runs)))
	}
	return most, rms
}

// good says whether a fit is close enough to be this line code. slack is the smallest difference between two
// symbols in units.
func good(unit, stretch, most, rms, slack float64) bool {
	limit := min(0.45*slack, 0.6)
	if rms <= tight*unit { // of many durations one may be far off: the symbol beside it says what it is
		limit = min(0.8*slack, 1)
	}
	return math.Abs(stretch) <= min(0.65*unit, 200) && rms <= 0.26*unit && most <= limit*unit+10
}

// tight is the root mean square deviation, in units, up to which a fit is judged by that alone.
const tight = 0.24
