package bench

import (
	"math"
	"slices"
	"sync"
)

// token is one step of a path: some durations of a press and what they are.
type token struct {
	from, to int // durations
	kind     kind
	value    int        // of a pair or a bit; of a last mark -1 where it carries none
	us       [2]float64 // the durations of a pair, without splinters
	merged   bool       // there were splinters
}

type kind uint8

const (
	outside kind = iota // no part of the code
	inside              // a pair, or of biphase a bit
	ending              // the last mark of a frame, whose space is the silence after it
)

// way is where the best path to a place came from.
type way uint8

const (
	stay     way = iota // the same state, two durations before
	fromOut             // entered
	fromIn              // left after a pair
	fromLast            // left after a last mark
	fromPre             // left after a preamble
	joined1             // a pair whose first duration was in three pieces
	joined2             // or its second
)

// walker follows the best path of a model through a press. Its memory is used again.
type walker struct {
	in, out, pre         []float64
	toIn, toOut, toPre   []way
	entered              []bool // the pair that ends here came from outside
	edge, mid            []float64
	toEdge, toMid, leave []step
	tokens               []token // of the last walk
	seen                 []observation
	off                  []float64
}

// walkers are kept from press to press: a flood of presses must not fill the memory.
var walkers = sync.Pool{New: func() any { return &walker{} }}

func (w *walker) reset(n int) {
	w.in, w.out, w.pre = unlikely(w.in, n), unlikely(w.out, n), unlikely(w.pre, n)
	w.toIn, w.toOut, w.toPre = grown(w.toIn, n), grown(w.toOut, n), grown(w.toPre, n)
	w.entered = grown(w.entered, n)
}

// unlikely is n places that nothing has reached.
func unlikely(in []float64, n int) []float64 {
	in = grown(in, n)
	for i := range in {
		in[i] = math.Inf(-1)
	}
	return in
}

func grown[T any](in []T, n int) []T {
	in = slices.Grow(in[:0], n)[:n]
	clear(in)
	return in
}

// walk finds the best path of a model, and what it is worth. The tokens are good until the next walk.
func (w *walker) walk(e evidence, m model) (float64, []token) {
	if m.style == Biphase {
		return w.walkBiphase(e, m)
	}
	offset := 0
	if m.spaceFirst { // the first mark and the silence are outside
		offset = 1
		e = e.part(1, len(e.us)-1)
	}
	score := w.pulses(e, m)
	tokens := w.back(e, m)
	for i := range tokens {
		tokens[i].from += offset
		tokens[i].to += offset
	}
	return score, tokens
}

// pulses finds the best path of a code of pairs.
func (w *walker) pulses(e evidence, m model) float64 {
	n := len(e.us)
	w.reset(n + 5)
	w.out[0] = 0
	ln := math.Log(m.sigma)
	for i := 0; i < n; i += 2 {
		d, odd := e.us[i:], e.odd[i:]
		sigma, lnFirst := e.jitter(i, m.sigma, ln)
		enter, entered := w.in[i], false
		if w.out[i]-change > enter {
			enter, entered = w.out[i]-change, true
		}
		to := func(j int, score float64, by way) {
			if score > w.in[j] {
				w.in[j], w.toIn[j], w.entered[j] = score, by, entered
			}
		}
		to(i+2, enter+m.pairOdds(d[0], d[1], odd[0], odd[1], sigma, lnFirst, ln), stay)
		if i+3 < n {
			if limit := tiny * m.unit; d[0] < limit || d[1] < limit || d[2] < limit {
				if d[1] < limit {
					to(i+4, enter-splinter+m.pairOf(d[0]+d[1]+d[2], d[3], ln), joined1)
				}
				if d[2] < limit {
					to(i+4, enter-splinter+m.pairOf(d[0], d[1]+d[2]+d[3], ln), joined2)
				}
			}
		}
		w.outside(i, d, odd, m, ln)
	}
	return max(w.out[n], w.in[n]-change)
}

// outside is the part of pulses that goes on, or leaves the code, outside of it.
func (w *walker) outside(i int, d, odd []float64, m model, ln float64) {
	leave := func(score float64, by way) {
		if score > w.out[i+2] {
			w.out[i+2], w.toOut[i+2] = score, by
		}
	}
	leave(w.out[i], stay)
	leave(w.in[i]-change, fromIn)
	if m.ends(d[1] / m.unit) {
		leave(w.in[i]-change+m.lastOdds(d[0], odd[0], ln), fromLast)
	}
	leave(w.pre[i]-change, fromPre)
	first := odds(d[0], odd[0], m.mean(0, 1), m.sigma, ln)
	if d[1] >= 2.5*m.unit {
		leave(w.pre[i]-change+first, fromPre)
		return
	}
	score := first + odds(d[1], odd[1], m.mean(1, 1), m.sigma, ln)
	w.pre[i+2], w.toPre[i+2] = w.pre[i]+score, stay
	if w.out[i]-change > w.pre[i] {
		w.pre[i+2], w.toPre[i+2] = w.out[i]-change+score, fromOut
	}
}

// pairOdds is the log-odds of the better pair for two durations.
func (m *model) pairOdds(first, second, odd1, odd2, sigma, lnFirst, ln float64) float64 {
	best := math.Inf(-1)
	for _, p := range m.pairs {
		best = max(best, odds(first, odd1, m.mean(0, p.first), sigma, lnFirst)+
			odds(second, odd2, m.mean(1, p.second), m.sigma, ln))
	}
	return best - m.lnPairs
}

func (m *model) pairOf(first, second, ln float64) float64 {
	return m.pairOdds(first, second, math.Log(background*first), math.Log(background*second), m.sigma, ln, ln)
}

// lastOdds is the log-odds of the last mark of a frame.
func (m *model) lastOdds(us, odd, ln float64) float64 {
	if m.stops {
		return odds(us, odd, m.mean(0, m.short), m.sigma, ln)
	}
	best := math.Inf(-1)
	for _, p := range m.pairs {
		best = max(best, odds(us, odd, m.mean(0, p.first), m.sigma, ln))
	}
	return best - m.lnPairs
}

// back lists the steps of the best path of pulses.
func (w *walker) back(e evidence, m model) []token {
	out := w.tokens[:0]
	i := len(e.us)
	at := outside
	if w.in[i]-change > w.out[i] {
		at = inside
	}
	preamble := false
	for i > 0 {
		switch {
		case preamble:
			out = append(out, token{from: i - 2, to: i})
			preamble = w.toPre[i] == stay
			i -= 2
		case at == inside:
			t := m.pairToken(e, i, w.toIn[i])
			if w.entered[i] {
				at = outside
			}
			out = append(out, t)
			i = t.from
		default:
			t := token{from: i - 2, to: i}
			switch w.toOut[i] {
			case fromIn:
				at = inside
			case fromPre:
				preamble = true
			case fromLast:
				at = inside
				t = m.lastToken(e, i)
			}
			out = append(out, t)
			i -= 2
		}
	}
	slices.Reverse(out)
	w.tokens = out
	return out
}

func (m *model) pairToken(e evidence, end int, by way) token {
	t := token{from: end - 2, to: end, kind: inside}
	if by == joined1 || by == joined2 {
		t.from, t.merged = end-4, true
	}
	d := e.us[t.from:end]
	switch by {
	case joined1:
		t.us = [2]float64{d[0] + d[1] + d[2], d[3]}
	case joined2:
		t.us = [2]float64{d[0], d[1] + d[2] + d[3]}
	default:
		t.us = [2]float64{d[0], d[1]}
	}
	t.value = m.nearest(t.us, 2)
	return t
}

func (m *model) lastToken(e evidence, end int) token {
	t := token{from: end - 2, to: end, kind: ending, us: [2]float64{e.us[end-2], 0}, value: -1}
	if !m.stops {
		t.value = m.nearest(t.us, 1)
	}
	return t
}

// nearest is the value whose pair explains the first durations of a pair best.
func (m *model) nearest(us [2]float64, durations int) int {
	best, most := 0, math.Inf(-1)
	for v := range m.pairs {
		if s := m.fits(v, us, durations); s > most {
			best, most = v, s
		}
	}
	return best
}

// fits is how well a value explains the first durations of a pair, as a logarithm beside that of other values.
func (m *model) fits(value int, us [2]float64, durations int) float64 {
	p := m.pairs[value]
	s := odds(us[0], 0, m.mean(0, p.first), m.sigma, 0)
	if durations == 2 {
		s += odds(us[1], 0, m.mean(1, p.second), m.sigma, 0)
	}
	return s
}

// sure is how much more likely each bit of a token is a one than a zero, as a logarithm; nil where it has no bits.
func (m *model) sure(t token) []float64 {
	durations := 2
	if t.kind == ending {
		durations = 1
	}
	out := make([]float64, m.bits)
	for b := range out {
		best := [2]float64{math.Inf(-1), math.Inf(-1)}
		for v := range m.pairs {
			bit := v >> (m.bits - 1 - b) & 1
			best[bit] = max(best[bit], m.fits(v, t.us, durations))
		}
		out[b] = best[1] - best[0]
	}
	return out
}
