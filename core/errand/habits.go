package errand

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"time"

	"urbo/core/moment"
	"urbo/core/run"
	"urbo/core/sun"
)

// Habit is something that people do by hand at about the same time, or after the same.
type Habit struct {
	Device, Control, Value string        // ids and names
	Cue                    Cue           // with which it comes
	After                  *Fact         // what it comes after, where it is not a time; Cue says the same
	On, Of                 int           // on how many of the days on which people did it at all
	Spread                 time.Duration // by how much it is off, usually
}

// Bounds of habits.
const (
	// HabitDays is how many days are looked at.
	HabitDays = 28
	// leastDays is on how many days something has to be done for a habit, and leastShare on which part of them at the
	// same time.
	leastDays  = 4
	leastShare = 0.75
	// window is how far apart the times of a habit may be.
	window = 20 * time.Minute
	// nearSun is how far from something that the sun does a habit may be.
	nearSun = 3 * time.Hour
	// follows is how soon after something else a habit comes.
	follows = 5 * time.Minute
	// mostHabits is the most that are told.
	mostHabits = 50
)

// act is something that people did by hand.
type act struct{ device, control, value string }

// Habits counts what people did by hand in a time at about the same time of day, sun or cue: plain counting, and
// nothing comes of it by itself. The facts are in order.
func Habits(facts []Fact, w moment.Where) (out []Habit) {
	acts, cues := map[act][]time.Time{}, map[string][]Fact{}
	last := map[string]string{}
	for _, f := range facts {
		switch {
		case f.Kind == OfControl && f.Value != "":
			was := last[f.path()]
			if last[f.path()] = f.Value; was == f.Value {
				continue
			}
			if f.By == "person" || f.By == "handset" {
				a := act{f.Of, f.Name, f.Value}
				acts[a] = append(acts[a], f.At)
			}
			cues["becomes "+f.path()+" "+f.Value] = append(cues["becomes "+f.path()+" "+f.Value], f)
		case f.Kind == OfKey:
			cues["pressed "+f.path()] = append(cues["pressed "+f.path()], f)
		}
	}
	order := slices.SortedFunc(maps.Keys(acts), func(a, b act) int {
		return cmp.Or(cmp.Compare(a.device, b.device), cmp.Compare(a.control, b.control), cmp.Compare(a.value, b.value))
	})
	for _, a := range order {
		times := acts[a]
		if days := daysOf(times, w); len(days) < leastDays {
			continue
		}
		if h, is := best(a, times, cues, w); is {
			out = append(out, h)
		}
	}
	slices.SortStableFunc(out, func(a, b Habit) int {
		return cmp.Or(cmp.Compare(b.On*a.Of, a.On*b.Of), cmp.Compare(b.On, a.On))
	})
	return out[:min(len(out), mostHabits)]
}

func daysOf(times []time.Time, w moment.Where) map[moment.Date]bool {
	out := map[moment.Date]bool{}
	for _, t := range times {
		out[w.DateOf(t)] = true
	}
	return out
}

// best is what something that people do comes with best.
func best(a act, times []time.Time, cues map[string][]Fact, w moment.Where) (out Habit, is bool) {
	of := len(daysOf(times, w))
	try := func(h Habit, on int, spread time.Duration) {
		if on < leastDays || float64(on) < leastShare*float64(of) {
			return
		}
		h.Device, h.Control, h.Value, h.On, h.Of, h.Spread = a.device, a.control, a.value, on, of, spread
		if !is || h.On > out.On || h.On == out.On && h.Spread < out.Spread {
			out, is = h, true
		}
	}
	offset, days, spread := together(times, w, func(d moment.Date) (time.Time, bool) { return w.At(d, 0), true },
		24*time.Hour)
	clock := moment.Clock(offset.Round(5*time.Minute)/time.Minute) % (24 * 60)
	// what is as good with the sun is that
	try(Habit{Cue: Cue{Times: []moment.Clock{clock}}}, len(days), spread+time.Second)
	if w.Place != nil {
		for _, e := range []sun.Event{"sunrise", "sunset", "dawn", "dusk"} {
			offset, days, spread := together(times, w, func(d moment.Date) (time.Time, bool) {
				return w.On(d, moment.Point{Sun: e})
			}, nearSun)
			try(Habit{Cue: Cue{Sun: e, Offset: offset.Round(time.Minute)}}, len(days), spread)
		}
	}
	for _, name := range slices.Sorted(maps.Keys(cues)) {
		came := cues[name]
		if came[0].Of == a.device { // that is how it is done
			continue
		}
		on, spread := after(times, came, w)
		if on*4 < len(came)*3 { // it comes too often without
			continue
		}
		f := came[0]
		c := Cue{Sudden: &run.Sudden{}}
		target := run.Target{Kind: run.Device, ID: f.Of}
		if f.Kind == OfKey {
			c.Sudden.Pressed = &run.Pressed{On: target, Key: f.Name}
		} else {
			c.Sudden.Becomes = &run.Becomes{On: target, Control: f.Name, Value: f.Value}
		}
		try(Habit{Cue: c, After: &f}, on, spread)
	}
	return out, is
}

// together finds the days on which times are about as far from a moment of their day as on the others, how far that
// is, and by how much they are off.
func together(times []time.Time, w moment.Where, of func(moment.Date) (time.Time, bool), near time.Duration) (
	offset time.Duration, days map[moment.Date]bool, spread time.Duration) {
	type off struct {
		by  time.Duration
		day moment.Date
	}
	var all []off
	for _, t := range times {
		d := w.DateOf(t)
		at, is := of(d)
		if by := t.Sub(at); is && by.Abs() <= near {
			all = append(all, off{by, d})
		}
	}
	slices.SortFunc(all, func(a, b off) int { return cmp.Compare(a.by, b.by) })
	var chosen []off
	for i := range all {
		seen := map[moment.Date]bool{}
		j := i
		for ; j < len(all) && all[j].by-all[i].by <= window; j++ {
			seen[all[j].day] = true
		}
		if len(seen) > len(days) {
			days, chosen = seen, all[i:j]
		}
	}
	if len(chosen) == 0 {
		return 0, nil, 0
	}
	offset = chosen[len(chosen)/2].by
	for _, c := range chosen {
		spread += (c.by - offset).Abs() / time.Duration(len(chosen))
	}
	return offset, days, spread
}

// after counts the days on which times follow soon after something, and by how much they differ.
func after(times []time.Time, came []Fact, w moment.Where) (on int, spread time.Duration) {
	days := map[moment.Date]bool{}
	var sum time.Duration
	for _, t := range times {
		for _, f := range came {
			if gap := t.Sub(f.At); gap > 0 && gap <= follows {
				days[w.DateOf(t)] = true
				sum += gap
				break
			}
		}
	}
	if len(days) > 0 {
		spread = sum / time.Duration(len(days))
	}
	return len(days), spread
}

// Errand is the errand that a habit is offered as.
func (h Habit) Errand(name string) Errand {
	return Errand{Name: name, When: []Cue{h.Cue}, Do: []run.Step{{Set: &run.Set{Changes: []run.Wanted{{
		On: run.Target{Kind: run.Device, ID: h.Device}, Control: h.Control, Value: h.Value}}}}}}
}

// Says is how often it is so, in words.
func (h Habit) Says() string { return fmt.Sprintf("on %d of %d days", h.On, h.Of) }
