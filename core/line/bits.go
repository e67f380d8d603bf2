package line

import "slices"

// A line code's value is often written as one number: all bits of a frame. Some write the bit that is sent first as the
// highest, others as the lowest.

// BitOrder says which end of a number is sent first.
type BitOrder string

// The two orders.
const (
	HighestFirst BitOrder = "the first bit sent is the highest"
	LowestFirst  BitOrder = "the first bit sent is the lowest"
)

// OfBits are the fields of a frame of so many bits whose value is a number, in one bit order. It is false where the
// sheet has no such frame, or where a constant, a complement or a check does not hold.
func (s *Sheet) OfBits(value uint64, bits int, order BitOrder) (Fields, bool) {
	sent := spread(nil, value, bits, order == HighestFirst)
	for _, p := range s.presses {
		for _, f := range slices.Concat(p.once, p.repeat, p.last) {
			if f.bits != bits || len(f.fields) == 0 || slices.ContainsFunc(f.groups, isText) {
				continue
			}
			if fields, ok := f.read(sent); ok {
				return fields, true
			}
		}
	}
	return nil, false
}

// FrameBits lists how many bits the sheet's frames have, without those that carry no fields or a text.
func (s *Sheet) FrameBits() []int {
	var out []int
	for _, f := range s.frames {
		if len(f.fields) > 0 && !slices.ContainsFunc(f.groups, isText) && !slices.Contains(out, f.bits) {
			out = append(out, f.bits)
		}
	}
	return out
}

// Checked says whether a frame of so many bits has anything that shows a wrong value: a constant, a complement, a
// check.
func (s *Sheet) Checked(bits int) bool {
	return slices.ContainsFunc(s.frames, func(f *frame) bool { return f.bits == bits && f.checks > 0 })
}

func isText(g group) bool { return g.field != nil && g.field.Digits > 0 }
