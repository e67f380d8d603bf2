package bench

import (
	"math"
	"slices"
)

// Cluster is a group of durations that mean the same.
type Cluster struct {
	Center float64 // mean in µs, as heard
	Count  int
	Low    int // µs
	High   int // µs
	Units  float64
}

// clusters groups durations: where two neighbours, sorted, are further apart than jitter can bring them, another
// group begins.
func clusters(values []int) []Cluster {
	sorted := slices.Sorted(slices.Values(values))
	var out []Cluster
	sum := 0
	for i, v := range sorted {
		if i == 0 || float64(v-sorted[i-1]) > max(0.22*float64(sorted[i-1]), 45) {
			out = append(out, Cluster{Low: v})
			sum = 0
		}
		c := &out[len(out)-1]
		sum += v
		c.Count++
		c.High = v
		c.Center = float64(sum) / float64(c.Count)
	}
	for i := 1; i < len(out); i++ { // too close to be told apart at another clock and another stretch
		a, b := out[i-1], out[i]
		if b.Center < 1.25*a.Center || b.Center-a.Center < 60 {
			n := a.Count + b.Count
			out[i-1] = Cluster{Center: (a.Center*float64(a.Count) + b.Center*float64(b.Count)) / float64(n), Count: n,
				Low: a.Low, High: b.High}
			out = slices.Delete(out, i, i+1)
			i--
		}
	}
	return out
}

// classOf finds the cluster that a duration belongs to, -1 where it is none of them.
func classOf(cs []Cluster, us int) int {
	best, least := -1, 0.3
	for i, c := range cs {
		if d := math.Abs(float64(us)-c.Center) / c.Center; d < least {
			best, least = i, d
		}
	}
	return best
}

// multiple is a number of units: whole where it is nearly, else to a tenth.
func multiple(x float64) float64 {
	if k := math.Round(x); k >= 1 && math.Abs(x-k) <= max(0.15, 0.035*x) {
		return k
	}
	return math.Max(math.Round(x*10)/10, 0.1)
}
