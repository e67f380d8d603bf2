package recording

import (
	"math"
	"slices"
)

// leastAbrupt is how large the steps of something keyed are within shortEdge, of what they are within twice that, but
// for one in some of them, which noise makes smaller. Signals reach 0.77, tones 0.6.
const leastAbrupt, oneIn = 0.7, 5

// abrupt says whether levels that were found in samples change at once, as keyed ones do: then a step is as large from
// near as from farther away. That of a tone is half as large, since it changes all the time.
func abrupt(x []float32, rate float64, runs []run) bool {
	const beside = 2 // samples that an edge may be off
	sums := make([]float64, len(x)+1)
	for i, v := range x {
		sums[i+1] = sums[i] + float64(v)
	}
	w := max(int(math.Round(shortEdge*rate)), 2)
	near, far := steps(sums, w), steps(sums, 2*w)
	var all []float64
	us := 0.0
	for _, r := range runs[:max(len(runs)-1, 0)] {
		us += r.us
		var n, f float32
		at := int(math.Round(us * rate / 1e6))
		for i := max(at-beside, 0); i <= min(at+beside, len(x)-1); i++ {
			n, f = max(n, near[i], -near[i]), max(f, far[i], -far[i])
		}
		if f > 0 {
			all = append(all, float64(n/f))
		}
	}
	if len(all) == 0 {
		return false
	}
	slices.Sort(all)
	return all[len(all)/oneIn] >= leastAbrupt
}
