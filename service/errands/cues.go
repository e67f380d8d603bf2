package errands

import (
	"context"
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
			e.crossing(one, i, c, now)
			continue
		}
		if c.Leaves(n) {
			e.mu.Lock()
			s := e.stateOf(one.ID)
			kept := s.pending[:0]
			for _, p := range s.pending {
				if p.cue != i || !p.stays {
					kept = append(kept, p)
				}
			}
			s.pending = kept
			e.mu.Unlock()
		}
		if !c.Comes(n) || !c.On.Has(e.Where().DateOf(now)) {
			continue
		}
		if wait := c.Sudden.For + c.Offset; wait > 0 {
			e.mu.Lock()
			s := e.stateOf(one.ID)
			if len(s.pending) < kept {
				s.pending, e.anew = append(s.pending, pending{i, now.Add(wait), c.Sudden.For > 0}), true
			}
			e.mu.Unlock()
			continue
		}
		e.cue(ctx, one, text)
	}
}

// crossing lets a cue come where its measurement or control came above or below its number.
func (e *Errands) crossing(one Errand, i int, c errand.Cue, now time.Time) {
	is := c.Level.Judge(e.Targets.Reading(*c.Level))
	e.mu.Lock()
	defer e.mu.Unlock()
	s := e.stateOf(one.ID)
	if s.crossed == nil {
		s.crossed = map[int]run.Truth{}
	}
	was, seen := s.crossed[i]
	s.crossed[i] = is
	switch {
	case !seen: // it may have been so for long

	case is == run.Yes && was != run.Yes:
		s.pending, e.anew = append(s.pending, pending{i, now.Add(c.Level.For + c.Offset), true}), true
	case is != run.Yes:
		kept := s.pending[:0]
		for _, p := range s.pending {
			if p.cue != i {
				kept = append(kept, p)
			}
		}
		s.pending = kept
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
