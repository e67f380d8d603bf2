package stage

// ratioShort is the base pulse of the encoders with a number burnt in, set by a resistor.
const ratioShort = 325

// ratioFrame writes the sync and 24 bits from the highest: a zero is short and long, a one long and short.
func ratioFrame(bits uint32) []int {
	out := []int{ratioShort, 31 * ratioShort}
	for i := 23; i >= 0; i-- {
		if bits>>i&1 == 1 {
			out = append(out, 3*ratioShort, ratioShort)
		} else {
			out = append(out, ratioShort, 3*ratioShort)
		}
	}
	return out
}

// readRatio is the decoder of such receivers: a space at least eight times as long as the mark before it is the sync,
// and 24 comparisons follow. It calls message for every word.
func readRatio(runs []int, message func(bits uint32)) {
	for i := 0; i+49 <= len(runs); i += 2 {
		if runs[i+1] < 8*runs[i] {
			continue
		}
		var bits uint32
		whole := 4 * runs[i]
		ok := true
		for b := range 24 {
			mark := runs[i+2+2*b]
			space := whole - mark // the last space may run into the silence
			if b < 23 {
				space = runs[i+3+2*b]
			}
			if b < 23 && !within(mark+space, whole*7/10, whole*13/10) || mark > whole {
				ok = false
				break
			}
			bits <<= 1
			if mark > space {
				bits |= 1
			}
		}
		if ok {
			message(bits)
			i += 48
		}
	}
}
