package bench

import (
	"fmt"
	"hash/fnv"
	"math"
	"slices"

	"urbo/core/signal"
)

// Fingerprint recognises a frame whatever the clock of the handset and the stretch of the receiver: it is made of
// the ranks of its durations (the shortest marks, the next …), not of their lengths.
type Fingerprint uint64

// String is the fingerprint as 16 hexadecimal digits.
func (f Fingerprint) String() string { return fmt.Sprintf("%016x", uint64(f)) }

// FingerprintOf makes the fingerprint of a clean frame, which ends with a mark.
func FingerprintOf(frame signal.Train) Fingerprint {
	marks, spaces := ranks(frame)
	h := fnv.New64a()
	turned := turn(frame)
	text := make([]byte, 0, len(turned)+1)
	for i, us := range turned {
		cs := marks
		if i%2 == 1 {
			cs = spaces
		}
		text = append(text, 'a'+byte(max(nearest(cs, us), 0)))
	}
	_, _ = h.Write(text)
	return Fingerprint(h.Sum64())
}

// ranks are the clusters of all marks and of all spaces of a frame.
func ranks(frame signal.Train) (marks, spaces []Cluster) {
	var m, sp []int
	for i, us := range frame {
		if i%2 == 0 {
			m = append(m, us)
		} else {
			sp = append(sp, us)
		}
	}
	return clusters(m), clusters(sp)
}

func nearest(cs []Cluster, us int) int {
	best, least := -1, math.Inf(1)
	for i, c := range cs {
		if d := math.Abs(float64(us) - c.Center); d < least {
			best, least = i, d
		}
	}
	return best
}

// turn brings a frame of several blocks into an order that does not depend on which block was heard first: the
// longest block first; of equally long ones, the one whose durations sort first. The pause that is lost and the one
// that is new are left out of the frame, as 0.
func turn(frame signal.Train) signal.Train {
	sections := sectionsOf(frame)
	if len(sections) < 2 {
		return frame
	}
	first := 0
	for i := range sections {
		if longer(frame, sections, i, first) {
			first = i
		}
	}
	if first == 0 {
		return frame
	}
	out := slices.Clone(frame[sections[first].from:])
	out = append(out, 0)
	return append(out, frame[:sections[first].from-1]...)
}

func longer(frame signal.Train, sections []section, i, j int) bool {
	a, b := sections[i], sections[j]
	return a.to-a.from > b.to-b.from
}

// Alike says whether two clean frames of one fingerprint are the same signal: their clocks within ±20 %, and each
// duration then within a quarter of itself, or 60 µs.
func Alike(a, b signal.Train) bool {
	if len(a) != len(b) || len(a) == 0 {
		return false
	}
	a, b = turn(a), turn(b)
	ratio := float64(a.Length()) / float64(b.Length())
	if ratio < 0.8 || ratio > 1.25 {
		return false
	}
	for i := range a {
		want := float64(b[i]) * ratio
		if math.Abs(float64(a[i])-want) > max(0.25*max(want, float64(a[i])), 60) {
			return false
		}
	}
	return true
}
