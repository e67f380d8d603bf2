package recording

import (
	"math"
	"slices"
)

const (
	islandMargin = 0.03 // s around the edges of an island
	islandGap    = 0.13 // s without an edge that end it
	fewestEdges  = 6
	shortEdge    = 80e-6  // s on each side of an edge
	longEdge     = 200e-6 // s, where it is noisy
)

// island is a part of a sound in which something is keyed.
type island struct {
	from, to int     // samples
	edges    int     // that stand out
	swing    float64 // from one level to the other
	steady   bool    // nothing blocks its levels: it is the loudness of a carrier
	noise    float64 // σ of a sample
	shortest float64 // s between two edges, 0 where nothing is known
}

// islandsOf finds where levels change, far above the noise. The sound comes back without hum.
func islandsOf(x []float32, rate, step float64) ([]float32, []island) {
	edges, d, noise := edgesOf(x, rate, step)
	if len(edges) >= fewestEdges {
		if clean, found := withoutHum(x, rate, edges); found {
			x = clean
			edges, d, noise = edgesOf(x, rate, step)
		}
	}
	return x, gathered(len(x), rate, edges, d, noise)
}

// gathered makes islands of edges that follow each other, in so many samples.
func gathered(samples int, rate float64, edges []int, d []float32, noise float64) []island {
	var out []island
	for from := 0; from < len(edges); {
		to := from + 1
		for to < len(edges) && float64(edges[to]-edges[to-1]) <= islandGap*rate {
			to++
		}
		if to-from >= fewestEdges {
			margin := int(islandMargin * rate)
			out = append(out, island{from: max(edges[from]-margin, 0), to: min(edges[to-1]+margin, samples),
				edges: to - from, swing: swingOf(d, edges[from:to]), noise: noise})
		}
		from = to
	}
	return out
}

// edgesOf finds the edges of a sound, the steps they were found by, and the noise of a sample.
func edgesOf(x []float32, rate, step float64) ([]int, []float32, float64) {
	sums := make([]float64, len(x)+1)
	for i, v := range x {
		sums[i+1] = sums[i] + float64(v)
	}
	look := func(seconds, above float64) (edges []int, d []float32, noise float64) {
		w := max(int(math.Round(seconds*rate)), 2)
		d = steps(sums, w)
		sd := max(usualNoise(d, int(0.01*rate)), 0.3*step*math.Sqrt(2/float64(w)))
		return peaks(d, float32(above*sd), w), d, sd * math.Sqrt(float64(w)/2)
	}
	edges, d, noise := look(shortEdge, 6)
	if more, wide, _ := look(longEdge, 5.5); float64(len(more)) > 1.3*float64(len(edges)) {
		edges, d = more, wide
	}
	return edges, d, noise
}

// steps is, for each sample, the mean of the w samples from it on less that of the w before it.
func steps(sums []float64, w int) []float32 {
	n := len(sums) - 1
	out := make([]float32, n)
	for i := w; i+w <= n; i++ {
		out[i] = float32((sums[i+w] - 2*sums[i] + sums[i-w]) / float64(w))
	}
	return out
}

// usualNoise is the root mean square of the quietest fifth of blocks. A median fails in samples of 8 bits, most of
// which are equal.
func usualNoise(d []float32, block int) float64 {
	var all []float64
	for ; len(d) >= block && block > 0; d = d[block:] {
		sum := 0.0
		for _, v := range d[:block] {
			sum += float64(v) * float64(v)
		}
		all = append(all, math.Sqrt(sum/float64(block)))
	}
	if len(all) == 0 {
		return math.Inf(1)
	}
	slices.Sort(all)
	return all[len(all)/5]
}

// peaks lists the places where a step is largest, of those nearer than w the larger one.
func peaks(d []float32, above float32, w int) []int {
	var out []int
	size := func(i int) float32 { return max(d[i], -d[i]) }
	for i := 1; i+1 < len(d); i++ {
		v := size(i)
		if v <= above || v < size(i-1) || v <= size(i+1) {
			continue
		}
		switch n := len(out); {
		case n > 0 && i-out[n-1] < w && v > size(out[n-1]):
			out[n-1] = i
		case n == 0 || i-out[n-1] >= w:
			out = append(out, i)
		}
	}
	return out
}

// swingOf is the median of the steps that are no small ones.
func swingOf(d []float32, edges []int) float64 {
	var all []float64
	for _, i := range edges {
		all = append(all, math.Abs(float64(d[i])))
	}
	slices.Sort(all)
	least := 0.3 * all[len(all)*19/20]
	first, _ := slices.BinarySearch(all, least)
	return all[first+(len(all)-first)/2]
}
