package errand

import (
	"maps"
	"time"
)

// Leap is that the clock was set, by the network or by hand. What happened before is no longer ago than it was, and
// what waits, waits no longer than it was to. At the start of the house, when nobody knows by how much it was set
// meanwhile, By is 0.
type Leap struct {
	Before time.Time     // what it showed last
	By     time.Duration // negative is back
	Now    time.Time
}

// Of is a time at which something happened, as the clock shows it that was set: not after now.
func (l Leap) Of(at time.Time) time.Time {
	if !at.IsZero() && !at.After(l.Before) { // else it is not of the time before
		at = at.Add(l.By)
	}
	if at.After(l.Now) {
		return l.Now
	}
	return at
}

// all moves some times.
func (l Leap) all(times map[string]time.Time) {
	for k, at := range times {
		times[k] = l.Of(at)
	}
}

// Leap is the course of an errand whose clock was set: its times are worked out anew.
func (c *Course) Leap(e Errand, l Leap) {
	c.Renew()
	c.Level.Changed, c.Level.Unknown = l.Of(c.Level.Changed), l.Of(c.Level.Unknown)
	c.Silent = maps.Clone(c.Silent)
	for i, told := range c.Silent {
		c.Silent[i] = l.Of(told)
	}
	for _, trail := range c.trail {
		for i := range trail {
			trail[i].at = l.Of(trail[i].at)
		}
	}
	all := make([]Pending, len(c.Pending))
	for i, p := range c.Pending {
		if p.Cue < len(e.When) {
			if wait, is := e.When[p.Cue].wait(); is {
				p.At = l.Of(p.At.Add(-wait)).Add(wait)
			}
		}
		all[i] = p
	}
	c.Pending = all
}

// wait is how long a cue waits after what set it off; false for an event of a calendar, which has a time of its own.
func (c Cue) wait() (time.Duration, bool) {
	switch {
	case c.Level != nil:
		return c.Level.For + c.Offset, true
	case c.Sudden != nil && c.Sudden.Calendar == nil:
		return c.Sudden.For + c.Offset, true
	}
	return 0, false
}

// Leap moves what is remembered: the clock was set.
func (m *Memory) Leap(l Leap) {
	for _, t := range m.things {
		t.at = l.Of(t.at)
		l.all(t.by)
	}
	for _, w := range m.tests {
		w.since = l.Of(w.since)
	}
	l.all(m.keys)
	l.all(m.told)
	l.all(m.ran)
}
