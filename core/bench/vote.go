package bench

import (
	"cmp"
	"math"
	"slices"
)

// ballot is the frames of a press that are the same, and what they say together.
type ballot struct {
	segments []segment
	group    []int  // the segments that are this frame, cut or damaged ones too
	whole    []int  // those of the commonest form
	voters   []int  // these, and others laid over them
	bits     string // of a real frame where positions vary
	// mask is the bits that all frames have, with * where they vary and are no part of what recognises the key.
	mask  string
	sums  []float64 // of what the frames say of each bit
	doubt string    // about its ends
}

// vary stands for a bit that is not the same in all frames.
const vary = '*'

// voted lets the frames of the group that explains most bits vote. It is false where there is no group.
func voted(c cut, style Style) (ballot, bool) {
	b := ballot{segments: slices.Clone(c.segments)}
	most := 0
	for _, g := range c.groups {
		bits := 0
		for _, i := range g {
			bits += len(c.segments[i].bits)
		}
		if bits > most {
			most, b.group = bits, g
		}
	}
	if most == 0 {
		return b, false
	}
	b.chooseForm()
	b.voters = slices.Clone(b.whole)
	for _, i := range b.group {
		if !slices.Contains(b.whole, i) {
			b.add(project(b.segments[b.whole[len(b.whole)/2]].bits, b.segments[i]))
		}
	}
	b.addCutOnes(len(c.segments))
	b.count(style)
	return b, true
}

func (b *ballot) add(s segment) {
	b.voters = append(b.voters, len(b.segments))
	b.segments = append(b.segments, s)
}

// chooseForm takes the commonest form of the group, of several the one with fewer runs, and then with more bits: more
// frames are cut than have too much.
func (b *ballot) chooseForm() {
	counts := map[string]int{}
	for _, i := range b.group {
		counts[b.segments[i].form]++
	}
	best := b.segments[b.group[0]]
	for _, i := range b.group {
		s := b.segments[i]
		if cmp.Or(cmp.Compare(counts[s.form], counts[best.form]), cmp.Compare(len(best.runs), len(s.runs)),
			cmp.Compare(len(s.bits), len(best.bits))) > 0 {
			best = s
		}
	}
	for _, i := range b.group {
		if b.segments[i].form == best.form {
			b.whole = append(b.whole, i)
		}
	}
}

// project lays the bits of a segment over others, by the least edits; where it has no bit it says nothing.
func project(onto string, s segment) segment {
	n, m := len(onto), len(s.bits)
	cost := make([][]int, n+1)
	for i := range cost {
		cost[i] = make([]int, m+1)
		for j := range cost[i] {
			switch {
			case i == 0:
				cost[i][j] = j
			case j == 0:
				cost[i][j] = i
			default:
				c := cost[i-1][j-1]
				if onto[i-1] != s.bits[j-1] {
					c++
				}
				cost[i][j] = min(c, cost[i-1][j]+1, cost[i][j-1]+1)
			}
		}
	}
	out := segment{sure: make([]float64, n), part: true, first: s.first}
	bits := []byte(onto)
	for i, j := n, m; i > 0; {
		c := 1
		if j > 0 && onto[i-1] == s.bits[j-1] {
			c = 0
		}
		switch {
		case j > 0 && cost[i][j] == cost[i-1][j-1]+c:
			bits[i-1], out.sure[i-1] = s.bits[j-1], s.sure[j-1]
			i, j = i-1, j-1
		case cost[i][j] == cost[i-1][j]+1:
			i--
		default:
			j--
		}
	}
	out.bits = string(bits)
	return out
}

// addCutOnes lets a first frame vote of which the beginning is missing, and a last one without its end.
func (b *ballot) addCutOnes(heard int) {
	const fewest = 8
	like := b.segments[b.whole[len(b.whole)-1]]
	n := len(like.bits)
	for _, i := range []int{0, heard - 1} {
		s := b.segments[i]
		if len(s.bits) < fewest || len(s.bits) >= n || slices.Contains(b.group, i) {
			continue
		}
		off := 0
		if i == 0 {
			off = n - len(s.bits)
		}
		part := segment{sure: make([]float64, n), part: true, first: i == 0,
			bits: like.bits[:off] + s.bits + like.bits[off+len(s.bits):]}
		copy(part.sure[off:], s.sure)
		differing := 0
		for p := range s.bits {
			if s.bits[p] != like.bits[off+p] {
				differing++
			}
		}
		if differing <= max(2, len(s.bits)/10) {
			b.add(part)
		}
	}
}

// dissent is the frames that surely have another bit than the others.
type dissent struct {
	voters int
	later  bool // not the first frame alone, which may be sent once, or came in badly
}

// dissent finds the frames that have another bit at a position: one that is very sure, or several that are.
func (b *ballot) dissent(p int, majority byte) dissent {
	const sure, verySure = 4.0, 7.0
	var d dissent
	most := 0.0
	for _, i := range b.voters {
		s := b.segments[i]
		if s.bits[p] == majority || math.Abs(s.sure[p]) < sure {
			continue
		}
		d.voters++
		d.later = d.later || !s.first || len(b.voters) < 3
		most = max(most, math.Abs(s.sure[p]))
	}
	if d.voters < 2 && most < verySure {
		return dissent{}
	}
	return d
}

// count decides each bit, and finds the positions that vary.
func (b *ballot) count(style Style) {
	n := len(b.segments[b.whole[0]].bits)
	b.sums = make([]float64, n)
	for p := range b.sums {
		for _, i := range b.voters {
			const most = 20
			b.sums[p] += max(-most, min(most, b.segments[i].sure[p]))
		}
	}
	majority := make([]byte, n)
	for p := range majority {
		majority[p] = '0'
		if b.sums[p] > 0 {
			majority[p] = '1'
		}
	}
	differs, masked := make([]bool, n), slices.Clone(majority)
	for p := range majority {
		d := b.dissent(p, majority[p])
		differs[p] = d.voters > 0
		if d.later && (d.voters > 1 || len(b.voters) < 5) {
			masked[p] = vary
		}
	}
	// Beside a bit that varies, it is the next one of a counter.
	for p := 1; p < n; p++ {
		if differs[p] && masked[p-1] == vary {
			masked[p] = vary
		}
		if q := n - 1 - p; differs[q] && masked[q+1] == vary {
			masked[q] = vary
		}
	}
	b.bits = b.commonest(string(majority), differs)
	for p := range masked { // where a bit does not vary, it is known by what is sent
		if masked[p] != vary {
			masked[p] = b.bits[p]
		}
	}
	b.mask = string(masked)
}

// commonest is the bits of the frame that comes most often, where frames differ: never a mixture of several.
func (b *ballot) commonest(majority string, differs []bool) string {
	counts := map[string]int{}
	best := majority
	for _, i := range b.voters {
		if b.segments[i].part {
			continue
		}
		bits := []byte(majority)
		for p := range bits {
			if differs[p] {
				bits[p] = b.segments[i].bits[p]
			}
		}
		text := string(bits)
		if counts[text]++; counts[text] > counts[best] {
			best = text
		}
	}
	return best
}

// equal lists the frames of the group that are complete, but for one bit.
func (b *ballot) equal() []int {
	n := len(b.segments[b.whole[0]].bits)
	var out []int
	for _, i := range b.group {
		if d := len(b.segments[i].bits) - n; slices.Contains(b.whole, i) || d >= -1 && d <= 1 {
			out = append(out, i)
		}
	}
	return out
}

// blocks cuts bits as the runs of the commonest form are.
func (b *ballot) blocks(bits string) []string {
	var out []string
	for _, r := range b.segments[b.whole[0]].runs {
		out = append(out, bits[:len(r.bits)])
		bits = bits[len(r.bits):]
	}
	return out
}

// nearest is the whole frame that is most like the result, of equal ones the first.
func (b *ballot) nearest() segment {
	best, least := b.segments[b.whole[0]], math.MaxInt
	for _, i := range b.whole {
		s := b.segments[i]
		n := 0
		for p := range s.bits {
			if s.bits[p] != b.bits[p] {
				n++
			}
		}
		for _, r := range s.runs {
			for _, t := range r.tokens {
				if t.merged {
					n++
				}
			}
		}
		if n < least {
			best, least = s, n
		}
	}
	return best
}
