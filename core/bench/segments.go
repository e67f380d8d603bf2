package bench

import (
	"math"
	"slices"
	"strconv"
	"strings"
)

// segment is what may be a frame: runs of bits with pauses between them.
type segment struct {
	runs  []bitRun
	bits  string
	sure  []float64
	form  string  // the lengths of its runs
	pause float64 // µs before it
	part  bool    // laid over another one: where it says nothing its bits are those
	first bool    // of the press
}

func join(runs []bitRun, pause float64) segment {
	s := segment{runs: runs, pause: pause}
	var bits, form strings.Builder
	for _, r := range runs {
		bits.WriteString(r.bits)
		form.WriteString(strconv.Itoa(len(r.bits)) + " ")
		s.sure = append(s.sure, r.sure...)
	}
	s.bits, s.form = bits.String(), form.String()
	return s
}

// rejoin is for runs that were changed.
func (s *segment) rejoin() {
	now := join(s.runs, s.pause)
	now.first = s.first
	*s = now
}

// mostRuns is how many runs of bits of a press are laid over each other.
const mostRuns = 96

// cut is a way to cut a press into segments, with the groups of those that are alike.
type cut struct {
	segments []segment
	groups   [][]int
	score    float64 // bits that come again, without the differences
}

// cutUp cuts the runs of a press into segments so that most of them recur: at pauses that are long by their longest
// space, or by their sum, which noise inside a pause does not change.
func cutUp(e evidence, m model, runs []bitRun) cut {
	runs = runs[:min(len(runs), mostRuns)]
	spaces, totals := make([]float64, len(runs)), make([]float64, len(runs))
	for k := 1; k < len(runs); k++ {
		spaces[k], totals[k] = e.between(runs[k-1].to, runs[k].from)
	}
	near := distances{}
	var best cut
	for i, keys := range [][]float64{spaces, totals} {
		for j, limit := range thresholds(keys[min(1, len(keys)):], m.unit) {
			c := cut{segments: segmentsOf(runs, keys, totals, limit)}
			c.groups = near.group(c.segments)
			c.score = near.recurring(c)
			const ahead, bits = 1.03, 2
			if i+j == 0 || c.score > best.score*ahead+bits {
				best = c
			}
		}
	}
	if joined, ok := cycles(best); ok {
		best.segments = joined
		best.groups = near.group(joined)
	}
	return best
}

// thresholds lists where the sorted pauses jump, the longest first, after one that cuts nowhere.
func thresholds(pauses []float64, unit float64) []float64 {
	const jump, least, most = 1.12, 4, 12
	sorted := slices.Sorted(slices.Values(pauses))
	out := []float64{math.Inf(1)}
	for i := len(sorted) - 1; i >= 0 && len(out) <= most; i-- {
		low := 0.0
		if i > 0 {
			low = sorted[i-1]
		}
		if v := sorted[i]; v > jump*low && v > least*unit {
			out = append(out, math.Sqrt(max(low, 0.8*v)*v))
		}
	}
	return out
}

func segmentsOf(runs []bitRun, keys, totals []float64, limit float64) []segment {
	var out []segment
	from := 0
	for k := 1; k <= len(runs); k++ {
		if k == len(runs) || keys[k] > limit {
			out = append(out, join(runs[from:k:k], totals[from]))
			from = k
		}
	}
	if len(out) > 0 {
		out[0].first = true
	}
	return out
}

// tolerated is how many differences two segments of so many bits may have and be the same frame.
func tolerated(bits int) int { return max(2, bits/8) }

// distances remembers how far bits are apart.
type distances map[[2]string]int

// of is the edit distance of two strings of bits, or most+1 where it is more than most.
func (d distances) of(a, b string, most int) int {
	if a == b {
		return 0
	}
	if len(a)-len(b) > most || len(b)-len(a) > most {
		return most + 1
	}
	key := [2]string{a, b}
	if n, ok := d[key]; ok && n <= most {
		return n
	}
	n := edits(a, b, most)
	if n <= most {
		d[key] = n
	}
	return n
}

// edits is the edit distance of two strings, or most+1 where it is more than most: only a band of the matrix is worked
// out.
func edits(a, b string, most int) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := 1; i <= len(a); i++ {
		from, to := max(1, i-most), min(len(b), i+most)
		corner := row[from-1]
		row[from-1] = most + 1
		if from == 1 {
			row[0] = i
		}
		least := row[from-1]
		for j := from; j <= to; j++ {
			cost := corner
			if a[i-1] != b[j-1] {
				cost++
			}
			corner = row[j]
			if j < i+most { // the place above is inside the band
				cost = min(cost, row[j]+1)
			}
			row[j] = min(cost, row[j-1]+1)
			least = min(least, row[j])
		}
		if least > most {
			return most + 1
		}
	}
	return min(row[len(b)], most+1)
}

// group puts segments together that are nearly alike, each with the first of its group.
func (d distances) group(segments []segment) [][]int {
	var out [][]int
	for i, s := range segments {
		at := slices.IndexFunc(out, func(g []int) bool {
			first := segments[g[0]].bits
			most := tolerated(len(first))
			return d.of(first, s.bits, most) <= most
		})
		if at < 0 {
			out = append(out, []int{i})
			continue
		}
		out[at] = append(out[at], i)
	}
	return out
}

// recurring is how many bits of a cut come again, less what is different in them. A segment alone counts less, where it
// is the beginning or the end of a longer one.
func (d distances) recurring(c cut) float64 {
	score := 0.0
	for _, g := range c.groups {
		first := c.segments[g[0]].bits
		for _, i := range g[1:] {
			score += float64(len(c.segments[i].bits) - d.of(first, c.segments[i].bits, tolerated(len(first))))
		}
		if len(g) == 1 && d.partOfAnother(c.segments, g[0]) {
			score += partWorth * float64(len(c.segments[g[0]].bits))
		}
	}
	return score
}

// partWorth is what a bit of a part counts.
const partWorth = 0.8

// partOfAnother says whether a segment is the beginning or the end of a longer one. The first of a press may be a short
// end, and the last one a short beginning.
func (d distances) partOfAnother(segments []segment, i int) bool {
	const least, leastAtEnds = 10, 5
	part := segments[i].bits
	n := len(part)
	if n < leastAtEnds {
		return false
	}
	most := n / 12
	return slices.ContainsFunc(segments, func(s segment) bool {
		if len(s.bits) <= n+tolerated(n) {
			return false
		}
		begins, ends := d.of(s.bits[:n], part, most) <= most, d.of(s.bits[len(s.bits)-n:], part, most) <= most
		return n >= least && (begins || ends) || i == 0 && ends || i == len(segments)-1 && begins
	})
}

// cycles joins segments that come in turns: a frame of several blocks that all have the same pause between them.
func cycles(c cut) ([]segment, bool) {
	n := len(c.segments)
	if n < 4 {
		return nil, false
	}
	label := make([]int, n)
	total := 0.0
	for k, g := range c.groups {
		for _, i := range g {
			label[i] = k
			total += float64(len(c.segments[i].bits))
		}
	}
	support := func(q int) float64 {
		same, all := 0.0, total/float64(n)
		for i := 0; i+q < n; i++ {
			bits := float64(len(c.segments[i].bits))
			all += bits
			if label[i] == label[i+q] {
				same += bits
			}
		}
		return same / all
	}
	const mostBlocksInTurn = 6
	one := support(1)
	period, most := 1, one
	for q := 2; q <= min(mostBlocksInTurn, (n+1)/2); q++ {
		if s := support(q); s > most+0.12 {
			period, most = q, s
		}
	}
	if period == 1 || most < 0.3 || one > 0.35 {
		return nil, false
	}
	start := startOfCycle(c, label, period)
	if start < 0 {
		return nil, false
	}
	var out []segment
	from := 0
	for i := 1; i <= n; i++ {
		if i < n && label[i] != start {
			continue
		}
		var runs []bitRun
		for _, s := range c.segments[from:i] {
			runs = append(runs, s.runs...)
		}
		s := join(runs, c.segments[from].pause)
		s.first = from == 0
		out = append(out, s)
		from = i
	}
	return out, true
}

// startOfCycle is the label of the segments with which a frame begins: the first one, where the press has only whole
// frames then; else the one before which the pause is longest. It is -1 where none comes twice.
func startOfCycle(c cut, label []int, period int) int {
	n := len(c.segments)
	best, longest := -1, 0.0
	for l, g := range c.groups {
		if len(g) < 2 {
			continue
		}
		if label[0] == l && n%period == 0 {
			return l
		}
		pauses, count := 0.0, 0.0
		for _, i := range g {
			if i > 0 {
				pauses += c.segments[i].pause
				count++
			}
		}
		if mean := pauses / max(count, 1); mean > longest {
			best, longest = l, mean
		}
	}
	return best
}
