package holds

import (
	"cmp"
	"context"
	"errors"
	"log/slog"
	"slices"
	"time"

	"urbo/core/control"
	"urbo/core/happening"
	"urbo/core/run"
	"urbo/service/belief"
	"urbo/service/setting"
	"urbo/service/wake"
	"urbo/store"
)

// rest is how long it waits where nothing is due.
const rest = time.Hour

// due sets back what is due, and says how long it is until the next is.
func (h *Holds) due() time.Duration {
	h.mu.Lock()
	defer h.mu.Unlock()
	now := h.Now()
	var over []*Hold
	for _, one := range slices.Clone(h.all) {
		switch {
		case one.Frozen:
		case one.Phase == run.Owed && !now.Before(one.Retry) && h.top(one.DeviceID, one.Control) == one,
			(one.Phase == run.Held || one.Phase == run.HoldSetting && !one.Over) && !now.Before(one.Until):
			over = append(over, one)
		}
	}
	h.over(over)
	next := rest
	for _, one := range h.all {
		switch {
		case one.Frozen:
		case one.Phase == run.Owed && h.top(one.DeviceID, one.Control) != one: // it waits for what lies above it
		case one.Phase == run.Owed:
			next = min(next, one.Retry.Sub(now))
		case one.Phase == run.Held, one.Phase == run.HoldSetting && !one.Over:
			next = min(next, one.Until.Sub(now))
		}
	}
	return max(next, 10*time.Millisecond)
}

// over is the end of the time of some holds. Those of one device go back as one wish. The caller holds mu.
func (h *Holds) over(all []*Hold) {
	back := map[string][]*Hold{}
	var order []string
	for _, one := range all {
		what := run.TimeOver
		if one.Phase == run.Owed {
			what = run.RetryDue
		}
		if top := h.top(one.DeviceID, one.Control); top != one { // what lies above it is in force
			h.event(one, run.Other, "its time is over, and something else is held")
			continue
		}
		if h.event(one, what, "") != run.GoBack {
			continue
		}
		if back[one.DeviceID] == nil {
			order = append(order, one.DeviceID)
		}
		back[one.DeviceID] = append(back[one.DeviceID], one)
	}
	for _, id := range order {
		h.goBack(id, back[id])
	}
}

// goBack sets controls of a device to what they were at before, as one wish. The caller holds mu.
func (h *Holds) goBack(id string, all []*Hold) {
	spec, err := h.Beliefs.Spec(id)
	if err != nil {
		h.failed(all, err)
		return
	}
	off := slices.ContainsFunc(h.all, func(one *Hold) bool { // the device is held off
		return one.DeviceID == id && !slices.Contains(all, one) && h.top(id, one.Control) == one &&
			spec.IsOff(control.Want{Control: one.Control, Value: one.Value})
	})
	all = slices.DeleteFunc(all, func(one *Hold) bool {
		switch gone := spec.Has(one.Control); {
		case gone != nil:
			h.failed([]*Hold{one}, gone)
		case off && spec.KindOf(one.Control) != control.Power:
			h.event(one, run.Other, "its time is over, and the device is off for a time")
		default:
			return false
		}
		return true
	})
	if len(all) == 0 {
		return
	}
	w := setting.Wish{ID: store.NewID(), Device: id, Asked: true, By: all[0].By, Cause: all[0].Set}
	w.Mine, w.Blind = w.ID, h.deaf(id, all)
	var ordered []*Hold
	for _, one := range all {
		want := control.Want{Control: one.Control, Value: h.below(one)}
		if want.Value == "" {
			continue // the device goes back to off
		}
		if spec.IsOff(want) { // then nothing else matters
			w.Wants, w.Unless, ordered = []control.Want{want}, []string{one.Last}, []*Hold{one}
			break
		}
		w.Wants, w.Unless = append(w.Wants, want), append(w.Unless, one.Last)
		ordered = append(ordered, one)
	}
	if len(w.Wants) == 0 {
		for _, one := range all {
			h.event(one, run.Other, "it is not known what to set back: set it as it should be")
		}
		return
	}
	for _, one := range all {
		one.Back = w.ID
		if !slices.Contains(ordered, one) {
			ordered = append(ordered, one)
		}
	}
	h.keep(all, nil) // before anything is pressed
	t, err := h.Setting.Start(w)
	if err != nil { // the wish before is still the last one that was for it
		h.failed(all, err)
		return
	}
	changed := slices.Clone(all)
	for _, one := range all {
		one.Last = w.ID
		if under := h.under(one); under != nil {
			under.Last = w.ID
			changed = append(changed, under)
		}
	}
	h.keep(changed, nil)
	h.wait(t, ordered)
}

// failed notes that going back could not be begun. Where its control is not there any more, nothing is owed. The caller
// holds mu.
func (h *Holds) failed(all []*Hold, err error) {
	what := run.HoldFailed
	if errors.Is(err, control.ErrForm) || errors.Is(err, belief.ErrNoControls) {
		what = run.Other
	}
	for _, one := range all {
		h.event(one, what, err.Error())
	}
}

// deaf says whether a handset may have been pressed that nobody heard, since some controls are held.
func (h *Holds) deaf(id string, all []*Hold) bool {
	states, err := h.Beliefs.StatesOf(id)
	return err == nil && slices.ContainsFunc(states, func(s control.State) bool {
		return s.Deaf && slices.ContainsFunc(all, func(one *Hold) bool { return one.Control == s.Control })
	})
}

// remembered is how many tickets are known to be of holds.
const remembered = 500

// wait follows what becomes of a ticket for some holds, of which the first are its wants. The caller holds mu.
func (h *Holds) wait(t *setting.Ticket, all []*Hold) {
	h.tickets[t.ID] = &ticket{t, all}
	h.ours = append(h.ours[max(len(h.ours)-remembered+1, 0):], t.ID)
	ctx := h.running
	h.group.Go(func() {
		r, err := t.Wait(ctx)
		h.mu.Lock()
		defer h.mu.Unlock()
		delete(h.tickets, t.ID)
		if ctx.Err() != nil { // the house ends: it is on disk how far it was
			return
		}
		var over []*Hold
		for i, one := range all {
			end := setting.Failed
			switch {
			case i < len(r.Ends):
				end = r.Ends[i]
			case err == nil && len(r.Ends) > 0: // another part of it decides
				end = r.Ends[0]
			}
			if h.ended(one, end, r, err) == run.GoBack { // its time was over while it was being set
				over = append(over, one)
			}
		}
		if len(over) > 0 {
			h.goBack(t.DeviceID(), over)
		}
		wake.Up(h.look)
	})
}

// ended notes what became of setting a hold's control. The caller holds mu.
func (h *Holds) ended(one *Hold, end setting.End, r setting.Result, err error) run.HoldAct {
	reason := r.Reason
	if err != nil {
		reason = err.Error()
	}
	unknown := slices.ContainsFunc(r.Presses, func(p happening.Receipt) bool { return p.Outcome == happening.Unknown })
	switch {
	case end == setting.Done:
		if one.Phase == run.HoldSetting {
			h.settled(one)
		}
		return h.event(one, run.HoldDone, "")
	case end == setting.Superseded:
		return h.event(one, run.Other, "something else was wanted meanwhile")
	case unknown || end == setting.Unsure && len(r.Presses) > 0:
		return h.event(one, run.HoldUnknown, cmp.Or(reason, "it does not seem to be so"))
	}
	return h.event(one, run.HoldFailed, cmp.Or(reason, "nothing surely leads there"))
}

// settled keeps the value that steps led to.
func (h *Holds) settled(one *Hold) {
	states, err := h.Beliefs.StatesOf(one.DeviceID)
	if err != nil {
		return
	}
	for _, s := range states {
		if s.Control == one.Control && s.Value != "" {
			one.Value = s.Value
		}
	}
}

// event is something that happens to a hold; it is kept on disk. The caller holds mu.
func (h *Holds) event(one *Hold, what run.HoldHappened, reason string) run.HoldAct {
	was := one.HoldState
	var act run.HoldAct
	one.HoldState, act = one.Next(what, reason, h.Now())
	if act == run.CancelSet {
		for _, t := range h.tickets {
			if slices.Contains(t.holds, one) && !slices.ContainsFunc(t.holds, func(other *Hold) bool {
				return other.Phase != run.HoldEnded
			}) {
				t.Cancel()
			}
		}
	}
	if one.HoldState == was {
		return act
	}
	if one.Phase != run.HoldEnded {
		h.keep([]*Hold{one}, nil)
		if one.Phase != was.Phase && (one.Phase != run.Owed || one.Reason != was.Reason) { // a failure is told once
			h.tell(one, false, "")
		}
		return act
	}
	back := ""
	if was.Phase == run.GoingBack && what == run.HoldDone {
		back = h.below(one)
	}
	var changed []*Hold
	if next := h.above(one); next != nil && next.Before == "" && next.Then == "" { // it goes back to what this would
		next.Before = h.below(one)
		changed = append(changed, next)
	}
	h.all = slices.DeleteFunc(h.all, func(other *Hold) bool { return other == one })
	h.keep(changed, []string{one.ID})
	h.tell(one, false, back)
	wake.Up(h.look)
	return act
}

// keep writes holds, and removes those that are over. The caller holds mu.
func (h *Holds) keep(put []*Hold, over []string) {
	if err := h.Store.PutHolds(context.Background(), h.documents(put), over); err != nil {
		slog.Error("what is held is not on disk", "error", err)
	}
}

// tell tells that a hold is another.
func (h *Holds) tell(one *Hold, began bool, back string) {
	h.Stream.Publish(happening.Happening{By: one.By, Cause: cmp.Or(one.Cause, one.Set), What: happening.HoldChanged{
		HoldID: one.ID, DeviceID: one.DeviceID, Device: h.Library.Slug(one.DeviceID), Control: one.Control,
		Value: one.Value, Until: one.Until, Phase: one.Phase, Began: began, Back: back, Reason: one.Reason}})
}
