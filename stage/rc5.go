package stage

// halfBit is half a bit of the weather radio's handset, measured by hand.
const (
	halfBit      = 892
	phasePeriod  = 113_900
	phaseBits    = 14
	phaseSilence = 4000
)

// phaseFrame writes bits from the highest; a one is space then mark. The first half of the first one is silence.
func phaseFrame(value uint32) []int {
	levels := make([]bool, 0, 2*phaseBits)
	for i := phaseBits - 1; i >= 0; i-- {
		one := value>>i&1 == 1
		levels = append(levels, !one, one)
	}
	var out []int
	for i, mark := range levels {
		switch {
		case len(out) == 0 && !mark:
		case i > 0 && len(out) > 0 && mark == levels[i-1]:
			out[len(out)-1] += halfBit
		default:
			out = append(out, halfBit)
		}
	}
	if len(out)%2 == 1 {
		out = append(out, 0)
	}
	out[len(out)-1] += phasePeriod - sum(out)
	return out
}

// readPhases is the radio's decoder: it samples the level in the middle of each half bit, as its controller does,
// and calls message for frames whose halves differ in every bit.
func readPhases(runs []int, message func(value uint32)) {
	for i := 0; i < len(runs); i += 2 {
		if i > 0 && runs[i-1] < phaseSilence {
			continue
		}
		edges := []int{0}
		for _, d := range runs[i:] {
			edges = append(edges, edges[len(edges)-1]+d)
		}
		level := func(t int) bool {
			for k := 1; k < len(edges); k++ {
				if t < edges[k] {
					return k%2 == 1
				}
			}
			return false
		}
		var value uint32
		ok := true
		for bit := range phaseBits {
			// The first mark is the second half of the first bit.
			first, second := level(halfBit*(2*bit-1)+halfBit/2), level(halfBit*2*bit+halfBit/2)
			if bit == 0 {
				first = false
			}
			if first == second {
				ok = false
				break
			}
			value <<= 1
			if second {
				value |= 1
			}
		}
		if ok && !level(halfBit*(2*phaseBits)+halfBit/2) {
			message(value)
		}
	}
}
