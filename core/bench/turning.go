package bench

import (
	"math/bits"
	"slices"
	"strconv"
	"strings"
)

// Turning finds what goes on from press to press of one key, in presses as they followed each other: one bit that
// alternates, or a number that counts up. The structure is that of the last press with those bits as varying. A toggle
// is sure when both values came twice in turns; with three presses, unsure says that a fourth would tell it from a
// wrong press.
func Turning(presses []Structure) (s Structure, found, unsure bool) {
	n := len(presses)
	if n < 3 || slices.ContainsFunc(presses[n-3:], func(o Structure) bool { return !sameLayout(o, presses[n-1]) }) {
		return s, false, false
	}
	texts := make([]string, n)
	for i, p := range presses {
		texts[i] = strings.Join(p.Bits, "")
	}
	last := texts[n-1]
	differing := differs(last, texts[n-2])
	switch {
	case len(differing) == 1 && last == texts[n-3]:
		if n < 4 || texts[n-4] != texts[n-2] {
			return s, false, true
		}
	case counts(texts[n-3:]):
		differing = append(differing, differs(texts[n-2], texts[n-3])...)
		from, to := slices.Min(differing), slices.Max(differing)
		differing = differing[:0]
		for p := from; p <= to; p++ {
			differing = append(differing, p)
		}
	default:
		return s, false, false
	}
	return presses[n-1].varyingAt(differing), true, false
}

// sameLayout says whether two frames are built alike, with bits that may be others.
func sameLayout(a, b Structure) bool {
	return a.Style != Plain && a.Style == b.Style && sameShape(a.shape, b.shape) && a.shape.bits == 1 &&
		slices.EqualFunc(a.Bits, b.Bits, func(x, y string) bool { return len(x) == len(y) }) &&
		a.Unit/b.Unit > 0.8 && a.Unit/b.Unit < 1.25
}

// differs lists the positions at which two texts of one length differ.
func differs(a, b string) (out []int) {
	for i := range a {
		if a[i] != b[i] {
			out = append(out, i)
		}
	}
	return out
}

// counts says whether a number within texts of one length, all else of which is equal, goes up by one each time.
func counts(texts []string) bool {
	from, to := len(texts[0]), 0
	for _, t := range texts[1:] {
		for _, p := range differs(t, texts[0]) {
			from, to = min(from, p), max(to, p+1)
		}
	}
	width := to - from
	if width < 2 || width > mostTurns {
		return false
	}
	number := func(t string) uint64 {
		v, err := strconv.ParseUint(t[from:to], 2, bits.UintSize)
		if err != nil {
			return 0
		}
		return v
	}
	for i := 1; i < len(texts); i++ {
		if number(texts[i]) != (number(texts[i-1])+1)&(1<<width-1) {
			return false
		}
	}
	return true
}

// varyingAt is the structure with bits that vary from press to press.
func (s Structure) varyingAt(positions []int) Structure {
	mask := []byte(s.Mask)
	for _, p := range positions {
		mask[p] = vary
	}
	s.Mask, s.across = string(mask), true
	s.Print = printOf(s.Style, s.Mask)
	return s
}
