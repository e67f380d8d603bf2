package bench

import (
	"fmt"
	"hash/fnv"
	"math"
	"slices"

	"urbo/core/signal"
)

// Fingerprint recognises a frame whatever the clock of the handset and the stretch of the receiver: it is made of how
// bits are sent and of the bits that do not vary, or where there are none, of the ranks of the durations (the shortest
// marks, the next …).
type Fingerprint uint64

// Prints names the way in which fingerprints are made. Where another one is found with a library, they are made anew.
const Prints = "bits 1"

// String is the fingerprint as 16 hexadecimal digits.
func (f Fingerprint) String() string { return fmt.Sprintf("%016x", uint64(f)) }

// FingerprintOf makes the fingerprint of the durations of a clean frame, which ends with a mark.
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

// printOf makes the fingerprint of bits that are sent in a style. Lead, pauses and clock are no part of it.
func printOf(style Style, mask string) Fingerprint {
	h := fnv.New64a()
	_, _ = h.Write([]byte(string(style) + " " + mask))
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
	return laid(turn(a), turn(b), 0, nil)
}

// laid says whether two frames are alike where they overlap, b so many durations later than a, whatever the durations
// of a are for which skip says true.
func laid(a, b signal.Train, later int, skip func(int) bool) bool {
	from, to := max(later, 0), min(len(a), len(b)+later)
	var of, with float64
	for i := from; i < to; i++ {
		if skip == nil || !skip(i) {
			of += float64(a[i])
			with += float64(b[i-later])
		}
	}
	if with == 0 {
		return false
	}
	ratio := of / with
	if ratio < 0.8 || ratio > 1.25 {
		return false
	}
	for i := from; i < to; i++ {
		if skip != nil && skip(i) {
			continue
		}
		want := float64(b[i-later]) * ratio
		if math.Abs(float64(a[i])-want) > max(0.25*max(want, float64(a[i])), 60) {
			return false
		}
	}
	return true
}

// mostMissing is how many durations one of two frames of a key may lack at its ends: two bits, or a lead that only one
// of them has.
const mostMissing = 4

// Sends says whether a key that sends a clean frame sends this: the frames are alike but for the bits that vary, and
// for a bit or two at the ends, which a receiver may have lost.
func (s Structure) Sends(frame signal.Train) bool {
	if Alike(frame, s.Frame) {
		return true
	}
	if s.Style == Plain {
		return false
	}
	varies := s.varying()
	for later := -mostMissing; later <= mostMissing; later += 2 {
		missing := max(later, 0) + max(-later, 0)
		if over := len(s.Frame) - len(frame) - later; over > 0 || over < 0 {
			missing += max(over, -over)
		}
		if missing <= mostMissing && laid(s.Frame, frame, later, varies) {
			return true
		}
	}
	return false
}

// varying tells which durations of the clean frame belong to bits that vary.
func (s Structure) varying() func(int) bool {
	varies := s.Varies()
	if len(varies) == 0 {
		return nil
	}
	durations := map[int]bool{}
	bit := 0
	for _, span := range s.Spans {
		if span.Text != "0" && span.Text != "1" {
			continue
		}
		if bit++; slices.Contains(varies, bit) {
			for i := max(span.From-1, 0); i <= span.To; i++ {
				durations[i] = true
			}
		}
	}
	return func(i int) bool { return durations[i] }
}

// Same says whether two structures are the same key: sent in the same way, with the same bits but for those that vary
// in one of them, and for one or two at an end that is not sure.
func (s Structure) Same(o Structure) bool {
	if s.Print == o.Print {
		return s.Sends(o.Frame)
	}
	if s.Style != o.Style || s.Style == Plain || !sameShape(s.shape, o.shape) || s.Unit/o.Unit < 0.8 ||
		s.Unit/o.Unit > 1.25 {
		return false
	}
	a, b := s.Mask, o.Mask
	if len(a) < len(b) {
		a, b = b, a
	}
	const least = 8
	if len(b) < least || len(a)-len(b) > 2 {
		return false
	}
	for from := range len(a) - len(b) + 1 {
		if sameBits(a[from:from+len(b)], b) {
			return true
		}
	}
	return false
}

func sameBits(a, b string) bool {
	for i := range a {
		if a[i] != b[i] && a[i] != vary && b[i] != vary {
			return false
		}
	}
	return true
}

// Near lists the fingerprints under which a library may have the key that sent this, though not this very one: where a
// bit varies that did not in the press from which it was learned, or the other way round, where one or two bits at an
// end were lost, or where durations were kept as they are. Which of them it is, Sends tells.
func (s Structure) Near() []Fingerprint {
	out := []Fingerprint{FingerprintOf(s.Frame)}
	if s.Style == Plain {
		return out
	}
	add := func(mask string) { out = append(out, printOf(s.Style, mask)) }
	mask := s.Mask
	const mostFilled = 4 // bits that varied
	varies := s.Varies()
	if n := len(varies); n > 0 && n <= mostFilled {
		for v := range 1 << n {
			filled := []byte(mask)
			for k, p := range varies {
				filled[p-1] = '0' + byte(v>>k&1)
			}
			add(string(filled))
		}
	}
	for i := range mask {
		if mask[i] != vary {
			add(mask[:i] + string(vary) + mask[i+1:])
		}
	}
	const least = 8
	if len(mask) >= least {
		add(mask[1:])
		add(mask[2:])
		add(mask[:len(mask)-1])
		add(mask[:len(mask)-2])
		for _, bits := range []string{"0", "1", "00", "01", "10", "11"} {
			add(bits + mask)
			add(mask + bits)
		}
	}
	return out
}
