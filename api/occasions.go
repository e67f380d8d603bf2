package api

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/occasion"
	"urbo/core/run"
	"urbo/service/occasions"
	"urbo/service/runs"
	"urbo/wire"
)

// OccasionIn names an occasion in a path.
type OccasionIn struct {
	Occasion string `path:"occasion" maxLength:"40"`
}

// occasions registers occasions. To see one, one has to see a device of it; to start, end or change it, to have the
// right on all.
func (a *API) occasions() {
	all := a.house.Occasions
	a.reins()
	call(a, operation{"GET", "/occasions", "list-occasions", "Wanted states of rooms, and which are in force",
		grant.See, filtered, 0}, func(ctx context.Context, _ *nothing) ([]wire.Occasion, error) {
		out := []wire.Occasion{}
		for _, o := range all.List() {
			if a.mayAbout(ctx, grant.See, o.Doc.Targets()) == nil {
				out = append(out, a.occasionOf(ctx)(o))
			}
		}
		return out, nil
	})
	call(a, operation{"GET", "/occasions/{occasion}", "get-occasion", "One occasion", grant.See, filtered, 0},
		func(ctx context.Context, in *OccasionIn) (wire.Occasion, error) {
			return as(a.occasionOf(ctx))(a.findOccasion(ctx, grant.See, in.Occasion))
		})
	call(a, operation{"POST", "/occasions", "add-occasion", "Add an occasion", grant.Arrange, filtered,
		http.StatusCreated}, func(ctx context.Context, in *struct{ Body wire.NewOccasion }) (wire.Occasion, error) {
		b := in.Body
		text := occasions.Text{Wants: &b.Wants, Room: &b.Room, Stays: &b.Stays, Reins: &b.Reins, Leaves: &b.Leaves,
			Sight: a.sight(ctx)}
		return as(a.occasionOf(ctx))(all.Add(ctx, b.Slug, b.Name, text, asking(ctx)))
	})
	call(a, operation{"PATCH", "/occasions/{occasion}", "change-occasion", "Change what is given", grant.Arrange,
		filtered, 0}, func(ctx context.Context, in *struct {
		OccasionIn
		Body wire.OccasionChange
	}) (wire.Occasion, error) {
		if _, err := a.findOccasion(ctx, grant.Arrange, in.Occasion); err != nil {
			return wire.Occasion{}, err
		}
		b := in.Body
		return as(a.occasionOf(ctx))(all.Alter(ctx, in.Occasion, occasions.Change{Slug: b.Slug, Name: b.Name,
			Text: occasions.Text{Wants: b.Wants, Room: b.Room, Stays: b.Stays, Reins: b.Reins, Leaves: b.Leaves,
				Sight: a.sight(ctx)}}, asking(ctx)))
	})
	remove(a, operation{method: "DELETE", path: "/occasions/{occasion}", id: "remove-occasion",
		summary: "Remove an occasion; its devices stay as they are", right: grant.Arrange, where: filtered},
		func(ctx context.Context, in *OccasionIn) error {
			if _, err := a.findOccasion(ctx, grant.Arrange, in.Occasion); err != nil {
				return err
			}
			return all.Remove(ctx, in.Occasion, asking(ctx))
		})
	call(a, operation{"GET", "/occasions/{occasion}/plan", "plan-occasion", "What would be pressed; nothing is",
		grant.Use, filtered, 0}, func(ctx context.Context, in *struct {
		OccasionIn
		What occasions.What `query:"what" enum:"start,end,right" default:"start"`
	}) (wire.OccasionPlan, error) {
		if _, err := a.findOccasion(ctx, grant.See, in.Occasion); err != nil {
			return wire.OccasionPlan{}, err
		}
		ids, err := all.Devices(in.Occasion, in.What)
		if err == nil {
			err = a.mayUse(ctx)(ids)
		}
		if err != nil {
			return wire.OccasionPlan{}, err
		}
		return as(occasionPlan)(all.Plan(in.Occasion, in.What))
	})
	for what, summary := range map[occasions.What]string{
		occasions.Start: "Start an occasion: what must change is pressed, and what only the one before used is " +
			"switched off",
		occasions.End:   "End an occasion: its devices are switched off, unless it says otherwise",
		occasions.Right: "Put right what differs from an occasion that is in force"} {
		call(a, operation{"POST", "/occasions/{occasion}/" + string(what), string(what) + "-occasion",
			summary + "; the answer does not wait for the end", grant.Use, filtered, http.StatusCreated},
			func(ctx context.Context, in *OccasionIn) (wire.OccasionDone, error) {
				if _, err := a.findOccasion(ctx, grant.See, in.Occasion); err != nil {
					return wire.OccasionDone{}, err
				}
				r, err := all.Do(ctx, in.Occasion, what, asking(ctx), a.mayUse(ctx))
				if err != nil {
					return wire.OccasionDone{}, err
				}
				return a.occasionDone(ctx, r, in.Occasion)
			})
	}
}

// theReins are what has the volume, arrows, digits and play keys now.
var theReins = run.Target{Kind: run.Reins, ID: "reins", Was: "reins"}

// reins registers what an occasion gives the volume, arrows, digits and play keys to.
func (a *API) reins() {
	call(a, operation{"GET", "/reins", "list-reins", "Who has the volume, arrows, digits and play keys now", grant.See,
		filtered, 0}, func(ctx context.Context, _ *nothing) ([]wire.Rein, error) {
		out := []wire.Rein{}
		held := a.house.Occasions.Held()
		for _, r := range occasion.Reins {
			if path, is := held[r]; is && a.sees(ctx, path.On.ID) {
				of := strings.TrimSuffix(a.house.Library.Slug(path.On.ID)+"/"+path.Name, "/")
				out = append(out, wire.Rein{Rein: string(r), Of: of})
			}
		}
		return out, nil
	})
	call(a, operation{"POST", "/reins/set", "set-reins", "Set the volume of whoever has it now", grant.Use, filtered,
		0},
		func(ctx context.Context, in *struct{ Body wire.SetRequest }) (wire.GroupAnswer, error) {
			for _, w := range in.Body.Wants {
				on, _, err := a.house.Targets.Resolve(theReins, w.Control)
				if err == nil {
					err = a.mayOnID(ctx, grant.Use, on.ID)
				}
				if err != nil {
					return wire.GroupAnswer{}, err
				}
			}
			return a.setAll(ctx, theReins, in.Body)
		})
	call(a, operation{"POST", "/reins/keys/{key}/press", "press-reins",
		"Press a key of whoever has it now: up, ok, 7, play, volume-up …", grant.Use, filtered, 0},
		func(ctx context.Context, in *struct {
			Key string `path:"key" maxLength:"40"`
		}) (wire.Press, error) {
			on, key, err := a.house.Targets.ResolveKey(theReins, in.Key)
			if err == nil {
				err = a.mayOnID(ctx, grant.Use, on.ID)
			}
			if err != nil {
				return wire.Press{}, err
			}
			o, err := a.order(ctx, device.Ref{Device: a.house.Library.Slug(on.ID), Key: key})
			if err == nil {
				err = a.house.Setting.Clear(ctx, o.Device.ID)
			}
			if err != nil {
				return wire.Press{}, err
			}
			return as(wire.PressOf)(a.house.Transmit.Press(ctx, o))
		})
}

// occasionDone is an occasion with the run that is under way for it, where there is something to do.
func (a *API) occasionDone(ctx context.Context, r runs.Run, slug string) (wire.OccasionDone, error) {
	one, err := a.house.Occasions.Find(slug)
	if err != nil {
		return wire.OccasionDone{}, err
	}
	out := wire.OccasionDone{Occasion: a.occasionOf(ctx)(one)}
	if r.ID != "" {
		w := a.runOf(ctx)(r)
		out.Run = &w
	}
	return out, nil
}

// mayUse says whether the caller may use every one of some devices.
func (a *API) mayUse(ctx context.Context) func(ids []string) error {
	return func(ids []string) error {
		who := Caller(ctx).Grant
		if who.Where.House {
			return who.May(grant.Use)
		}
		return who.May(grant.Use, list(ids, a.target)...)
	}
}

// findOccasion finds an occasion that the caller has a right on. One of which they see nothing is as unknown as one
// that is not there.
func (a *API) findOccasion(ctx context.Context, r grant.Right, slug string) (occasions.Occasion, error) {
	o, err := a.house.Occasions.Find(slug)
	if err != nil && Caller(ctx).Grant.Where.House {
		return o, err
	}
	if err != nil || a.mayAbout(ctx, grant.See, o.Doc.Targets()) != nil {
		return occasions.Occasion{}, fmt.Errorf("%w %.60q", occasions.ErrUnknown, slug)
	}
	return o, a.mayAbout(ctx, r, o.Doc.Targets())
}

// occasionOf translates an occasion for the caller. What it wants names what it is about: that is for those who see all
// of it.
func (a *API) occasionOf(ctx context.Context) func(occasions.Occasion) wire.Occasion {
	all := a.house.Occasions
	return func(o occasions.Occasion) wire.Occasion {
		w := wire.Occasion{Slug: o.Slug, Name: o.Name, Stays: []string{}, Reins: map[string]string{}, Gone: []string{},
			Lacking: []string{},
			Rooms:   []string{}, Differs: []wire.Difference{}, Leaves: o.Doc.Leaves}
		s := all.StateOf(o)
		if f := s.Force; f != nil {
			w.InForce, w.Since, w.By = true, wire.Time(f.Since), f.By
			for _, id := range f.Rooms {
				if r, err := a.house.Rooms.Find(id); err == nil && a.mayIn(ctx, grant.See, r.Slug) == nil {
					w.Rooms = append(w.Rooms, r.Name)
				}
			}
			if s.Starting {
				w.Run = f.Run
			}
		}
		for _, d := range s.Differs {
			if a.sees(ctx, d.Device) {
				w.Differs = append(w.Differs, wire.Difference{Device: a.house.Library.Slug(d.Device),
					Control: d.Control, Wanted: d.Wanted, Value: d.Value, Unsure: d.Unsure})
			}
		}
		if r, err := a.house.Rooms.Find(o.Doc.Room); err == nil && a.mayIn(ctx, grant.See, r.Slug) == nil {
			w.Room = r.Name
		}
		if !o.Readable() {
			w.Error = "it cannot be read: say anew what it wants"
		}
		if !a.seesAll(ctx, slices.Concat(o.Doc.Targets(), o.Doc.Stays)) {
			return w
		}
		w.Wants, w.Stays, w.Gone = all.Text(o), all.Stays(o), all.Gone(o)
		w.Lacking = all.Lacking(o)
		for r, name := range all.Reins(o) {
			w.Reins[string(r)] = name
		}
		return w
	}
}

func occasionPlan(p occasions.Plan) wire.OccasionPlan {
	w := wire.OccasionPlan{Presses: p.Presses, TakesMS: p.Takes.Milliseconds(), Sure: p.Sure, Ends: p.Ends,
		Devices: []wire.OccasionDevice{}}
	for _, d := range p.Devices {
		one := wire.OccasionDevice{Device: d.Device, Name: d.Name, Stage: d.Stage, Wants: listed(d.Wants),
			Ends: d.Ends, Answer: setAnswer(d.Result)}
		one.Answer.State = []wire.ControlState{}
		if d.Err != nil {
			one.Error = d.Err.Error()
		}
		w.Devices = append(w.Devices, one)
	}
	return w
}
