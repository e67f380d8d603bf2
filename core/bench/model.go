package bench

import (
	"cmp"
	"math"
	"slices"
)

// pair is a symbol of a code: two durations in units, a mark and the space after it, or where a shape begins with the
// space, a space and the mark after it.
type pair struct{ first, second int }

// shape is how the bits of a code become durations, without its clock.
type shape struct {
	style      Style
	pairs      []pair // by value; nil for biphase
	spaceFirst bool
	bits       int     // that a pair carries
	units      float64 // of all pairs: long ones are less likely
	lnPairs    float64 // what it costs to say which pair was sent
	short      int     // the least units of a first duration
	longSpace  int     // the most units of a second one
	stops      bool    // all first durations are alike: the mark that ends a frame carries no bit
}

func newShape(style Style, pairs ...pair) shape {
	s := shape{style: style, pairs: pairs, bits: 1, short: mostUnits}
	for _, p := range pairs {
		s.units += float64(p.first + p.second)
		s.short, s.longSpace = min(s.short, p.first), max(s.longSpace, p.second)
	}
	if len(pairs) == 4 {
		s.bits = 2
	}
	s.stops = !slices.ContainsFunc(pairs, func(p pair) bool { return p.first != pairs[0].first })
	s.lnPairs = math.Log(float64(max(len(pairs), 2)))
	return s
}

// shapes are the codes that are looked at.
var shapes = allShapes()

func allShapes() []shape {
	var out []shape
	add := func(style Style, pairs ...pair) {
		divisor := 0
		for _, p := range pairs {
			divisor = gcd(gcd(divisor, p.first), p.second)
		}
		if divisor == 1 { // the others are one of these with a longer unit
			out = append(out, newShape(style, pairs...))
		}
	}
	for a := 1; a <= 2; a++ {
		for low := 1; low <= 5; low++ {
			for high := low + 1; high <= 6; high++ {
				add(Distance, pair{a, low}, pair{a, high})
				add(Width, pair{low, a}, pair{high, a})
			}
		}
		for low := 1; low <= 3; low++ {
			for step := 1; step <= 2; step++ {
				add(Symbols, pair{a, low}, pair{a, low + step}, pair{a, low + 2*step}, pair{a, low + 3*step})
				add(Symbols, pair{low, a}, pair{low + step, a}, pair{low + 2*step, a}, pair{low + 3*step, a})
			}
		}
	}
	for short := 1; short <= 3; short++ {
		for long := short + 1; long <= 5; long++ {
			add(Ratio, pair{short, long}, pair{long, short})
		}
	}
	for _, s := range out {
		if s.style == Ratio {
			s.spaceFirst = true
			s.units += 2 // the mark before the first of them says nothing
			out = append(out, s)
		}
	}
	biphase := newShape(Biphase)
	biphase.units = 4
	return append(out, biphase)
}

func gcd(a, b int) int {
	for b > 0 {
		a, b = b, a%b
	}
	return a
}

// mostUnits is the longest first or second duration of a pair, in units.
const mostUnits = 9

// model is a shape with its clock: a line code.
type model struct {
	shape
	clock
}

// prior is how likely a code is before anything is heard, as a logarithm: short symbols and little stretch.
func (m model) prior() float64 { return stretchOdds(m.stretch/m.unit) - m.units }

// mean is how long the first (0) or second (1) duration of a pair is under the model, in µs.
func (m model) mean(which, units int) float64 {
	if (which == 1) != m.spaceFirst {
		return float64(units)*m.unit - m.stretch
	}
	return float64(units)*m.unit + m.stretch
}

// table is the log-odds of each duration for each number of units under one clock.
type table []float64 // [duration*mostUnits + units-1]

func (e evidence) table(c clock, t table) table {
	n := len(e.us) * mostUnits
	if cap(t) < n {
		t = make(table, n)
	}
	t = t[:n]
	ln := math.Log(c.sigma)
	stretch := c.stretch
	for i, us := range e.us {
		sigma, ln := e.jitter(i, c.sigma, ln)
		for k := range mostUnits {
			t[i*mostUnits+k] = odds(us, e.odd[i], float64(k+1)*c.unit+stretch, sigma, ln)
		}
		stretch = -stretch
	}
	return t
}

// there counts the marks (0) and spaces (1) that are more likely so many units than background.
func (t table) there() (count [2][mostUnits]int) {
	for i := range len(t) / mostUnits {
		for k, s := range t.at(i) {
			if s > 0 {
				count[i%2][k]++
			}
		}
	}
	return count
}

// possible says whether there is what the pairs of a shape are made of.
func (s *shape) possible(there [2][mostUnits]int) bool {
	const fewest = 2
	first, second := 0, 1
	if s.spaceFirst {
		first, second = 1, 0
	}
	return !slices.ContainsFunc(s.pairs, func(p pair) bool {
		return there[first][p.first-1] < fewest || there[second][p.second-1] < fewest
	})
}

func (t table) at(i int) []float64 { return t[i*mostUnits : (i+1)*mostUnits] }

// Costs of a path, as logarithms, and what they are for.
const (
	change   = 4.0  // from outside a code to inside, or back
	splinter = 7.0  // three durations that are one
	tiny     = 0.35 // units: what is shorter may be a splinter
)

// ends says whether after a last mark that carries no pair a space may be the silence, by its length in units.
func (s *shape) ends(units float64) bool {
	return !s.spaceFirst && (!s.stops || units > 0.8*float64(s.longSpace+1))
}

// quick is about the score of the best path of a shape through the evidence, without splinters.
func (s *shape) quick(e evidence, t table, unit float64) float64 {
	if s.style == Biphase {
		return quickBiphase(t, len(e.us))
	}
	in, out, pre := math.Inf(-1), 0.0, math.Inf(-1)
	i, n := 0, len(e.us)
	if s.spaceFirst {
		i, n = 1, n-1
	}
	for ; i+1 < n; i += 2 {
		first, second := t.at(i), t.at(i+1)
		best := math.Inf(-1)
		for _, p := range s.pairs {
			best = max(best, first[p.first-1]+second[p.second-1])
		}
		leave := max(out, in-change, pre-change)
		if s.ends(e.us[i+1] / unit) {
			leave = max(leave, in-change+s.last(first))
		}
		enter := max(in, out-change)
		if e.us[i+1] < 2.5*unit {
			pre = max(pre, out-change) + first[0] + second[0]
		} else {
			leave = max(leave, pre-change+first[0])
			pre = math.Inf(-1)
		}
		in, out = enter+best-s.lnPairs, leave
	}
	return max(out, in-change)
}

// last is the log-odds of a mark that ends a frame, by how many units it could have.
func (s *shape) last(marks []float64) float64 {
	if s.stops {
		return marks[s.short-1]
	}
	best := math.Inf(-1)
	for _, p := range s.pairs {
		best = max(best, marks[p.first-1])
	}
	return best - s.lnPairs
}

// quickBiphase is quick for codes whose bits are changes of level.
func quickBiphase(t table, n int) float64 {
	edge, mid, out := math.Inf(-1), math.Inf(-1), 0.0 // between two bits, inside a bit, outside
	for i := range n {
		edge, mid = max(edge, out-change), max(mid, out-change-math.Ln2)
		one, two := t[i*mostUnits], t[i*mostUnits+1]
		out = max(out, max(edge, mid)-change)
		edge, mid = mid+one-math.Ln2, max(edge+one, mid+two-math.Ln2)
	}
	return max(out, max(edge, mid)-change)
}

// mostModels is how many codes are looked at closely.
const mostModels = 12

// likely lists the codes that explain a press best by a rough look, the best first.
func (e evidence) likely(clocks []clock) []model {
	judged := e.sample(enough, enoughPiece)
	var all []model
	var t table
	for _, c := range clocks {
		t = judged.table(c, t)
		there := t.there()
		for i := range shapes {
			if !shapes[i].possible(there) {
				continue
			}
			m := model{shapes[i], c}
			m.score = m.quick(judged, t, c.unit) + m.prior()
			all = append(all, m)
		}
	}
	sortModels(all)
	var out []model
	for _, m := range all {
		if len(out) == mostModels {
			break
		}
		if !slices.ContainsFunc(out, func(o model) bool {
			return sameShape(o.shape, m.shape) && math.Abs(o.unit/m.unit-1) < 0.06
		}) {
			out = append(out, m)
		}
	}
	return out
}

func sortModels(all []model) {
	slices.SortStableFunc(all, func(a, b model) int { return cmp.Compare(b.score, a.score) })
}

func sameShape(a, b shape) bool {
	return a.style == b.style && a.spaceFirst == b.spaceFirst && slices.Equal(a.pairs, b.pairs)
}
