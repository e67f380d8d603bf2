package recording

import (
	"math"

	"urbo/core/signal"
)

const (
	// blockSize is how many levels are looked at together.
	blockSize = 2048
	// leastSwing is the smallest difference between mark and space, of full scale.
	leastSwing = 0.004
	// between is the greatest share of levels that may lie in the middle third between mark and space: noise has most
	// of its levels there, a keyed signal nearly none.
	between = 0.25
)

// slicer turns sampled levels into runs: in each block it looks for two levels, and cuts between them with some
// hysteresis. An edge is placed between two samples by interpolation.
type slicer struct {
	out   *assembler
	step  float64 // µs from level to level
	least float64 // smallest swing to look at: below it the samples' own steps look like two levels

	known    bool // a block with two levels was seen
	low, top float64
	level    bool
	before   float32 // last level of the block before
	pending  float64 // µs before two levels were known
	sum      float64 // of the levels in that time
	count    int
	since    float64 // µs since the last edge
}

// block takes some levels, at most blockSize.
func (s *slicer) block(x []float32) {
	if len(x) == 0 {
		return
	}
	low, top, keyed := twoLevels(x, s.least)
	if keyed {
		s.low, s.top = low, top
		if !s.known {
			s.known = true
			mean := low
			if s.count > 0 {
				mean = s.sum / float64(s.count)
			} else if float64(x[0]) > (low+top)/2 {
				mean = top
			}
			s.level = mean > (low+top)/2
			s.since, s.before = s.pending, float32(mean)
		}
	}
	if !s.known {
		for _, v := range x {
			s.sum += float64(v)
		}
		s.count += len(x)
		s.pending += float64(len(x)) * s.step
		return
	}
	swing := s.top - s.low
	up, down := float32(s.low+0.55*swing), float32(s.low+0.45*swing)
	before, level, edge := s.before, s.level, -s.since/s.step // edge: where the last edge was, in samples from here
	cut := up
	if level {
		cut = down
	}
	for i, v := range x {
		if (v > cut) != level {
			part := 1.0 // of the step from the sample before
			if v != before {
				part = min(max(float64((cut-before)/(v-before)), 0), 1)
			}
			at := float64(i) - 1 + part
			s.out.add(level, (at-edge)*s.step)
			edge, level = at, !level
			cut = up
			if level {
				cut = down
			}
		}
		before = v
	}
	s.before, s.level, s.since = before, level, (float64(len(x))-edge)*s.step
}

// rest hands on a silence that is long enough to end a press, before it is over.
func (s *slicer) rest() {
	if s.known && s.since >= signal.PressSilence {
		s.out.add(s.level, s.since)
		s.out.rest()
		s.since = 0
	}
}

// finish hands on the time since the last edge.
func (s *slicer) finish() {
	if s.known {
		s.out.add(s.level, s.since)
	}
}

// twoLevels finds the levels of space and mark in a block, and whether there are two at all, at least so far apart.
// The extremes are taken over pairs of samples, so a single stray one does not count for much.
func twoLevels(x []float32, least float64) (low, top float64, keyed bool) {
	if len(x) == 0 {
		return 0, 0, false
	}
	prev := x[0]
	lo, hi := 2*prev, 2*prev
	for _, v := range x {
		pair := v + prev
		if pair < lo {
			lo = pair
		}
		if pair > hi {
			hi = pair
		}
		prev = v
	}
	lo, hi = lo/2, hi/2
	swing := hi - lo
	if !(float64(swing) > max(least, leastSwing)) {
		return float64(lo), float64(hi), false
	}
	center, third := (lo+hi)/2, swing/6
	middle := uint32(0)
	for _, v := range x { // counts the sign of a difference: in noise a branch would be guessed wrong all the time
		d := math.Float32frombits(math.Float32bits(v-center) &^ (1 << 31))
		middle += math.Float32bits(d-third) >> 31
	}
	return float64(lo), float64(hi), float64(middle) < between*float64(len(x))
}
