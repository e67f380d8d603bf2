package line

import (
	"cmp"
	"math"
	"slices"
)

// matchBiphase tries a biphase frame at one place. Durations become half bits, which are laid along the frame's
// pattern; a half bit of space before the first mark cannot be seen and is added.
func (s *Sheet) matchBiphase(flat []int, at int, f *frame, tmp *scratch) (match, bool) {
	unit := s.unit()
	lead := 0
	for lead < len(f.halves) && f.halves[lead].bit < 0 {
		lead++
	}
	if lead > 0 && f.halves[0].us == 0 {
		// The pattern's known halves begin with a mark and end with a space; both durations make the unit.
		marks := 0
		for f.halves[marks].mark {
			marks++
		}
		if at+1 >= len(flat) {
			return match{}, false
		}
		first := float64(flat[at]) / float64(marks)
		if math.Abs(first-unit) > 0.15*unit+200/float64(marks) {
			return match{}, false
		}
		unit = first
	}
	m := match{frame: f, start: at}
	found := false
	pads := [...]int{0, f.hidden()}
	for _, pad := range pads {
		if pad == 0 && f.halves[0].bit >= 0 && f.startsHidden(s.rise) {
			continue
		}
		for _, guess := range [...]float64{0, 0.28, -0.28} {
			if _, ok := s.walkDoubting(flat, at, f, pad, unit, guess*unit, tmp); !ok {
				continue
			}
			u, st := fit(tmp.runs)
			if !s.unitFits(u) {
				continue
			}
			end, ok := s.walkDoubting(flat, at, f, pad, u, st, tmp)
			if !ok { // the fit leads nowhere: the first walk counts, and fills tmp anew
				if end, ok = s.walkDoubting(flat, at, f, pad, unit, guess*unit, tmp); !ok {
					continue
				}
			}
			u, st = fit(tmp.runs)
			most, rms := deviation(tmp.runs, u, st)
			if !good(u, st, most, rms, 1) || !s.unitFits(u) || (found && rms >= m.rms) {
				continue
			}
			fields, ok := f.read(tmp.payload)
			if !ok {
				continue
			}
			m.even = f.allAlike(tmp.payload)
			m.end, m.fields, m.unit, m.stretch, m.most, m.rms, found = end, fields, u, st, most, rms, true
		}
		if pad == pads[1] {
			break
		}
	}
	return m, found
}

// hidden is the number of half bits at the start that may be an invisible space.
func (f *frame) hidden() int {
	n := 0
	if f.halves[0].bit < 0 {
		return 0
	}
	for n < len(f.halves) && f.halves[n].bit == f.halves[0].bit && f.halves[n].first {
		n++
	}
	return n
}

// startsHidden says whether the first payload bit is a constant whose first half is a space.
func (f *frame) startsHidden(rise uint8) bool {
	g := &f.groups[0]
	if g.kind != constant {
		return false
	}
	first := spread(nil, *g.part.Const, g.bits, g.msb)[0]
	return (first == rise) != g.invert
}

// doubt is a duration that is nearly as well one half bit more or less.
type doubt struct {
	at  int     // its index
	off float64 // how far it is from the middle between the two, in half bits
}

const (
	// doubtful is how far from the middle a duration may be to be one, and mostDoubts how many of them are tried.
	doubtful, mostDoubts = 0.25, 6
	leastLaid            = 8 // half bits, before a frame is worth it
)

// walkDoubting is walk, with one or two durations taken for the other number of half bits where it leads nowhere
// later in the frame: jitter turned them.
func (s *Sheet) walkDoubting(flat []int, at int, f *frame, pad int, unit, stretch float64, tmp *scratch) (int, bool) {
	tmp.doubts = tmp.doubts[:0]
	end, ok := s.walk(flat, at, f, pad, unit, stretch, tmp)
	if ok || tmp.laid < leastLaid {
		return end, ok
	}
	var try [mostDoubts]doubt
	slices.SortFunc(tmp.doubts, func(a, b doubt) int { return cmp.Compare(a.off, b.off) })
	doubts := try[:copy(try[:], tmp.doubts)]
	for _, d := range doubts {
		if end, ok := s.walk(flat, at, f, pad, unit, stretch, tmp, d.at); ok {
			return end, true
		}
	}
	for i, d := range doubts {
		for _, o := range doubts[:i] {
			if end, ok := s.walk(flat, at, f, pad, unit, stretch, tmp, d.at, o.at); ok {
				return end, true
			}
		}
	}
	return 0, false
}

// walk lays the durations from at along the pattern and fills tmp.payload and tmp.runs. It returns the index after
// the frame's last mark. The others are taken for the number of half bits that they are less near to.
func (s *Sheet) walk(flat []int, at int, f *frame, pad int, unit, stretch float64, tmp *scratch,
	others ...int) (int, bool) {
	const unknown = 2
	tmp.payload, tmp.runs = tmp.payload[:0], tmp.runs[:0]
	tmp.laid = 0
	tmp.left -= len(f.halves)
	for range f.bits {
		tmp.payload = append(tmp.payload, unknown)
	}
	if pad > 0 {
		tmp.payload[f.halves[0].bit] = s.rise
	}
	i := pad
	start := at
	if us := f.halves[0].us; us > 0 {
		if !near(float64(flat[at]), float64(us), 0.12, 150) {
			return 0, false
		}
		i, start = 1, at+1
	}
	for r := start; r < len(flat); r++ {
		mark := (r-at)%2 == 0
		us := float64(flat[r])
		halves := (us - stretch) / unit
		if !mark {
			halves = min((us+stretch)/unit, 1000)
		}
		n := int(math.Round(halves))
		if off := 0.5 - math.Abs(halves-float64(n)); off < doubtful && len(others) == 0 {
			tmp.doubts = append(tmp.doubts, doubt{r, off})
		}
		if slices.Contains(others, r) {
			if n++; float64(n-1) > halves {
				n -= 2
			}
		}
		tmp.laid = i
		rest := len(f.halves) - i
		if n < 1 || (mark && n > rest) {
			return 0, false
		}
		// Infrared ends with a silence. After a radio frame noise begins at once, so it ends where its halves do.
		ends := !mark && us > (float64(rest)+1.5)*unit || s.Medium == Radio && !mark && rest <= 1
		if !mark && n >= rest && !ends {
			return 0, false
		}
		for range min(n, rest) {
			if !f.lay(i, mark, s.rise, tmp.payload) {
				return 0, false
			}
			i++
		}
		if ends {
			return r, true
		}
		if r > at {
			tmp.runs = append(tmp.runs, run{float64(n), us, mark})
		}
	}
	return 0, false
}

// lay puts one half bit of a level on the pattern's place i.
func (f *frame) lay(i int, mark bool, rise uint8, payload []uint8) bool {
	h := f.halves[i]
	if h.bit < 0 {
		return h.mark == mark
	}
	bit := rise
	if mark == h.first { // a mark first, or a space second, is the falling bit
		bit = 1 - rise
	}
	if payload[h.bit] > 1 {
		payload[h.bit] = bit
	}
	return payload[h.bit] == bit
}
