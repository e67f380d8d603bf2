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
	Dir   int       `json:"dir"`   // 1 opens, −1 closes, 0 stands
	From  Range     `json:"from"`  // where it stands, or began to move
	Began time.Time `json:"began"` // to move; zero while it stands
	Next  int       `json:"next"`  // what the next press of a key that goes round does
	Moves int       `json:"moves"` // parts of the way since it was at an end
}

// anywhere is all the ways in which it may stand. It may move as well, but no longer than a full way takes.
func anywhere(c *Control) []Motion {
	whole := Range{0, wholeWay}
	if c.Round == "" {
		return []Motion{{From: whole, Moves: wholeWay}}
	}
	return []Motion{{From: whole, Next: nextOpens, Moves: wholeWay}, {From: whole, Next: nextCloses, Moves: wholeWay}}
}

// full is how long the full way takes in a direction.
func (c *Control) full(dir int) time.Duration {
	if dir > 0 {
		return c.openTime()
	}
	return c.closeTime()
}

// at is where it may be at a time, and whether it must have, or may have, arrived at its end.
func (m Motion) at(c *Control, now time.Time) (where Range, must, may bool) {
	if m.Dir == 0 {
		return m.From, false, false
	}
	delay := ms(c.DelayMS)
	passed := now.Sub(m.Began)
	least := float64(passed-more(delay)) / float64(c.full(m.Dir)) * wholeWay * (1 - uneven)
	most := float64(passed-less(delay)) / float64(c.full(m.Dir)) * wholeWay * (1 + uneven)
	lo, hi := int(max(least, 0)), int(max(most, 0))+1
	if m.Dir > 0 {
		where = Range{min(m.From.From+lo, wholeWay), min(m.From.To+hi, wholeWay)}
		return where, where.From >= wholeWay, where.To >= wholeWay
	}
	where = Range{max(m.From.From-hi, 0), max(m.From.To-lo, 0)}
	return where, where.To <= 0, where.From <= 0
}

// stands is a motion that has ended somewhere.
func (m Motion) stands(where Range) Motion {
	next := m.Next
	switch m.Dir {
	case 1:
		next = nextCloses
	case -1:
		next = nextOpens
	}
	moves := m.Moves + 1
	if m.Dir == 0 {
		moves = m.Moves
	}
	switch where {
	case Range{0, 0}:
		moves, next = 0, nextOpens
	case Range{wholeWay, wholeWay}:
		moves, next = 0, nextCloses
	}
	return Motion{From: where, Next: next, Moves: moves}
}

// leads is where the next press of a key that goes round leads, from where it stands: at an end it leads away from
// that.
func (m Motion) leads() []int {
	switch {
	case m.From == Range{0, 0}:
		return []int{1}
	case m.From == Range{wholeWay, wholeWay}:
		return []int{-1}
	case m.Next == nextOpens && m.From.To == wholeWay, m.Next == nextCloses && m.From.From == 0: // it may be at an end
		return []int{1, -1}
	case m.Next == nextCloses:
		return []int{-1}
	}
	return []int{1}
}

// goes is what comes of being told to move in a direction.
func (m Motion) goes(where Range, dir int, at time.Time) Motion {
	next := nextStopsOpening
	if dir < 0 {
		next = nextStopsClosing
	}
	return Motion{Dir: dir, From: where, Began: at, Next: next, Moves: m.Moves}
}

// arrived ends the motions that must have ended by a time.
func arrived(c *Control, motions []Motion, now time.Time) []Motion {
	out := make([]Motion, len(motions))
	for i, m := range motions {
		out[i] = m
		if where, must, _ := m.at(c, now); must {
			out[i] = m.stands(where)
		}
	}
	return joinedMotions(out)
}

// moved is where a key of a travel leads.
func moved(c *Control, motions []Motion, e effect, at time.Time) []Motion {
	var out []Motion
	for _, m := range motions {
		where, _, may := m.at(c, at)
		switch e.op {
		case OpMove:
			if m.Dir == e.arg { // it goes on
				out = append(out, m)
			}
			if m.Dir != e.arg || may {
				out = append(out, m.goes(where, e.arg, at))
			}
		case OpStop:
			out = append(out, m.stands(where))
		default: // round: one that may have arrived by itself counts as standing
			if m.Dir != 0 {
				out = append(out, m.stands(where))
			}
			if m.Dir == 0 || may {
				for _, dir := range m.stands(where).leads() {
					out = append(out, m.goes(where, dir, at))
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
		out[i].Moves = max(out[i].Moves, m.Moves)
	}
	if len(out) > mostMotions { // the oldest two that move alike become one: it began somewhere between
		slices.SortStableFunc(out, func(a, b Motion) int {
			return cmp.Or(cmp.Compare(a.Dir, b.Dir), cmp.Compare(a.Next, b.Next), a.Began.Compare(b.Began))
		})
		for i := 1; i < len(out) && len(out) > mostMotions; {
			if out[i].Dir == out[i-1].Dir && out[i].Next == out[i-1].Next {
				out[i].From, out[i].Moves = Range{0, wholeWay}, wholeWay
				out = slices.Delete(out, i-1, i)
				continue
			}
			i++
		}
	}
	return out
}
