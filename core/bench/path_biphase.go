package bench

import (
	"math"
	"slices"
)

// step is where the best path to a place of a biphase code came from.
type step struct {
	from int
	at   place
}

// place is where in the bits of a biphase code a change of level may be.
type place uint8

const (
	nowhere place = iota // outside
	edge                 // between two bits
	mid                  // in the middle of one
)

// walkBiphase finds the best path of a code whose bits are changes of level: each bit changes in its middle, to a mark
// for a one and to a space for a zero. It may begin and end in the middle of a bit, of which half is lost in a lead or
// in the silence.
func (w *walker) walkBiphase(e evidence, m model) (float64, []token) {
	n := len(e.us)
	w.out, w.edge, w.mid = unlikely(w.out, n+4), unlikely(w.edge, n+4), unlikely(w.mid, n+4)
	w.leave, w.toEdge, w.toMid = grown(w.leave, n+4), grown(w.toEdge, n+4), grown(w.toMid, n+4)
	w.out[0] = 0
	ln := math.Log(m.sigma)
	for i := 0; i <= n; i++ {
		better(w.edge, w.toEdge, i, w.out[i]-change, step{i, nowhere})
		better(w.mid, w.toMid, i, w.out[i]-change-math.Ln2, step{i, nowhere})
		if i == n {
			break
		}
		sigma, lnThis := e.jitter(i, m.sigma, ln)
		w.half(e.us[i], e.odd[i], i, i+1, m, sigma, lnThis, 0)
		if i+2 < n && e.us[i+1] < tiny*m.unit {
			us := e.us[i] + e.us[i+1] + e.us[i+2]
			w.half(us, math.Log(background*us), i, i+3, m, m.sigma, ln, splinter)
		}
		better(w.out, w.leave, i+1, w.out[i], step{i, nowhere})
		better(w.out, w.leave, i+1, w.edge[i]-change, step{i, edge})
		better(w.out, w.leave, i+1, w.mid[i]-change, step{i, mid})
	}
	at, score := nowhere, w.out[n]
	if s := w.edge[n] - change; s > score {
		at, score = edge, s
	}
	if s := w.mid[n] - change; s > score {
		at, score = mid, s
	}
	return score, w.backBiphase(n, at)
}

// half goes on by one duration, which is one or two halves of a bit.
func (w *walker) half(us, odd float64, i, to int, m model, sigma, ln, cost float64) {
	stretch := m.stretch
	if i%2 == 1 {
		stretch = -stretch
	}
	one := odds(us, odd, m.unit+stretch, sigma, ln) - cost
	two := odds(us, odd, 2*m.unit+stretch, sigma, ln) - cost
	better(w.mid, w.toMid, to, w.edge[i]+one, step{i, edge})
	better(w.edge, w.toEdge, to, w.mid[i]+one-math.Ln2, step{i, mid})
	better(w.mid, w.toMid, to, w.mid[i]+two-math.Ln2, step{i, mid})
}

func better(scores []float64, steps []step, i int, score float64, from step) {
	if score > scores[i] {
		scores[i], steps[i] = score, from
	}
}

func (w *walker) backBiphase(i int, at place) []token {
	out := w.tokens[:0]
	for i > 0 || at != nowhere {
		var s step
		switch at {
		case nowhere:
			s = w.leave[i]
			out = append(out, token{from: s.from, to: i})
		case edge:
			s = w.toEdge[i]
		case mid:
			s = w.toMid[i]
			value := 0
			if i%2 == 0 { // a mark begins here
				value = 1
			}
			out = append(out, token{from: i, to: i, kind: inside, value: value})
		}
		i, at = s.from, s.at
	}
	slices.Reverse(out)
	w.tokens = out
	return out
}
