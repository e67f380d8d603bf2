package runs

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/run"
	"urbo/service/holds"
	"urbo/service/setting"
	"urbo/service/transmit"
)

// begin begins an op that presses, sets or tells. What comes of it is sent to the run.
func (a *actor) begin(ctx context.Context, at int) {
	op := a.run.Program[at]
	switch {
	case op.Press != nil:
		a.press(ctx, op.Press)
	case op.Set != nil && op.Set.Until != nil:
		a.setUntil(ctx, *op.Set)
	case op.Set != nil:
		a.set(ctx, op.Set)
	case op.Wait != nil && op.Wait.Point != nil:
		wait, is := a.runs.Errands.Until(*op.Wait.Point)
		if !is {
			a.trouble(fmt.Errorf("%s does not come: say where the house is (urbo house)",
				run.PointText(*op.Wait.Point)))
			return
		}
		a.send(run.Event{What: run.Later, Limit: max(wait, time.Millisecond)})
	case op.Start != nil:
		a.over(ctx, a.runs.Occasion(ctx, op.Start.On.ID, true, op.Start.Over, a.run.By))
	case op.End != nil:
		a.over(ctx, a.runs.Occasion(ctx, op.End.ID, false, false, a.run.By))
	case op.Send != nil:
		a.request(ctx, *op.Send)
	case op.Mark != "" || op.Unmark != "":
		a.over(ctx, a.runs.Errands.Mark(ctx, cmp.Or(op.Mark, op.Unmark), op.Mark != ""))
	default:
		a.runs.Stream.Publish(happening.Happening{By: a.run.By, Cause: a.run.ID,
			What: happening.Notice{RunID: a.run.ID, Run: a.run.Name, Text: op.Notify}})
		a.send(run.Event{What: run.Due})
	}
}

// setUntil sets controls until a moment of a day.
func (a *actor) setUntil(ctx context.Context, s run.Set) {
	wait, is := a.runs.Errands.Until(*s.Until)
	if !is {
		a.trouble(fmt.Errorf("%s does not come: say where the house is (urbo house)", run.PointText(*s.Until)))
		return
	}
	s.Hold = min(max(wait, time.Second), run.MaxHold)
	a.set(ctx, &s) // with its end: another cue does not move that
}

// request sends a request out of the house, and waits for its answer.
func (a *actor) request(ctx context.Context, s run.Send) {
	giveUp, cancel := context.WithCancel(ctx)
	a.cancels(cancel)
	a.runs.group.Go(func() {
		defer cancel()
		a.over(ctx, a.runs.Request(giveUp, s.Name, s.Text))
	})
}

// trouble says that a step failed.
func (a *actor) trouble(err error) { a.send(run.Event{What: run.Trouble, Reason: err.Error()}) }

// press presses a key.
func (a *actor) press(ctx context.Context, p *run.Press) {
	on, key, err := a.runs.Targets.ResolveKey(p.On, p.Key)
	if err != nil {
		a.trouble(err)
		return
	}
	slug := a.runs.Targets.Name(on)
	if slug == "" {
		a.trouble(fmt.Errorf("%s was removed", p.On.Was))
		return
	}
	d, k, err := a.runs.Library.Key(device.Ref{Device: slug, Key: key})
	if err != nil {
		a.trouble(err)
		return
	}
	giveUp, cancel := context.WithCancel(ctx)
	a.cancels(cancel)
	a.runs.group.Go(func() {
		defer cancel()
		if err := a.runs.Setting.Clear(giveUp, d.ID); err != nil {
			a.over(ctx, err)
			return
		}
		t, err := a.runs.Transmit.Start(transmit.Order{Device: d, Key: k, Times: max(p.Times, 1), Hold: p.Held,
			By:    a.run.By,
			Cause: a.run.ID})
		if err != nil {
			a.over(ctx, err)
			return
		}
		a.cancels(t.Cancel)
		if giveUp.Err() != nil { // it was stopped meanwhile
			t.Cancel()
		}
		r, err := t.Wait(ctx)
		switch {
		case err != nil:
			a.over(ctx, err)
		case r.Outcome != happening.Sent:
			a.over(ctx, fmt.Errorf("%s is %s: %s", r.Subject(), r.Outcome, r.Reason))
		default:
			a.over(ctx, nil)
		}
	})
}

// over ends a step, unless the house ends: then it is on disk how far it was.
func (a *actor) over(ctx context.Context, err error) {
	a.cancels(nil)
	switch {
	case ctx.Err() != nil || errors.Is(err, setting.ErrEnding):
	case err != nil:
		a.trouble(err)
	default:
		a.send(run.Event{What: run.Due})
	}
}

// set sets controls, those of several devices side by side.
func (a *actor) set(ctx context.Context, s *run.Set) {
	order, wants, refused, err := a.wants(s)
	if err != nil {
		a.trouble(err)
		return
	}
	path, of := a.doubt(s)
	if a.run.Guess {
		path, of = "", nil
	}
	if path != "" && !s.Eased {
		a.send(run.Event{What: run.Doubt, Reason: path, Limit: a.asks()})
		return
	}
	var tickets []*setting.Ticket
	cancel := func() {
		for _, t := range tickets {
			t.Cancel()
		}
	}
	for _, id := range order {
		if s.Eased && slices.Contains(of, id) { // the others do not wait for what is known of it
			continue
		}
		t, err := a.start(ctx, s, setting.Wish{Device: id, Wants: wants[id], Asked: !s.Eased, Spare: s.Eased,
			By: a.run.By, Cause: a.run.ID})
		switch {
		case err == nil:
			tickets = append(tickets, t)
		case s.Eased:
			refused = append(refused, err.Error())
		default:
			cancel()
			a.trouble(err)
			return
		}
	}
	a.cancels(cancel)
	a.runs.group.Go(func() {
		failed, superseded := a.await(ctx, tickets)
		failed = append(refused, failed...)
		switch {
		case path != "" && ctx.Err() == nil && a.setNow(of, wants):
			a.cancels(nil)
			a.send(run.Event{What: run.Doubt, Reason: path, Limit: a.asks()})
		case len(failed) > 0:
			slices.Sort(failed)
			if !s.Eased {
				failed = failed[:1]
			}
			a.over(ctx, errors.New(strings.Join(failed, "; ")))
		case len(superseded) > 0 && ctx.Err() == nil:
			a.cancels(nil)
			a.send(run.Event{What: run.Superseded})
		default:
			a.over(ctx, nil)
		}
	})
}

// setNow says whether any of some devices is still not at what is wanted of it.
func (a *actor) setNow(of []string, wants map[string][]control.Want) bool {
	return slices.ContainsFunc(of, func(id string) bool {
		r, err := a.runs.Setting.Plan(setting.Wish{Device: id, Wants: wants[id], Spare: true})
		return err == nil && !r.Done
	})
}

// await waits for what comes of some wishes: what failed, and which devices somebody else wished something of.
func (a *actor) await(ctx context.Context, tickets []*setting.Ticket) (failed, superseded []string) {
	var mu sync.Mutex
	var all sync.WaitGroup
	for _, t := range tickets {
		all.Go(func() {
			r, err := t.Wait(ctx)
			mu.Lock()
			defer mu.Unlock()
			slug := a.runs.Library.Slug(t.DeviceID())
			switch {
			case err != nil:
				failed = append(failed, err.Error())
			case r.Done:
			case onlySuperseded(r.Ends):
				superseded = append(superseded, slug)
			case r.Reason != "":
				failed = append(failed, slug+": "+r.Reason)
			default:
				failed = append(failed, slug+" was set, and what it is at now is doubtful")
			}
		})
	}
	all.Wait()
	return failed, superseded
}

// onlySuperseded says whether nothing went wrong, but that somebody wished something else.
func onlySuperseded(ends []setting.End) bool {
	return !slices.ContainsFunc(ends, func(e setting.End) bool { return e != setting.Done && e != setting.Superseded })
}

// start begins to set the controls of one device, for a time where the step says so.
func (a *actor) start(ctx context.Context, s *run.Set, w setting.Wish) (*setting.Ticket, error) {
	if s.Hold > 0 {
		return a.runs.Holds.Start(ctx, holds.Order{Wish: w, For: s.Hold, Then: s.Then, Run: a.run.ID,
			Fixed: s.Until != nil})
	}
	return a.runs.Setting.Start(w)
}

// doubt is what is not known of what a step sets, and of which devices: it does not surely lead there, or it is not
// known what to set back. "" is nothing that saying what something is at would mend. path is of the first of them.
func (a *actor) doubt(s *run.Set) (path string, of []string) {
	order, wants, _, err := a.wants(s)
	if err != nil {
		return "", nil
	}
	for _, id := range order {
		if control := a.doubtOf(s, id, wants[id]); control != "" {
			of = append(of, id)
			path = cmp.Or(path, a.runs.Library.Slug(id)+"/"+control)
		}
	}
	return path, of
}

// doubtOf is the control of one device that is not known well enough.
func (a *actor) doubtOf(s *run.Set, id string, wants []control.Want) string {
	states, err := a.runs.Beliefs.StatesOf(id)
	if err != nil {
		return ""
	}
	r, err := a.runs.Setting.Plan(setting.Wish{Device: id, Wants: wants, Asked: !s.Eased, Spare: s.Eased})
	sure := err != nil || r.Plan.Sure // what cannot be at all, nobody's word mends
	for _, h := range r.Plan.Helps {
		if !sure && h.Kind == control.HelpTell {
			return h.Control
		}
	}
	if s.Hold == 0 || s.Then != "" {
		return ""
	}
	return notKnown(states, wants)
}

// notKnown is a control that may be at several values, so that it is not known what to set back. Where the device is
// off, nothing else matters.
func notKnown(states []control.State, wants []control.Want) (unknown string) {
	for _, s := range states {
		if !slices.ContainsFunc(wants, func(w control.Want) bool { return w.Control == s.Control }) {
			continue
		}
		if s.Kind == control.Power && s.Value == "off" {
			return ""
		}
		if s.Value == "" && unknown == "" {
			unknown = s.Control
		}
	}
	return unknown
}
