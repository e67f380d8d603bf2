package line

// What stands beside the frames that a sheet found in a press is noise where it differs from frame to frame. What is
// the same beside most of them belongs to a frame that is longer than the sheet's, and so is another line code's.

// unexplained is by how much a reading is less sure whose frames are a part of longer ones.
const unexplained = 0.45

// partOfLonger says whether the same pulses stand before, or after, most of the frames that were found.
func partOfLonger(flat []int, matches []match) bool {
	if len(matches) < 2 {
		return false
	}
	covered := make([]bool, len(flat))
	for _, m := range matches {
		for i := m.start; i < m.end; i++ {
			covered[i] = true
		}
	}
	var before, after [][2]int
	for _, m := range matches {
		if len(m.frame.before) > 0 { // what is sent before it is not looked for
			continue
		}
		// One mark and then silence may be a stop that the sheet does not have.
		if i := m.end + m.end%2; i+2 < len(flat) && !covered[i] && !covered[i+2] && flat[i+1] < silence {
			after = append(after, [2]int{flat[i-1], flat[i]})
		}
		// A mark that is nearer to the frame before belongs to that.
		if i := m.start - 2; i >= 0 && !covered[i] && (i == 0 || flat[i+1] < flat[i-1] || !covered[i-2]) {
			before = append(before, [2]int{flat[i], flat[i+1]})
		}
	}
	return recurs(before, len(matches)) || recurs(after, len(matches))
}

// recurs says whether the same pulses stand beside most of so many frames.
func recurs(beside [][2]int, frames int) bool {
	const most = 0.6
	for i, a := range beside {
		alike := 1
		for j, b := range beside {
			if i != j && alikePulse(a[0], b[0]) && alikePulse(a[1], b[1]) {
				alike++
			}
		}
		if alike >= 2 && float64(alike) >= most*float64(frames) {
			return true
		}
	}
	return false
}

// alikePulse says whether two durations may be the same one.
func alikePulse(a, b int) bool {
	const share, blur = 0.08, 40
	d := float64(max(a-b, b-a))
	return d <= share*float64(max(a, b)) || d <= blur
}
