package line

import (
	"fmt"
	"math/bits"
)

// field is a compiled field: its range and how its value becomes the bits that are sent.
type field struct {
	fieldDoc
	lookupBack map[uint64]int64
}

// raw is the field's value as the bits that are sent, in the low f.Bits bits.
func (f *field) raw(v int64) (uint64, error) {
	lo, hi := f.limits()
	if v < lo || v > hi {
		return 0, fmt.Errorf("%s is %d: it is %d to %d", f.Name, v, lo, hi)
	}
	var out uint64
	switch {
	case f.Lookup != nil:
		r, ok := f.Lookup[v]
		if !ok {
			return 0, fmt.Errorf("%s is %d: the sheet's table has no such value", f.Name, v)
		}
		out = r
	case f.BCD:
		rest := uint64(v + f.Offset)
		for shift := 0; shift < f.Bits; shift += 4 {
			out |= rest % 10 << shift
			rest /= 10
		}
	case f.SignBit && v < 0:
		out = uint64(-v) | 1<<(f.Bits-1)
	default:
		out = uint64(v+f.Offset) & mask(f.Bits)
	}
	if f.Reverse {
		out = bits.Reverse64(out) >> (64 - f.Bits)
	}
	return out, nil
}

// value is the way back; it is false where no value of the field sends these bits.
func (f *field) value(r uint64) (int64, bool) {
	if f.Reverse {
		r = bits.Reverse64(r) >> (64 - f.Bits)
	}
	var v int64
	switch {
	case f.Lookup != nil:
		back, ok := f.lookupBack[r]
		return back, ok
	case f.BCD:
		scale := int64(1)
		for shift := 0; shift < f.Bits; shift += 4 {
			digit := int64(r >> shift & 15)
			if digit > 9 {
				return 0, false
			}
			v += digit * scale
			scale *= 10
		}
	case f.SignBit && r>>(f.Bits-1) == 1:
		v = -int64(r & mask(f.Bits-1))
		if v == 0 { // minus nothing is never sent
			return 0, false
		}
	case f.Signed && r>>(f.Bits-1) == 1:
		v = int64(r | ^mask(f.Bits))
	default:
		v = int64(r)
	}
	v -= f.Offset
	lo, hi := f.limits()
	return v, v >= lo && v <= hi
}

// limits is the least and the greatest value of the field.
func (f *field) limits() (lo, hi int64) {
	switch {
	case f.BCD:
		hi = 1
		for range f.Bits / 4 {
			hi *= 10
		}
		hi--
	case f.SignBit:
		hi = int64(mask(f.Bits - 1))
		lo = -hi
	case f.Signed:
		lo, hi = -1<<(f.Bits-1), 1<<(f.Bits-1)-1
	default:
		hi = int64(mask(f.Bits))
	}
	lo, hi = lo-f.Offset, hi-f.Offset
	if f.Min != nil {
		lo = max(lo, *f.Min)
	}
	if f.Max != nil {
		hi = min(hi, *f.Max)
	}
	return lo, hi
}

func mask(n int) uint64 {
	if n >= 64 {
		return ^uint64(0)
	}
	return 1<<n - 1
}
