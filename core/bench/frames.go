package bench

import (
	"math"
	"slices"

	"urbo/core/signal"
)

// parts is a press taken apart: what is sent once, and the frame that recurs.
type parts struct {
	once    []int // durations before the first whole frame, ends with a mark; nil where there are none
	onceGap int   // µs after it
	frame   []int // medians of all equal frames, ends with a mark
	gap     int   // µs from frame to frame, 0 where only one was heard
	starts  []int // where equal frames begin, as indices into the durations
	covered int   // durations that belong to them
}

// block is a stretch of durations between two long spaces.
type block struct {
	from, to int // indices; to is the space after its last mark
	label    int // equal blocks have equal labels
}

// fewest durations of a frame worth finding inside noise.
const fewest = 24

// takeApart finds the frame of a press by what recurs: for every length of space that may end a frame it looks how
// much of the press then repeats, and takes the best. flat is mark first and of even length, as signal.Flatten gives.
func takeApart(flat []int) parts {
	best := parts{}
	for _, limit := range limits(flat) {
		if p, ok := recurring(flat, blocksOf(flat, limit)); ok && p.covered > best.covered+len(flat)/20 {
			best = p
		}
	}
	if best.frame == nil {
		if p, ok := insideNoise(flat); ok {
			return p
		}
		return parts{frame: slices.Clone(flat[:len(flat)-1]), starts: []int{0}, covered: len(flat) - 1}
	}
	return best
}

// limits lists the spaces that may part frames, the longest first: places where the sorted spaces jump.
func limits(flat []int) []float64 {
	var spaces []int
	for i := 1; i < len(flat)-1; i += 2 {
		spaces = append(spaces, flat[i])
	}
	slices.Sort(spaces)
	least := min(2.5*float64(usualSpace(flat[:len(flat)-1])), 12_000) // a space between bits is shorter
	var out []float64
	for i := len(spaces) - 1; i > 0 && len(out) < 8; i-- {
		if a, b := float64(spaces[i-1]), float64(spaces[i]); b > 1.4*a && b > least {
			out = append(out, math.Sqrt(a*b))
		}
	}
	return out
}

// blocksOf cuts at spaces longer than limit, and labels equal blocks alike.
func blocksOf(flat []int, limit float64) []block {
	tolerance := toleranceOf(flat)
	var out []block
	from := 0
	for i := 1; i < len(flat); i += 2 {
		if i < len(flat)-1 && float64(flat[i]) <= limit {
			continue
		}
		b := block{from: from, to: i, label: len(out)}
		for _, o := range out {
			if equalDurations(flat[o.from:o.to], flat[b.from:b.to], tolerance) {
				b.label = o.label
				break
			}
		}
		out = append(out, b)
		from = i + 1
	}
	return out
}

// toleranceOf is how many µs two equal durations of a press may differ: receivers blur edges, but less than the
// shortest durations are long.
func toleranceOf(flat []int) int {
	sorted := slices.Sorted(slices.Values(flat))
	return min(150, sorted[len(sorted)/10]*9/20)
}

// alike says whether two durations of one press can be the same.
func alike(a, b, tolerance int) bool {
	d := max(a-b, b-a)
	return d <= tolerance || 4*d <= max(a, b)
}

// equalDurations compares durations one by one; the first mark after a silence is often off.
func equalDurations(a, b []int, tolerance int) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if !alike(a[i], b[i], tolerance) && (i > 0 || !alike(a[i], b[i], 250)) {
			return false
		}
	}
	return true
}

// recurring finds the shortest run of blocks that comes again and again.
func recurring(flat []int, blocks []block) (parts, bool) {
	period, support := 0, 0.0
	for q := 1; q < len(blocks); q++ {
		same := 0
		for i := range len(blocks) - q {
			if blocks[i].label == blocks[i+q].label {
				same++
			}
		}
		if s := float64(same) / float64(len(blocks)-q); same > 0 && s > support+0.15 {
			period, support = q, s
		}
	}
	if period == 0 {
		return parts{}, false
	}
	first := 0
	for blocks[first].label != blocks[first+period].label {
		first++
	}
	want := blocks[first : first+period]
	var p parts
	var frames [][]int
	var gaps []int
	for i := first; i+period <= len(blocks); {
		if !slices.EqualFunc(want, blocks[i:i+period], func(a, b block) bool { return a.label == b.label }) {
			i++
			continue
		}
		from, to := blocks[i].from, blocks[i+period-1].to
		frames = append(frames, flat[from:to])
		p.starts = append(p.starts, from)
		p.covered += to - from
		if to < len(flat)-1 {
			gaps = append(gaps, flat[to])
		}
		i += period
	}
	if len(frames) < 2 {
		return parts{}, false
	}
	p.frame, p.gap = medians(frames), median(gaps)
	if from := blocks[first].from; from > 0 && !fragment(flat[:from-1], p.frame, toleranceOf(flat)) {
		p.once, p.onceGap = slices.Clone(flat[:from-1]), flat[from-1]
	}
	return p, true
}

// fragment says whether durations are only a part of a frame: its end after a late start, or its beginning.
func fragment(part, frame []int, tolerance int) bool {
	if len(part) > len(frame) {
		return false
	}
	ends := equalDurations(part, frame[len(frame)-len(part):], tolerance)
	return ends || equalDurations(part, frame[:len(part)], tolerance)
}

// insideNoise finds a frame that comes at least twice among durations that mean nothing, as radio receivers deliver
// them: the longest stretch that is the same at another place.
func insideNoise(flat []int) (parts, bool) {
	const most = 1600 // the time it takes grows with the square
	n := min(len(flat)-1, most)
	tolerance := toleranceOf(flat)
	from, length, lag := 0, 0, 0
	for p := 16; p+fewest < n; p += 2 {
		run := 0
		for i := 0; i+p < n; i++ {
			if !alike(flat[i], flat[i+p], tolerance) {
				run = 0
				continue
			}
			if run++; run > length {
				from, length, lag = i+1-run, run, p
			}
		}
	}
	if length < fewest {
		return parts{}, false
	}
	if length > lag { // frames follow each other without noise: a frame ends with its longest space
		longest := from
		for i := from; i < from+lag; i++ {
			if i%2 == 1 && (longest%2 == 0 || flat[i] > flat[longest]) {
				longest = i
			}
		}
		from, length = longest+1, lag-1
	}
	from, length = from+from%2, length-from%2
	length -= 1 - length%2
	if length < fewest || from+length > len(flat) {
		return parts{}, false
	}
	// Noise beside the frame can be the same twice by chance: what comes most often without it is the frame.
	var starts []int
	core := flat[from : from+length]
	for cut := 0; cut <= 12; cut += 2 {
		for head := 0; head <= cut && length-cut >= fewest; head += 2 {
			part := core[head : length-cut+head]
			if found := occurrences(flat, part, tolerance); len(found) > len(starts) {
				starts, core, length, cut = found, part, len(part), 0
			}
		}
	}
	if len(starts) < 2 || len(clusters(core)) < 2 {
		return parts{}, false
	}
	p := parts{starts: starts, covered: len(starts) * length}
	var frames [][]int
	var gaps []int
	for k, at := range starts {
		frames = append(frames, flat[at:at+length])
		if k > 0 {
			gaps = append(gaps, signal.Sum(flat[starts[k-1]+length:at]))
		}
	}
	p.frame, p.gap = medians(frames), median(gaps)
	return p, true
}

// occurrences lists where durations come again, without overlapping.
func occurrences(flat, part []int, tolerance int) []int {
	var out []int
	for i := 0; i+len(part) < len(flat); i += 2 {
		if equalDurations(part, flat[i:i+len(part)], tolerance) {
			out = append(out, i)
			i += len(part) - 1
		}
	}
	return out
}

// medians takes the median of each duration of frames of one length.
func medians(frames [][]int) []int {
	trains := make([]signal.Train, len(frames))
	for i, f := range frames {
		trains[i] = f
	}
	return signal.Median(trains...)
}

func median(in []int) int {
	if len(in) == 0 {
		return 0
	}
	return slices.Sorted(slices.Values(in))[len(in)/2]
}
