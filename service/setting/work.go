package setting

import (
	"context"
	"fmt"
	"slices"
	"time"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/happening"
	"urbo/service/transmit"
)

// work carries out what is wanted until nothing is.
func (a *actor) work(ctx context.Context) {
	for {
		if ctx.Err() != nil {
			a.end(a.active(), Cancelled, "the service is ending")
		}
		if wants := a.active(); len(wants) > 0 {
			a.carryOut(ctx, wants)
		}
		if a.finish() {
			return
		}
	}
}

// end ends wants that are not over, with a reason.
func (a *actor) end(wants []*want, end End, reason string) {
	a.setting.mu.Lock()
	defer a.setting.mu.Unlock()
	for _, w := range wants {
		if w.end == "" {
			w.end = end
			if w.ticket.result.Reason == "" {
				w.ticket.result.Reason = reason
			}
		}
	}
}

// batch is the wants that are planned together.
type batch struct {
	actor   *actor
	device  device.Device
	wants   []*want
	tickets []*Ticket
	seen    int       // what came from elsewhere before it
	last    time.Time // when the press before began, or ended where it was held
	first   bool      // nothing was pressed yet
}

// carryOut brings about what is wanted now: it plans, presses, and plans anew where something changed at a safe place.
func (a *actor) carryOut(ctx context.Context, wants []*want) {
	retried := false
	for moved := 0; ; {
		b, err := a.gather(wants)
		if err != nil {
			a.fail(b.tickets, err)
			return
		}
		if len(b.wants) == 0 {
			return
		}
		if moved == mostMoved {
			a.end(b.wants, Unsure, "it was changed from elsewhere all the time")
			return
		}
		p, err := b.plan()
		if (err != nil || !p.Sure) && len(b.tickets) > 1 { // they do not go together: the oldest by itself
			b.only(b.tickets[0])
			p, err = b.plan()
		}
		if err != nil {
			a.fail(b.tickets, fmt.Errorf("set %s: %w", b.device.Slug, err))
			return
		}
		b.note(p)
		if !p.Sure {
			a.end(b.wants, Unsure, "")
			return
		}
		switch outcome := b.run(ctx, p); {
		case outcome.again: // something changed
			if !b.replaced("") {
				moved++
			}
			wants = a.active()
			continue
		case outcome.reason != "":
			a.end(b.wants, outcome.end, outcome.reason)
			return
		}
		if !retried && b.watched(ctx) { // a sensor says otherwise: once more, with what it says
			retried = true
			a.unpress(b.wants)
			continue
		}
		b.judge()
		return
	}
}

// unpress lets wants be pressed once more.
func (a *actor) unpress(wants []*want) {
	a.setting.mu.Lock()
	defer a.setting.mu.Unlock()
	for _, w := range wants {
		w.pressed = false
	}
}

// gather is the wants that are still to be brought about. One whose presses went out, and that holds, is done.
func (a *actor) gather(wants []*want) (*batch, error) {
	s := a.setting
	b := &batch{actor: a, seen: s.Beliefs.Others(a.id), last: s.Now(), first: true}
	d, err := s.Library.ByID(a.id)
	for _, w := range wants {
		s.mu.Lock()
		pressed, over := w.pressed, w.end != ""
		s.mu.Unlock()
		if over {
			continue
		}
		if pressed && s.Beliefs.Holds(a.id, []control.Want{w.Want}) {
			a.end([]*want{w}, Done, "")
			continue
		}
		b.wants = append(b.wants, w)
		if !slices.Contains(b.tickets, w.ticket) {
			b.tickets = append(b.tickets, w.ticket)
		}
	}
	b.device = d
	return b, err
}

// only leaves the wants of one ticket.
func (b *batch) only(t *Ticket) {
	b.wants = slices.DeleteFunc(b.wants, func(w *want) bool { return w.ticket != t })
	b.tickets = []*Ticket{t}
}

// wanted are the wants as they are planned.
func (b *batch) wanted() (out []control.Want) {
	b.actor.setting.mu.Lock()
	defer b.actor.setting.mu.Unlock()
	for _, w := range b.wants {
		out = append(out, w.Want)
	}
	return out
}

func (b *batch) plan() (control.Plan, error) {
	ask := control.Request{Wants: b.wanted(), Sparing: true}
	for _, t := range b.tickets {
		ask.Asked, ask.Blind = ask.Asked || t.wish.Asked, ask.Blind || t.wish.Blind
		ask.Sparing = ask.Sparing && t.wish.Spare
	}
	return b.actor.setting.Beliefs.Plan(b.actor.id, ask)
}

// note keeps the first plan of each ticket, which is what its caller is told.
func (b *batch) note(p control.Plan) {
	s := b.actor.setting
	for _, t := range b.tickets {
		s.mu.Lock()
		first := !t.began
		if first {
			t.began, t.result.Plan = true, p
		}
		s.mu.Unlock()
		if first && p.Sure {
			s.remember(t)
		}
	}
}

// outcome is why a plan was not carried out to its end.
type outcome struct {
	again  bool // something changed: plan anew
	end    End
	reason string
}

// run presses what was planned, step by step.
func (b *batch) run(ctx context.Context, p control.Plan) outcome {
	defer b.opened(false)
	for i, step := range p.Steps {
		safe := p.Cut(i - 1)
		if o, over := b.wait(ctx, step, safe); over {
			return o
		}
		if safe && b.changed() {
			return outcome{again: true}
		}
		b.opened(!p.Cut(i))
		if o, over := b.press(ctx, step, p.Cut(i)); over {
			return o
		}
		b.done(p, i)
	}
	b.allDone()
	if o, over := b.wait(ctx, control.Step{Wait: p.Settle}, true); over {
		return o
	}
	if b.changed() {
		return outcome{again: true}
	}
	return outcome{}
}

// opened says whether something is half done that another press would spoil.
func (b *batch) opened(open bool) {
	a := b.actor
	a.setting.mu.Lock()
	defer a.setting.mu.Unlock()
	if a.open && !open {
		close(a.clear)
		a.clear = make(chan struct{})
	}
	a.open = open
}

// changed says whether a want of the batch is over that was not when it was planned, or the device was moved from
// elsewhere.
func (b *batch) changed() bool {
	return b.replaced("") || b.actor.setting.Beliefs.Others(b.actor.id) != b.seen
}

// replaced says whether a want of the batch is over: of a control, or of any.
func (b *batch) replaced(control string) bool {
	b.actor.setting.mu.Lock()
	defer b.actor.setting.mu.Unlock()
	return slices.ContainsFunc(b.wants, func(w *want) bool {
		return w.end != "" && (control == "" || w.Control == control)
	})
}

// wait waits until a step's turn has come. Where it is safe, news end the waiting; where something is half done, only a
// newer wish for that control that leads on from here, or nobody wanting it any more.
func (b *batch) wait(ctx context.Context, step control.Step, safe bool) (outcome, bool) {
	s := b.actor.setting
	for {
		switch {
		case safe && b.replaced(""):
			return outcome{again: true}, true
		case !safe && b.replaced(step.For):
			if o, over := b.turn(step.For); over {
				return o, true
			}
			if b.cancelled(step.For) && b.kind(step.For) == control.Travel {
				return outcome{}, false // it is stopped now
			}
		}
		d := b.last.Add(step.Wait).Sub(s.Now())
		if d <= 0 {
			return outcome{}, false
		}
		timer := time.NewTimer(d)
		select {
		case <-timer.C:
			return outcome{}, false
		case <-ctx.Done():
			timer.Stop()
			if !safe { // what is half done is brought to its end at once
				return outcome{}, false
			}
			return outcome{end: Cancelled, reason: "given up while it waited"}, true
		case <-b.actor.news:
			timer.Stop()
		}
	}
}

// turn plans anew in the middle of something, where what is wanted now surely leads on from there.
func (b *batch) turn(name string) (outcome, bool) {
	kind := b.kind(name)
	if kind != control.Travel && kind != control.Power {
		return outcome{}, false
	}
	a := b.actor
	var wants []control.Want
	for _, w := range a.active() {
		wants = append(wants, w.Want)
	}
	if !slices.ContainsFunc(wants, func(w control.Want) bool { return w.Control == name }) {
		return outcome{}, false
	}
	p, err := a.setting.Beliefs.Plan(a.id, control.Request{Wants: wants, Asked: true})
	return outcome{again: true}, err == nil && p.Sure
}

func (b *batch) kind(name string) control.Kind {
	spec, err := b.actor.setting.Beliefs.Spec(b.actor.id)
	if err != nil {
		return ""
	}
	return spec.KindOf(name)
}

// cancelled says whether nobody wants a control at anything any more.
func (b *batch) cancelled(name string) bool {
	return !slices.ContainsFunc(b.actor.active(), func(w *want) bool { return w.Control == name })
}

// done notes the wants all of whose presses went out, once a step of a plan did.
func (b *batch) done(p control.Plan, step int) {
	control := p.Steps[step].For
	for _, later := range p.Steps[step+1:] {
		if later.For == control || later.For == "" {
			return
		}
	}
	b.actor.setting.mu.Lock()
	defer b.actor.setting.mu.Unlock()
	for _, w := range b.wants {
		w.pressed = w.pressed || w.Control == control
	}
}

func (b *batch) allDone() {
	b.actor.setting.mu.Lock()
	defer b.actor.setting.mu.Unlock()
	for _, w := range b.wants {
		w.pressed = true
	}
}

// judge ends the wants: done where they are believed to be so.
func (b *batch) judge() {
	a := b.actor
	for _, w := range b.wants {
		end := Unsure
		if a.setting.Beliefs.Holds(a.id, []control.Want{w.Want}) {
			end = Done
		}
		a.end([]*want{w}, end, "")
	}
}

// watched gives the sensors of what was set their time, and says whether they show that it is not so.
func (b *batch) watched(ctx context.Context) bool {
	s, wants := b.actor.setting, b.wanted()
	settle := s.Beliefs.Settles(b.actor.id, wants)
	if settle == 0 || s.Beliefs.Holds(b.actor.id, wants) {
		return false
	}
	b.last = s.Now()
	if _, over := b.wait(ctx, control.Step{Wait: settle + time.Second}, true); over {
		return false
	}
	return !b.replaced("") && !s.Beliefs.Holds(b.actor.id, wants)
}

// press presses one step. A step of many presses may be cut between them where that is safe.
func (b *batch) press(ctx context.Context, step control.Step, cut bool) (outcome, bool) {
	s := b.actor.setting
	k, err := keyOf(b.device, step)
	if err != nil {
		return outcome{end: Failed, reason: err.Error()}, true
	}
	t := b.ticketOf(step)
	for left := step.Times; left > 0; {
		if left < step.Times {
			if o, over := b.wait(ctx, control.Step{Wait: step.Gap, For: step.For}, cut); over {
				return o, true
			}
		}
		o := transmit.Order{Device: b.device, Key: *k, Frame: step.Frame, Times: min(left, mostTimes), Hold: step.Hold,
			By: t.wish.By, Cause: t.ID, Background: t.wish.Class == Standing && b.first, Next: !b.first}
		if step.NotLater > 0 {
			if o.Within = b.last.Add(step.NotLater).Sub(s.Now()); o.Within <= 0 {
				return outcome{end: Failed, reason: fmt.Sprintf("%s came too late, and the rest was given up",
					step.Key)}, true
			}
		}
		order, err := s.Transmit.Start(o)
		if err != nil {
			return outcome{end: Failed, reason: err.Error()}, true
		}
		r, err := b.receipt(ctx, order, step, cut)
		if err != nil {
			if b.replaced(step.For) {
				return outcome{again: true}, true
			}
			return outcome{end: Failed, reason: err.Error()}, true
		}
		b.pressed(t, step, r)
		if r.Outcome != happening.Sent {
			return outcome{end: Failed, reason: fmt.Sprintf("%s is %s: %s", step.Key, r.Outcome, r.Reason)}, true
		}
		went := r.Times
		if r.Pressed > 0 {
			went = r.Pressed
		}
		left -= went
		if went < o.Times { // it was cut
			return outcome{again: true}, true
		}
	}
	return outcome{}, false
}

// receipt waits for what becomes of an order. Where the want that it is for is over, and it may be cut, it is.
func (b *batch) receipt(ctx context.Context, order *transmit.Ticket, step control.Step, cut bool) (happening.Receipt,
	error) {
	over := make(chan struct{})
	defer close(over)
	end := order.Enough
	if step.Hold > 0 {
		end = order.Cancel
	}
	if cut && (step.Times > 1 || step.Hold > 0) {
		b.actor.setting.group.Go(func() {
			for {
				select {
				case <-over:
					return
				case <-ctx.Done():
					end()
					return
				case <-b.actor.news:
				}
				if b.replaced("") {
					end()
					return
				}
			}
		})
	}
	return order.Wait(context.Background())
}

// pressed keeps a receipt, and counts the steps that are left of a want of so many.
func (b *batch) pressed(t *Ticket, step control.Step, r happening.Receipt) {
	s := b.actor.setting
	spec, err := s.Beliefs.Spec(b.actor.id)
	s.mu.Lock()
	defer s.mu.Unlock()
	b.first = false
	t.result.Presses = append(t.result.Presses, r)
	b.last = r.At
	n := r.Times
	if r.Pressed > 0 {
		n = r.Pressed
	}
	if n > 1 { // when the last of them began
		b.last = r.At.Add(r.Took - r.Took/time.Duration(n))
	}
	b.last = b.last.Add(step.Hold)
	if err != nil {
		return
	}
	for _, w := range b.wants {
		for w.end == Superseded && w.into != nil {
			w = w.into
		}
		steps, relative := spec.Steps(w.Want)
		if !relative || w.Control != step.For {
			continue
		}
		left := max(abs(steps)-n, 0)
		if left == 0 {
			w.pressed = true
			continue
		}
		if steps < 0 {
			left = -left
		}
		w.Want = control.Relative(w.Control, left)
	}
}

func abs(n int) int {
	if n < 0 {
		return -n
	}
	return n
}

// ticketOf is the ticket that a step is for: that of its control, or the oldest.
func (b *batch) ticketOf(step control.Step) *Ticket {
	for _, w := range b.wants {
		if w.Control == step.For {
			return w.ticket
		}
	}
	return b.tickets[0]
}

// frameKey is what a frame is called that carries several controls.
const frameKey = "whole-state"

// keyOf is the key of a step, or one that is made for its frame.
func keyOf(d device.Device, s control.Step) (*device.Key, error) {
	if s.Frame == nil {
		k, err := d.Key(s.Key)
		if err == nil && !k.Learned() {
			return nil, fmt.Errorf("%w: %s/%s is not learned", control.ErrPlan, d.Slug, s.Key)
		}
		return k, err
	}
	spec, err := d.Compile()
	if err != nil {
		return nil, err
	}
	if spec.Whole() == nil { // it was changed meanwhile
		return nil, fmt.Errorf("%w: frames of %s do not carry everything any more: set it again", control.ErrPlan,
			d.Slug)
	}
	return &device.Key{Name: frameKey, Codes: []device.Code{device.FrameCode(spec, s.Frame)}}, nil
}
