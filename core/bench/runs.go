package bench

import "strings"

// bitRun is bits that follow each other without anything between them.
type bitRun struct {
	bits   string
	sure   []float64 // how much more likely each bit is a one than a zero, as a logarithm
	tokens []token
	from   int  // the first duration that it covers
	to     int  // after the last one
	open   bool // its last mark is a bit whose space is the silence
}

// clearBit is what a bit of a biphase code counts for, of which the path is all that is known.
const clearBit = 12.0

// fewestBits is a run that is worth keeping whatever else there is.
const fewestBits = 4

// runsOf lists the runs of bits of a path.
func runsOf(e evidence, m model, path []token) []bitRun {
	var out []bitRun
	var now bitRun
	var bits strings.Builder
	end := func() {
		if bits.Len() > 0 {
			now.bits = bits.String()
			out = append(out, now)
		}
		now = bitRun{}
		bits.Reset()
	}
	for _, t := range path {
		if t.kind == outside {
			if m.style == Biphase && bits.Len() > 0 {
				now.to = t.from
			}
			end()
			continue
		}
		if len(now.tokens) == 0 {
			now.from = t.from
		}
		now.tokens, now.to = append(now.tokens, t), t.to
		if t.value >= 0 {
			sure := []float64{float64(2*t.value-1) * clearBit}
			if m.style != Biphase {
				sure = m.sure(t)
			}
			for b := range m.bits {
				bits.WriteByte('0' + byte(t.value>>(m.bits-1-b)&1))
			}
			now.sure = append(now.sure, sure...)
		}
		if t.kind == ending {
			now.to = t.from + 1
			now.open = t.value >= 0
			end()
		}
	}
	if m.style == Biphase && bits.Len() > 0 {
		now.to = len(e.us) - 1
	}
	end()
	if m.style == Biphase {
		startBiphase(out, path)
	}
	return meaningful(e, m, out)
}

// startBiphase puts the beginning of biphase runs where the code begins, which is before the middle of the first bit.
func startBiphase(runs []bitRun, path []token) {
	r, after := 0, 0
	for _, t := range path {
		switch {
		case t.kind == outside:
			after = t.to
		case r < len(runs) && t.from == runs[r].from && t.from >= after:
			runs[r].from = after
			r++
		}
	}
}

// meaningful leaves out runs that are noise, and preambles: equal bits shortly before a longer run.
func meaningful(e evidence, m model, runs []bitRun) []bitRun {
	longest := 0
	for _, r := range runs {
		longest = max(longest, len(r.bits))
	}
	var kept []bitRun
	for _, r := range runs {
		if len(r.bits) >= fewestBits || 4*len(r.bits) >= longest {
			kept = append(kept, r)
		}
	}
	var out []bitRun
	for i, r := range kept {
		const mostBits, mostPause = 16, 16
		if i+1 < len(kept) && len(r.bits) <= mostBits && len(r.bits) < len(kept[i+1].bits) &&
			strings.Count(r.bits, r.bits[:1]) == len(r.bits) {
			if _, total := e.between(r.to, kept[i+1].from); total < mostPause*m.unit {
				continue
			}
		}
		out = append(out, r)
	}
	return out
}

// between is the longest space and the sum of the durations between two places, in µs.
func (e evidence) between(from, to int) (space, total float64) {
	for i := from; i < to; i++ {
		total += e.us[i]
		if i%2 == 1 {
			space = max(space, e.us[i])
		}
	}
	return space, total
}
