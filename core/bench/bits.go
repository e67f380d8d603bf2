package bench

import (
	"math"
	"strings"
)

// kinds counts the pairs of a frame's data by the clusters of their marks and spaces, in the order that a symbol
// begins with: mark, or space. It is nil where a duration is in no cluster.
func (s *Structure) kinds(frame []int, sections []section, spaceFirst bool) map[[2]int]int {
	out := map[[2]int]int{}
	for _, c := range sections {
		from := c.from + c.lead
		if spaceFirst {
			from++
		}
		for i := from; i+1 < c.to; i += 2 {
			m, sp := frame[i], frame[i+1]
			if spaceFirst {
				m, sp = sp, m
			}
			k := [2]int{classOf(s.Marks, m), classOf(s.Spaces, sp)}
			if k[0] < 0 || k[1] < 0 {
				return nil
			}
			out[k]++
		}
	}
	return out
}

// pulses reads a frame whose data are pairs of two kinds.
func (s *Structure) pulses(frame []int, sections []section, spaceFirst bool) bool {
	kinds := s.kinds(frame, sections, spaceFirst)
	if len(kinds) != 2 {
		return false
	}
	var zero, one [2]int
	for k := range kinds {
		zero, one = one, k
	}
	style := Ratio
	switch {
	case zero[0] == one[0]:
		style = Distance
	case zero[1] == one[1]:
		style = Width
	}
	if spaceFirst && style != Ratio || style == Ratio && math.Abs(s.length(zero)-s.length(one)) > 0.5 {
		return false
	}
	// The shorter is zero; of two that last about equally long, the one with the shorter mark, or space.
	a, b := s.length(zero), s.length(one)
	if even := math.Abs(a-b) <= 0.5; !even && a > b || even && (zero[0] > one[0] || zero[0] == one[0] &&
		zero[1] > one[1]) {
		zero, one = one, zero
	}
	s.Style, s.spaceFirst = style, spaceFirst
	s.shapes, s.names = [][]float64{s.shape(zero), s.shape(one)}, []string{"0", "1"}
	s.zero, s.one = s.shapes[0], s.shapes[1]
	last := sections[len(sections)-1]
	pairs := (last.to - last.from - last.lead) / 2
	// After the last pair a mark is left: a tail, or a bit whose space is silence. A long one is a bit; of a short one
	// the rounder number of bits decides.
	long := classOf(s.Marks, frame[last.to-1]) == max(zero[0], one[0])
	s.open = style != Distance && !spaceFirst && (long || pairs%4 == 3 || style == Width && pairs%2 == 1)
	s.cut(frame, sections, map[[2]int]string{zero: "0", one: "1"})
	return true
}

// length is how many units a pair lasts.
func (s *Structure) length(k [2]int) float64 { return s.Marks[k[0]].Units + s.Spaces[k[1]].Units }

// shape is the durations of a pair in units, in the order they are sent.
func (s *Structure) shape(k [2]int) []float64 {
	if s.spaceFirst {
		return []float64{s.Spaces[k[1]].Units, s.Marks[k[0]].Units}
	}
	return []float64{s.Marks[k[0]].Units, s.Spaces[k[1]].Units}
}

// symbols reads a frame whose data are pairs of up to sixteen kinds.
func (s *Structure) symbols(frame []int, sections []section) bool {
	kinds := s.kinds(frame, sections, false)
	pairs := 0
	for _, n := range kinds {
		pairs += n
	}
	if len(kinds) < 2 || len(kinds) > 16 || pairs < 2*len(kinds) {
		return false
	}
	s.Style, s.spaceFirst, s.open = Symbols, false, false
	names := map[[2]int]string{}
	quads := len(s.Marks) == 1 && len(kinds) == 4 // two bits in each space
	for m := range s.Marks {
		for sp := range s.Spaces {
			k := [2]int{m, sp}
			if kinds[k] == 0 {
				continue
			}
			name := string(rune('A' + len(names)))
			if quads {
				name = []string{"00", "01", "10", "11"}[len(names)]
			}
			names[k] = name
			s.names = append(s.names, name)
			s.shapes = append(s.shapes, s.shape(k))
		}
	}
	s.cut(frame, sections, names)
	return true
}

// cut lists the pieces of a pulse-shaped frame: leads, bits, pauses, tails; and the spans for a drawing.
func (s *Structure) cut(frame []int, sections []section, names map[[2]int]string) {
	for n, c := range sections {
		lastOne := n == len(sections)-1
		from := c.from
		if c.lead > 0 {
			s.fixed(frame, from, from+c.lead, "lead")
			from += c.lead
		}
		if s.spaceFirst && from < c.to {
			s.fixed(frame, from, from+1, "lead")
			from++
		}
		bits := ""
		i := from
		for ; i+1 < c.to; i += 2 {
			m, sp := frame[i], frame[i+1]
			if s.spaceFirst {
				m, sp = sp, m
			}
			name := names[[2]int{classOf(s.Marks, m), classOf(s.Spaces, sp)}]
			bits += name
			s.Spans = append(s.Spans, Span{i, i + 2, name})
		}
		if lastOne && s.open && i < c.to {
			name := "0"
			if m := s.unitsOf(0, frame[i]); math.Abs(m-s.one[0]) < math.Abs(m-s.zero[0]) {
				name = "1"
			}
			bits += name
			s.Spans = append(s.Spans, Span{i, i + 1, name})
			i++
		}
		if bits != "" {
			s.Bits = append(s.Bits, bits)
			s.pieces = append(s.pieces, piece{bits: bits})
		}
		if i < c.to {
			s.fixed(frame, i, c.to, "tail")
		}
		if !lastOne {
			s.fixed(frame, c.to, c.to+1, "pause")
		}
	}
}

// fixed adds durations that carry no bits.
func (s *Structure) fixed(frame []int, from, to int, what string) {
	s.Spans = append(s.Spans, Span{from, to, what})
	for i := from; i < to; i++ {
		us := frame[i]
		if i%2 == 1 && us > pause {
			s.pieces = append(s.pieces, piece{us: []int{int(math.Round(float64(us)/10) * 10)}})
			continue
		}
		if n := len(s.pieces); i > from && n > 0 && s.pieces[n-1].units != nil {
			s.pieces[n-1].units = append(s.pieces[n-1].units, s.unitsOf(i, us))
			continue
		}
		s.pieces = append(s.pieces, piece{units: []float64{s.unitsOf(i, us)}})
	}
}

// biphase reads a frame of one section whose data are one or two half bits long and change in the middle of each
// bit. A one goes from space to mark.
func (s *Structure) biphase(frame []int, sections []section) bool {
	if len(sections) != 1 || len(s.Marks) != 2 || len(s.Spaces) != 2 {
		return false
	}
	for _, cs := range [][]Cluster{s.Marks, s.Spaces} {
		if cs[0].Units != 1 || cs[1].Units != 2 {
			return false
		}
	}
	c := sections[0]
	for _, hidden := range []int{0, 1} { // half bits of space before the first mark
		bits, spans, ok := s.halves(frame, c.from+c.lead, c.to, hidden)
		if !ok {
			continue
		}
		s.Style, s.rise = Biphase, "one"
		if c.lead > 0 {
			if hidden == 1 { // the space of the lead is half a bit longer than it is
				s.pieces = append(s.pieces, piece{units: []float64{s.unitsOf(0, frame[c.from]),
					s.unitsOf(1, frame[c.from+1]) - 1}})
			} else {
				s.pieces = append(s.pieces, piece{units: []float64{s.unitsOf(0, frame[c.from]),
					s.unitsOf(1, frame[c.from+1])}})
			}
			s.Spans = append(s.Spans, Span{c.from, c.from + 2, "lead"})
		}
		s.Bits, s.Spans = []string{bits}, append(s.Spans, spans...)
		s.pieces = append(s.pieces, piece{bits: bits})
		return true
	}
	return false
}

// halves lays durations out as half bits, two of which make a bit when they differ.
func (s *Structure) halves(frame []int, from, to, hidden int) (string, []Span, bool) {
	var levels []bool
	var at []int // index of the duration of each half
	for range hidden {
		levels, at = append(levels, false), append(at, from)
	}
	for i := from; i < to; i++ {
		for range int(s.unitsOf(i, frame[i])) {
			levels, at = append(levels, i%2 == 0), append(at, i)
		}
	}
	if len(levels)%2 == 1 { // half a bit of space after the last mark
		levels, at = append(levels, false), append(at, to-1)
	}
	var bits strings.Builder
	var spans []Span
	for i := 0; i+1 < len(levels); i += 2 {
		if levels[i] == levels[i+1] {
			return "", nil, false
		}
		bit := "0"
		if levels[i+1] {
			bit = "1"
		}
		bits.WriteString(bit)
		spans = append(spans, Span{at[i], at[i+1] + 1, bit})
	}
	return bits.String(), spans, bits.Len() >= 4
}
