package errand

import (
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"urbo/core/run"
)

const (
	// mostPending is how many cues of an errand may wait for their time.
	mostPending = 50
	// mostTrail is how many values of one cue are remembered that asks by how much something rises or falls.
	mostTrail = 600
)

// Course is how far an errand is: what it makes of time, and of what happens. The service follows life with it, and a
// rehearsal the past. What of it has JSON has to outlive a restart.
type Course struct {
	Bookmark time.Time         `json:"bookmark,omitzero"` // up to then its cues by the clock are settled
	Level    Level             `json:"level,omitzero"`
	Pending  []Pending         `json:"pending,omitempty"`
	Silent   map[int]time.Time `json:"silent,omitempty"` // of each cue about a silence: the value after which it came

	next    time.Time         // when it is due by the clock, or looked at again; zero is not worked out
	comes   bool              // it is due then
	again   time.Time         // when its level is looked at again
	crossed map[int]run.Truth // of each cue with a level, what it was
	trail   map[int][]sample  // of each cue that asks by how much something moves
}

// sample is a value at a time.
type sample struct {
	at    time.Time
	value float64
}

// Pending is a cue that comes later: it has to stay so for a time, or comes some time after something happened.
type Pending struct {
	Cue   int       `json:"cue"`
	At    time.Time `json:"at"`
	Stays bool      `json:"stays,omitempty"` // it does not come where it is not so any more
}

// Reached is a cue that came, or nearly.
type Reached struct {
	Cue int       // its number; ByClock where it is any that is planned
	At  time.Time // when it was due
	How How
}

// ByClock is the number of any planned cue.
const ByClock = -1

// How a cue came.
type How string

// The ways.
const (
	Came    How = "came"
	TooLate How = "too late"
	NotSo   How = "not so"  // it did not stay so
	NotSure How = "unknown" // nobody knows whether it stayed so
	TooMany How = "many"    // too many of its cues wait already
)

// Renew forgets what was worked out: the errand is another, or the house elsewhere. What its level wants stays.
func (c *Course) Renew() {
	c.next, c.again = time.Time{}, time.Time{}
}

// Anew is the course of an errand that was changed: nothing of before is missed, and nothing waits.
func (c *Course) Anew() { *c = Course{Level: c.Level} }

// Stand notes what is so now, so that cues come with what becomes so from now on.
func (c *Course) Stand(e Errand, h House, at time.Time) {
	for i, cue := range e.When {
		switch {
		case cue.Level != nil:
			c.turns(i, stands(cue, h))
		case cue.Sudden != nil && cue.Sudden.Moves != nil:
			c.moves(i, *cue.Sudden.Moves, h, at)
		}
	}
}

// Hear takes what happened, or a change of something that the errand is about. It says which cues came with it, and
// whether what has to outlive a restart changed.
func (c *Course) Hear(e Errand, n News, h House, now Now) (out []Reached, changed bool) {
	for i, cue := range e.When {
		switch s := cue.Sudden; {
		case cue.Level != nil:
			more, did := c.crossing(i, cue, stands(cue, h), now)
			out, changed = append(out, more...), changed || did
			continue
		case s == nil:
			continue
		case s.Moves != nil:
			if !c.moves(i, *s.Moves, h, now.At) {
				continue
			}
		case s.Battery != nil:
			if n.Battery == nil || n.Battery.Measurement != s.Battery.ID || !n.Battery.Low {
				continue
			}
		default:
			if cue.Leaves(n) {
				changed = c.drop(i) || changed
			}
			if !cue.Comes(n) {
				continue
			}
		}
		if !cue.On.Has(now.Where.DateOf(now.At)) {
			continue
		}
		at := now.At
		if n.Calendar != nil && !n.Calendar.At.IsZero() {
			at = n.Calendar.At
		}
		if at = at.Add(cue.Sudden.For + cue.Offset); at.After(now.At) {
			more, did := c.later(Pending{i, at, cue.Sudden.For > 0})
			out, changed = append(out, more...), changed || did
			continue
		}
		out = append(out, Reached{i, now.At, Came})
	}
	return out, changed
}

// turns notes what a cue is, and says whether it became so. What is seen first may have been so for long.
func (c *Course) turns(i int, is run.Truth) bool {
	if c.crossed == nil {
		c.crossed = map[int]run.Truth{}
	}
	was, seen := c.crossed[i]
	c.crossed[i] = is
	return seen && is == run.Yes && was != run.Yes
}

// crossing lets a cue come where its measurement or control came above or below its number.
func (c *Course) crossing(i int, cue Cue, is run.Truth, now Now) (out []Reached, changed bool) {
	switch {
	case c.turns(i, is):
		if wait := cue.Level.For + cue.Offset; wait > 0 {
			return c.later(Pending{i, now.At.Add(wait), cue.Level.For > 0})
		}
		if cue.On.Has(now.Where.DateOf(now.At)) {
			return []Reached{{i, now.At, Came}}, false
		}
	case is != run.Yes:
		return nil, c.drop(i)
	}
	return nil, false
}

// moves says whether something rose or fell by so much within a time. Then it begins anew from where it is.
func (c *Course) moves(i int, m run.Moves, h House, at time.Time) bool {
	value, is := oneNumber(h.Reading(run.Test{On: m.On, Control: m.Control, Which: m.Which}))
	by, err := strconv.ParseFloat(m.By.Number, 64)
	if !is || err != nil {
		return false
	}
	if c.trail == nil {
		c.trail = map[int][]sample{}
	}
	trail := c.trail[i]
	from := 0 // of what is too old, the last counts: it was so when the time began
	for from+1 < len(trail) && !trail[from+1].at.After(at.Add(-m.Within)) {
		from++
	}
	trail = append(slices.Clone(trail[max(from, len(trail)-mostTrail+1):]), sample{at, value})
	c.trail[i] = trail
	for _, s := range trail {
		if moved := value - s.value; moved >= by && !m.Falls || -moved >= by && m.Falls {
			c.trail[i] = []sample{{at, value}}
			return true
		}
	}
	return false
}

// oneNumber is the one number that something is at.
func oneNumber(r run.Reading) (float64, bool) {
	if len(r) != 1 {
		return 0, false
	}
	v, err := strconv.ParseFloat(strings.TrimSuffix(r[0], "%"), 64)
	return v, err == nil
}

// later lets a cue come later.
func (c *Course) later(p Pending) ([]Reached, bool) {
	if len(c.Pending) >= mostPending {
		return []Reached{{p.Cue, p.At, TooMany}}, false
	}
	c.Pending = append(slices.Clone(c.Pending), p)
	return nil, true
}

// drop takes back what waits for a cue to stay so: it is not so any more.
func (c *Course) drop(cue int) bool {
	was := len(c.Pending)
	c.Pending = slices.DeleteFunc(slices.Clone(c.Pending), func(p Pending) bool { return p.Cue == cue && p.Stays })
	return len(c.Pending) != was
}

// stands says whether a cue that has to stay so is so now.
func stands(c Cue, h House) run.Truth {
	switch {
	case c.Level != nil:
		return c.Level.Judge(h.Reading(*c.Level))
	case c.Sudden != nil && c.Sudden.Becomes != nil:
		b := c.Sudden.Becomes
		t := run.Test{On: b.On, Control: b.Control, Is: run.Equals, Value: b.Value}
		is := t.Judge(h.Reading(t))
		if b.Leaves {
			return is.Not()
		}
		return is
	}
	return run.Yes
}

// Tick gives the cues whose time came; id is of the errand, for what it gives or takes. With a clock that cannot be
// right, what is bound to the clock waits. It says whether what has to outlive a restart changed.
func (c *Course) Tick(e Errand, id string, h House, now Now) (out []Reached, changed bool) {
	if now.Clock {
		out, changed = c.due(e, id, now)
	}
	var later, come []Pending
	for _, p := range c.Pending {
		if p.At.After(now.At) {
			later = append(later, p)
		} else {
			come = append(come, p)
		}
	}
	if len(come) > 0 {
		c.Pending, changed = later, true
	}
	for _, p := range come {
		if p.Cue >= len(e.When) || !e.When[p.Cue].On.Has(now.Where.DateOf(now.At)) {
			continue
		}
		out = append(out, Reached{p.Cue, p.At, came(p, e.When[p.Cue], h, now)})
	}
	for i, cue := range e.When {
		if cue.Sudden == nil || cue.Sudden.Silent == nil {
			continue
		}
		told, over := silence(*cue.Sudden, h, now)
		if told.IsZero() || c.Silent[i].Equal(told) || over.After(now.At) {
			continue
		}
		c.Silent = maps.Clone(c.Silent)
		if c.Silent == nil {
			c.Silent = map[int]time.Time{}
		}
		c.Silent[i], changed = told, true
		if cue.On.Has(now.Where.DateOf(now.At)) {
			out = append(out, Reached{i, over, Came})
		}
	}
	return out, changed
}

// came is how a cue comes that waited for its time.
func came(p Pending, cue Cue, h House, now Now) How {
	is := run.Yes
	if p.Stays {
		is = stands(cue, h)
	}
	switch {
	case now.At.Sub(p.At) > Grace:
		return TooLate
	case is == run.Unknown:
		return NotSure
	case is == run.No:
		return NotSo
	}
	return Came
}

// silence is when a measurement was told last, and when it will have been silent for long enough: while the house is
// there to hear it. The times are zero where nobody ever told it.
func silence(s run.Sudden, h House, now Now) (told, over time.Time) {
	if told = h.Told(*s.Silent); told.IsZero() {
		return told, told
	}
	from := told
	if now.Began.After(from) {
		from = now.Began
	}
	return told, from.Add(s.For)
}

// due lets the errand come where it is due by the clock.
func (c *Course) due(e Errand, id string, now Now) (out []Reached, changed bool) {
	if len(e.When) == 0 {
		return nil, false
	}
	if c.Bookmark.IsZero() || c.Bookmark.After(now.At.Add(LeastLeap)) { // new, or the clock was set back
		c.Bookmark, c.next, changed = now.At, time.Time{}, true // what is missed is missed from now on
	}
	if c.next.IsZero() {
		c.plan(e, id, c.Bookmark, now)
	}
	if c.next.After(now.At) {
		return nil, changed
	}
	from := c.Bookmark
	c.Bookmark = now.At
	c.plan(e, id, now.At, now)
	at, comes, is := e.Missed(id, from, now.At, now.Where)
	switch {
	case !is:
		return nil, true
	case !comes:
		return []Reached{{ByClock, at, TooLate}}, true
	}
	return []Reached{{ByClock, at, Came}}, true
}

// plan works out when the errand is due first after a moment.
func (c *Course) plan(e Errand, id string, after time.Time, now Now) {
	if c.next, c.comes = e.Next(id, after, now.Where); !c.comes {
		c.next = now.At.Add(never)
	}
}

// Planned is when the errand is due by the clock, and whether it ever is, where that is worked out for a moment to
// come.
func (c *Course) Planned(now time.Time) (at time.Time, comes, known bool) {
	return c.next, c.comes, c.next.After(now)
}

const (
	// LeastLeap is by how much a clock leaps at least that was set. What is less moves nothing that anybody would miss.
	LeastLeap = 5 * time.Second
	// never is when it is looked again whether an errand comes that does not come again.
	never = 30 * 24 * time.Hour
)

// Look lets the level of the errand be judged at the next tick.
func (c *Course) Look() { c.again = time.Time{} }

// Turn judges the condition of an errand with while, where it is time to, and says what is done. quiet is until when
// nothing begins; zero for now.
func (c *Course) Turn(e Errand, h House, now Now, quiet time.Time) (act Act, leaves []Leaf) {
	if e.While == nil || c.again.After(now.At) {
		return Stay, nil
	}
	edge, bound := Edge(*e.While, now.At, now.Where)
	if bound && !now.Clock {
		return Stay, nil
	}
	now.Holding = c.Level.On
	is, leaves := Judge(*e.While, h, now)
	next, act, again := e.Turn(c.Level, is, now.At)
	if act == Begin && quiet.After(now.At) {
		next, act, again = c.Level, Stay, quiet
	}
	for _, at := range Timers(*e.While, h, now) {
		again = sooner(again, at)
		break
	}
	if bound {
		again = sooner(again, edge)
	}
	if again.IsZero() {
		again = now.At.Add(24 * time.Hour)
	}
	c.Level, c.again = next, again
	return act, leaves
}

// Failed is that what a level wants could not be done: it begins once more after a pause that grows with each time.
func (c *Course) Failed(times int, at time.Time) {
	c.again = at.Add(LeastLevel << (times - 1))
	c.Level.On, c.Level.Changed = false, c.again.Add(-LeastLevel)
}

// Undo takes back what a turn made of the level: it could not be kept. It is tried again after a time.
func (c *Course) Undo(was Level, again time.Time) { c.Level, c.again = was, again }

// Soon is when something of the errand is due; zero for not before something happens.
func (c *Course) Soon(e Errand, h House, now Now) (soon time.Time) {
	if now.Clock && len(e.When) > 0 {
		soon = sooner(soon, c.next)
	}
	for _, p := range c.Pending {
		soon = sooner(soon, p.At)
	}
	for i, cue := range e.When {
		if cue.Sudden == nil || cue.Sudden.Silent == nil {
			continue
		}
		if told, over := silence(*cue.Sudden, h, now); !told.IsZero() && !c.Silent[i].Equal(told) {
			soon = sooner(soon, over)
		}
	}
	if e.While != nil {
		if c.again.IsZero() {
			return now.At
		}
		soon = sooner(soon, c.again)
	}
	return soon
}

func sooner(a, b time.Time) time.Time {
	if a.IsZero() || !b.IsZero() && b.Before(a) {
		return b
	}
	return a
}
