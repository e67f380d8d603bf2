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
// Presses of one device keep their order: 1, 1, 2 is not 1, 2, 1.
func (t *Transmit) next(w *worker) (*Ticket, time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	wait := time.Hour
	var resting []string // devices
	for i, k := range w.waiting {
		id := k.order.Device.ID
		if slices.Contains(resting, id) {
			continue
		}
		if rests := t.rests(k.order.Device, k.order.Key.Name); rests > 0 {
			wait, resting = min(wait, rests), append(resting, id)
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
	w := t.workers[k.legs[0].through.Key()]
	i := slices.Index(w.waiting, k)
	if i >= 0 {
		w.waiting = slices.Delete(w.waiting, i, i+1)
	}
	return i >= 0
}

// serve sends one press, with all its times.
func (t *Transmit) serve(k *Ticket) {
	o, first := k.order, k.legs[0].through
	r := happening.Receipt{ID: k.ID, By: o.By, Obey: o.Obey, DeviceID: o.Device.ID, Device: o.Device.Slug,
		Times:     o.Times,
		StationID: first.ID, RoomID: first.Room, Station: first.Station, Port: first.Port.ID, Outcome: happening.Sent,
		Held: o.Hold > 0 || o.Lease > 0, Frame: o.Frame}
	if r.What = o.What; o.Device.ID != "" {
		r.Key, r.What = o.Key.Name, ""
	}
	k.shape = r
	for n := range o.Times {
		if n > 0 {
			if other := t.urgent(k); other != nil {
				t.serve(other)
			}
		}
		err := t.oneTime(k, n, &r)
		if err != nil && n == 0 { // nothing went out
			t.finish(k, r, err)
			return
		}
		if errors.Is(err, ErrGivenUp) {
			r.Note = fmt.Sprintf("Let go after %s.", plain.Count(n, "press", "presses"))
			r.Pressed = n
		} else if err != nil {
			r.Outcome, r.Reason = happening.Failed, err.Error()
		}
		if err != nil || r.Outcome != happening.Sent {
			r.Pressed = pressed(n, r.Outcome)
			break
		}
	}
	t.verify(k, &r)
	t.pressed(o, r)
	t.finish(k, r, nil)
}

// pressed is how many presses went out, or may have, where the nth was the last.
func pressed(n int, outcome happening.Outcome) int {
	if outcome == happening.Unknown {
		return n + 1
	}
	return n
}

// oneTime sends a press once, through all its transmitters one after another. The error says that nothing of it went
// out.
func (t *Transmit) oneTime(k *Ticket, n int, r *happening.Receipt) error {
	var each []happening.Receipt
	for i, l := range k.legs {
		leg := happening.Receipt{Outcome: happening.Sent}
		if err := t.through(k, l, n, i == 0, &leg); err != nil {
			return err
		}
		if n == 0 && i == 0 {
			r.At, r.Note = leg.At, k.notes(leg.Note)
		}
		r.Took += leg.Took
		each = append(each, leg)
	}
	r.Outcome, r.Reason = together(k.legs, each)
	return nil
}

// through sends a press once through one transmitter. The first one checks whether it is still wanted, and takes what
// changes from press to press. The error says that nothing went out.
func (t *Transmit) through(k *Ticket, l leg, n int, first bool, r *happening.Receipt) error {
	air := t.air(l.through)
	air.Lock()
	defer air.Unlock()
	if first {
		if n == 0 && t.now().After(k.by) {
			return ErrLate
		}
		if err := t.goesOn(k, n); err != nil {
			return err
		}
		if n == 0 {
			r.At, r.Note = t.now(), t.warming(k.order.Device)
		}
		if err := t.takeTurns(k.order, k.parts); err != nil {
			return err
		}
	}
	if first {
		if n == 0 {
			k.shape.At = r.At
		}
		k.shape.Pressed = n + 1
		t.trace.begin(k.shape, k.order.Cause)
	}
	t.once(k, l, n+1 == k.order.Times, first, r)
	return nil
}

// together is what became of a press that went through several transmitters: what none of them did has failed, and
// what only some did is as good as unknown.
func together(legs []leg, each []happening.Receipt) (happening.Outcome, string) {
	same := true
	var reasons []string
	for i, r := range each {
		same = same && r.Outcome == each[0].Outcome
		if r.Outcome != happening.Sent {
			reasons = append(reasons, legs[i].through.Place()+": "+r.Reason)
		}
	}
	switch {
	case len(each) == 1:
		return each[0].Outcome, each[0].Reason
	case same:
		return each[0].Outcome, strings.Join(reasons, "; ")
	}
	return happening.Unknown, "only some transmitters sent it: " + strings.Join(reasons, "; ")
}

// notes is what to mind about the transmitters of a press, how often it was asked for, and what else there is.
func (k *Ticket) notes(more string) string {
	var notes []string
	if l := k.legs[0]; l.instead != "" {
		notes = append(notes, fmt.Sprintf("Sent through %s: %s.", l.through.Place(), strings.TrimSpace(l.instead)))
	}
	for _, l := range k.legs[1:] {
		notes = append(notes, "Sent through "+l.through.Place()+" as well.")
	}
	for _, why := range k.missing {
		notes = append(notes, "One transmitter did not send: "+why+".")
	}
	k.transmit.mu.Lock()
	if k.asked > 1 {
		notes = append(notes, fmt.Sprintf("Asked for %d times while it waited, and sent once.", k.asked))
	}
	k.transmit.mu.Unlock()
	if more != "" {
		notes = append(notes, more)
	}
	return strings.Join(notes, " ")
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

// once sends all codes of a press, once. Only the first transmitter holds.
func (t *Transmit) once(k *Ticket, l leg, last, first bool, r *happening.Receipt) {
	for i, p := range k.parts {
		if i+1 == len(k.parts) && !last {
			p.GapUS = max(p.GapUS, int(max(between, gapOf(k.order.Device))/time.Microsecond))
		}
		if k.order.Hold > 0 && k.order.Key.Hold != device.HoldOnce && i+1 == len(k.parts) && len(p.Repeat) == 0 {
			r.Note = cannotHold
		}
		holds := first && k.order.Lease > 0 && k.order.Key.Hold != device.HoldOnce && last && i+1 == len(k.parts)
		if holds && len(p.Repeat) == 0 {
			r.Note = cannotHold
			holds = false
		}
		if t.play(k, l, p.over(l.through), holds, r); r.Outcome != happening.Sent {
			return
		}
	}
}

// play sends one part and waits for its answer, and puts the outcome into the receipt.
func (t *Transmit) play(k *Ticket, l leg, p part, holds bool, r *happening.Receipt) {
	p.ID = store.NewID()
	p.echo.pressID, p.echo.heard = k.ID, k.heard
	airtime := time.Duration(p.Airtime()) * time.Microsecond
	longest := airtime + startWithin + grace
	if holds {
		longest += MaxHold
	}
	ended := t.echoes.expect(p.echo, longest)
	defer ended()
	sending, err := l.through.Send(context.Background(), p.Send)
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
		t.trace.end(r, k.order.Cause)
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
