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

// fitUnit looks for the unit and the stretch in µs by which marks (plus) and spaces (minus) are whole multiples, and
// puts the multiples into the clusters. Of several it takes the one with the least error, little stretch, and a
// shortest duration of one unit.
func fitUnit(marks, spaces []Cluster) (unit, stretch float64) {
	least := math.Inf(1)
	try := func(u, e float64) {
		cost := 0.0005 * (e / 25) * (e / 25)
		smallest, n := math.Inf(1), 0
		for i, cs := range [][]Cluster{marks, spaces} {
			for _, c := range cs {
				x := (c.Center - e) / u
				if i == 1 {
					x = (c.Center + e) / u
				}
				k := math.Round(x)
				if k < 1 {
					return
				}
				smallest = min(smallest, k)
				// A long duration may be off by as much of itself as a short one.
				off := (x - k) / max(1, k/6)
				cost += off*off + 0.004*k // of two that fit, the one with the smaller multiples
				n++
			}
		}
		cost += 0.02 * (smallest - 1)
		if smallest <= 2 && cost < least {
			least, unit, stretch = cost, u, e
		}
	}
	from, to := -200.0, 200.0
	if e, ok := evenStretch(marks, spaces); ok {
		from, to = e, e
	}
	for e := from; e <= to; e += 5 {
		for i, cs := range [][]Cluster{marks, spaces} {
			for _, c := range cs {
				x := c.Center - e
				if i == 1 {
					x = c.Center + e
				}
				for k := 1.0; k <= 4; k++ {
					if x/k >= 60 {
						try(x/k, e)
					}
				}
			}
		}
	}
	if unit == 0 {
		return 0, 0
	}
	unit = refine(marks, spaces, unit, stretch)
	for i := range marks {
		marks[i].Units = multiple((marks[i].Center - stretch) / unit)
	}
	for i := range spaces {
		spaces[i].Units = multiple((spaces[i].Center + stretch) / unit)
	}
	return unit, stretch
}

// evenStretch is the stretch where marks and spaces have the same multiples, as with ratio and biphase codes: then
// each mark is longer than its space by twice the stretch.
func evenStretch(marks, spaces []Cluster) (float64, bool) {
	if len(marks) != len(spaces) || len(marks) < 2 {
		return 0, false
	}
	sum := 0.0
	for i := range marks {
		sum += (marks[i].Center - spaces[i].Center) / 2 / float64(len(marks))
	}
	for i := range marks {
		if math.Abs((marks[i].Center-spaces[i].Center)/2-sum) > 0.1*marks[0].Center {
			return 0, false
		}
	}
	return sum, math.Abs(sum) <= 200
}

// refine is the mean unit over all clusters, by how many durations are in them.
func refine(marks, spaces []Cluster, unit, stretch float64) float64 {
	us, units := 0.0, 0.0
	for i, cs := range [][]Cluster{marks, spaces} {
		for _, c := range cs {
			x := c.Center - stretch
			if i == 1 {
				x = c.Center + stretch
			}
			us += x * float64(c.Count)
			units += math.Max(math.Round(x/unit), 1) * float64(c.Count)
		}
	}
	return us / units
}

// multiple is a number of units: whole where it is nearly, else to a tenth.
func multiple(x float64) float64 {
	if k := math.Round(x); k >= 1 && math.Abs(x-k) <= max(0.15, 0.035*x) {
		return k
	}
	return math.Max(math.Round(x*10)/10, 0.1)
}
