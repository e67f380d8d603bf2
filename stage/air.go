package stage

import (
	"slices"
	"time"
)

// air is one medium. What overlaps in time is mixed: two handsets at once spoil each other.
type air struct {
	stage     *Stage
	listeners []listener
	sounding  []emission
	until     time.Duration
}

// emission is something sent: an envelope in µs, mark first.
type emission struct {
	start    time.Duration
	runs     []int
	hz       int
	strength float64 // 0 to 1 where it is heard
	unheard  bool    // by receivers
}

// end is when all of it, with its trailing space, is over.
func (e emission) end() time.Duration {
	return e.start + time.Duration(sum(e.runs))*time.Microsecond
}

// silent is when its last mark ends.
func (e emission) silent() time.Duration {
	if n := len(e.runs); n%2 == 0 {
		return e.end() - time.Duration(e.runs[n-1])*time.Microsecond
	}
	return e.end()
}

// listener hears what is near enough to its frequency.
type listener struct {
	hz, width int
	receiver  bool
	hear      func(at time.Duration, runs []int, strength float64)
}

// emit puts an emission on the air; it is heard when it, and all that overlaps it, has ended.
func (a *air) emit(e emission) {
	a.sounding = append(a.sounding, e)
	a.until = max(a.until, e.silent())
	a.stage.at(e.silent(), func(now time.Duration) {
		if now < a.until || len(a.sounding) == 0 {
			return
		}
		heard := a.sounding
		a.sounding = nil
		for _, l := range a.listeners {
			l.listen(heard)
		}
	})
}

// began says whether something near a frequency is sounding that began before a time.
func (a *air) began(before time.Duration, hz, width int) bool {
	return slices.ContainsFunc(a.sounding, func(e emission) bool {
		off := e.hz - hz
		return e.start < before && max(off, -off) <= width
	})
}

func (l listener) listen(all []emission) {
	var near []emission
	for _, e := range all {
		if off := e.hz - l.hz; max(off, -off) <= l.width && !(l.receiver && e.unheard) {
			near = append(near, e)
		}
	}
	if len(near) == 0 {
		return
	}
	at, runs := mix(near)
	strength := 0.0
	for _, e := range near {
		strength = max(strength, e.strength)
	}
	l.hear(at, runs, strength)
}

// mix lays emissions over each other: there is a mark where any has one.
func mix(all []emission) (time.Duration, []int) {
	if len(all) == 1 {
		return all[0].start, slices.Clone(all[0].runs)
	}
	type edge struct {
		at time.Duration
		up bool
	}
	var edges []edge
	for _, e := range all {
		t := e.start
		for i, d := range e.runs {
			edges = append(edges, edge{t, i%2 == 0})
			t += time.Duration(d) * time.Microsecond
		}
		if len(e.runs)%2 == 1 {
			edges = append(edges, edge{t, false})
		}
	}
	// Every emission begins with an edge up and has as many down; the level is the number of marks that are on.
	slices.SortStableFunc(edges, func(x, y edge) int { return int(x.at - y.at) })
	start, level := edges[0].at, 0
	var runs []int
	last := start
	for _, e := range edges {
		before := level > 0
		if e.up {
			level++
		} else {
			level--
		}
		if on := level > 0; on != before {
			if e.at > last {
				runs = append(runs, int((e.at-last)/time.Microsecond))
				last = e.at
			} else if len(runs) > 0 { // no time between: the two edges undo each other
				last -= time.Duration(runs[len(runs)-1]) * time.Microsecond
				runs = runs[:len(runs)-1]
			}
		}
	}
	return start, runs
}
