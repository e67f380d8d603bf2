package bench

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"urbo/core/plain"
)

// judge says how sure the bits are, and what cannot be known. next is how much better the line code is than the best
// one of another shape, as a logarithm.
func (s *Structure) judge(b ballot, next float64) {
	const clear = 3 // of a logarithm: twenty to one
	unsure := 0
	for p, x := range b.sums {
		if math.Abs(x) < clear && s.Mask[p] != vary {
			unsure++
		}
	}
	s.Sure = (1 - math.Exp(-max(next, 0)/3)) * math.Pow(0.7, float64(unsure))
	if b.doubt != "" {
		s.Sure *= 0.9
		s.Doubts = append(s.Doubts, b.doubt)
	}
	if unsure > 0 {
		s.Doubts = append(s.Doubts, "Noise: "+plain.Count(unsure, "bit may", "bits may")+" be another one.")
	}
	if next < clear {
		s.Doubts = append(s.Doubts, "Another way of sending bits fits nearly as well.")
	}
	switch {
	case s.Frames == 1:
		s.Sure *= 0.8
		s.Doubts = append(s.Doubts, "Only one whole frame was heard: nothing confirms it, and whether bits vary from "+
			"frame to frame is not known.")
	case s.Frames == 2 && len(s.Varies()) > 0:
		s.Doubts = append(s.Doubts, "Two frames that differ: a toggle or counter, or a first frame that is sent once.")
	}
	s.Sure = math.Round(s.Sure*100) / 100
}

// variesWords names the bits that vary, and what they may be.
func (s Structure) variesWords() string {
	varies := s.Varies()
	var places []string
	beside := 1
	for i := 0; i < len(varies); {
		to := i + 1
		for to < len(varies) && varies[to] == varies[to-1]+1 {
			to++
		}
		place := strconv.Itoa(varies[i])
		if to-i > 1 {
			place += " to " + strconv.Itoa(varies[to-1])
		}
		places = append(places, place)
		beside = max(beside, to-i)
		i = to
	}
	what := "a toggle"
	if beside > 1 {
		what = "a counter"
	}
	bits := "Bits"
	if len(varies) == 1 {
		bits = "Bit"
	}
	verb := "differ"
	if len(varies) == 1 {
		verb = "differs"
	}
	from := "frame to frame"
	if s.across {
		from = "press to press"
	}
	return fmt.Sprintf("%s %s %s from %s: %s, which is no part of the key.", bits, strings.Join(places, ", "), verb,
		from, what)
}
