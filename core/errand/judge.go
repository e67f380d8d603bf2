package errand

import (
	"cmp"
	"slices"
	"strconv"
	"time"

	"urbo/core/moment"
	"urbo/core/run"
	"urbo/core/sun"
)

// House is what is known of a house at a moment. What is not known is said so, and never guessed.
type House interface {
	// Reading is what a control or measurement may be at; none is nothing known.
	Reading(t run.Test) run.Reading
	// Since is since when a test, without its For, is as it is now.
	Since(t run.Test) (time.Time, bool)
	// Told is when a measurement was told last; zero where it never was.
	Told(measurement run.Target) time.Time
	// Changed is when a control or measurement changed last, by whom where that is asked ("" is anybody); zero where it
	// did not since anybody looked. It is false where nobody looks.
	Changed(on run.Target, name, by string) (time.Time, bool)
	// Pressed is when a key of a handset was heard last; zero where it was not.
	Pressed(on run.Target, key string) time.Time
	// InForce says whether an occasion is.
	InForce(occasion run.Target) bool
	// Marked says whether there is a marker.
	Marked(marker string) bool
	// Ran is when an errand ran last; zero where it never did.
	Ran(errand run.Target) time.Time
}

// Now is a moment at which conditions are judged.
type Now struct {
	At    time.Time
	Where moment.Where
	// Clock says that the clock can be right: else what is bound to it waits.
	Clock bool
	// Began is since when somebody is there to hear what happens, by a clock that was not set back; zero is always.
	Began time.Time
	// Holding says that a level is so already: what is above one number until another ends at the other.
	Holding bool
}

// Leaf is one of the questions that a condition is made of, and its answer.
type Leaf struct {
	Cond run.Cond
	Is   run.Truth
}

// Judge answers a condition with yes, no or unknown, as Kleene does, and tells the answer to each of its questions.
func Judge(c run.Cond, h House, now Now) (run.Truth, []Leaf) {
	switch {
	case c.Not != nil:
		is, leaves := Judge(*c.Not, h, now)
		return is.Not(), leaves
	case len(c.All) > 0:
		return several(c.All, run.No, h, now)
	case len(c.Any) > 0:
		return several(c.Any, run.Yes, h, now)
	}
	is := leaf(c, h, now)
	return is, []Leaf{{c, is}}
}

// several is the answer that decides by itself where any gives it, else unknown where any is, else the other.
func several(all []run.Cond, decides run.Truth, h House, now Now) (run.Truth, []Leaf) {
	answer := decides.Not()
	var leaves []Leaf
	for _, c := range all {
		is, more := Judge(c, h, now)
		leaves = append(leaves, more...)
		switch {
		case is == decides:
			answer = decides
		case is == run.Unknown && answer != decides:
			answer = run.Unknown
		}
	}
	return answer, leaves
}

func leaf(c run.Cond, h House, now Now) run.Truth {
	date := now.Where.DateOf(now.At)
	switch {
	case c.Test != nil:
		return test(*c.Test, h, now)
	case c.Between != nil:
		return run.Is(c.Between.Has(now.At, now.Where))
	case c.On != nil:
		return run.Is(c.On.Has(date))
	case c.Span != nil:
		return run.Is(c.Span.Has(date))
	case c.Sky != nil:
		return sky(*c.Sky, now)
	case c.Past != nil:
		return past(*c.Past, h, now)
	case c.In != nil:
		return run.Is(h.InForce(*c.In))
	case c.Marker != "":
		return run.Is(h.Marked(c.Marker))
	case c.Ran != nil:
		return within(h.Ran(c.Ran.Errand), c.Ran.Within, now)
	}
	return run.Unknown
}

// test answers what a control or measurement is at, and for how long.
func test(t run.Test, h House, now Now) run.Truth {
	if t.Until != nil && now.Holding {
		t.Value, t.Unit = t.Until.Number, t.Until.Unit
	}
	is := t.Judge(h.Reading(t))
	if is != run.Yes || t.For == 0 {
		return is
	}
	since, known := h.Since(t)
	if !known {
		return run.Unknown
	}
	return run.Is(now.At.Sub(since) >= t.For)
}

func sky(s run.Sky, now Now) run.Truth {
	if now.Where.Place == nil {
		return run.Unknown
	}
	height := now.Where.Place.Height(now.At)
	angle, _ := strconv.ParseFloat(s.Angle, 64) // it was checked when it was read
	switch s.Is {
	case "up":
		return run.Is(height > sun.Horizon)
	case "down":
		return run.Is(height <= sun.Horizon)
	case "above":
		return run.Is(height > angle)
	}
	return run.Is(height < angle)
}

func past(p run.Past, h House, now Now) run.Truth {
	if p.What == "pressed" {
		return within(h.Pressed(p.On, p.Name), p.Within, now)
	}
	last, known := h.Changed(p.On, p.Name, p.By)
	is := within(last, p.Within, now)
	switch {
	case !known && is != run.Yes:
		return run.Unknown
	case p.What == "unchanged":
		return is.Not()
	}
	return is
}

func within(last time.Time, span time.Duration, now Now) run.Truth {
	return run.Is(!last.IsZero() && !last.Add(span).Before(now.At))
}

// Edge is the first time after a time at which a condition may come to another answer by the clock alone: where a time
// of day, a day or a height of the sun begins or ends. It is false where the clock changes nothing in it.
func Edge(c run.Cond, after time.Time, w moment.Where) (time.Time, bool) {
	var all []time.Time
	add := func(times ...time.Time) { all = append(all, times...) }
	var walk func(c run.Cond)
	walk = func(c run.Cond) {
		for _, inner := range slices.Concat(c.All, c.Any) {
			walk(inner)
		}
		switch {
		case c.Not != nil:
			walk(*c.Not)
		case c.Between != nil:
			for _, days := range []int{2, 40, ahead} { // most are soon
				if edges := c.Between.Edges(after, w, days); len(edges) > 0 {
					add(edges[0])
					break
				}
			}
		case c.On != nil, c.Span != nil:
			add(w.At(w.DateOf(after).Add(1), 0))
		case c.Sky != nil && w.Place != nil:
			angle := sun.Horizon
			if c.Sky.Angle != "" {
				angle, _ = strconv.ParseFloat(c.Sky.Angle, 64)
			}
			for _, up := range []bool{true, false} {
				if at, is := w.Place.NextAt(angle, up, after); is {
					add(at)
				}
			}
		}
	}
	walk(c)
	if len(all) == 0 {
		return time.Time{}, false
	}
	return slices.MinFunc(all, time.Time.Compare), true
}

// Timers are the times after a time at which a condition may come to another answer because something is so for so
// long, or happened long enough ago, given what is known now; sorted.
func Timers(c run.Cond, h House, now Now) (out []time.Time) {
	_, leaves := Judge(c, h, now)
	for _, l := range leaves {
		var at time.Time
		switch c := l.Cond; {
		case c.Test != nil && c.Test.For > 0:
			if since, known := h.Since(*c.Test); known {
				at = since.Add(c.Test.For)
			}
		case c.Past != nil && c.Past.What == "pressed":
			at = over(h.Pressed(c.Past.On, c.Past.Name), c.Past.Within)
		case c.Past != nil:
			if last, known := h.Changed(c.Past.On, c.Past.Name, c.Past.By); known {
				at = over(last, c.Past.Within)
			}
		case c.Ran != nil:
			at = over(h.Ran(c.Ran.Errand), c.Ran.Within)
		}
		if at.After(now.At) {
			out = append(out, at)
		}
	}
	slices.SortFunc(out, time.Time.Compare)
	return out
}

// over is just after something is so long ago.
func over(last time.Time, span time.Duration) time.Time {
	if last.IsZero() {
		return last
	}
	return last.Add(cmp.Or(span, time.Nanosecond)).Add(time.Nanosecond)
}
