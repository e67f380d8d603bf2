package line

import (
	"cmp"
	"slices"
)

// leastSaid is the confidence from which a second code of a press is named beside the first.
const leastSaid = 0.3

// Said is what a press says, one code after another: usually one, more where different codes follow each other closely.
// Readings that explain the same part of the press another way are left out.
func Said(readings []Reading) []Reading {
	var out []Reading
	for i, r := range readings {
		apart := !slices.ContainsFunc(out, func(o Reading) bool { return r.From < o.To && o.From < r.To })
		if i == 0 || apart && r.To > r.From && r.Confidence >= leastSaid {
			out = append(out, r)
		}
	}
	slices.SortStableFunc(out, func(a, b Reading) int { return cmp.Compare(a.From, b.From) })
	return out
}
