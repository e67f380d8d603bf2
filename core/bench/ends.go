package bench

import (
	"fmt"
	"math"
	"slices"

	"urbo/core/plain"
)

// trimEnds takes from the bits what is none: pairs of a lead or a footer that only look like bits, and a short last
// mark that is a stop.
func (b *ballot) trimEnds(m model) {
	if m.style == Biphase {
		return
	}
	if n := b.strange(m, false); n > 0 {
		b.trim(m, 0, n)
	}
	if n := b.strange(m, true); n > 0 {
		b.trim(m, n, 0)
	}
	b.trimStops(m)
}

// outermost is how many pairs at each end may be none.
const outermost = 2

// strange is how many tokens at one end are no symbols: averaged over the frames, one of their durations is more than
// half a unit off the nearest symbol.
func (b *ballot) strange(m model, first bool) int {
	for k := outermost; k > 0; k-- {
		var off [2]float64
		n := 0.0
		for _, i := range b.whole {
			runs := b.segments[i].runs
			tokens := runs[len(runs)-1].tokens
			at := len(tokens) - k
			if first {
				tokens, at = runs[0].tokens, k-1
			}
			if at < 0 || at >= len(tokens) || tokens[at].kind != inside {
				continue
			}
			t := tokens[at]
			p := m.pairs[t.value]
			x, y := t.us[0]-m.mean(0, p.first), t.us[1]-m.mean(1, p.second)
			if x*x+y*y > 9*m.unit*m.unit {
				continue
			}
			off[0], off[1] = off[0]+x, off[1]+y
			n++
		}
		if n >= 2 && (math.Abs(off[0]/n) > m.unit/2 || math.Abs(off[1]/n) > m.unit/2) {
			return k
		}
	}
	return 0
}

// trim takes tokens from both ends of all whole frames. It leaves a few bits in any case.
func (b *ballot) trim(m model, head, tail int) {
	const least = 5
	runs := b.segments[b.whole[0]].runs
	if len(runs[0].tokens) <= head+tail+least || len(runs[len(runs)-1].tokens) <= head+tail+least {
		return
	}
	headBits, tailBits := 0, 0
	for _, i := range b.whole {
		s := &b.segments[i]
		s.runs = append([]bitRun(nil), s.runs...)
		first := &s.runs[0]
		headBits = first.drop(m, head, true)
		last := &s.runs[len(s.runs)-1]
		tailBits = last.drop(m, tail, false)
		s.rejoin()
	}
	b.cutBits(headBits, tailBits)
}

// drop takes tokens from one end of a run, and says how many bits that are.
func (r *bitRun) drop(m model, tokens int, front bool) int {
	if tokens == 0 {
		return 0
	}
	bits := 0
	for k := range tokens {
		t := r.tokens[len(r.tokens)-1-k]
		if front {
			t = r.tokens[k]
		}
		if t.value >= 0 {
			bits += m.bits
		}
	}
	if front {
		r.tokens, r.bits, r.sure = r.tokens[tokens:], r.bits[bits:], r.sure[bits:]
		r.from = r.tokens[0].from
		return bits
	}
	r.tokens, r.bits, r.sure = r.tokens[:len(r.tokens)-tokens], r.bits[:len(r.bits)-bits], r.sure[:len(r.sure)-bits]
	r.to, r.open = r.tokens[len(r.tokens)-1].to, false
	return bits
}

// cutBits takes bits from both ends of what was voted.
func (b *ballot) cutBits(head, tail int) {
	n := len(b.bits) - tail
	b.bits, b.mask, b.sums = b.bits[head:n], b.mask[head:n], b.sums[head:n]
}

// trimStops takes the last mark of each block where it is a stop and no bit. Which it is cannot be known: it is taken
// for a stop where it is as short as the shortest, and the bits without it are a multiple of four, in every block. A
// code whose marks alone carry the bits needs no stop.
func (b *ballot) trimStops(m model) {
	blocks := b.blocks(b.bits)
	if !b.shortEnds(m) || m.style == Width && len(blocks) == 1 ||
		slices.ContainsFunc(blocks, func(bits string) bool { return (len(bits)-1)%4 != 0 }) {
		if b.shortEnds(m) {
			b.doubt = fmt.Sprintf("The short last mark is taken for a bit. It may be a stop: then there are %s.",
				plain.Count(len(b.bits)-len(blocks), "bit", "bits"))
		}
		return
	}
	b.doubt = fmt.Sprintf("The short last mark is taken for a stop. It may be a bit: then there are %s.",
		plain.Count(len(b.bits), "bit", "bits"))
	b.dropLastOfEach(m)
}

// shortEnds says whether each block ends with a mark that is as short as the shortest, and could be a bit.
func (b *ballot) shortEnds(m model) bool {
	if m.style != Ratio && m.style != Width {
		return false
	}
	runs := b.segments[b.whole[0]].runs
	for k, bits := range b.blocks(b.bits) {
		last := runs[k].tokens[len(runs[k].tokens)-1]
		if !runs[k].open || last.kind != ending || m.pairs[int(bits[len(bits)-1]-'0')].first != m.short ||
			len(bits) <= fewestBits {
			return false
		}
	}
	return true
}

func (b *ballot) dropLastOfEach(m model) {
	var bits, mask string
	var sums []float64
	at := 0
	for _, r := range b.segments[b.whole[0]].runs {
		to := at + len(r.bits) - 1
		bits, mask, sums = bits+b.bits[at:to], mask+b.mask[at:to], append(sums, b.sums[at:to]...)
		at = to + 1
	}
	b.bits, b.mask, b.sums = bits, mask, sums
	for _, i := range b.whole {
		s := &b.segments[i]
		s.runs = append([]bitRun(nil), s.runs...)
		for k := range s.runs {
			s.runs[k].drop(m, 1, false)
		}
		s.rejoin()
	}
}
