package holds

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"urbo/core/control"
	"urbo/core/run"
	"urbo/service/setting"
	"urbo/service/wake"
	"urbo/store"
)

// Order is controls of a device that are set for a time.
type Order struct {
	setting.Wish
	For  time.Duration
	Then string // what the one control goes to afterwards; "" is what it was at before
	Run  string // id of the run that it is for, or ""
	// Fixed says that it ends when it was to end: it cannot be stretched.
	Fixed bool
}

// Start sets controls for a time: they are on disk as held before anything is pressed. Errors wrap ErrHold, ErrMany or
// ErrBefore, or are those of setting.Start.
func (h *Holds) Start(ctx context.Context, o Order) (*setting.Ticket, error) {
	if o.For <= 0 || o.For > run.MaxHold {
		return nil, fmt.Errorf("%w for %s: at most %s", ErrHold, run.Dur(o.For), run.Dur(run.MaxHold))
	}
	spec, err := h.Beliefs.Spec(o.Device)
	if err != nil {
		return nil, err
	}
	o.Wants = spec.AllMeant(o.Wants)
	if len(o.Wants) == 1 && o.Then != "" {
		o.Then = spec.Meant(control.Want{Control: o.Wants[0].Control, Value: o.Then}).Value
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.running == nil || h.running.Err() != nil {
		return nil, setting.ErrEnding
	}
	if len(h.all)+len(o.Wants) > most {
		return nil, fmt.Errorf("%w: %d: end some: urbo hold end", ErrMany, len(h.all))
	}
	before, err := h.before(spec, o)
	if err != nil {
		return nil, err
	}
	o.ID = store.NewID()
	o.Mine = o.ID
	begun := make([]*Hold, len(o.Wants))
	now := h.Now()
	for i, w := range o.Wants {
		begun[i] = &Hold{ID: store.NewID(), DeviceID: o.Device, Control: w.Control, Value: w.Value, Before: before[i],
			Then: o.Then, Since: now, Until: now.Add(o.For), By: o.By, Cause: o.Cause, Run: o.Run, Set: o.ID,
			Last:      o.ID,
			HoldState: run.HoldState{Phase: run.HoldSetting}, after: h.Stream.Last()}
		if !o.Fixed {
			begun[i].For = o.For
		}
	}
	if err := h.Store.PutHolds(ctx, h.documents(begun), nil); err != nil {
		return nil, fmt.Errorf("keep what is held: %w", err)
	}
	t, err := h.Setting.Start(o.Wish)
	if err != nil {
		ids := make([]string, len(begun))
		for i, one := range begun {
			ids[i] = one.ID
		}
		h.keep(nil, ids)
		return nil, err
	}
	h.all = append(h.all, begun...)
	for _, one := range begun {
		one.older = t.Took(one.Control)
		h.tell(one, true, "")
	}
	h.wait(t, begun)
	wake.Up(h.look)
	return t, nil
}

// before is what the controls of an order go back to. Where the device goes back to off, nothing else matters. The
// caller holds mu.
func (h *Holds) before(spec *control.Spec, o Order) ([]string, error) {
	states, err := h.Beliefs.StatesOf(o.Device)
	if err != nil {
		return nil, err
	}
	wanted := h.Setting.Wanted(o.Device)
	out := make([]string, len(o.Wants))
	unsure, off := "", false
	for i, w := range o.Wants {
		if err := spec.Has(w.Control); err != nil {
			return nil, err
		}
		if o.Then != "" {
			if len(o.Wants) > 1 {
				return nil, fmt.Errorf("%w: then goes with one control", ErrHold)
			}
			if err := spec.Check(w.Control, o.Then); err != nil {
				return nil, err
			}
			continue
		}
		if h.top(o.Device, w.Control) != nil { // it goes back to that
			continue
		}
		at := slices.IndexFunc(states, func(s control.State) bool { return s.Control == w.Control })
		out[i] = cmp.Or(wanted[w.Control], states[at].Value) // what is on its way is what it would be at
		if out[i] == "" && unsure == "" {
			unsure = w.Control
		}
		off = off || out[i] != "" && spec.IsOff(control.Want{Control: w.Control, Value: out[i]})
	}
	if unsure != "" && !off {
		slug := h.Library.Slug(o.Device)
		return nil, fmt.Errorf("%w: %s %s may be at several: say what it is at: urbo tell %s %s VALUE", ErrBefore, slug,
			unsure, slug, unsure)
	}
	return out, h.returns(spec, o, states, out)
}

// returns says whether there is a way back where nobody hears handsets: then only keys that set a value are pressed.
func (h *Holds) returns(spec *control.Spec, o Order, states []control.State, before []string) error {
	var wants []control.Want
	for i, w := range o.Wants {
		back := cmp.Or(o.Then, before[i])
		if back != "" && slices.ContainsFunc(states, func(s control.State) bool {
			return s.Control == w.Control && s.Deaf
		}) {
			wants = append(wants, control.Want{Control: w.Control, Value: back})
		}
	}
	if i := slices.IndexFunc(wants, spec.IsOff); i >= 0 { // then nothing else is pressed
		wants = wants[i : i+1]
	}
	if len(wants) == 0 {
		return nil
	}
	p, err := h.Beliefs.Plan(o.Device, control.Request{Wants: wants, Blind: true})
	if err != nil || p.Sure {
		return err
	}
	return fmt.Errorf("%w: no receiver hears the handset of %s, and no key surely sets its %s back to %s: give it "+
		"a key that sets that, or set it for good", ErrHold, h.Library.Slug(o.Device), wants[0].Control, wants[0].Value)
}
