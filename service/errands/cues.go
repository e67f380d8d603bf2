package errands

import (
	"context"
	"log/slog"
	"slices"
	"strconv"
	"time"

	"urbo/core/errand"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/run"
)

// take lets errands come with what happened, and looks at levels that may be another then.
func (e *Errands) take(ctx context.Context, h happening.Happening) {
	now := e.Calendar.Now()
	var n errand.News
	touched := "" // id of a device, or name of a measurement
	switch w := h.What.(type) {
	case started:
		n.House = true
	case happening.Heard:
		if w.Echo || w.DeviceID == "" || w.Key == "" || w.Quiet {
			return
		}
		e.seen.mu.Lock()
		e.seen.pressed[w.DeviceID+"/"+w.Key] = now
		e.seen.mu.Unlock()
		n.Pressed, touched = &errand.Key{Device: w.DeviceID, Key: w.Key}, w.DeviceID
	case happening.Pressed:
		e.seen.mu.Lock()
		e.seen.sender[w.DeviceID] = who(h.By, "")
		e.seen.mu.Unlock()
		return
	case happening.ToldBelief:
		e.seen.mu.Lock()
		e.seen.sender[w.DeviceID] = who(h.By, "")
		e.seen.mu.Unlock()
		return
	case happening.WasSet:
		if h.By.Kind == grant.Person {
			e.yield(w.DeviceID)
		}
		return
	case happening.Believed:
		touched = w.DeviceID
		if w.Value == "" {
			break
		}
		e.seen.mu.Lock()
		sender := e.seen.sender[w.DeviceID]
		e.seen.mu.Unlock()
		if w.Source == "heard" {
			sender = "handset"
		}
		was, is := e.seen.changed(w.DeviceID+"/"+w.Control, w.Value, sender, now)
		if is {
			n.Changed = &errand.Change{Device: w.DeviceID, Control: w.Control, From: was, To: w.Value, By: sender}
		}
	case happening.Measured:
		touched = w.Measurement
		e.seen.changed(w.Measurement, strconv.FormatFloat(w.Value, 'g', -1, 64), "", now)
	case happening.OccasionInForce:
		n.Occasion = &errand.Occurred{ID: w.OccasionID, Ends: len(w.Rooms) == 0}
	case happening.StationHere:
		n.Station = &errand.Occurred{ID: w.StationID}
	case happening.StationAway:
		n.Station = &errand.Occurred{ID: w.StationID, Ends: true}
	case happening.ErrandChanged, happening.GroupChanged, happening.DeviceChanged, happening.DeviceRemoved:
		e.looks("")
		return
	case happening.HouseChanged:
		e.elsewhere()
		return
	case happening.RunChanged:
		if w.Phase == run.Ended && w.End == run.Failed {
			e.tryAgain(w.Of, now)
		}
		return
	default:
		return
	}
	for _, one := range e.concerned(touched) {
		e.news(ctx, one, n, touched, now)
	}
	e.looks(touched)
}

// news lets the cues of an errand come that come with something.
func (e *Errands) news(ctx context.Context, one Errand, n errand.News, touched string, now time.Time) {
	for i, c := range one.Doc.Errand.When {
		text := c.Text(e.name)
		if c.Level != nil && touched != "" {
			e.crossing(ctx, one, i, c, now)
			continue
		}
		if c.Leaves(n) {
			e.drops(ctx, one, i)
		}
		if !c.Comes(n) || !c.On.Has(e.Where().DateOf(now)) {
			continue
		}
		if wait := c.Sudden.For + c.Offset; wait > 0 {
			e.later(ctx, one, pending{i, now.Add(wait), c.Sudden.For > 0})
			continue
		}
		e.cue(ctx, one, text)
	}
}

// later lets a cue come later. That is on disk: a restart does not forget it.
func (e *Errands) later(ctx context.Context, one Errand, p pending) {
	e.mu.Lock()
	s := e.stateOf(one.ID)
	full := len(s.Pending) >= kept
	if !full {
		s.Pending, e.anew = append(s.Pending, p), true
	}
	e.mu.Unlock()
	if full {
		e.told(one, happening.ErrandCame{Cue: one.Doc.Errand.When[p.Cue].Text(e.name), Did: "busy",
			Reason: "too many of its cues wait for their time already"})
		return
	}
	e.keepOrSay(ctx, one)
}

// drops takes back what waits for a cue to stay so: it is not so any more.
func (e *Errands) drops(ctx context.Context, one Errand, cue int) {
	e.mu.Lock()
	s := e.stateOf(one.ID)
	was := len(s.Pending)
	s.Pending = slices.DeleteFunc(slices.Clone(s.Pending), func(p pending) bool { return p.Cue == cue && p.Stays })
	now := len(s.Pending)
	e.mu.Unlock()
	if now != was {
		e.keepOrSay(ctx, one)
	}
}

func (e *Errands) keepOrSay(ctx context.Context, one Errand) {
	if err := e.keep(ctx, one.ID); err != nil {
		slog.Error("what an errand waits for is not on disk", "errand", one.Slug, "error", err)
	}
}

// still says whether a cue that had to stay so is so now.
func (e *Errands) still(c errand.Cue) run.Truth {
	switch {
	case c.Level != nil:
		return c.Level.Judge(e.Targets.Reading(*c.Level))
	case c.Sudden != nil && c.Sudden.Becomes != nil:
		b := c.Sudden.Becomes
		t := run.Test{On: b.On, Control: b.Control, Is: run.Equals, Value: b.Value}
		is := t.Judge(e.Targets.Reading(t))
		if b.Leaves {
			return is.Not()
		}
		return is
	}
	return run.Yes
}

// crossing lets a cue come where its measurement or control came above or below its number.
func (e *Errands) crossing(ctx context.Context, one Errand, i int, c errand.Cue, now time.Time) {
	is := e.still(c)
	e.mu.Lock()
	s := e.stateOf(one.ID)
	if s.crossed == nil {
		s.crossed = map[int]run.Truth{}
	}
	was, seen := s.crossed[i]
	s.crossed[i] = is
	e.mu.Unlock()
	switch {
	case !seen: // it may have been so for long
	case is == run.Yes && was != run.Yes:
		e.later(ctx, one, pending{i, now.Add(c.Level.For + c.Offset), true})
	case is != run.Yes:
		e.drops(ctx, one, i)
	}
}

// concerned are the errands with cues that something may be one of: about a device or measurement, or about none.
func (e *Errands) concerned(touched string) (out []Errand) {
	e.mu.Lock()
	about := e.about
	e.mu.Unlock()
	if about == nil {
		about = map[string][]string{}
		for _, one := range e.List() {
			if one.Doc.Off || !one.Readable() {
				continue
			}
			about[""] = append(about[""], one.ID)
			for _, t := range one.Doc.Errand.Targets() {
				if t.Kind == run.Measurement {
					about[t.ID] = append(about[t.ID], one.ID)
				}
				for _, id := range e.Targets.AllDevices([]run.Target{t}) {
					about[id] = append(about[id], one.ID)
				}
			}
		}
		e.mu.Lock()
		e.about = about
		e.mu.Unlock()
	}
	for _, id := range about[touched] {
		if one, err := e.Find(id); err == nil {
			out = append(out, one)
		}
	}
	return out
}

// looks lets the levels be judged that are about something; "" is all of them.
func (e *Errands) looks(touched string) {
	concerned := e.concerned(touched)
	e.mu.Lock()
	defer e.mu.Unlock()
	if touched == "" {
		e.about = nil // it may be about something else now
	}
	for _, one := range concerned {
		if one.Doc.Errand.While != nil {
			e.stateOf(one.ID).again, e.anew = time.Time{}, true
		}
	}
}

// yield lets levels that set a device leave it alone, until their conditions were false once.
func (e *Errands) yield(device string) {
	for _, one := range e.concerned(device) {
		e.mu.Lock()
		if s := e.stateOf(one.ID); one.Doc.Errand.While != nil {
			s.Level = s.Level.Yield()
		}
		e.mu.Unlock()
	}
}

// tryAgain lets a level begin once more that could not do what it wants, with growing pauses.
func (e *Errands) tryAgain(id string, now time.Time) {
	e.mu.Lock()
	defer e.mu.Unlock()
	s := e.states[id]
	if s == nil || !s.Level.On || s.Level.Yielded || s.tried >= mostTries {
		return
	}
	s.tried, e.anew = s.tried+1, true
	s.Level.On, s.Level.Changed = false, now // it begins after the pause
	s.again = now.Add(errand.LeastLevel << (s.tried - 1))
	s.Level.Changed = s.again.Add(-errand.LeastLevel)
}
