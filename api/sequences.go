package api

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"time"

	"urbo/core/grant"
	"urbo/core/run"
	"urbo/service/holds"
	"urbo/service/runs"
	"urbo/service/sequences"
	"urbo/wire"
)

// SequenceIn names a sequence in a path.
type SequenceIn struct {
	Sequence string `path:"sequence" maxLength:"40"`
}

// RunIn names a run in a path.
type RunIn struct {
	Run string `path:"run" maxLength:"40"`
}

// HoldIn names a hold in a path.
type HoldIn struct {
	Hold string `path:"hold" maxLength:"40"`
}

// sequences registers sequences. To see one, one has to see a device of it; to run or change it, to have the right on
// all.
func (a *API) sequences() {
	all := a.house.Sequences
	call(a, operation{"GET", "/sequences", "list-sequences", "Named steps that are run in order", grant.See, filtered,
		0},
		func(ctx context.Context, _ *nothing) ([]wire.Sequence, error) {
			out := []wire.Sequence{}
			for _, s := range all.List() {
				if a.mayAbout(ctx, grant.See, a.aboutSequence(s)) == nil {
					out = append(out, a.sequenceOf(ctx, s))
				}
			}
			return out, nil
		})
	call(a, operation{"GET", "/sequences/{sequence}", "get-sequence", "One sequence", grant.See, filtered, 0},
		func(ctx context.Context, in *SequenceIn) (wire.Sequence, error) {
			s, err := a.findSequence(ctx, grant.See, in.Sequence)
			return a.sequenceOf(ctx, s), err
		})
	call(a, operation{"POST", "/sequences", "add-sequence", "Add a sequence", grant.Arrange, filtered,
		http.StatusCreated}, func(ctx context.Context, in *struct{ Body wire.NewSequence }) (wire.Sequence, error) {
		b := in.Body
		s, err := all.Add(ctx, b.Slug, b.Name, sequences.Text{Steps: b.Steps, Sight: a.sight(ctx)}, asking(ctx))
		return a.sequenceOf(ctx, s), err
	})
	call(a, operation{"PATCH", "/sequences/{sequence}", "change-sequence", "Change what is given", grant.Arrange,
		filtered, 0}, func(ctx context.Context, in *struct {
		SequenceIn
		Body wire.SequenceChange
	}) (wire.Sequence, error) {
		if _, err := a.findSequence(ctx, grant.Arrange, in.Sequence); err != nil {
			return wire.Sequence{}, err
		}
		c := sequences.Change{Slug: in.Body.Slug, Name: in.Body.Name}
		if in.Body.Steps != nil {
			c.Steps = &sequences.Text{Steps: *in.Body.Steps, Sight: a.sight(ctx)}
		}
		s, err := all.Alter(ctx, in.Sequence, c, asking(ctx))
		return a.sequenceOf(ctx, s), err
	})
	remove(a, operation{method: "DELETE", path: "/sequences/{sequence}", id: "remove-sequence",
		summary: "Remove a sequence that no other one runs", right: grant.Arrange, where: filtered},
		func(ctx context.Context, in *SequenceIn) error {
			if _, err := a.findSequence(ctx, grant.Arrange, in.Sequence); err != nil {
				return err
			}
			return all.Remove(ctx, in.Sequence, asking(ctx))
		})
	call(a, operation{"POST", "/sequences/{sequence}/run", "run-sequence", "Run a sequence; the answer does not wait " +
		"for its end", grant.Use, filtered, http.StatusCreated}, func(ctx context.Context, in *struct {
		SequenceIn
		Body *wire.RunRequest `required:"false"`
	}) (wire.Run, error) {
		if _, err := a.findSequence(ctx, grant.Use, in.Sequence); err != nil {
			return wire.Run{}, err
		}
		return as(a.runOf(ctx))(a.house.RunSequence(in.Sequence, in.Body != nil && in.Body.Follow, asking(ctx), ""))
	})
	a.runs()
	a.holds()
}

// runs registers what is under way.
func (a *API) runs() {
	all := a.house.Runs
	call(a, operation{"GET", "/runs", "list-runs", "What is under way, and what was lately", grant.See, filtered, 0},
		func(ctx context.Context, _ *nothing) ([]wire.Run, error) {
			out := []wire.Run{}
			for _, r := range all.List() {
				if a.mayAbout(ctx, grant.See, r.Program.Targets()) == nil {
					out = append(out, a.runOf(ctx)(r))
				}
			}
			return out, nil
		})
	call(a, operation{"GET", "/runs/{run}", "get-run",
		"One run; with wait_ms, as soon as its log is " +
			"longer than was seen, or it is in another phase", grant.See, filtered, 0}, func(ctx context.Context,
		in *struct {
			RunIn
			WaitMS int       `query:"wait_ms" minimum:"0" maximum:"60000"`
			Seen   int       `query:"seen"`
			Phase  run.Phase `query:"phase" enum:"queued,step,waiting,asking,ended"`
		}) (wire.Run, error) {
		one, err := a.findRun(ctx, grant.See, in.Run)
		if err == nil && in.WaitMS > 0 {
			waiting, cancel := context.WithTimeout(ctx, time.Duration(in.WaitMS)*time.Millisecond)
			defer cancel()
			one, err = all.Change(waiting, in.Run, in.Seen, in.Phase)
		}
		return a.runOf(ctx)(one), err
	})
	call(a, operation{"POST", "/runs/{run}/stop", "stop-run",
		"Stop a run at the next safe place, and wait until it has " +
			"ended", grant.Use, filtered, 0}, func(ctx context.Context, in *RunIn) (wire.Run, error) {
		if _, err := a.findRun(ctx, grant.Use, in.Run); err != nil {
			return wire.Run{}, err
		}
		return as(a.runOf(ctx))(all.Stop(ctx, in.Run, asking(ctx)))
	})
}

// holds registers controls that are set for a time.
func (a *API) holds() {
	all := a.house.Holds
	call(a, operation{"GET", "/holds", "list-holds", "Controls that are set for a time", grant.See, filtered, 0},
		func(ctx context.Context, _ *nothing) ([]wire.Hold, error) {
			out := []wire.Hold{}
			for _, h := range all.List() {
				if a.sees(ctx, h.DeviceID) {
					out = append(out, a.holdOf(h))
				}
			}
			return out, nil
		})
	call(a, operation{"POST", "/holds/{hold}/end", "end-hold", "Set a control back now, or leave it as it is",
		grant.Use,
		filtered, 0}, func(ctx context.Context, in *struct {
		HoldIn
		Body *wire.EndHold `required:"false"`
	}) (wire.Hold, error) {
		h, err := all.One(in.Hold)
		if err == nil {
			err = a.mayOnID(ctx, grant.Use, h.DeviceID)
		}
		if err != nil {
			return wire.Hold{}, err
		}
		return a.holdOf(h), all.End(in.Hold, in.Body != nil && in.Body.Stay, asking(ctx))
	})
}

// runOf translates a run for the caller. Its steps name what it is about: they are for those who see all of that.
func (a *API) runOf(ctx context.Context) func(runs.Run) wire.Run {
	return func(r runs.Run) wire.Run {
		step, says := r.Step()
		w := wire.Run{ID: r.ID, Name: r.Name, By: r.By.String(), Began: r.Began, Over: wire.Time(r.Over),
			Phase: r.State.Phase, Step: step, Steps: r.Program.Steps(), Until: wire.Time(r.State.Until),
			End: r.State.End,
			Log: []wire.RunStep{}, Logged: r.Logged}
		if !a.seesAll(ctx, r.Program.Targets()) {
			return w
		}
		w.Says, w.Asks, w.Reason = says, r.State.Asks, r.State.Reason
		for _, s := range r.Log {
			w.Log = append(w.Log, wire.RunStep{Step: s.Step, Says: s.Says, Outcome: s.Outcome, Reason: s.Reason})
		}
		return w
	}
}

// seesAll says whether the caller sees every device that steps are about.
func (a *API) seesAll(ctx context.Context, about []run.Target) bool {
	return !slices.ContainsFunc(a.house.Targets.AllDevices(about), func(id string) bool { return !a.sees(ctx, id) })
}

func (a *API) holdOf(h holds.Hold) wire.Hold {
	return wire.Hold{ID: h.ID, Device: a.house.Library.Slug(h.DeviceID), Control: h.Control, Value: h.Value,
		Back: cmp.Or(h.Then, h.Before), Since: h.Since, Until: h.Until, By: h.By.String(), Phase: h.Phase,
		Reason: h.Reason, Frozen: h.Frozen}
}

// aboutSequence is what a sequence is about, with what it runs.
func (a *API) aboutSequence(s sequences.Sequence) []run.Target { return a.house.AboutSequence(s) }

// findSequence finds a sequence that the caller has a right on. One of which they see nothing is as unknown as one that
// is not there.
func (a *API) findSequence(ctx context.Context, r grant.Right, slug string) (sequences.Sequence, error) {
	s, err := a.house.Sequences.Find(slug)
	if err != nil && Caller(ctx).Grant.Where.House {
		return s, err
	}
	if err != nil || a.mayAbout(ctx, grant.See, a.aboutSequence(s)) != nil {
		return sequences.Sequence{}, fmt.Errorf("%w %.60q", sequences.ErrUnknown, slug)
	}
	return s, a.mayAbout(ctx, r, a.aboutSequence(s))
}

// findRun is findSequence for a run.
func (a *API) findRun(ctx context.Context, r grant.Right, id string) (runs.Run, error) {
	one, err := a.house.Runs.One(id)
	if err != nil && Caller(ctx).Grant.Where.House {
		return one, err
	}
	if err != nil || a.mayAbout(ctx, grant.See, one.Program.Targets()) != nil {
		return runs.Run{}, fmt.Errorf("%w %.60q", runs.ErrUnknown, id)
	}
	return one, a.mayAbout(ctx, r, one.Program.Targets())
}

// mayAbout says whether the caller has a right on what steps are about: to see them, on one of the devices; for all
// else, on each. What is about no device is of the whole house.
func (a *API) mayAbout(ctx context.Context, r grant.Right, about []run.Target) error {
	return a.house.May(Caller(ctx).Grant, r, about)
}

// sight hides what the caller does not see from the reader of steps, and refuses what they may not arrange.
func (a *API) sight(ctx context.Context) sequences.Sight {
	return a.house.Sight(Caller(ctx).Grant, grant.Arrange)
}

// sequenceOf translates a sequence. Its steps name what it is about: they are for those who see all of that.
func (a *API) sequenceOf(ctx context.Context, s sequences.Sequence) wire.Sequence {
	w := wire.Sequence{Slug: s.Slug, Name: s.Name, Gone: []string{}}
	p, err := a.house.Sequences.Program(s)
	if err != nil {
		w.Error = err.Error()
	}
	w.Count = p.Steps()
	if !a.seesAll(ctx, a.aboutSequence(s)) {
		w.Error = ""
		return w
	}
	w.Steps = a.house.Sequences.Text(s)
	w.Gone = append(w.Gone, a.house.Sequences.Gone(s)...)
	return w
}
