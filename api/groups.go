package api

import (
	"context"
	"fmt"
	"net/http"
	"slices"

	"urbo/core/grant"
	"urbo/core/run"
	"urbo/service"
	"urbo/service/groups"
	"urbo/wire"
)

// GroupIn names a group in a path.
type GroupIn struct {
	Group string `path:"group" maxLength:"40"`
}

// groups registers groups. To see one, one has to see a device of it; to use or change it, to have the right on all.
func (a *API) groups() {
	all := a.house.Groups
	call(a, operation{"GET", "/groups", "list-groups", "Named lists of devices that are set together", grant.See,
		filtered, 0}, func(ctx context.Context, _ *nothing) ([]wire.Group, error) {
		out := []wire.Group{}
		for _, g := range all.List() {
			if a.mayGroup(ctx, grant.See, g) == nil {
				out = append(out, a.groupOf(ctx, g))
			}
		}
		return out, nil
	})
	call(a, operation{"POST", "/groups", "add-group", "Add a group", grant.Arrange, filtered, http.StatusCreated},
		func(ctx context.Context, in *struct{ Body wire.NewGroup }) (wire.Group, error) {
			if err := a.mayMembers(ctx, in.Body.Members); err != nil {
				return wire.Group{}, err
			}
			g, err := all.Add(ctx, in.Body.Slug, in.Body.Name, in.Body.Members, asking(ctx))
			return a.groupOf(ctx, g), err
		})
	call(a, operation{"PATCH", "/groups/{group}", "change-group", "Change what is given", grant.Arrange, filtered, 0},
		func(ctx context.Context, in *struct {
			GroupIn
			Body wire.GroupChange
		}) (wire.Group, error) {
			if _, err := a.findGroup(ctx, grant.Arrange, in.Group); err != nil {
				return wire.Group{}, err
			}
			if in.Body.Members != nil {
				if err := a.mayMembers(ctx, *in.Body.Members); err != nil {
					return wire.Group{}, err
				}
			}
			g, err := all.Alter(ctx, in.Group, groups.Change(in.Body), asking(ctx))
			return a.groupOf(ctx, g), err
		})
	remove(a, operation{method: "DELETE", path: "/groups/{group}", id: "remove-group",
		summary: "Remove a group; its devices stay", right: grant.Arrange, where: filtered},
		func(ctx context.Context, in *GroupIn) error {
			if _, err := a.findGroup(ctx, grant.Arrange, in.Group); err != nil {
				return err
			}
			return all.Remove(ctx, in.Group, asking(ctx))
		})
	call(a, operation{"GET", "/groups/{group}/state", "get-group-state",
		"What the devices of a group are believed to be at",
		grant.See, filtered, 0}, func(ctx context.Context, in *GroupIn) ([]wire.GroupControl, error) {
		g, err := a.findGroup(ctx, grant.See, in.Group)
		if err != nil {
			return nil, err
		}
		if err := a.mayEach(ctx, grant.See, g); err != nil {
			return nil, err
		}
		return a.stateOfAll(run.Target{Kind: run.Group, ID: g.ID})
	})
	call(a, operation{"POST", "/groups/{group}/set", "set-group",
		"Set controls of all devices of a group that have them",
		grant.Use, filtered, 0}, func(ctx context.Context, in *struct {
		GroupIn
		Body wire.SetRequest
	}) (wire.GroupAnswer, error) {
		g, err := a.findGroup(ctx, grant.Use, in.Group)
		if err != nil {
			return wire.GroupAnswer{}, err
		}
		return a.setAll(ctx, run.Target{Kind: run.Group, ID: g.ID, Was: g.Slug}, in.Body)
	})
}

// setAll sets controls of all devices of a group or room.
func (a *API) setAll(ctx context.Context, of run.Target, r wire.SetRequest) (wire.GroupAnswer, error) {
	results, err := a.house.SetAll(ctx, of, wanted(ctx, "", r))
	if err != nil {
		return wire.GroupAnswer{}, err
	}
	out := wire.GroupAnswer{Done: true, Devices: []wire.GroupOne{}}
	for _, r := range results {
		one := wire.GroupOne{Device: r.Device, Answer: setAnswer(r.Result)}
		one.Answer.State = []wire.ControlState{}
		if r.Err != nil {
			one.Error = r.Err.Error()
		}
		out.Done = out.Done && r.Err == nil && r.Result.Done
		out.Devices = append(out.Devices, one)
	}
	out.State, err = a.stateOfAll(of)
	return out, err
}

// findGroup finds a group that the caller has a right on. One of which they see nothing is as unknown as one that is
// not there.
func (a *API) findGroup(ctx context.Context, r grant.Right, slug string) (groups.Group, error) {
	g, err := a.house.Groups.Find(slug)
	if err != nil && Caller(ctx).Grant.Where.House {
		return g, err
	}
	if err != nil || a.mayGroup(ctx, grant.See, g) != nil {
		return g, fmt.Errorf("%w %.60q", groups.ErrUnknown, slug)
	}
	return g, a.mayGroup(ctx, r, g)
}

// mayGroup says whether the caller has a right on a group: to see it, on one of its devices; for all else, on each.
func (a *API) mayGroup(ctx context.Context, r grant.Right, g groups.Group) error {
	who := Caller(ctx).Grant
	if r == grant.See && slices.ContainsFunc(a.house.Groups.Devices(g.ID), func(id string) bool {
		return who.May(r, a.target(id)) == nil
	}) {
		return nil
	}
	return a.mayEach(ctx, r, g)
}

// mayEach says whether the caller has a right on every device of a group.
func (a *API) mayEach(ctx context.Context, r grant.Right, g groups.Group) error {
	who := Caller(ctx).Grant
	if who.Where.House {
		return who.May(r)
	}
	return who.May(r, list(a.house.Groups.Devices(g.ID), a.target)...)
}

// mayMembers says whether the caller may arrange all that is to be in a group.
func (a *API) mayMembers(ctx context.Context, slugs []string) error {
	for _, slug := range slugs {
		if g, err := a.house.Groups.Find(slug); err == nil {
			if err := a.mayGroup(ctx, grant.Arrange, g); err != nil {
				return err
			}
			continue
		}
		if err := a.mayOn(ctx, grant.Arrange, slug); err != nil {
			return err
		}
	}
	return nil
}

// groupOf translates a group. Members that the caller does not see stay nameless.
func (a *API) groupOf(ctx context.Context, g groups.Group) wire.Group {
	w := wire.Group{Slug: g.Slug, Name: g.Name, Members: []string{}, Devices: len(a.house.Groups.Devices(g.ID))}
	for _, name := range a.house.Groups.Names(g) {
		id, err := a.house.Library.ID(name)
		if err != nil {
			if inner, err := a.house.Groups.Find(name); err != nil || a.mayGroup(ctx, grant.See, inner) != nil {
				continue
			}
		} else if !a.sees(ctx, id) {
			continue
		}
		w.Members = append(w.Members, name)
	}
	return w
}

// stateOfAll is what the devices of a group or room are believed to be at.
func (a *API) stateOfAll(of run.Target) ([]wire.GroupControl, error) {
	state, err := a.house.StateOf(of)
	return list(state, func(c service.Together) wire.GroupControl {
		c.Choices = listed(c.Choices)
		return wire.GroupControl(c)
	}), err
}
