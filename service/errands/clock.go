package errands

import (
	"context"
	"time"

	"urbo/core/errand"
)

// clock notices that the clock was set. Then nothing that happened is longer ago than it was, and what waits goes on to
// wait for as long as it was to.
func (e *Errands) clock(ctx context.Context) {
	l, is := e.leapt()
	if !is {
		return
	}
	e.began.Store(new(l.Of(*e.began.Load())))
	for _, k := range e.taps.Settle(l.Before.Add(time.Hour)) { // whatever follows does not belong to them
		e.hear(ctx, errand.News{Pressed: &k}, k.Device)
	}
	e.seen.mu.Lock()
	e.seen.memory.Leap(l)
	e.seen.mu.Unlock()
	e.turn.Lock()
	for one := range e.all.Each() {
		e.stateOf(one.ID).Leap(one.Doc.Errand, l)
	}
	for w := range e.waits {
		w.Course.Leap(w.Errand, l)
	}
	e.turn.Unlock()
	e.mu.Lock()
	defer e.mu.Unlock()
	e.quiet, e.anew = e.quiet.leap(l), true
	for id, at := range e.ran {
		e.ran[id] = l.Of(at)
	}
}

// leapt says how the clock was set since the last time, or that it may have been while the house was away. A clock that
// cannot be right says nothing about what was before the house started.
func (e *Errands) leapt() (errand.Leap, bool) {
	now, first := e.now(), e.last.IsZero()
	l := errand.Leap{Before: e.last, By: e.Calendar.Leapt() - e.off, Now: now.At}
	e.last = now.At
	if !first && l.By.Abs() < errand.LeastLeap {
		return l, false
	}
	e.off += l.By
	return l, !first || now.Clock
}
