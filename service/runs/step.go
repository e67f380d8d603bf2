package runs

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"

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
	case op.Set != nil:
		a.set(ctx, op.Set)
	default:
		a.runs.Stream.Publish(happening.Happening{By: a.run.By, Cause: a.run.ID,
			What: happening.Notice{RunID: a.run.ID, Run: a.run.Name, Text: op.Notify}})
		a.send(run.Event{What: run.Due})
	}
}

// trouble says that a step failed.
func (a *actor) trouble(err error) { a.send(run.Event{What: run.Trouble, Reason: err.Error()}) }

// press presses a key.
func (a *actor) press(ctx context.Context, p *run.Press) {
	slug := a.runs.Targets.Name(p.On)
	if slug == "" {
		a.trouble(fmt.Errorf("%s was removed", p.On.Was))
		return
	}
	d, k, err := a.runs.Library.Key(device.Ref{Device: slug, Key: p.Key})
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
	order, wants, err := a.wants(s)
	if err != nil {
		a.trouble(err)
		return
	}
	if path := a.doubt(s); path != "" {
		a.send(run.Event{What: run.Doubt, Reason: path, Limit: asks})
		return
	}
	var tickets []*setting.Ticket
	cancel := func() {
		for _, t := range tickets {
			t.Cancel()
		}
	}
	for _, id := range order {
		t, err := a.start(ctx, s, setting.Wish{Device: id, Wants: wants[id], Asked: true, By: a.run.By,
			Cause: a.run.ID})
		if err != nil {
			cancel()
			a.trouble(err)
			return
		}
		tickets = append(tickets, t)
	}
	a.cancels(cancel)
	a.runs.group.Go(func() {
		var failed, superseded []string
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
		switch {
		case len(failed) > 0:
			slices.Sort(failed)
			a.over(ctx, errors.New(failed[0]))
		case len(superseded) > 0 && ctx.Err() == nil:
			a.cancels(nil)
			a.send(run.Event{What: run.Superseded})
		default:
			a.over(ctx, nil)
		}
	})
}

// onlySuperseded says whether nothing went wrong, but that somebody wished something else.
func onlySuperseded(ends []setting.End) bool {
	return !slices.ContainsFunc(ends, func(e setting.End) bool { return e != setting.Done && e != setting.Superseded })
}

// start begins to set the controls of one device, for a time where the step says so.
func (a *actor) start(ctx context.Context, s *run.Set, w setting.Wish) (*setting.Ticket, error) {
	if s.Hold > 0 {
		return a.runs.Holds.Start(ctx, holds.Order{Wish: w, For: s.Hold, Then: s.Then, Run: a.run.ID})
	}
	return a.runs.Setting.Start(w)
}

// doubt is what is not known of what a step sets: it does not surely lead there, or it is not known what to set back.
// "" is nothing that saying what something is at would mend.
func (a *actor) doubt(s *run.Set) (path string) {
	order, wants, err := a.wants(s)
	if err != nil {
		return ""
	}
	for _, id := range order {
		states, err := a.runs.Beliefs.StatesOf(id)
		if err != nil {
			continue
		}
		r, err := a.runs.Setting.Plan(setting.Wish{Device: id, Wants: wants[id], Asked: true})
		sure := err != nil || r.Plan.Sure // what cannot be at all, nobody's word mends
		for _, h := range r.Plan.Helps {
			if !sure && h.Kind == control.HelpTell {
				return a.runs.Library.Slug(id) + "/" + h.Control
			}
		}
		if s.Hold == 0 || s.Then != "" {
			continue
		}
		if unknown := notKnown(states, wants[id]); unknown != "" {
			return a.runs.Library.Slug(id) + "/" + unknown
		}
	}
	return ""
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
