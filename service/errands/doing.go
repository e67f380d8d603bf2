package errands

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"time"

	"urbo/core/errand"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/run"
	"urbo/service/runs"
	"urbo/store"
)

const (
	// nap is how long at most it is waited before the clock is looked at again: it may have been set.
	nap = time.Minute
	// mostTries is how often a level is begun in vain, with pauses that double, before it is only said.
	mostTries = 8
	// mostDeep is how deep a chain of errands is that set each other off, and mostChained how often one is set off so
	// in a minute; then it is stopped.
	mostDeep, mostChained = 10, 20
	// mostBegun is of how many runs it is remembered with which cue they began.
	mostBegun = 2000
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
	e.recall(ctx)
	e.stand()
	e.clock(ctx)
	e.tick(ctx)
	for {
		waiting, cancel := context.WithTimeout(ctx, e.until())
		batch, err := e.queue.Next(waiting)
		cancel()
		if ctx.Err() != nil || err != nil && !errors.Is(err, context.DeadlineExceeded) {
			return nil //nolint:nilerr // the context, or the stream, ended
		}
		e.clock(ctx)
		for _, h := range batch {
			e.take(ctx, h)
		}
		if e.stale { // once for all that came together
			e.stale = false
			e.looks("")
		}
		e.settle(ctx)
		e.tick(ctx)
	}
}

// recall remembers what was before the house was there.
func (e *Errands) recall(ctx context.Context) {
	facts, err := e.History.Last(ctx, e.Calendar.Now())
	if err != nil && ctx.Err() == nil {
		slog.Error("when things changed last is only known from now on", "error", err)
	}
	e.seen.mu.Lock()
	defer e.seen.mu.Unlock()
	for _, f := range facts {
		e.seen.memory.Recall(f)
	}
}

// stand notes what is so at the start.
func (e *Errands) stand() {
	house, now := e.house(), e.Calendar.Now()
	for one := range e.all.Each() {
		if one.Readable() {
			e.turn.Lock()
			e.stateOf(one.ID).Stand(one.Doc.Errand, house, now)
			e.turn.Unlock()
		}
	}
}

// until is how long it really takes until something is due.
func (e *Errands) until() time.Duration {
	soon := e.taps.Soon()
	e.mu.Lock()
	defer e.mu.Unlock()
	if !e.soon.IsZero() && (soon.IsZero() || e.soon.Before(soon)) {
		soon = e.soon
	}
	if e.anew {
		return time.Millisecond
	}
	if soon.IsZero() {
		return nap
	}
	return min(max(e.Calendar.Until(soon), 0), nap)
}

// stateOf is how far an errand is. The caller holds turn.
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
	now, house := e.now(), e.house()
	e.mu.Lock()
	idle := !e.anew && now.Clock == e.plausible && (e.soon.IsZero() || now.At.Before(e.soon))
	e.anew = false
	e.mu.Unlock()
	if e.plausible = now.Clock; idle {
		return
	}
	var soon time.Time
	for one := range e.all.Each() {
		if one.Doc.Off || !one.Readable() {
			continue
		}
		e.turn.Lock()
		s := e.stateOf(one.ID)
		reached, changed := s.Tick(one.Doc.Errand, one.ID, house, now)
		e.turn.Unlock()
		var lost error
		if changed { // before anything is done
			lost = e.keep(ctx, one.ID)
		}
		for _, r := range reached {
			if lost != nil {
				e.told(one, happening.ErrandCame{Cue: e.cueText(one, r, now), Did: "failed",
					Reason: "it cannot be kept that it came: " + lost.Error()})
				continue
			}
			e.reached(ctx, one, r, now)
		}
		e.level(ctx, one, now)
		e.turn.Lock()
		soon = sooner(soon, e.stateOf(one.ID).Soon(one.Doc.Errand, house, now))
		e.turn.Unlock()
	}
	e.turn.Lock()
	for w := range e.waits {
		reached, _ := w.Tick(w.Errand, "", house, now)
		if !w.reached(reached) {
			soon = sooner(soon, w.Soon(w.Errand, house, now))
		}
	}
	e.turn.Unlock()
	if !soon.IsZero() && !soon.After(now.At) { // it could not be done: not again at once
		soon = now.At.Add(time.Second)
	}
	e.mu.Lock()
	e.soon = soon
	e.mu.Unlock()
}

// cueText is a cue that came, as it is written.
func (e *Errands) cueText(one Errand, r errand.Reached, now errand.Now) string {
	if r.Cue == errand.ByClock || r.Cue >= len(one.Doc.Errand.When) {
		return "at " + r.At.In(now.Where.Zone).Format("2006-01-02 15:04")
	}
	return one.Doc.Errand.When[r.Cue].Text(e.name)
}

// reached lets an errand come whose cue came, or says why it does not.
func (e *Errands) reached(ctx context.Context, one Errand, r errand.Reached, now errand.Now) {
	c := happening.ErrandCame{Cue: e.cueText(one, r, now)}
	switch c.Did, c.Reason = WhyNot(r, now.At); c.Did {
	case "":
		e.cue(ctx, one, c.Cue)
	default:
		e.told(one, c)
	}
}

// WhyNot is what is made of a cue that did not come in time, or did not stay so; "" where it came.
func WhyNot(r errand.Reached, now time.Time) (did, reason string) {
	switch r.How {
	case errand.TooLate:
		return "missed", "it was due " + run.Dur(now.Sub(r.At).Round(time.Second)) + " before"
	case errand.NotSure:
		return "unknown", "it is not known whether it stayed so"
	case errand.NotSo:
		return "skipped", "it did not stay so"
	case errand.TooMany:
		return "busy", "too many of its cues wait for their time already"
	}
	return "", ""
}

// elsewhere works all times out anew: the house has another place or zone.
func (e *Errands) elsewhere() {
	e.turn.Lock()
	for _, s := range e.states {
		s.Renew()
	}
	e.turn.Unlock()
	e.due()
}

// keep writes how far an errand is.
func (e *Errands) keep(ctx context.Context, id string) error {
	e.turn.Lock()
	s := e.stateOf(id)
	if last, is := e.Last(id); is {
		s.Last = &last
	}
	text, err := store.WriteDocument(stateVersion, s)
	e.turn.Unlock()
	if err != nil {
		return err
	}
	return e.Store.PutErrandState(ctx, store.ErrandState{ID: id, Document: text})
}

// told remembers a cue that came, and tells it.
func (e *Errands) told(one Errand, c happening.ErrandCame) {
	c.ErrandID, c.Errand = one.ID, one.Slug
	e.mu.Lock()
	e.came[one.ID] = Came{e.Calendar.Now().In(e.Where().Zone), c}
	e.mu.Unlock()
	e.Stream.Publish(happening.Happening{By: by(one), Cause: c.Run, What: c})
}

// by is who decides what an errand does.
func by(one Errand) grant.By {
	return grant.By{Actor: grant.Actor{ID: one.ID, Kind: grant.Errand, Name: one.Slug}}
}

// Judge answers a condition, and lists its questions.
func (e *Errands) Judge(c run.Cond) (run.Truth, []errand.Leaf) {
	return errand.Judge(c, e.house(), e.now())
}

// answers are the questions of a condition in words.
func (e *Errands) answers(leaves []errand.Leaf) (out []happening.Answer) {
	for _, l := range leaves {
		out = append(out, happening.Answer{Asked: l.Cond.Text(e.name),
			Is: map[run.Truth]string{run.Yes: "yes", run.No: "no", run.Unknown: "unknown"}[l.Is], About: about(l.Cond)})
	}
	return out
}

// about is the device that a question is about; "" for none.
func about(c run.Cond) string {
	switch {
	case c.Test != nil && c.Test.On.Kind == run.Device:
		return c.Test.On.ID
	case c.Past != nil && c.Past.On.Kind == run.Device:
		return c.Past.On.ID
	}
	return ""
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
	if one.Doc.Trial {
		c.Did, c.Reason = "trial", "it is on trial, and nothing is pressed"
		return nil
	}
	if reason := e.chained(one); reason != "" {
		c.Did, c.Reason = "stopped", reason
		return nil
	}
	rules := one.Doc.Errand.Rules
	if rules.Busy == "stretch" {
		e.turn.Lock()
		lately := slices.Clone(e.stateOf(one.ID).Runs)
		e.turn.Unlock()
		if e.Holds.Stretch(lately) > 0 {
			c.Did = "stretched"
			return nil
		}
	}
	program, err := run.Compile(one.ID, steps, e.steps, e.name)
	if err == nil {
		if rules.Busy == "start over" {
			e.Runs.Halt(one.ID, "it starts over")
		}
		var r runs.Run
		r, err = e.Runs.Start(runs.Order{Name: one.Slug, Of: one.ID, Program: program, By: by(one), Cause: c.Cue,
			Follow: rules.Busy == "follow" || rules.Busy == "start over", Asks: e.asks(rules),
			Guess: rules.Doubtful == "press"})
		c.Run = r.ID
	}
	switch {
	case err == nil:
		c.Did = "ran"
		now := e.Calendar.Now()
		if len(e.begun) >= mostBegun {
			clear(e.begun)
		}
		e.chains[one.ID], e.begun[c.Run] = e.deep, c.Cue
		e.turn.Lock()
		s := e.stateOf(one.ID)
		s.Ran = now
		s.Runs = append(slices.Clone(s.Runs[max(len(s.Runs)-keptRuns+1, 0):]), c.Run)
		e.turn.Unlock()
		e.mu.Lock()
		e.ran[one.ID] = now
		e.mu.Unlock()
		e.looks("")
		e.keepOrSay(ctx, one)
	case errors.Is(err, runs.ErrRunning), errors.Is(err, runs.ErrMany):
		c.Did, c.Reason = "busy", err.Error()
	default:
		c.Did, c.Reason = "failed", err.Error()
	}
	return err
}

// chained says why an errand is stopped that others set off; "" where it is not.
func (e *Errands) chained(one Errand) string {
	if e.deep == 0 {
		return ""
	}
	if e.deep > mostDeep {
		return fmt.Sprintf("it is the end of a chain of more than %d errands that set each other off: take one of "+
			"them out", mostDeep)
	}
	now := time.Now()
	e.turn.Lock()
	defer e.turn.Unlock()
	s := e.stateOf(one.ID)
	s.chains = slices.DeleteFunc(s.chains, func(at time.Time) bool { return now.Sub(at) > time.Minute })
	if len(s.chains) >= mostChained {
		return fmt.Sprintf("errands set it off %d times in a minute: they set each other off", mostChained)
	}
	s.chains = append(s.chains, now)
	return ""
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

// level judges the condition of an errand with while, where it is time to, and begins or ends what it says.
func (e *Errands) level(ctx context.Context, one Errand, now errand.Now) {
	if one.Doc.Errand.While == nil {
		return
	}
	e.turn.Lock()
	s := e.stateOf(one.ID)
	was := s.Level
	act, leaves := s.Turn(one.Doc.Errand, e.house(), now, e.QuietUntil())
	next := s.Level
	e.turn.Unlock()
	e.levelOf(one.ID, next)
	if act == errand.Stay {
		return
	}
	c := happening.ErrandCame{Cue: "while " + one.Doc.Errand.While.Text(e.name), Answers: e.answers(leaves)}
	if err := e.keep(ctx, one.ID); err != nil { // nothing is begun that nobody would end
		c.Did, c.Reason = "failed", err.Error()
		e.turn.Lock()
		s.Undo(was, now.At.Add(time.Minute))
		e.turn.Unlock()
		e.levelOf(one.ID, was)
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
	if a.IsZero() || !b.IsZero() && b.Before(a) {
		return b
	}
	return a
}

// beginLevel does what a level wants. With afterwards back, all that it sets is held until it ends.
func (e *Errands) beginLevel(ctx context.Context, one Errand, c happening.ErrandCame) {
	steps := one.Doc.Errand.Do
	if one.Doc.Errand.Back {
		steps = errand.Held(steps)
	}
	_ = e.begin(ctx, one, &c, steps) // what came of it is told
	e.told(one, c)
}

// endLevel does what stands behind afterwards.
func (e *Errands) endLevel(ctx context.Context, one Errand, c *happening.ErrandCame) {
	e.turn.Lock()
	s := e.stateOf(one.ID)
	began := s.Runs
	s.Runs, s.tried = nil, 0
	e.turn.Unlock()
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
	e.turn.Lock()
	s := e.stateOf(one.ID)
	on := s.Level.On
	s.Level = errand.Level{}
	e.turn.Unlock()
	e.levelOf(one.ID, errand.Level{})
	if !on {
		return
	}
	c := happening.ErrandCame{Cue: "it was switched off or changed by " + who.String()}
	e.endLevel(ctx, one, &c)
	e.keepOrSay(ctx, one)
	e.told(one, c)
}

// firstOf sorts, and leaves out what is beyond the most.
func firstOf(all []Due, most int) []Due {
	slices.SortStableFunc(all, func(a, b Due) int {
		return cmp.Or(a.At.Compare(b.At), cmp.Compare(a.Errand.Slug, b.Errand.Slug))
	})
	return all[:min(len(all), most)]
}
