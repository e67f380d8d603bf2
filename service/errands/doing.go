package errands

import (
	"cmp"
	"context"
	"errors"
	"log/slog"
	"slices"
	"time"

	"urbo/core/errand"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/moment"
	"urbo/core/run"
	"urbo/service/runs"
	"urbo/store"
)

const (
	// nap is how long at most it is waited before the clock is looked at again: it may have been set.
	nap = time.Minute
	// leap is by how much a clock goes back that was set.
	leap = 5 * time.Second
	// mostTries is how often a level is begun in vain, with pauses that double, before it is only said.
	mostTries = 8
)

// Run does what errands say until the context ends.
func (e *Errands) Run(ctx context.Context) error {
	defer e.Stream.Leave(e.queue)
	for _, ready := range e.Ready { // what is due at once can be done
		select {
		case <-ready:
		case <-ctx.Done():
			return nil
		}
	}
	e.tick(ctx)
	e.take(ctx, happening.Happening{What: started{}})
	for {
		waiting, cancel := context.WithTimeout(ctx, e.until())
		batch, err := e.queue.Next(waiting)
		cancel()
		if err != nil && ctx.Err() != nil || err != nil && !errors.Is(err, context.DeadlineExceeded) {
			return nil //nolint:nilerr // the context, or the stream, ended
		}
		for _, h := range batch {
			e.take(ctx, h)
		}
		e.tick(ctx)
	}
}

// started is that the house did.
type started struct{ happening.HouseNote }

// until is how long it really takes until something is due.
func (e *Errands) until() time.Duration {
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.soon.IsZero() {
		return nap
	}
	return min(max(e.Calendar.Until(e.soon), 0), nap)
}

// soonest is when something is due first; zero for never. The caller holds mu.
func (e *Errands) soonest(plausible bool, now time.Time) (soon time.Time) {
	for _, s := range e.states {
		all := append(times(s.Pending), s.again)
		if plausible {
			all = append(all, s.next)
		}
		for _, at := range all {
			if !at.IsZero() {
				soon = sooner(soon, at)
			}
		}
	}
	if !soon.IsZero() && !soon.After(now) { // it could not be done: not again at once
		soon = now.Add(time.Second)
	}
	return soon
}

func times(all []pending) (out []time.Time) {
	for _, p := range all {
		out = append(out, p.At)
	}
	return out
}

// stateOf is how far an errand is. The caller holds mu.
func (e *Errands) stateOf(id string) *state {
	s := e.states[id]
	if s == nil {
		s = &state{}
		e.states[id] = s
	}
	return s
}

// tick does what is due by the clock.
func (e *Errands) tick(ctx context.Context) {
	now, w := e.Calendar.Now(), e.Where()
	plausible := e.Calendar.Plausible() // else what is bound to the clock waits
	e.mu.Lock()
	back := now.Before(e.last.Add(-leap))
	e.last = now
	idle := !e.anew && !back && plausible == e.plausible && (e.soon.IsZero() || now.Before(e.soon))
	e.anew, e.plausible = false, plausible
	e.mu.Unlock()
	if idle {
		return
	}
	defer func() {
		e.mu.Lock()
		e.soon = e.soonest(plausible, e.Calendar.Now())
		e.mu.Unlock()
	}()
	for _, one := range e.List() {
		if one.Doc.Off || !one.Readable() {
			continue
		}
		e.mu.Lock()
		s := e.stateOf(one.ID)
		first := plausible && s.Bookmark.IsZero()
		if first || back && s.Bookmark.After(now) {
			s.Bookmark, s.next = now, time.Time{}
		}
		if plausible && s.next.IsZero() && len(one.Doc.Errand.When) > 0 || back {
			if at, is := one.Doc.Errand.Next(one.ID, s.Bookmark, w); is {
				s.next = at
			}
		}
		due := plausible && !s.next.IsZero() && !s.next.After(now)
		later := []pending{}
		var come []pending
		for _, p := range s.Pending {
			if p.At.After(now) {
				later = append(later, p)
			} else {
				come = append(come, p)
			}
		}
		s.Pending = later
		look := one.Doc.Errand.While != nil && (s.again.IsZero() || !s.again.After(now))
		e.mu.Unlock()
		if first && len(one.Doc.Errand.When) > 0 { // what is missed is missed from now on
			if err := e.keep(ctx, one.ID); err != nil {
				slog.Error("since when an errand counts is not on disk", "errand", one.Slug, "error", err)
			}
		}
		if len(come) > 0 {
			e.come(ctx, one, come, now, w)
		}
		if due {
			e.due(ctx, one, now, w)
		}
		if look && (plausible || !bound(one, now, w)) {
			e.level(ctx, one, now, w)
		}
	}
}

// come lets cues come that waited for their time. It is on disk that they did before anything is done.
func (e *Errands) come(ctx context.Context, one Errand, all []pending, now time.Time, w moment.Where) {
	err := e.keep(ctx, one.ID)
	for _, p := range all {
		if p.Cue >= len(one.Doc.Errand.When) || !one.Doc.Errand.When[p.Cue].On.Has(w.DateOf(now)) {
			continue
		}
		c := one.Doc.Errand.When[p.Cue]
		came := happening.ErrandCame{Cue: c.Text(e.name)}
		late := now.Sub(p.At)
		switch is := e.still(c); {
		case err != nil:
			came.Did, came.Reason = "failed", "it cannot be kept that it came: "+err.Error()
		case late > errand.Grace:
			came.Did, came.Reason = "missed", "it was due "+run.Dur(late.Round(time.Second))+" before"
		case p.Stays && is == run.Unknown:
			came.Did, came.Reason = "unknown", "it is not known whether it stayed so"
		case p.Stays && is == run.No:
			came.Did, came.Reason = "skipped", "it did not stay so"
		default:
			e.cue(ctx, one, came.Cue)
			continue
		}
		e.told(one, came)
	}
}

// bound says whether the clock has a part in the condition of a level.
func bound(one Errand, now time.Time, w moment.Where) bool {
	_, is := errand.Edge(*one.Doc.Errand.While, now, w)
	return is
}

// elsewhere works all times out anew: the house has another place or zone.
func (e *Errands) elsewhere() {
	e.mu.Lock()
	defer e.mu.Unlock()
	for _, s := range e.states {
		s.next, s.again = time.Time{}, time.Time{}
	}
	e.anew = true
}

// due lets an errand come that is due by the clock. It is on disk that it did before anything is done.
func (e *Errands) due(ctx context.Context, one Errand, now time.Time, w moment.Where) {
	e.mu.Lock()
	s := e.stateOf(one.ID)
	from := s.Bookmark
	s.Bookmark = now
	s.next = time.Time{}
	if at, is := one.Doc.Errand.Next(one.ID, now, w); is {
		s.next = at
	}
	e.mu.Unlock()
	at, comes, is := one.Doc.Errand.Missed(one.ID, from, now, w)
	if !is {
		return
	}
	cue := "at " + at.In(w.Zone).Format("2006-01-02 15:04")
	if err := e.keep(ctx, one.ID); err != nil {
		e.told(one, happening.ErrandCame{Cue: cue, Did: "failed", Reason: "it cannot be kept that it came: " +
			err.Error()})
		return
	}
	if !comes {
		e.told(one, happening.ErrandCame{Cue: cue, Did: "missed", Reason: "it was due " + run.Dur(now.Sub(at).Round(
			time.Second)) + " before"})
		return
	}
	e.cue(ctx, one, cue)
}

// keep writes how far an errand is.
func (e *Errands) keep(ctx context.Context, id string) error {
	e.mu.Lock()
	text, err := store.WriteDocument(stateVersion, e.stateOf(id))
	e.mu.Unlock()
	if err != nil {
		return err
	}
	return e.Store.PutErrandState(ctx, store.ErrandState{ID: id, Document: text})
}

// told remembers a cue that came, and tells it.
func (e *Errands) told(one Errand, c happening.ErrandCame) {
	c.ErrandID, c.Errand = one.ID, one.Slug
	e.mu.Lock()
	all := append(e.came[one.ID], Came{e.Calendar.Now(), c})
	e.came[one.ID] = slices.Clone(all[max(len(all)-kept, 0):])
	e.mu.Unlock()
	e.Stream.Publish(happening.Happening{By: by(one), Cause: c.Run, What: c})
}

// by is who decides what an errand does.
func by(one Errand) grant.By {
	return grant.By{Actor: grant.Actor{ID: one.ID, Kind: grant.Errand, Name: one.Slug}}
}

// Judge answers a condition, and lists its questions.
func (e *Errands) Judge(c run.Cond) (run.Truth, []errand.Leaf) {
	return errand.Judge(c, asked{e.seen, e}, errand.Now{At: e.Calendar.Now(), Where: e.Where()})
}

// answers are the questions of a condition in words.
func (e *Errands) answers(leaves []errand.Leaf) (out []happening.Answer) {
	for _, l := range leaves {
		out = append(out, happening.Answer{Asked: l.Cond.Text(e.name),
			Is: map[run.Truth]string{run.Yes: "yes", run.No: "no", run.Unknown: "unknown"}[l.Is]})
	}
	return out
}

// cue lets an errand come: its condition is judged, and its steps begin.
func (e *Errands) cue(ctx context.Context, one Errand, cue string) {
	c := happening.ErrandCame{Cue: cue}
	is := run.Yes
	if one.Doc.Errand.Only != nil {
		var leaves []errand.Leaf
		is, leaves = e.Judge(*one.Doc.Errand.Only)
		c.Answers = e.answers(leaves)
	}
	if is == run.Unknown && one.Doc.Errand.Rules.Unknown == "run" {
		is = run.Yes
	}
	switch {
	case is == run.Unknown:
		c.Did = "unknown"
	case is == run.No:
		c.Did = "skipped"
	case e.QuietUntil() != time.Time{}:
		c.Did, c.Reason = "skipped", "the house is quiet"
	default:
		e.begin(ctx, one, &c, one.Doc.Errand.Do)
	}
	e.told(one, c)
}

// Do runs an errand now, whatever its condition says. Errors are those of runs.Start.
func (e *Errands) Do(ctx context.Context, slug string, asks grant.By) (Came, error) {
	one, err := e.Find(slug)
	if err != nil {
		return Came{}, err
	}
	if !one.Readable() {
		return Came{}, ErrUnread
	}
	c := happening.ErrandCame{Cue: "asked by " + asks.String()}
	err = e.begin(ctx, one, &c, one.Doc.Errand.Do)
	e.told(one, c)
	c.ErrandID, c.Errand = one.ID, one.Slug
	return Came{e.Calendar.Now(), c}, err
}

// begin begins the steps of an errand, as its rule for being busy says, and notes what came of that.
func (e *Errands) begin(ctx context.Context, one Errand, c *happening.ErrandCame, steps []run.Step) error {
	program, err := run.Compile(one.ID, steps, e.steps, e.name)
	if err == nil {
		rules := one.Doc.Errand.Rules
		if rules.Busy == "start over" {
			e.Runs.Halt(one.ID, "it starts over")
		}
		var r runs.Run
		r, err = e.Runs.Start(runs.Order{Name: one.Slug, Of: one.ID, Program: program, By: by(one), Cause: c.Cue,
			Follow: rules.Busy == "follow" || rules.Busy == "start over", Asks: e.asks(rules)})
		c.Run = r.ID
	}
	switch {
	case err == nil:
		c.Did = "ran"
		e.mu.Lock()
		e.stateOf(one.ID).Ran = e.Calendar.Now()
		e.mu.Unlock()
		if err := e.keep(ctx, one.ID); err != nil {
			slog.Error("when an errand ran is not on disk", "errand", one.Slug, "error", err)
		}
	case errors.Is(err, runs.ErrRunning), errors.Is(err, runs.ErrMany):
		c.Did, c.Reason = "busy", err.Error()
	default:
		c.Did, c.Reason = "failed", err.Error()
	}
	return err
}

// asks is for how long people are asked what something is at; 0 is as usual.
func (e *Errands) asks(r errand.Rules) time.Duration {
	switch {
	case r.Doubtful == "skip":
		return time.Nanosecond
	case r.AskFor > 0:
		return r.AskFor
	case r.AskUntil != nil:
		w, now := e.Where(), e.Calendar.Now()
		at := w.At(w.DateOf(now), *r.AskUntil)
		if !at.After(now) {
			at = w.At(w.DateOf(now).Add(1), *r.AskUntil)
		}
		return e.Calendar.Until(at)
	}
	return 30 * time.Minute
}

// level judges the condition of an errand with while, and begins or ends what it says.
func (e *Errands) level(ctx context.Context, one Errand, now time.Time, w moment.Where) {
	e.mu.Lock()
	s := e.stateOf(one.ID)
	was := s.Level
	e.mu.Unlock()
	cond := *one.Doc.Errand.While
	seen := errand.Now{At: now, Where: w, Holding: was.On}
	is, leaves := errand.Judge(cond, asked{e.seen, e}, seen)
	next, act, again := one.Doc.Errand.Turn(was, is, now)
	if act == errand.Begin && (e.QuietUntil() != time.Time{}) {
		next, act, again = was, errand.Stay, e.QuietUntil()
	}
	for _, at := range errand.Timers(cond, asked{e.seen, e}, seen) {
		again = sooner(again, at)
		break
	}
	if at, is := errand.Edge(cond, now, w); is {
		again = sooner(again, at)
	}
	if again.IsZero() {
		again = now.Add(24 * time.Hour)
	}
	e.mu.Lock()
	s = e.stateOf(one.ID)
	s.Level, s.again = next, again
	e.mu.Unlock()
	if act == errand.Stay {
		return
	}
	c := happening.ErrandCame{Cue: "while " + cond.Text(e.name), Answers: e.answers(leaves)}
	if err := e.keep(ctx, one.ID); err != nil { // nothing is begun that nobody would end
		c.Did, c.Reason = "failed", err.Error()
		e.mu.Lock()
		s.Level, s.again = was, now.Add(time.Minute)
		e.mu.Unlock()
		e.told(one, c)
		return
	}
	if act == errand.Begin {
		e.beginLevel(ctx, one, c)
		return
	}
	e.endLevel(ctx, one, &c)
	e.told(one, c)
}

func sooner(a, b time.Time) time.Time {
	if a.IsZero() || b.Before(a) {
		return b
	}
	return a
}

// beginLevel does what a level wants. With afterwards back, all that it sets is held until it ends.
func (e *Errands) beginLevel(ctx context.Context, one Errand, c happening.ErrandCame) {
	steps := one.Doc.Errand.Do
	if one.Doc.Errand.Back {
		steps = held(steps)
	}
	_ = e.begin(ctx, one, &c, steps) // what came of it is told
	if c.Run != "" {
		e.mu.Lock()
		s := e.stateOf(one.ID)
		s.Runs = append(s.Runs[max(len(s.Runs)-9, 0):], c.Run)
		e.mu.Unlock()
		if err := e.keep(ctx, one.ID); err != nil {
			slog.Error("what a level began is not on disk", "errand", one.Slug, "error", err)
		}
	}
	e.told(one, c)
}

// held are steps of which all that they set for good is held, as long as possible.
func held(steps []run.Step) []run.Step {
	out := slices.Clone(steps)
	for i, s := range out {
		switch {
		case s.Set != nil && s.Set.Hold == 0 && s.Set.Until == nil:
			set := *s.Set
			set.Hold = run.MaxHold
			out[i].Set = &set
		case s.If != nil:
			out[i].If = &run.Choice{Cond: s.If.Cond, Do: held(s.If.Do), Else: held(s.If.Else)}
		}
	}
	return out
}

// endLevel does what stands behind afterwards.
func (e *Errands) endLevel(ctx context.Context, one Errand, c *happening.ErrandCame) {
	e.mu.Lock()
	s := e.stateOf(one.ID)
	began := s.Runs
	s.Runs, s.tried = nil, 0
	e.mu.Unlock()
	e.Runs.Halt(one.ID, "its condition is not so any more")
	c.Did = "ended"
	if one.Doc.Errand.Back {
		for _, h := range e.Holds.List() {
			if slices.Contains(began, h.Run) {
				if err := e.Holds.End(h.ID, false, by(one)); err != nil {
					c.Did, c.Reason = "failed", err.Error()
				}
			}
		}
	}
	if len(one.Doc.Errand.After) > 0 {
		after := one
		after.Doc.Errand.Rules.Busy = "follow" // what is under way of it ends first
		if err := e.begin(ctx, after, c, one.Doc.Errand.After); err == nil {
			c.Did = "ended"
		}
	}
}

// leave ends the level of an errand that is switched off, changed or removed.
func (e *Errands) leave(ctx context.Context, one Errand, who grant.By) {
	e.mu.Lock()
	s := e.stateOf(one.ID)
	on := s.Level.On
	s.Level = errand.Level{}
	e.mu.Unlock()
	if !on {
		return
	}
	c := happening.ErrandCame{Cue: "it was switched off or changed by " + who.String()}
	e.endLevel(ctx, one, &c)
	if err := e.keep(ctx, one.ID); err != nil {
		slog.Error("that a level ended is not on disk", "errand", one.Slug, "error", err)
	}
	e.told(one, c)
}

// firstOf sorts, and leaves out what is beyond the most.
func firstOf(all []Due, most int) []Due {
	slices.SortStableFunc(all, func(a, b Due) int {
		return cmp.Or(a.At.Compare(b.At), cmp.Compare(a.Errand.Slug, b.Errand.Slug))
	})
	return all[:min(len(all), most)]
}
