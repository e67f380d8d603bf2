package signal

import "slices"

// Agree says whether two trains are the same signal: as many durations, and each pair closer than the larger of a
// quarter of it and 150 µs, which is what receivers and handsets add in jitter and stretch.
func Agree(a, b Train) bool {
	if len(a) != len(b) || len(a) == 0 {
		return false
	}
	for i := range a {
		if d := a[i] - b[i]; max(d, -d) > max(max(a[i], b[i])/4, 150) {
			return false
		}
	}
	return true
}

// Median takes trains that agree and returns the median of each duration. It returns nil where they have different
// lengths or there are none.
func Median(trains ...Train) Train {
	if len(trains) == 0 {
		return nil
	}
	out := make(Train, len(trains[0]))
	column := make([]int, len(trains))
	for i := range out {
		for j, t := range trains {
			if len(t) != len(out) {
				return nil
			}
			column[j] = t[i]
		}
		slices.Sort(column)
		mid := len(column) / 2
		if len(column)%2 == 1 {
			out[i] = column[mid]
		} else {
			out[i] = (column[mid-1] + column[mid]) / 2
		}
	}
	return out
}
