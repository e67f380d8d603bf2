package runs

import (
	"cmp"
	"context"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"urbo/core/control"
	"urbo/core/happening"
	"urbo/core/run"
	"urbo/service/wake"
	"urbo/store"
)

// actor is a run with its goroutine.
type actor struct {
	runs  *Runs
	news  chan struct{} // there are events
	looks chan struct{} // something may be so now that it waits for
	done  chan struct{} // closed when it has ended

	run  Run       // guarded by the runs' mu; its goroutine alone changes it
	kept run.State // how far it is on disk, or where that is written next; of its goroutine

	happened atomic.Bool // what it waits for
	waits    func()      // ends waiting for something to happen; nil where it does not

	mu     sync.Mutex
	events []run.Event
	cancel func() // ends the step under way at the next safe place; nil where there is none
}

func newActor(r *Runs, one Run) *actor {
	return &actor{runs: r, run: one, news: make(chan struct{}, 1), looks: make(chan struct{}, 1),
		done: make(chan struct{})}
}

// mostEvents is how many events may wait for a run. Beyond that it is not told any more what was set elsewhere.
const mostEvents = 1000

// send lets a run know of something.
func (a *actor) send(e run.Event) {
	a.mu.Lock()
	if len(a.events) < mostEvents || e.Gone.ID == "" || e.What != run.Superseded {
		a.events = append(a.events, e)
	}
	a.mu.Unlock()
	wake.Up(a.news)
}

// look lets a run see whether it is so what it waits for.
func (a *actor) look() { wake.Up(a.looks) }

// next waits for an event. Without one, ok is false: the context ended.
func (a *actor) next(ctx context.Context) (e run.Event, ok bool) {
	for {
		a.mu.Lock()
		if len(a.events) > 0 {
			e, a.events = a.events[0], a.events[1:]
			a.mu.Unlock()
			if e.At.IsZero() {
				e.At = a.runs.Now()
			}
			return e, true
		}
		a.mu.Unlock()
		var timer *time.Timer
		var over <-chan time.Time
		if until := a.run.State.Until; !until.IsZero() {
			timer = time.NewTimer(until.Sub(a.runs.Now()))
			over = timer.C
		}
		select {
		case <-a.news:
		case <-a.looks:
			if e, ok = a.so(); ok {
				return e, true
			}
		case <-over:
			return run.Event{What: run.LimitOver, At: a.runs.Now()}, true
		case <-ctx.Done():
			return e, false
		}
		if timer != nil {
			timer.Stop()
		}
	}
}

// so says whether what it waits for is so, or what it asks is known.
func (a *actor) so() (run.Event, bool) {
	e := run.Event{What: run.Due, At: a.runs.Now()}
	s := a.run.State
	if s.At >= len(a.run.Program) {
		return e, false
	}
	op := a.run.Program[s.At]
	switch {
	case s.Phase == run.Waiting && op.Wait.Until != nil:
		is, _ := a.runs.Errands.Answer(*op.Wait.Until)
		return e, is == run.Yes
	case s.Phase == run.Waiting && op.Wait.Happens != nil:
		return e, a.happened.Load()
	case s.Phase != run.Asking:
	case op.Branch != nil:
		is, _ := a.runs.Errands.Answer(op.Branch.Cond)
		return e, is != run.Unknown
	case op.Set != nil:
		path, _ := a.doubt(op.Set)
		return e, path == "" || op.Set.Eased && path != s.Asks
	}
	return e, false
}

// work carries the run out until it ends, or the context does.
func (a *actor) work(ctx context.Context) {
	for {
		e, ok := a.next(ctx)
		if !ok {
			return
		}
		if e.What == run.Superseded && !a.taken(e) {
			continue
		}
		was := a.run.State
		state, act := a.run.Program.Next(was, e)
		if state == was && act == run.Nothing {
			continue
		}
		if a.waits != nil {
			a.waits()
			a.waits = nil
		}
		a.told(was, state, e)
		a.runs.mu.Lock()
		a.run.State = state
		if state.Phase == run.Ended {
			a.run.Over = a.runs.Now()
		} else {
			a.runs.wake()
		}
		a.runs.mu.Unlock()
		if act != run.Judge && state.Phase != run.Ended { // a judgement alone is made again
			switch err := a.write(); {
			case err == nil:
			case state.Phase != run.InStep:
				slog.Error("how far a run is, is not on disk", "run", a.run.Name, "error", err)
			default:
				a.send(run.Event{What: run.Trouble,
					Reason: "it cannot be kept, and nothing was pressed: " + err.Error()})
				continue
			}
		}
		switch act {
		case run.Begin:
			a.begin(ctx, state.At)
		case run.Judge:
			a.judge(state.At)
		case run.Sleep, run.Ask:
			a.listen(ctx, state.At)
			a.look()
		case run.Cancel:
			a.stop(e.Reason)
		}
		if was.Phase != state.Phase || was.At != state.At {
			a.tell(false, false)
		}
		if state.Phase == run.Ended {
			a.finish()
			return
		}
	}
}

// listen waits for something to happen, where the op does.
func (a *actor) listen(ctx context.Context, at int) {
	wait := a.run.Program[at].Wait
	if wait == nil || wait.Happens == nil {
		return
	}
	a.happened.Store(false)
	came, stop := a.runs.Errands.Happens(*wait.Happens)
	over := make(chan struct{})
	a.waits = func() {
		stop()
		close(over)
	}
	a.runs.group.Go(func() {
		select {
		case <-came:
			a.happened.Store(true)
			a.look()
		case <-over:
		case <-ctx.Done():
		}
	})
}

// taken says whether somebody else's setting takes the place of what the run is asking about. The one that waits in a
// step is told by its own ticket.
func (a *actor) taken(e run.Event) bool {
	s := a.run.State
	if e.Gone.ID == "" { // of its own ticket
		return true
	}
	if s.Phase != run.Asking || e.Reason == a.run.ID || a.run.Program[s.At].Set == nil {
		return false
	}
	return slices.ContainsFunc(a.run.Program[s.At].Set.Changes, func(c run.Wanted) bool {
		ids, err := a.runs.Targets.With(c.On, c.Control)
		return err == nil && slices.Contains(ids, e.Gone.ID)
	})
}

// stop ends the step under way at the next safe place.
func (a *actor) stop(reason string) {
	a.mu.Lock()
	cancel := a.cancel
	a.mu.Unlock()
	a.runs.Holds.Stop(a.run.ID, reason)
	if cancel != nil {
		cancel()
	}
}

// cancels says what ends the step under way.
func (a *actor) cancels(cancel func()) {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.cancel = cancel
}

// judge answers the condition of a branch.
func (a *actor) judge(at int) {
	is, unknown := a.runs.Errands.Answer(a.run.Program[at].Branch.Cond)
	switch is {
	case run.Yes:
		a.send(run.Event{What: run.Due})
	case run.No:
		a.send(run.Event{What: run.NotSo})
	default:
		a.ask(unknown)
	}
}

// ask asks people for the first of some answers that they can give.
func (a *actor) ask(unknown []run.Cond) {
	for _, c := range unknown {
		if c.Test != nil {
			a.send(run.Event{What: run.Doubt, Reason: c.Test.Asks(a.runs.Targets.Name), Limit: a.asks()})
			return
		}
	}
	reason := "a condition is not known"
	if len(unknown) > 0 {
		reason = "it is not known: " + unknown[0].Text(a.runs.Targets.Name)
	}
	a.send(run.Event{What: run.Trouble, Reason: reason})
}

// asks is for how long people are asked what something is at.
func (a *actor) asks() time.Duration { return cmp.Or(a.run.Asks, asks) }

// finish ends the run.
func (a *actor) finish() {
	if a.waits != nil {
		a.waits()
		a.waits = nil
	}
	if err := a.runs.Store.RemoveRun(context.Background(), a.run.ID); err != nil {
		slog.Error("a run that is over stays on disk", "run", a.run.Name, "error", err)
	}
	a.runs.ended(a)
	close(a.done)
}

// writeAll keeps the run, in the state that is kept of it.
func (a *actor) writeAll() error {
	state, err := store.WriteDocument(version, a.kept)
	if err != nil {
		return err
	}
	text, err := store.WriteDocument(version, a.run)
	if err != nil {
		return err
	}
	return a.runs.Store.PutRun(context.Background(), store.Run{ID: a.run.ID, Document: text, State: state})
}

// write keeps how far the run is, unless that is on disk already.
func (a *actor) write() error {
	if a.run.State == a.kept {
		return nil
	}
	state, err := store.WriteDocument(version, a.run.State)
	if err != nil {
		return err
	}
	if err := a.runs.Store.PutRunState(context.Background(), a.run.ID, state); err != nil {
		return err
	}
	a.kept = a.run.State
	return nil
}

// tell tells how far the run is.
func (a *actor) tell(began, follows bool) {
	s := a.run.State
	step, says := a.run.Step()
	h := happening.Happening{By: a.run.By, Cause: a.run.ID, What: happening.RunChanged{RunID: a.run.ID, Run: a.run.Name,
		Of: a.run.Of, Phase: s.Phase, Step: step, Steps: a.run.Program.Steps(), Began: began, Follows: follows,
		Says: says, Until: s.Until,
		Asks: s.Asks, End: s.End, Reason: s.Reason, Devices: a.runs.Targets.AllDevices(a.run.Program.Targets())}}
	if began {
		h.ID, h.Cause = a.run.ID, a.run.Cause
	}
	a.runs.Stream.Publish(h)
}

// told makes a journal entry of a step that is over.
func (a *actor) told(was, now run.State, e run.Event) {
	if was.Phase == run.Queued || was.At >= len(a.run.Program) || was.At == now.At && now.Phase != run.Ended {
		return
	}
	op := a.run.Program[was.At]
	s := happening.RunStep{RunID: a.run.ID, Run: a.run.Name, Step: a.run.Program.Number(was.At), Says: op.Says}
	if ids := a.runs.Targets.AllDevices(run.Program{op}.Targets()); len(ids) == 1 {
		s.DeviceID, s.Device = ids[0], a.runs.Library.Slug(ids[0])
	}
	acts := op.Press != nil || op.Set != nil || op.Start != nil || op.End != nil
	switch {
	case e.What == run.Superseded:
		s.Reason = "something newer was wanted"
	case now.End == run.Failed:
		s.Outcome, s.Reason = happening.Failed, now.Reason
	case len(now.Missing) > len(was.Missing): // it is passed over
		s.Outcome, s.Reason = happening.Failed, strings.TrimPrefix(now.Missing[len(was.Missing):], "; ")
	case now.Phase == run.Ended && now.End != run.Done:
		s.Reason = now.Reason
	case acts:
		s.Outcome = happening.Sent
	case e.What == run.NotSo:
		s.Reason = "no"
	case op.Branch != nil:
		s.Reason = "yes"
	}
	a.runs.Stream.Publish(happening.Happening{By: a.run.By, Cause: a.run.ID, What: s})
	a.runs.mu.Lock()
	defer a.runs.mu.Unlock()
	a.run.Logged++
	a.run.Log = append(slices.Clone(a.run.Log[max(len(a.run.Log)-logs+1, 0):]), s)
}

// wants are the wishes of a step, by device. What is gone ends it, unless it is passed over: then it is said.
func (a *actor) wants(s *run.Set) (order []string, wants map[string][]control.Want, gone []string, err error) {
	wants = map[string][]control.Want{}
	for _, c := range s.Changes {
		on, name, err := a.runs.Targets.Resolve(c.On, c.Control)
		var ids []string
		if err == nil {
			ids, err = a.runs.Targets.With(on, name)
		}
		switch {
		case err != nil && !s.Eased:
			return nil, nil, nil, err
		case err != nil && !slices.Contains(gone, err.Error()):
			gone = append(gone, err.Error())
		}
		for _, id := range ids {
			if wants[id] == nil {
				order = append(order, id)
			}
			wants[id] = append(wants[id], control.Want{Control: name, Value: c.Value})
		}
	}
	return order, wants, gone, nil
}
