package control

import "slices"

// Range is some values one after another, by their places, both ends in it.
type Range struct{ From, To int }

// Ranges are what something may be set to: in order, apart from each other.
type Ranges []Range

// most ranges of a set; beyond that the nearest are joined, which only adds possibilities.
const mostRanges = 16

func only(i int) Ranges { return Ranges{{i, i}} }

func all(size int) Ranges { return Ranges{{0, size - 1}} }

// Has says whether a value is among them.
func (r Ranges) Has(i int) bool {
	return slices.ContainsFunc(r, func(x Range) bool { return x.From <= i && i <= x.To })
}

// Is says whether it can be nothing but one value.
func (r Ranges) Is(i int) bool { return len(r) == 1 && r[0] == Range{i, i} }

// Count is how many values there are.
func (r Ranges) Count() (n int) {
	for _, x := range r {
		n += x.To - x.From + 1
	}
	return n
}

// or is what is in either.
func (r Ranges) or(other Ranges) Ranges {
	switch { // none is changed in its place
	case len(r) == 0:
		return other
	case len(other) == 0 || slices.Equal(r, other):
		return r
	}
	out := append(slices.Clone(r), other...)
	slices.SortFunc(out, func(a, b Range) int { return a.From - b.From })
	kept := out[:0]
	for _, x := range out {
		if n := len(kept); n > 0 && x.From <= kept[n-1].To+1 {
			kept[n-1].To = max(kept[n-1].To, x.To)
			continue
		}
		kept = append(kept, x)
	}
	for len(kept) > mostRanges {
		best := 1
		for i := 2; i < len(kept); i++ {
			if kept[i].From-kept[i-1].To < kept[best].From-kept[best-1].To {
				best = i
			}
		}
		kept[best-1].To = kept[best].To
		kept = slices.Delete(kept, best, best+1)
	}
	return kept
}

// step is where a number of steps leads, from..to of them. At the ends it stops, or goes round.
func (r Ranges) step(from, to, size int, round bool) Ranges {
	var out Ranges
	for _, x := range r {
		lo, hi := x.From+from, x.To+to
		switch {
		case !round:
			out = out.or(Ranges{{min(max(lo, 0), size-1), min(max(hi, 0), size-1)}})
		case hi-lo+1 >= size:
			return all(size)
		default:
			lo, hi = mod(lo, size), mod(hi, size)
			if lo <= hi {
				out = out.or(Ranges{{lo, hi}})
			} else {
				out = out.or(Ranges{{0, hi}, {lo, size - 1}})
			}
		}
	}
	return out
}

// skipping is where going round leads, from..to times, where some values may be passed over: one bit for each.
func (r Ranges) skipping(from, to, size int, skips uint64) (out Ranges) {
	if to > size {
		return all(size)
	}
	at := r
	for n := 1; n <= to; n++ {
		var next Ranges
		for _, x := range at {
			for v := x.From; v <= x.To; v++ {
				for k := 1; k <= size; k++ {
					w := (v + k) % size
					if next = next.or(only(w)); skips&(1<<w) == 0 {
						break
					}
				}
			}
		}
		if at = next; n >= from {
			out = out.or(at)
		}
	}
	return out
}

// at is one value, where there are any: what they are at when that changes.
func (r Ranges) at(i int) Ranges {
	if len(r) == 0 {
		return nil
	}
	return only(i)
}

// without is what is left without a value.
func (r Ranges) without(i int) (out Ranges) {
	for _, x := range r {
		if x.From < i {
			out = append(out, Range{x.From, min(x.To, i-1)})
		}
		if x.To > i {
			out = append(out, Range{max(x.From, i+1), x.To})
		}
	}
	return out
}

// among is what is in both.
func (r Ranges) among(other Ranges) (out Ranges) {
	for _, x := range r {
		for _, y := range other {
			if from, to := max(x.From, y.From), min(x.To, y.To); from <= to {
				out = append(out, Range{from, to})
			}
		}
	}
	return out
}

func mod(i, n int) int { return (i%n + n) % n }
