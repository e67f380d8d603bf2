package transmit

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/plain"
	"urbo/service/stations"
	"urbo/station"
	"urbo/store"
)

// work sends what is ready, one after another, until the context ends.
func (t *Transmit) work(ctx context.Context, w *worker) {
	timer := time.NewTimer(time.Hour)
	defer timer.Stop()
	for {
		k, wait := t.next(w)
		if k != nil {
			t.serve(k)
			continue
		}
		timer.Reset(wait)
		select {
		case <-ctx.Done():
			return
		case <-w.wake:
		case <-timer.C:
		}
	}
}

// next takes the first press out of a queue whose device may be pressed now, or tells how long until the first may be.
func (t *Transmit) next(w *worker) (*Ticket, time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	wait := time.Hour
	for i, k := range w.waiting {
		rests := t.rests(k.order.Device)
		if rests > 0 {
			wait = min(wait, rests)
			continue
		}
		w.waiting = slices.Delete(w.waiting, i, i+1)
		k.began = true
		return k, 0
	}
	return nil, wait
}

// drop takes a press out of its queue, and says whether it was there. The caller holds mu.
func (t *Transmit) drop(k *Ticket) bool {
	w := t.workers[k.through.Key()]
	i := slices.Index(w.waiting, k)
	if i >= 0 {
		w.waiting = slices.Delete(w.waiting, i, i+1)
	}
	return i >= 0
}

// serve sends one press, with all its times.
func (t *Transmit) serve(k *Ticket) {
	o := k.order
	air := t.air(k.through)
	air.Lock()
	defer air.Unlock()
	if t.now().After(k.by) {
		t.finish(k, happening.Receipt{}, ErrLate)
		return
	}
	r := happening.Receipt{ID: k.ID, At: t.now(), By: o.By, DeviceID: o.Device.ID, Device: o.Device.Slug,
		Times:   o.Times,
		Station: k.through.Station, Port: k.through.Port.ID, Outcome: happening.Sent,
		Note: k.stoodIn(t.warming(o.Device))}
	if r.What = o.What; o.Device.ID != "" {
		r.Key, r.What = o.Key.Name, ""
	}
	for n := range o.Times {
		err := t.goesOn(k, n)
		if err == nil {
			err = t.takeTurns(o, k.parts)
		}
		switch {
		case err == nil:
		case n == 0: // nothing went out
			t.finish(k, r, err)
			return
		case errors.Is(err, ErrGivenUp):
			r.Note = fmt.Sprintf("Let go after %s.", plain.Count(n, "press", "presses"))
		default:
			r.Outcome, r.Reason = happening.Failed, err.Error()
		}
		if err != nil {
			break
		}
		if t.once(k, n+1 == o.Times, &r); r.Outcome != happening.Sent {
			break
		}
	}
	t.pressed(o, r)
	t.finish(k, r, nil)
}

// stoodIn adds to a note why another transmitter took the place of the device's own.
func (k *Ticket) stoodIn(note string) string {
	if k.instead == "" {
		return note
	}
	return strings.TrimSpace(fmt.Sprintf("Sent through %s: %s. %s", k.through.Place(), k.instead, note))
}

// goesOn says whether a press of several is still wanted. The error wraps ErrGivenUp.
func (t *Transmit) goesOn(k *Ticket, n int) error {
	t.mu.Lock()
	defer t.mu.Unlock()
	if k.givenUp || k.letGo && n > 0 {
		return ErrGivenUp
	}
	return nil
}

// cannotHold is said of a key that was to be held, and was sent once.
const cannotHold = "It cannot be held: its code has no part that repeats. It was sent once."

// once sends all codes of a press, once.
func (t *Transmit) once(k *Ticket, last bool, r *happening.Receipt) {
	for i, p := range k.parts {
		if i+1 == len(k.parts) && !last {
			p.GapUS = max(p.GapUS, int(max(between, gapOf(k.order.Device))/time.Microsecond))
		}
		if k.order.Hold > 0 && k.order.Key.Hold != device.HoldOnce && i+1 == len(k.parts) && len(p.Repeat) == 0 {
			r.Note = cannotHold
		}
		holds := k.order.Lease > 0 && k.order.Key.Hold != device.HoldOnce && last && i+1 == len(k.parts)
		if holds && len(p.Repeat) == 0 {
			r.Note = cannotHold
			holds = false
		}
		if t.play(k, p, holds, r); r.Outcome != happening.Sent {
			return
		}
	}
}

// play sends one part and waits for its answer, and puts the outcome into the receipt.
func (t *Transmit) play(k *Ticket, p part, holds bool, r *happening.Receipt) {
	p.ID = store.NewID()
	p.echo.pressID = k.ID
	airtime := time.Duration(p.Airtime()) * time.Microsecond
	longest := airtime + startWithin + grace
	if holds {
		longest += MaxHold
	}
	ended := t.echoes.expect(p.echo, longest)
	defer ended()
	sending, err := k.through.Send(context.Background(), p.Send)
	switch {
	case errors.Is(err, station.ErrAway):
		r.Outcome, r.Reason = happening.Failed, err.Error()
		return
	case err != nil:
		r.Outcome, r.Reason = happening.Unknown, "the station could not be told in time: "+err.Error()
		return
	}
	t.onAir(k, sending, holds)
	defer t.onAir(k, nil, false)
	timeout := time.NewTimer(longest)
	defer timeout.Stop()
	select {
	case m, answered := <-sending.Answer():
		switch m := m.(type) {
		case station.Sent:
			r.Took += time.Duration(m.Took) * time.Microsecond
		case station.Failed:
			r.Outcome, r.Reason = happening.Failed, m.Reason
		}
		if !answered {
			r.Outcome, r.Reason = happening.Unknown, "the station went away: it may or may not have gone out"
		}
	case <-timeout.C:
		r.Outcome, r.Reason = happening.Unknown, "the station did not answer: it may or may not have gone out"
	}
}

// onAir notes what of a ticket is on the air, and passes on what was said of it before: that it is held, or let go.
func (t *Transmit) onAir(k *Ticket, s *stations.Sending, holds bool) {
	t.mu.Lock()
	k.sending, k.holds = s, holds
	now := t.now()
	if holds {
		k.most = now.Add(MaxHold)
	}
	left, letGo, givenUp := k.held.Sub(now), k.letGo, k.givenUp
	t.mu.Unlock()
	switch {
	case s == nil:
	case givenUp:
		_ = s.Cancel(context.Background())
	case holds && left > 0 && !letGo:
		_ = s.Hold(context.Background(), left)
	}
}

// finish gives a ticket what became of it, and tells it.
func (t *Transmit) finish(k *Ticket, r happening.Receipt, err error) {
	if err != nil {
		t.refuse(k.order, err)
	} else {
		t.stream.Publish(happening.Happening{ID: k.ID, At: r.At, Cause: k.order.Cause, By: r.By,
			What: happening.Pressed{Receipt: r}})
	}
	k.receipt, k.err = r, err
	t.mu.Lock()
	k.finished = t.now()
	if k.order.Lease == 0 {
		delete(t.tickets, k.ID)
	}
	t.mu.Unlock()
	close(k.done)
}
