package belief

import (
	"context"
	"fmt"
	"slices"
	"time"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service/rooms"
	"urbo/service/transmit"
	"urbo/store"
)

// Errors that callers ask for.
var (
	ErrNoControls = fault.New(fault.Conflict, "no controls")
	ErrBusy       = fault.New(fault.Conflict, "is being set")
)

// Ask is something that is wanted of a device.
type Ask struct {
	Device     string // slug
	Wants      []control.Want
	Asked      bool // a person waits: keys that set a value are pressed even where it is believed so already
	Dry        bool // only the plan
	Background bool // nobody waits for it: it lets the presses of people go first
	By         grant.By
	Cause      string
}

// Result is what came of it.
type Result struct {
	Plan    control.Plan
	Presses []happening.Receipt
	Done    bool   // everything wanted is believed to be so
	Reason  string // why it was given up, where it was
}

// patience is how long a wish waits while something else is being set on the device.
const patience = 2 * time.Minute

// mostTimes is how many presses go out as one order.
const mostTimes = 20

// States are what is believed of a device now, with its controls' histories. The error wraps ErrNoControls or
// library.ErrUnknownDevice.
func (b *Beliefs) States(slug string) ([]control.State, map[string][]Change, error) {
	m, err := b.mind(slug)
	if err != nil {
		return nil, nil, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	history := make(map[string][]Change, len(m.history))
	for name, h := range m.history {
		history[name] = append([]Change{}, h...)
	}
	return m.spec.States(m.now, b.Now()), history, nil
}

// mind finds what is believed of a device, once all that has happened so far is in it.
func (b *Beliefs) mind(slug string) (*mind, error) {
	d, err := b.Library.Device(slug)
	if err != nil {
		return nil, err
	}
	if len(d.Controls) == 0 {
		return nil, fmt.Errorf("%w: nothing can be set on %s yet: urbo device control propose %s", ErrNoControls,
			d.Slug,
			d.Slug)
	}
	b.catchUp()
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.minds[d.ID] == nil {
		b.refresh(d.ID)
	}
	if m := b.minds[d.ID]; m != nil {
		return m, nil
	}
	return nil, fmt.Errorf("%w: those of %s cannot be used", ErrNoControls, d.Slug)
}

// Failed takes what a person says: the mains failed in a room, or in all of them, and are back. It tells how many
// devices with controls that concerns.
func (b *Beliefs) Failed(room rooms.Room, by grant.By) int {
	b.catchUp()
	now := b.Now()
	told := b.Stream.Publish(happening.Happening{At: now, By: by, What: happening.MainsFailed{RoomID: room.ID, Room: room.Name}})
	b.mu.Lock()
	defer b.mu.Unlock()
	n := 0
	for id, m := range b.minds {
		d, err := b.Library.ByID(id)
		if err != nil || len(d.Controls) == 0 || room.ID != "" && d.RoomID != room.ID {
			continue
		}
		n++
		m.add(entry{Mains: &now, ID: told.ID})
		b.changed(m, told.ID)
	}
	b.wakeWatch()
	return n
}

// Tell takes what a person says that a control is at. Errors wrap control.ErrForm, ErrNoControls or
// library.ErrUnknownDevice.
func (b *Beliefs) Tell(slug, name, value string, by grant.By) ([]control.State, error) {
	m, err := b.mind(slug)
	if err != nil {
		return nil, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if err := m.spec.Check(name, value); err != nil {
		return nil, err
	}
	h := b.Stream.Publish(happening.Happening{By: by,
		What: happening.ToldBelief{DeviceID: m.id, Device: m.slug, Control: name, Value: value}})
	b.learn(m, told{name, value, control.Told, b.Now()}, h.ID)
	b.wakeWatch()
	return m.spec.States(m.now, b.Now()), nil
}

// Set sets controls of a device: it plans the presses and makes them, one wish after another. Where no presses surely
// lead there, nothing is pressed, and the plan says what would help. A plan that has begun goes on where ctx ends: a
// shutter on its way still has to be stopped. Errors say that nothing could be tried, or are those of ctx.
func (b *Beliefs) Set(ctx context.Context, a Ask) (Result, error) {
	m, err := b.mind(a.Device)
	if err != nil {
		return Result{}, err
	}
	if a.Dry {
		p, err := b.plan(m, a)
		return Result{Plan: p, Done: err == nil && p.Sure && len(p.Steps) == 0}, err
	}
	if err := m.take(ctx); err != nil {
		return Result{}, fmt.Errorf("%s %w", a.Device, err)
	}
	type outcome struct {
		Result
		error
	}
	done := make(chan outcome, 1)
	if !b.own(func(ctx context.Context) {
		defer func() { <-m.setting }()
		r, err := b.carryOut(ctx, m, a)
		done <- outcome{r, err}
	}) {
		<-m.setting
		return Result{}, fmt.Errorf("set %s: %w", a.Device, transmit.ErrEnding)
	}
	select {
	case o := <-done:
		return o.Result, o.error
	case <-ctx.Done():
		return Result{}, fmt.Errorf("set %s: it goes on, and nobody waits for it: %w", a.Device, ctx.Err())
	}
}

// own runs something that belongs to the house, and not to whoever asked for it; false where the house ends.
func (b *Beliefs) own(f func(ctx context.Context)) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.running == nil || b.ended || !b.ending.IsZero() {
		return false
	}
	ctx := b.running
	b.group.Go(func() { f(ctx) })
	return true
}

// carryOut plans what is wanted and presses it, twice at most. The caller holds the device's turn.
func (b *Beliefs) carryOut(ctx context.Context, m *mind, a Ask) (Result, error) {
	b.catchUp() // what the one before did
	id := store.NewID()
	cause := a.Cause
	a.Cause = id
	r, err := b.try(ctx, m, a)
	if err != nil || !r.Plan.Sure {
		return r, err
	}
	if r.Reason == "" && !r.Done && b.watched(ctx, m, a) { // a sensor says otherwise: once more, with what it says
		again, err := b.try(ctx, m, a)
		if err == nil {
			again.Presses = append(r.Presses, again.Presses...)
			r = again
		}
	}
	what := happening.WasSet{DeviceID: m.id, Device: m.slug, Presses: len(r.Presses), Outcome: happening.Sent, Reason: r.Reason}
	for _, w := range a.Wants {
		what.Wants = append(what.Wants, w.Control+" "+w.Value)
	}
	if r.Reason != "" {
		what.Outcome = happening.Failed
	}
	b.Stream.Publish(happening.Happening{ID: id, By: a.By, Cause: cause, What: what})
	return r, nil
}

// take waits until nothing else is being set on the device. The error wraps ErrBusy.
func (m *mind) take(ctx context.Context) error {
	select {
	case m.setting <- struct{}{}:
		return nil
	default:
	}
	timeout := time.NewTimer(patience)
	defer timeout.Stop()
	select {
	case m.setting <- struct{}{}:
		return nil
	case <-timeout.C:
	case <-ctx.Done():
	}
	return fmt.Errorf("%w by somebody else: try again in a moment", ErrBusy)
}

// plan makes the plan of a wish.
func (b *Beliefs) plan(m *mind, a Ask) (control.Plan, error) {
	d, err := b.Library.ByID(m.id)
	if err != nil {
		return control.Plan{}, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	p, err := m.spec.Plan(m.now, control.Ask{Wants: a.Wants, Asked: a.Asked,
		Gap: time.Duration(d.GapMS) * time.Millisecond, Holds: b.holds(d)}, b.Now())
	if err != nil {
		return p, fmt.Errorf("set %s: %w", a.Device, err)
	}
	return p, nil
}

// holds lists the keys of a device that can be held down, where any of its dials says what that does.
func (b *Beliefs) holds(d device.Device) (out []string) {
	if !slices.ContainsFunc(d.Controls, func(c control.Control) bool { return c.Rate > 0 }) {
		return nil
	}
	for _, k := range d.Keys {
		if !k.Learned() || k.Hold == device.HoldOnce {
			continue
		}
		if burst, err := k.Codes[len(k.Codes)-1].Burst(b.Book); err == nil && len(burst.Repeat) > 0 {
			out = append(out, k.Name)
		}
	}
	return out
}

// try plans, and presses what was planned.
func (b *Beliefs) try(ctx context.Context, m *mind, a Ask) (Result, error) {
	p, err := b.plan(m, a)
	if err != nil || !p.Sure {
		return Result{Plan: p}, err
	}
	r := Result{Plan: p}
	d, err := b.Library.ByID(m.id)
	if err != nil {
		return r, err
	}
	for _, s := range p.Steps {
		if s.Frame != nil {
			continue
		}
		if _, _, err := b.Library.Key(device.Ref{Device: d.Slug, Key: s.Key}); err != nil {
			return r, fmt.Errorf("set %s: %w", a.Device, err)
		}
	}
	last := b.Now()
	for i, s := range p.Steps {
		if r.Reason = b.step(ctx, &r, d, s, a, &last, i == 0); r.Reason != "" {
			break
		}
	}
	if r.Reason == "" {
		r.Reason = pause(ctx, last.Add(p.Settle).Sub(b.Now()))
	}
	b.catchUp()
	b.mu.Lock()
	defer b.mu.Unlock()
	r.Done = r.Reason == "" && m.spec.Holds(m.now, a.Wants, b.Now())
	return r, nil
}

// step presses one step of a plan. last is when the press before began. It says why the rest is given up, "" where it
// is not.
func (b *Beliefs) step(ctx context.Context, r *Result, d device.Device, s control.Step, a Ask, last *time.Time,
	first bool) string {
	if why := pause(ctx, last.Add(s.Wait).Sub(b.Now())); why != "" {
		return why
	}
	k, err := b.keyOf(d, s)
	if err != nil {
		return err.Error()
	}
	for left := s.Times; left > 0; left -= mostTimes {
		if left < s.Times {
			if why := pause(ctx, last.Add(s.Gap).Sub(b.Now())); why != "" {
				return why
			}
		}
		o := transmit.Order{Device: d, Key: *k, Frame: s.Frame, Times: min(left, mostTimes), Hold: s.Hold,
			By: a.By, Cause: a.Cause, Background: a.Background && first, Next: !first}
		if s.NotLater > 0 {
			if o.Within = last.Add(s.NotLater).Sub(b.Now()); o.Within <= 0 {
				return fmt.Sprintf("%s came too late, and the rest was given up", s.Key)
			}
		}
		receipt, err := b.Transmit.Press(ctx, o)
		if err != nil {
			return err.Error()
		}
		r.Presses = append(r.Presses, receipt)
		*last = receipt.At
		if n := receipt.Times; n > 1 { // when the last of them began
			*last = receipt.At.Add(receipt.Took - receipt.Took/time.Duration(n))
		}
		*last = last.Add(s.Hold)
		if receipt.Outcome != happening.Sent {
			return fmt.Sprintf("%s is %s: %s", s.Key, receipt.Outcome, receipt.Reason)
		}
	}
	return ""
}

// frameKey is what a frame is called that carries several controls.
const frameKey = "whole-state"

// keyOf is the key of a step, or one that is made for its frame.
func (b *Beliefs) keyOf(d device.Device, s control.Step) (*device.Key, error) {
	if s.Frame == nil {
		return d.Key(s.Key)
	}
	spec, err := d.Compile()
	if err != nil {
		return nil, err
	}
	if spec.Whole() == nil { // it was changed meanwhile
		return nil, fmt.Errorf("%w: frames of %s do not carry everything any more: set it again", ErrNoControls, d.Slug)
	}
	return &device.Key{Name: frameKey, Codes: []device.Code{device.FrameCode(spec, s.Frame)}}, nil
}

// pause waits, and says why it was not waited for, "" where it was.
func pause(ctx context.Context, d time.Duration) string {
	if d <= 0 {
		return ""
	}
	timer := time.NewTimer(d)
	defer timer.Stop()
	select {
	case <-ctx.Done():
		return "given up while it waited"
	case <-timer.C:
		return ""
	}
}

// watched gives the sensors of what was set their time; false where there are none.
func (b *Beliefs) watched(ctx context.Context, m *mind, a Ask) bool {
	longest := time.Duration(0)
	b.mu.Lock()
	for _, s := range m.sensors {
		for _, w := range a.Wants {
			if w.Control == s.Control {
				longest = max(longest, s.Settle())
			}
		}
	}
	b.mu.Unlock()
	if longest == 0 || pause(ctx, longest+time.Second) != "" {
		return false
	}
	b.catchUp()
	b.mu.Lock()
	defer b.mu.Unlock()
	return !m.spec.Holds(m.now, a.Wants, b.Now())
}
