package recording

import (
	"cmp"
	"slices"

	"urbo/core/signal"
)

// ears reads a sound in two ways: by a cut through its levels, which measures carriers that are sampled themselves, and
// by the path of two levels, which sound cards need. Of each press it keeps what holds together better.
type ears struct {
	emit   func(Press)
	cut    []Press // found by the cut, in order
	sounds []*ear  // of each channel that may be it
	chosen int     // of these, −1 while none has anything
	first  int     // that the cut reads
}

// take decides what is done with; last is at the end of the recording.
func (e *ears) take(last bool) {
	if e.chosen < 0 {
		most := 0.0
		for i, s := range e.sounds {
			worth := 0.0
			for _, f := range s.found {
				worth += f.quality * float64(f.edges)
			}
			if worth > most {
				e.chosen, most = i, worth
			}
		}
	}
	at := max(e.chosen, 0)
	s := e.sounds[at]
	if e.chosen >= 0 && e.chosen != e.first {
		e.cut = nil // of another channel
	}
	until := s.start - 2*signal.PressSilence // what ended before it does not go on
	var out []Press
	rest := s.found[:0]
	for _, f := range s.found {
		if !last && f.end > until {
			rest = append(rest, f)
			continue
		}
		out = append(out, e.better(f)...)
	}
	s.found = rest
	e.cut = slices.DeleteFunc(e.cut, func(p Press) bool {
		if !last && p.end() > until {
			return false
		}
		if q, edges := p.quality(); (believable(q, edges) || edges < 2*fewestEdges) && !s.tone(p) {
			out = append(out, p)
		}
		return true
	})
	for i, o := range e.sounds {
		o.tones = slices.DeleteFunc(o.tones, func(t span) bool { return t.to < until })
		if i != at {
			o.found = o.found[:0] // another channel was chosen
		}
	}
	slices.SortStableFunc(out, func(a, b Press) int { return cmp.Compare(a.At, b.At) })
	for _, p := range out {
		e.emit(p)
	}
}

// tone says whether a press that the cut found is one of the tones that sound.
func (s *ear) tone(p Press) bool {
	return p.CarrierHz == 0 && slices.ContainsFunc(s.tones, func(t span) bool {
		return t.from < p.end() && float64(p.At) < t.to
	})
}

// better takes what the cut found of a press out of its list, and returns what is kept of both.
func (e *ears) better(f found) []Press {
	const beside, ahead = 25_000, 0.02 // µs
	var mine []Press
	e.cut = slices.DeleteFunc(e.cut, func(p Press) bool {
		over := float64(p.At) < f.end+beside && p.end() > float64(f.At)-beside
		if over {
			mine = append(mine, p)
		}
		return over
	})
	worst, edges, carrier := 1.0, 0, false
	for _, p := range mine {
		q, n := p.quality()
		worst, edges, carrier = min(worst, q), edges+n, carrier || p.CarrierHz > 0
	}
	edges -= len(mine) // the silence after each
	alike := edges == f.edges && worst >= f.quality-ahead || edges > f.edges && worst > f.quality
	if len(mine) > 0 && (alike || carrier && edges >= f.edges && worst >= leastQuality) {
		return mine
	}
	return []Press{f.Press}
}
