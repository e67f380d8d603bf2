package setting

import (
	"context"
	"fmt"
	"slices"
	"time"

	"urbo/core/control"
	"urbo/core/happening"
	"urbo/service/wake"
)

// Ticket is a wish that was asked for: it waits, is carried out, or is over.
type Ticket struct {
	ID string // of what came of it, in the journal

	setting *Setting
	wish    Wish
	late    time.Time // dropped when its turn has not come by then
	asked   int64     // number of the last happening before it
	done    chan struct{}

	// Guarded by the setting's mu.
	wants []*want
	began bool // something was planned for it

	// Set before done is closed.
	result Result
	err    error
}

// want is one thing that is wanted of a control.
type want struct {
	control.Want
	ticket  *Ticket
	pressed bool     // all of its presses went out
	into    *want    // the newer one that its steps were added to
	end     End      // "" while it is not over
	took    []string // ids of the tickets whose want of the control it took the place of
}

// Took are the ids of the older tickets whose want of a control it took the place of. What they still press of it is
// older than the ticket is.
func (t *Ticket) Took(name string) (ids []string) {
	t.setting.mu.Lock()
	defer t.setting.mu.Unlock()
	for _, w := range t.wants {
		if w.Control == name {
			ids = append(ids, w.took...)
		}
	}
	return ids
}

// Wait waits for what becomes of the wish. Where ctx ends first its error is returned, and the wish goes on.
func (t *Ticket) Wait(ctx context.Context) (Result, error) {
	select {
	case <-t.done:
		return t.result, t.err
	default:
	}
	select {
	case <-t.done:
		return t.result, t.err
	case <-ctx.Done():
		return Result{}, fmt.Errorf("set: it goes on, and nobody waits for it: %w", ctx.Err())
	}
}

// DeviceID is the device that it is for.
func (t *Ticket) DeviceID() string { return t.wish.Device }

// Cancel says that nobody wants it any more: it ends at the next safe place.
func (t *Ticket) Cancel() {
	s := t.setting
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, w := range t.wants {
		if w.end == "" {
			w.end = Cancelled
		}
	}
	if a := s.actors[t.wish.Device]; a != nil {
		wake.Up(a.news)
	}
}

// actor is what is wanted of one device. It has a goroutine while there is anything.
type actor struct {
	setting *Setting
	id      string
	news    chan struct{} // what is wanted changed

	// Guarded by the setting's mu.
	tickets []*Ticket     // that are not over, the oldest first
	open    bool          // something is half done that another press would spoil
	clear   chan struct{} // closed when it is not any more
}

// take puts a ticket beside those that wait. What it replaces is over; what adds up becomes one want of the newer
// ticket. The caller holds mu.
func (a *actor) take(spec *control.Spec, t *Ticket) {
	off := slices.ContainsFunc(t.wants, func(w *want) bool { return w.end == "" && spec.IsOff(w.Want) })
	for _, older := range a.tickets {
		for _, o := range older.wants {
			i := slices.IndexFunc(t.wants, func(w *want) bool { return w.end == "" && w.Control == o.Control })
			switch {
			case o.end != "":
			case i >= 0:
				if !o.pressed { // what is pressed already is where the newer one begins
					t.wants[i].Want = spec.Together(o.Want, t.wants[i].Want)
					if _, steps := spec.Steps(o.Want); steps { // a press of it may be on the air
						o.into = t.wants[i]
					}
				}
				if t.wants[i].Want == control.Relative(o.Control, 0) { // they take each other back
					t.wants[i].end = Done
				}
				o.end = Superseded
				t.wants[i].took = append(t.wants[i].took, older.ID)
			case off:
				o.end = Superseded
			}
		}
	}
	a.tickets = append(a.tickets, t)
	wake.Up(a.news)
}

// active are the wants that are not over, the oldest first. Those whose turn came too late are.
func (a *actor) active() (out []*want) {
	s := a.setting
	s.mu.Lock()
	defer s.mu.Unlock()
	now := s.Now()
	for _, t := range a.tickets {
		for _, w := range t.wants {
			if w.end == "" && !t.began && now.After(t.late) {
				w.end = Late
			}
			if w.end == "" {
				out = append(out, w)
			}
		}
	}
	return out
}

// finish ends the tickets of which nothing is left to do, with what is told of them. It says whether the actor is done.
func (a *actor) finish() (over bool) {
	s := a.setting
	s.mu.Lock()
	var ended []*Ticket
	a.tickets = slices.DeleteFunc(a.tickets, func(t *Ticket) bool {
		if slices.ContainsFunc(t.wants, func(w *want) bool { return w.end == "" }) {
			return false
		}
		ended = append(ended, t)
		return true
	})
	if len(a.tickets) == 0 {
		delete(s.actors, a.id)
		over = true
	}
	s.mu.Unlock()
	for _, t := range ended {
		a.tell(t)
	}
	return over
}

// fail ends all wants of some tickets with an error: nothing could be tried.
func (a *actor) fail(tickets []*Ticket, err error) {
	a.setting.mu.Lock()
	defer a.setting.mu.Unlock()
	for _, t := range tickets {
		t.err = err
		for _, w := range t.wants {
			if w.end == "" {
				w.end = Failed
			}
		}
	}
}

// tell ends a ticket: the journal is told what came of it, unless something newer took its place before anything was
// pressed.
func (a *actor) tell(t *Ticket) {
	s := a.setting
	r := &t.result
	r.Done = t.err == nil
	for _, w := range t.wants {
		r.Ends = append(r.Ends, w.end)
		r.Done = r.Done && w.end == Done
	}
	r.Doubtful = r.Done && s.Beliefs.Doubts(a.id, t.wish.Wants)
	if r.Reason == "" && !r.Done {
		r.Reason = reasonOf(r.Ends)
	}
	defer close(t.done)
	quiet := t.err != nil || !r.Plan.Sure && len(r.Presses) == 0 || len(r.Presses) == 0 && !t.began
	if quiet {
		return
	}
	d, err := s.Library.ByID(a.id)
	if err != nil {
		return
	}
	what := happening.WasSet{DeviceID: a.id, Device: d.Slug, Presses: len(r.Presses), Outcome: happening.Sent,
		Reason: r.Reason, Asked: t.asked}
	for _, w := range t.wish.Wants {
		what.Wants = append(what.Wants, w.Control+" "+w.Value)
	}
	if slices.Contains(r.Ends, Failed) || slices.Contains(r.Ends, Late) {
		what.Outcome = happening.Failed
	}
	s.Stream.Publish(happening.Happening{ID: t.ID, By: t.wish.By, Cause: t.wish.Cause, What: what})
}

// reasonOf says in words why a wish was given up, "" where it was not.
func reasonOf(ends []End) string {
	switch {
	case slices.Contains(ends, Superseded):
		return "something newer was wanted"
	case slices.Contains(ends, Cancelled):
		return "it was cancelled"
	case slices.Contains(ends, Late):
		return "its turn came too late, and it was dropped"
	}
	return ""
}
