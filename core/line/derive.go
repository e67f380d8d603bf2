package line

import "math/bits"

// derive computes a check over bits in the order they are sent. Chunks of the bits are numbers read in the part's
// order; the result has as many bits as the part and is sent in the same order.
func (g *group) derive(over []uint8) uint64 {
	switch g.kind {
	case notOf:
		return ^chunk(over, g.msb) & mask(g.bits)
	case sameAs:
		return chunk(over, g.msb)
	case parityOf:
		ones := 0
		for _, b := range over {
			ones += int(b)
		}
		if g.part.Odd {
			ones++
		}
		return uint64(ones & 1)
	case crcOf:
		return g.crc(over)
	}
	total := g.part.Start
	size := g.part.Chunk
	if size == 0 {
		size = g.bits
	}
	for len(over) > 0 {
		n := min(size, len(over))
		v := chunk(over[:n], g.msb)
		if g.kind == xorOf {
			total ^= v
		} else {
			total += v
		}
		over = over[n:]
	}
	if g.part.Negate {
		total = -total
	}
	return total & mask(g.bits)
}

// crc is the cyclic redundancy check of the part: bit by bit over the bits as sent, most significant end first
// unless reflected. Polynomial without its top bit.
func (g *group) crc(over []uint8) uint64 {
	register, top := g.part.Start, uint64(1)<<(g.bits-1)
	for _, b := range over {
		feedback := register&top != 0
		register <<= 1
		if feedback != (b == 1) {
			register ^= g.part.Polynomial
		}
	}
	register = (register ^ g.part.FinalXor) & mask(g.bits)
	if g.part.Reflect {
		register = bits.Reverse64(register) >> (64 - g.bits)
	}
	return register
}

// chunk reads bits in the order they are sent as a number.
func chunk(sent []uint8, msb bool) uint64 {
	var v uint64
	for i, b := range sent {
		if msb {
			v = v<<1 | uint64(b)
		} else {
			v |= uint64(b) << i
		}
	}
	return v
}

// spread appends the low n bits of v in the order they are sent.
func spread(out []uint8, v uint64, n int, msb bool) []uint8 {
	for i := range n {
		shift := i
		if msb {
			shift = n - 1 - i
		}
		out = append(out, uint8(v>>shift&1))
	}
	return out
}
