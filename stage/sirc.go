package stage

// Timings of the amplifier's handset: the mark of a bit is short or long, its space always short. Measured by hand.
const (
	widthLead   = 2410
	widthLong   = 1208
	widthShort  = 604
	widthPeriod = 45_100
)

// widthFrame writes bits from the lowest, with the space up to the next frame.
func widthFrame(value uint32, bits int) []int {
	out := []int{widthLead, widthShort}
	for i := range bits {
		if value>>i&1 == 1 {
			out = append(out, widthLong, widthShort)
		} else {
			out = append(out, widthShort, widthShort)
		}
	}
	out[len(out)-1] += widthPeriod - sum(out)
	return out
}

// readWidths is the appliance's decoder: it looks at the marks only and calls message for every frame of so many
// bits that a silence ends.
func readWidths(runs []int, bits int, message func(value uint32)) {
	for i := 0; i+1+2*bits <= len(runs); i += 2 {
		if !within(runs[i], 2100, 2750) {
			continue
		}
		var value uint32
		ok := true
		for bit := range bits {
			mark := runs[i+2+2*bit]
			if !within(mark, 350, 1500) {
				ok = false
				break
			}
			if mark > 900 {
				value |= 1 << bit
			}
			if bit < bits-1 && !within(runs[i+3+2*bit], 300, 900) {
				ok = false
				break
			}
		}
		end := i + 1 + 2*bits // the space after the last mark
		if ok && (end >= len(runs) || runs[end] > 3000) {
			message(value)
			i = end - 1
		}
	}
}
