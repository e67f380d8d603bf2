package bench

import (
	"cmp"
	"math"
	"slices"
)

// clock is a guess of how the durations of a press were made: whole multiples of a unit, marks longer by a stretch and
// spaces shorter by it, all with some jitter.
type clock struct {
	unit    float64 // µs
	stretch float64 // µs
	sigma   float64 // µs, of the jitter of a duration
	score   float64 // log-odds against a press that is nothing but background
}

// evidence is the durations of a press, with what is worked out of each once.
type evidence struct {
	us []float64 // µs, mark first; of even length: the last one is silence
	// odd is ln(8.5 d/√2π): how much more likely a duration is under σ = 1 µs than under the background, 1/(8.5 d).
	odd []float64
	// blur is the µs by which a duration is less sure than the others: a receiver needs the first mark after a silence
	// to find its level.
	blur []float64
}

// What a receiver makes of the first mark after a silence of at least wakes µs.
const wakes, firstBlur = 2500, 40.0

func newEvidence(flat []int) evidence {
	e := evidence{make([]float64, len(flat)), make([]float64, len(flat)), make([]float64, len(flat))}
	for i, d := range flat {
		e.us[i] = float64(d)
		e.odd[i] = math.Log(background * float64(d))
		if i%2 == 0 && (i == 0 || flat[i-1] >= wakes) {
			e.blur[i] = firstBlur
		}
	}
	return e
}

// jitter is the σ of a duration where others have sigma, and its logarithm.
func (e evidence) jitter(i int, sigma, ln float64) (float64, float64) {
	if e.blur[i] == 0 {
		return sigma, ln
	}
	sigma = math.Hypot(sigma, e.blur[i])
	return sigma, math.Log(sigma)
}

// background is 8.5/√2π: durations that mean nothing lie anywhere between 20 µs and 100 ms, each octave as likely.
const background = 8.5 / 2.5066282746

func (e evidence) part(from, to int) evidence {
	return evidence{e.us[from:to], e.odd[from:to], e.blur[from:to]}
}

// odds is the log-odds that a duration was to be so many µs, against the background. Far off, it falls slowly: one
// damaged duration is no proof against a code.
func odds(us, odd, mean, sigma, lnSigma float64) float64 {
	r := (us - mean) / sigma
	q := -r * r / 2
	if w := -4.6 - r*r/18; w > q {
		q = w
	}
	return odd - lnSigma + q
}

// The clocks that are looked at.
const (
	leastUnit, mostUnit = 60.0, 1500.0 // µs
	unitStep            = 1.02
	mostStretch         = 220.0 // µs
	stretchStep         = 0.06  // units
	leastStretch        = -0.36 // units
	stretches           = 13
	mostClocks          = 10  // that are kept
	enough              = 512 // durations that a clock is judged by, from pieces of as many as enoughPiece
	enoughPiece         = 64
	screened            = 192 // durations that it is looked for with, from pieces of as many as screenedPiece
	screenedPiece       = 32
	leastJitter         = 8.0 // µs: relative to the unit, half of it would win where there is hardly any
	usualStretch        = 0.15
)

// allJitters are the σ that are looked at, in units.
var allJitters = [...]float64{0.045, 0.09, 0.15}

// classes is how likely a duration of so many units is beforehand, as a logarithm. It keeps half the unit from winning.
var classes = [...]float64{0, 0, -1, -1.6, -1.9, -2.6, -3, -4, -4, -4.5, -4.5, -5, -5, -5, -5, -5, -5}

// clocks lists the clocks by which most of a press is explained, the best first. It looks roughly with a part of the
// durations, and then closely around what it found.
func (e evidence) clocks() []clock {
	sample := e.sample(screened, screenedPiece)
	var rough []clock
	for u := leastUnit; u < mostUnit; u *= unitStep * unitStep {
		for i := range stretches {
			if c := (clock{unit: u, stretch: (leastStretch + float64(i)*stretchStep) * u}); c.possible() {
				rough = append(rough, sample.judge(c, allJitters[1:2]))
			}
		}
	}
	judged := e.sample(enough, enoughPiece)
	var close []clock
	for _, c := range distinct(rough, 2*mostClocks) {
		for _, f := range []float64{1 / unitStep, 1, unitStep} {
			best := clock{score: math.Inf(-1)}
			for _, s := range []float64{-stretchStep / 2, 0, stretchStep / 2} {
				near := clock{unit: c.unit * f, stretch: c.stretch + s*c.unit}
				if got := judged.judge(near, allJitters[:]); near.possible() && got.score > best.score {
					best = got
				}
			}
			close = append(close, best)
		}
	}
	return distinct(close, mostClocks)
}

func (c clock) possible() bool { return math.Abs(c.stretch) <= mostStretch }

// sample is pieces from all over the press.
func (e evidence) sample(n, piece int) evidence {
	if len(e.us) <= n {
		return e
	}
	var out evidence
	pieces := n / piece
	for i := range pieces {
		from := (len(e.us) - piece) * i / (pieces - 1)
		from -= from % 2
		out.us = append(out.us, e.us[from:from+piece]...)
		out.odd = append(out.odd, e.odd[from:from+piece]...)
		out.blur = append(out.blur, e.blur[from:from+piece]...)
	}
	return out
}

// judge finds which jitter explains most of the evidence under a clock. Each duration is inside a code, where it is the
// nearest multiple of the unit, or outside; to change costs.
func (e evidence) judge(c clock, jitters []float64) clock {
	const change, least = 5.0, -12.0
	var in, out, ln, half, sigmas [len(allJitters)]float64
	for j, rel := range jitters {
		sigmas[j] = max(rel*c.unit, leastJitter)
		in[j], ln[j], half[j] = -1e9, math.Log(sigmas[j]), 1/(2*sigmas[j]*sigmas[j])
	}
	perUnit, stretch := 1/c.unit, c.stretch
	for i, us := range e.us {
		us -= stretch
		stretch = -stretch
		k := max(int(us*perUnit+0.5), 1)
		weight, square := -1e9, 0.0
		if k < len(classes) {
			r := us - float64(k)*c.unit
			weight, square = classes[k]+e.odd[i], r*r
		}
		for j := range jitters {
			g := max(weight-ln[j]-square*half[j], least)
			enter := max(in[j], out[j]-change) + g
			out[j] = max(out[j], in[j]-change)
			in[j] = enter
		}
	}
	c.score = math.Inf(-1)
	for j := range jitters {
		if s := max(in[j], out[j]); s > c.score {
			c.score, c.sigma = s, sigmas[j]
		}
	}
	c.score += stretchOdds(c.stretch / c.unit)
	return c
}

// stretchOdds is how likely a stretch of so many units is, as a logarithm.
func stretchOdds(units float64) float64 { return -units * units / (2 * usualStretch * usualStretch) }

// distinct keeps the best clocks that are not nearly alike.
func distinct(all []clock, most int) []clock {
	slices.SortStableFunc(all, func(a, b clock) int { return cmp.Compare(b.score, a.score) })
	var out []clock
	for _, c := range all {
		if len(out) == most {
			break
		}
		if !slices.ContainsFunc(out, func(o clock) bool {
			return math.Abs(c.unit/o.unit-1) < 0.045 && math.Abs(c.stretch-o.stretch) < 0.11*o.unit
		}) {
			out = append(out, c)
		}
	}
	return out
}
