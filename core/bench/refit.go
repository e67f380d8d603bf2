package bench

import (
	"math"
	"slices"
)

// observation is a duration that is so many units under a model.
type observation struct {
	units float64
	sign  float64 // of the stretch: 1 for marks
	us    float64
}

// hopeless is the score of a rough look below which a closer one finds nothing either.
const hopeless = leastScore / 2

// explain finds the model that explains a press best, and its path through all of it. next is how much better it is
// than the best model of another shape, as a logarithm.
func (e evidence) explain() (best model, path []token, next float64) {
	w := walkers.Get().(*walker)
	defer walkers.Put(w)
	models := e.likely(e.clocks())
	if len(models) == 0 || models[0].score < hopeless {
		return model{}, nil, 0
	}
	for i := range models {
		m := &models[i]
		for range 2 {
			_, tokens := w.walk(e, *m)
			m.refit(e, tokens, w)
		}
		score, _ := w.walk(e, *m)
		m.score = score + m.prior()
	}
	sortModels(models)
	next = models[0].score
	for _, m := range models[1:] {
		if !sameShape(m.shape, models[0].shape) {
			next = models[0].score - m.score
			break
		}
	}
	_, path = w.walk(e, models[0])
	return models[0], slices.Clone(path), next
}

// refit takes unit, stretch and jitter from what a path explained, by least squares. Without enough of it they stay.
func (m *model) refit(e evidence, tokens []token, w *walker) {
	w.seen = m.observed(e, tokens, w.seen[:0])
	seen := w.seen
	const least = 8
	sigma := m.sigma
	for range 2 {
		var kk, ks, ss, ky, sy float64
		for _, o := range seen {
			if math.Abs(o.us-o.units*m.unit-o.sign*m.stretch) > 3.5*sigma {
				continue
			}
			kk += o.units * o.units
			ks += o.units * o.sign
			ss++
			ky += o.units * o.us
			sy += o.sign * o.us
		}
		det := kk*ss - ks*ks
		if ss < least || det < 1e-9 {
			return
		}
		m.unit, m.stretch = (ky*ss-ks*sy)/det, (kk*sy-ks*ky)/det
		w.off = grown(w.off, len(seen))
		off := w.off
		for i, o := range seen {
			off[i] = math.Abs(o.us - o.units*m.unit - o.sign*m.stretch)
		}
		slices.Sort(off)
		sigma = max(off[len(off)*68/100], leastJitter)
	}
	m.sigma = sigma
}

// observed lists the durations that a path explained, behind others.
func (m *model) observed(e evidence, tokens []token, out []observation) []observation {
	if m.style == Biphase {
		for i := range m.covered(e, tokens) {
			sign := 1.0
			if i%2 == 1 {
				sign = -1
			}
			if k := math.Round((e.us[i] - sign*m.stretch) / m.unit); k == 1 || k == 2 {
				out = append(out, observation{k, sign, e.us[i]})
			}
		}
		return out
	}
	sign := 1.0
	if m.spaceFirst {
		sign = -1
	}
	for _, t := range tokens {
		if t.kind == inside && !t.merged {
			p := m.pairs[t.value]
			out = append(out, observation{float64(p.first), sign, t.us[0]},
				observation{float64(p.second), -sign, t.us[1]})
		}
	}
	return out
}

// covered lists the durations of a biphase path that are inside the code.
func (m *model) covered(e evidence, tokens []token) func(func(int) bool) {
	return func(yield func(int) bool) {
		at := 0
		for _, t := range append(slices.Clip(tokens), token{from: len(e.us), to: len(e.us)}) {
			if t.kind == inside {
				continue
			}
			for ; at < t.from; at++ {
				if !yield(at) {
					return
				}
			}
			at = t.to
		}
	}
}
