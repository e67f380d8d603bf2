package control

import (
	"cmp"
	"slices"
	"time"
)

const (
	// wayUnit is how finely a way is counted: tenths of a percent.
	wayUnit = 10
	// wholeWay is the full way, open.
	wholeWay = 100 * wayUnit
	// uneven is how far off the speed of a motor may be.
	uneven = 0.05
	// mostMotions is how many ways of moving are told apart.
	mostMotions = 8
)

// What the next press of a key that goes round does.
const (
	nextOpens = iota
	nextStopsOpening
	nextCloses
	nextStopsClosing
)

// Motion is one way in which something may move or stand: 0 is closed, 1000 open.
type Motion struct {
	Dir   int       `json:"dir"`           // 1 opens, −1 closes, 0 stands
	From  Range     `json:"from"`          // where it stands, or began to move
	Tilt  Range     `json:"tilt,omitzero"` // how its slats stand, or stood then
	Began time.Time `json:"began"`         // to move; zero while it stands
	Next  int       `json:"next"`          // what the next press of a key that goes round does
	Moves int       `json:"moves"`         // parts of the way since it was at an end
}

// anywhere is all the ways in which it may stand. It may move as well, but no longer than a full way takes.
func anywhere(c *Control) []Motion {
	any := Motion{From: Range{0, wholeWay}, Moves: wholeWay}
	if c.slats > 0 {
		any.Tilt = any.From
	}
	if c.Round == "" {
		return []Motion{any}
	}
	closes := any
	closes.Next = nextCloses
	return []Motion{any, closes}
}

// full is how long the full way takes in a direction.
func (c *Control) full(dir int) time.Duration {
	if dir > 0 {
		return c.openTime()
	}
	return c.closeTime()
}

// at is where it may be at a time, how its slats may stand, and whether it must have, or may have, arrived at its end.
// Slats turn first, and then it moves.
func (m Motion) at(c *Control, now time.Time) (where, tilt Range, must, may bool) {
	if m.Dir == 0 {
		return m.From, m.Tilt, false, false
	}
	delay := ms(c.DelayMS)
	passed := now.Sub(m.Began)
	least := max(float64(passed-more(delay)), 0) * (1 - uneven)
	most := max(float64(passed-less(delay)), 0) * (1 + uneven)
	turned, all, some := m.Tilt, true, true
	if c.slats > 0 {
		whole := float64(c.slats)
		lo, hi := int(least/whole*wholeWay), int(most/whole*wholeWay)+1
		toGo := Range{wholeWay - m.Tilt.To, wholeWay - m.Tilt.From}
		if m.Dir > 0 {
			turned = Range{min(m.Tilt.From+lo, wholeWay), min(m.Tilt.To+hi, wholeWay)}
		} else {
			toGo = m.Tilt
			turned = Range{max(m.Tilt.From-hi, 0), max(m.Tilt.To-lo, 0)}
		}
		least = max(least-float64(toGo.To)*whole/wholeWay*(1+uneven), 0)
		most = max(most-float64(toGo.From)*whole/wholeWay*(1-uneven), 0)
		all = turned == Range{end(m.Dir), end(m.Dir)}
		some = turned.From <= end(m.Dir) && end(m.Dir) <= turned.To
	}
	full := float64(c.full(m.Dir))
	lo, hi := int(least/full*wholeWay), int(most/full*wholeWay)+1
	if c.slats > 0 && most == 0 {
		hi = 0
	}
	if m.Dir > 0 {
		where = Range{min(m.From.From+lo, wholeWay), min(m.From.To+hi, wholeWay)}
		return where, turned, where.From >= wholeWay && all, where.To >= wholeWay && some
	}
	where = Range{max(m.From.From-hi, 0), max(m.From.To-lo, 0)}
	return where, turned, where.To <= 0 && all, where.From <= 0 && some
}

// stands is a motion that has ended somewhere.
func (m Motion) stands(c *Control, where, tilt Range) Motion {
	next := m.Next
	switch m.Dir {
	case 1:
		next = nextCloses
	case -1:
		next = nextOpens
	}
	moves := m.Moves + 1
	if m.Dir == 0 || where == m.From { // slats alone have turned
		moves = m.Moves
	}
	out := Motion{From: where, Tilt: tilt, Next: next, Moves: moves}
	switch {
	case out.isAt(c, 0):
		out.Moves, out.Next = 0, nextOpens
	case out.isAt(c, wholeWay):
		out.Moves, out.Next = 0, nextCloses
	case where == Range{0, 0}, where == Range{wholeWay, wholeWay}:
		out.Moves = 0
	}
	return out
}

// isAt says whether it stands at an end, with its slats.
func (m Motion) isAt(c *Control, end int) bool {
	all := Range{end, end}
	return m.From == all && (c.slats == 0 || m.Tilt == all)
}

// leads is where the next press of a key that goes round leads, from where it stands: at an end it leads away from
// that.
func (m Motion) leads(c *Control) []int {
	switch {
	case m.isAt(c, 0):
		return []int{1}
	case m.isAt(c, wholeWay):
		return []int{-1}
	case m.Next == nextOpens && m.From.To == wholeWay, m.Next == nextCloses && m.From.From == 0: // it may be at an end
		return []int{1, -1}
	case m.Next == nextCloses:
		return []int{-1}
	}
	return []int{1}
}

// goes is what comes of being told to move in a direction.
func (m Motion) goes(where, tilt Range, dir int, at time.Time) Motion {
	next := nextStopsOpening
	if dir < 0 {
		next = nextStopsClosing
	}
	return Motion{Dir: dir, From: where, Tilt: tilt, Began: at, Next: next, Moves: m.Moves}
}

// arrived ends the motions that must have ended by a time.
func arrived(c *Control, motions []Motion, now time.Time) []Motion {
	out := make([]Motion, len(motions))
	for i, m := range motions {
		out[i] = m
		if where, tilt, must, _ := m.at(c, now); must {
			out[i] = m.stands(c, where, tilt)
		}
	}
	return joinedMotions(out)
}

// moved is where a key of a travel leads.
func moved(c *Control, motions []Motion, e effect, at time.Time) []Motion {
	var out []Motion
	for _, m := range motions {
		where, tilt, _, may := m.at(c, at)
		switch e.op {
		case OpMove:
			if m.Dir == e.arg { // it goes on
				out = append(out, m)
			}
			if m.Dir != e.arg || may {
				out = append(out, m.goes(where, tilt, e.arg, at))
			}
		case OpStop:
			out = append(out, m.stands(c, where, tilt))
		default: // round: one that may have arrived by itself counts as standing
			if m.Dir != 0 {
				out = append(out, m.stands(c, where, tilt))
			}
			if m.Dir == 0 || may {
				for _, dir := range m.stands(c, where, tilt).leads(c) {
					out = append(out, m.goes(where, tilt, dir, at))
				}
			}
		}
	}
	return joinedMotions(out)
}

func orMotions(a, b []Motion) []Motion {
	if len(a)+len(b) == 0 {
		return nil
	}
	return joinedMotions(append(slices.Clone(a), b...))
}

// joinedMotions makes one of motions that are alike but for where they began. Where there are too many still, it may be
// anywhere between them.
func joinedMotions(motions []Motion) []Motion {
	var out []Motion
	for _, m := range motions {
		i := slices.IndexFunc(out,
			func(o Motion) bool { return o.Dir == m.Dir && o.Next == m.Next && o.Began.Equal(m.Began) })
		if i < 0 {
			out = append(out, m)
			continue
		}
		out[i].From = Range{min(out[i].From.From, m.From.From), max(out[i].From.To, m.From.To)}
		out[i].Tilt = Range{min(out[i].Tilt.From, m.Tilt.From), max(out[i].Tilt.To, m.Tilt.To)}
		out[i].Moves = max(out[i].Moves, m.Moves)
	}
	if len(out) > mostMotions { // the oldest two that move alike become one: it began somewhere between
		slices.SortStableFunc(out, func(a, b Motion) int {
			return cmp.Or(cmp.Compare(a.Dir, b.Dir), cmp.Compare(a.Next, b.Next), a.Began.Compare(b.Began))
		})
		for i := 1; i < len(out) && len(out) > mostMotions; {
			if out[i].Dir == out[i-1].Dir && out[i].Next == out[i-1].Next {
				out[i].From, out[i].Moves = Range{0, wholeWay}, wholeWay
				if out[i].Tilt != out[i-1].Tilt {
					out[i].Tilt = Range{0, wholeWay}
				}
				out = slices.Delete(out, i-1, i)
				continue
			}
			i++
		}
	}
	return out
}
