package line

// glitches are the lengths in µs up to which pulses are merged away, one after the other: lamps and weak batteries
// make such.
var glitches = [...]int{120, 220, 300}

// mend merges glitches away: few pulses, none longer than cut µs, each joined with its neighbours into one duration.
// It is false where there are none, or too many. Whether what comes out is plausible, the sheets tell.
func mend(flat []int, cut int) ([]int, bool) {
	short := 0
	for _, d := range flat {
		if d <= cut {
			short++
		}
	}
	if short == 0 || 6*short > len(flat) {
		return nil, false
	}
	out := make([]int, 0, len(flat))
	for i := 0; i < len(flat); i++ {
		switch {
		case flat[i] > cut || i == len(flat)-1:
			out = append(out, flat[i])
		case len(out) == 0: // a stray pulse before the first mark: it goes with the space after it
			i++
		default:
			out[len(out)-1] += flat[i] + flat[i+1]
			i++
		}
	}
	return out, len(out) >= 2 && len(out)%2 == 0
}
