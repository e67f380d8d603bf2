package stage

// Timings of the handsets whose chip sends pulse distances after a long lead, measured by hand: a ceramic resonator
// of 455 kHz divided by 12 makes the carrier, and every duration is a count of its cycles of 26.4 µs.
const (
	distanceLeadMark  = 9024
	distanceLeadSpace = 4512
	distanceHeldSpace = 2256
	distanceShort     = 564
	distanceLong      = 1692
	distancePeriod    = 108_300
)

// distanceFrame writes four bytes, each from its lowest bit, with the space up to the next frame.
func distanceFrame(bytes [4]byte) []int {
	out := []int{distanceLeadMark, distanceLeadSpace}
	for _, b := range bytes {
		for bit := range 8 {
			out = append(out, distanceShort)
			if b&(1<<bit) != 0 {
				out = append(out, distanceLong)
			} else {
				out = append(out, distanceShort)
			}
		}
	}
	out = append(out, distanceShort)
	return append(out, distancePeriod-sum(out))
}

// distanceHeld is the short frame that says a key is still down.
func distanceHeld() []int {
	out := []int{distanceLeadMark, distanceHeldSpace, distanceShort}
	return append(out, distancePeriod-sum(out))
}

// readDistance is an appliance's own decoder: it walks over an envelope and calls message for every complete frame
// of four bytes. It looks at the spaces only, like the small controllers in such devices.
func readDistance(runs []int, message func(bytes [4]byte)) {
	for i := 0; i+67 <= len(runs); i += 2 {
		if !within(runs[i], 8000, 10_200) || !within(runs[i+1], 3800, 5300) {
			continue
		}
		var bytes [4]byte
		ok := true
		for bit := range 32 {
			mark, space := runs[i+2+2*bit], runs[i+3+2*bit]
			if !within(mark, 300, 900) || !within(space, 250, 2200) {
				ok = false
				break
			}
			if space > 1100 {
				bytes[bit/8] |= 1 << (bit % 8)
			}
		}
		if ok && within(runs[i+66], 300, 900) {
			message(bytes)
			i += 66
		}
	}
}

func within(d, lo, hi int) bool { return d >= lo && d <= hi }
