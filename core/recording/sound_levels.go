package recording

import (
	"math"
	"slices"
)

// Sound cards block steady voltages: a level droops towards the mean. These are the corner frequencies in Hz that are
// tried, a rough choice first, and the times in s in which the mean itself moves.
var (
	corners      = []float64{0, 15, 40, 80, 150, 250, 400, 600, 800, 1000, 1300, 1700, 2200}
	roughCorners = []int{0, 3, 6, 10}
	drifts       = []float64{0.005, 0.04}
)

const (
	strayEdges   = 100 // of so many edges of a carrier one may be none
	usualDrift   = 0.004
	change       = 12.0   // cost of an edge
	leastRun     = 90e-6  // s between two edges, at least
	gainSettles  = 100e-6 // s after an edge in which the gain may follow
	gainFollows  = 0.3    // how far in that time
	leastGain    = 0.3    // of the swing that was seen
	mostGain     = 3.0
	noisy        = 6 // swing over noise below which the sound is smoothed
	smoothing    = 150e-6
	edgeBefore   = 80e-6 // s of the levels beside an edge
	edgeDistance = 25e-6
)

// levels finds the two levels of an island over time, and how well they hold together.
func (in island) levels(x []float32, rate float64) ([]run, float64) {
	simple := cutSimply
	if in.steady {
		simple = cutOnce
	}
	stray := 0 // of the edges that stand out
	if in.steady {
		stray = in.edges / strayEdges
	}
	if simple := simple(x, rate); len(simple) > in.edges-stray {
		if quality := consistency(simple); quality >= goodQuality {
			return simple, quality
		}
	}
	if in.swing/in.noise < noisy {
		var shrink float64
		x, shrink = smoothed(x, int(smoothing*rate))
		in.noise *= shrink * 1.5
		in.swing *= 0.88
	}
	t := &tracker{x: x, rate: rate, noise: max(in.noise, in.swing/8), quiet: in.steady,
		shortest: max(leastRun, in.shortest)}
	fits := corners[:1] // nothing blocks them
	if !in.steady {
		fits = in.fit(t)
	}
	type candidate struct {
		runs    []run
		quality float64
		cost    float64
	}
	var all []candidate
	most, least := 0, math.Inf(1)
	for _, corner := range fits {
		for _, drift := range drifts {
			p := t.path(in.swing*(1+corner/2000), corner, drift)
			if len(p.edges) < 2 {
				continue
			}
			runs := t.runs(p, in.swing*(1+corner/2000), corner)
			all = append(all, candidate{runs, consistency(runs), p.cost})
			most, least = max(most, len(runs)), min(least, p.cost)
		}
	}
	best, score := candidate{}, math.Inf(-1)
	for _, c := range all {
		if s := c.quality - 0.15*math.Log(c.cost/max(least, 1e-9)) + 0.2*float64(len(c.runs))/float64(most); s > score {
			best, score = c, s
		}
	}
	return best.runs, best.quality
}

// fit picks the two corner frequencies that leave least unexplained.
func (in island) fit(t *tracker) []float64 {
	costs := map[int]float64{}
	try := func(i int) {
		if _, done := costs[i]; i < 0 || i >= len(corners) || done {
			return
		}
		p := t.path(in.swing*(1+corners[i]/2000), corners[i], usualDrift)
		costs[i] = p.cost + change*float64(len(p.edges))/float64(len(t.x))
	}
	ranked := func() []int {
		var all []int
		for i := range corners {
			if _, done := costs[i]; done {
				all = append(all, i)
			}
		}
		slices.SortStableFunc(all, func(a, b int) int {
			if costs[a] < costs[b] {
				return -1
			}
			return 1
		})
		return all
	}
	for _, i := range roughCorners {
		try(i)
	}
	for range 2 {
		best := ranked()[0]
		try(best - 1)
		try(best + 1)
	}
	all := ranked()
	out := []float64{corners[all[0]]}
	if costs[all[1]] <= 1.25*costs[all[0]]+0.002 {
		out = append(out, corners[all[1]])
	}
	return out
}

// cutSimply cuts in the middle between the levels of each block, as it is enough for levels that stay where they are.
func cutSimply(x []float32, rate float64) []run {
	var out []run
	a := assembler{gather: func(r run) { out = append(out, r) }}
	s := slicer{out: &a, step: 1e6 / rate}
	for len(x) > 0 {
		n := min(len(x), blockSize)
		s.block(x[:n])
		x = x[n:]
	}
	s.finish()
	if a.last.us > 0 {
		out = append(out, a.last)
	}
	return out
}

// cutOnce cuts at one level all along, in the middle between the quiet and the loud.
func cutOnce(x []float32, rate float64) []run {
	const every = 8 // enough for a share of many
	some := make([]float32, 0, len(x)/every+1)
	for i := 0; i < len(x); i += every {
		some = append(some, x[i])
	}
	sorted := slices.Sorted(slices.Values(some))
	low, high := sorted[len(sorted)/20], sorted[len(sorted)*19/20]
	middle, us := (low+high)/2, 1e6/rate
	var out []run
	level, last := x[0] > middle, 0.0
	for i := 1; i < len(x); i++ {
		part := 0.05 * (high - low)
		if level {
			part = -part
		}
		if (x[i] > middle+part) != level {
			at := float64(i)
			if x[i] != x[i-1] {
				at += min(max(float64((middle-x[i-1])/(x[i]-x[i-1])), 0), 1) - 1
			}
			out = append(out, run{level, max((at-last)*us, 1)})
			level, last = !level, at
		}
	}
	return append(out, run{level, (float64(len(x)) - last) * us})
}

// smoothed is a sound after a Hann window of so many samples, and by how much that shrinks noise.
func smoothed(x []float32, n int) ([]float32, float64) {
	n = max(n, 3)
	window := make([]float64, n)
	sum, square := 0.0, 0.0
	for i := range window {
		window[i] = 1 - math.Cos(2*math.Pi*float64(i+1)/float64(n+1))
		sum += window[i]
	}
	for i := range window {
		window[i] /= sum
		square += window[i] * window[i]
	}
	out := make([]float32, len(x))
	for i := range x {
		v := 0.0
		for k, h := range window {
			j := min(max(i+k-n/2, 0), len(x)-1)
			v += h * float64(x[j])
		}
		out[i] = float32(v)
	}
	return out, math.Sqrt(square)
}

// tracker follows two levels through samples.
type tracker struct {
	x        []float32
	rate     float64
	noise    float64
	quiet    bool    // it begins low for sure
	shortest float64 // s between two edges
	nodes    []node
}

// node is an edge of a path.
type node struct{ at, before int32 }

// survivor is the best path so far that ends in one level.
type survivor struct {
	cost  float64
	base  float64 // of the low level
	swing float64
	droop float64 // what the coupling took away
	since int     // samples since the last edge
	node  int32
}

// track is the path of levels that was found.
type track struct {
	edges []int // the first samples of the other level
	first bool  // level that it begins with
	cost  float64
}

// path finds the cheapest path. It is looked for twice, from a low and from a high beginning: unbound, low and "high
// on a lower base" tie in silence.
func (t *tracker) path(swing, corner, drift float64) track {
	low := t.from(0, swing, corner, drift)
	if t.quiet {
		return low
	}
	if high := t.from(1, swing, corner, drift); high.cost < low.cost {
		return high
	}
	return low
}

func (t *tracker) from(begin int, swing, corner, drift float64) track {
	const never = 1 << 30
	t.nodes = t.nodes[:0]
	var s [2]survivor
	for i := range s {
		s[i] = survivor{base: float64(t.x[0]) - float64(i)*swing, swing: swing, since: never, node: int32(-1 - i)}
		if i != begin {
			s[i].cost = 1e9
		}
		if corner > 0 {
			s[i].base, s[i].droop = float64(t.x[0]), float64(i)*swing
		}
	}
	m := moves{drift: 1 / (drift * t.rate), droop: 1 - math.Exp(-2*math.Pi*corner/t.rate),
		settles: int(max(gainSettles*t.rate, 2)), per: 0.5 / (t.noise * t.noise)}
	m.gain = gainFollows / float64(m.settles)
	leastApart := int(max(t.shortest*t.rate, 2))
	for k, v := range t.x {
		x := float64(v)
		var next [2]survivor
		for i := range next {
			stay := s[i]
			m.update(&stay, i, x, m.drift, m.gain)
			next[i] = stay
			if other := s[1-i]; other.since >= leastApart && other.cost+change < stay.cost {
				from := other.node
				other.since = 0
				other.cost += change
				m.update(&other, i, x, 0.3*m.drift, 0)
				if other.cost < stay.cost {
					t.nodes = append(t.nodes, node{int32(k), from})
					other.node = int32(len(t.nodes) - 1)
					next[i] = other
				}
			}
			next[i].swing = min(max(next[i].swing, leastGain*swing), mostGain*swing)
		}
		s = next
	}
	best := s[0]
	if s[1].cost < best.cost {
		best = s[1]
	}
	p := track{cost: best.cost / float64(len(t.x))}
	n := best.node
	for ; n >= 0; n = t.nodes[n].before {
		p.edges = append(p.edges, int(t.nodes[n].at))
	}
	slices.Reverse(p.edges)
	p.first = n == -2
	return p
}

// moves is how a survivor follows the samples.
type moves struct {
	drift, droop, gain, per float64
	settles                 int
}

func (m *moves) update(s *survivor, level int, x, drift, gain float64) {
	top := float64(level) * s.swing
	e := x - s.base - top + s.droop
	s.droop += m.droop * (top - s.droop)
	limit := s.swing * s.swing
	s.cost += min(e*e, limit) * m.per
	half := s.swing / 2
	e = min(max(e, -half), half)
	s.base += drift * e
	if gain > 0 && s.since > 0 && s.since < m.settles {
		s.swing += gain * e * float64(2*level-1)
	}
	s.since++
}

// runs turns a path into runs of levels, with each edge where the sound crosses the middle of the levels beside it.
func (t *tracker) runs(p track, swing, corner float64) []run {
	x := t.x
	if corner > 0 {
		x = t.undrooped(p, swing, corner)
	}
	us := 1e6 / t.rate
	out := make([]run, 0, len(p.edges)+1)
	level, last := p.first, 0.0
	for j := range p.edges {
		at := t.crossing(x, p, j, !level)
		out = append(out, run{level, max((at-last)*us, 1)})
		last, level = at, !level
	}
	return append(out, run{level, (float64(len(x)) - last) * us})
}

// undrooped puts back what the coupling took away.
func (t *tracker) undrooped(p track, swing, corner float64) []float32 {
	out := make([]float32, len(t.x))
	by := 1 - math.Exp(-2*math.Pi*corner/t.rate)
	level, next := p.first, 0
	droop := 0.0
	if level {
		droop = swing
	}
	for i, v := range t.x {
		if next < len(p.edges) && p.edges[next] == i {
			level = !level
			next++
		}
		out[i] = v + float32(droop)
		top := 0.0
		if level {
			top = swing
		}
		droop += by * (top - droop)
	}
	return out
}

// crossing is where edge j is, between samples.
func (t *tracker) crossing(x []float32, p track, j int, rises bool) float64 {
	k := p.edges[j]
	before, after := 0, len(x)
	if j > 0 {
		before = p.edges[j-1]
	}
	if j+1 < len(p.edges) {
		after = p.edges[j+1]
	}
	n, apart := max(int(edgeBefore*t.rate), 1), max(int(edgeDistance*t.rate), 1)
	left := x[min(max(before, k-apart-n), k-1):max(k-apart, min(before+1, k))]
	right := x[min(k+apart, max(after-2, k)):max(min(after-1, k+apart+n), min(k+1, len(x)))]
	if len(left) == 0 || len(right) == 0 {
		return float64(k) - 0.5
	}
	middle := (medianOf(left) + medianOf(right)) / 2
	best := math.Inf(1)
	for i := max(1, k-3, before+1); i < min(len(x), k+4, after+1); i++ {
		a, b := float64(x[i-1]), float64(x[i])
		if rises && a <= middle && middle < b || !rises && a >= middle && middle > b {
			at := float64(i-1) + (middle-a)/(b-a)
			if math.Abs(at-float64(k)+0.5) < math.Abs(best-float64(k)+0.5) {
				best = at
			}
		}
	}
	if math.IsInf(best, 1) {
		return float64(k) - 0.5
	}
	return best
}

func medianOf(x []float32) float64 {
	var small [64]float32
	s := append(small[:0], x...)
	slices.Sort(s)
	return float64(s[len(s)/2]+s[(len(s)-1)/2]) / 2
}
