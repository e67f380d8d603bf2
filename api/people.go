package api

import (
	"context"
	"net/http"
	"slices"
	"time"

	"urbo/core/grant"
	"urbo/service/access"
	"urbo/store"
	"urbo/wire"
)

// PersonIn names a person in a path.
type PersonIn struct {
	Person string `path:"person" maxLength:"80"`
}

// people registers looking after who may come in.
func (a *API) people() {
	doors := a.house.Access
	call(a, operation{"GET", "/people", "list-people", "Who may sign in, and what they may do", grant.Keep, wholeHouse,
		0},
		func(ctx context.Context, _ *nothing) ([]wire.Person, error) {
			sessions, err := doors.Sessions(ctx)
			return list(doors.People(), func(p access.Person) wire.Person {
				w := a.personOf(p)
				for _, s := range sessions {
					if s.PersonID == p.ID {
						w.Browsers++
					}
				}
				return w
			}), err
		})
	call(a, operation{"POST", "/people", "add-person", "Let somebody in", grant.Keep, wholeHouse, http.StatusCreated},
		func(ctx context.Context, in *struct{ Body wire.NewPerson }) (wire.Person, error) {
			w, err := a.whereOf(in.Body.Where, in.Body.Role == string(grant.Owner) ||
				in.Body.Role == string(grant.Resident))
			if err != nil {
				return wire.Person{}, err
			}
			n := access.NewPerson{Name: in.Body.Name, Role: grant.Role(in.Body.Role), Where: w}
			if in.Body.Until != nil {
				n.Until = *in.Body.Until
			}
			return as(a.personOf)(doors.AddPerson(ctx, n, asking(ctx)))
		})
	call(a, operation{"PATCH", "/people/{person}", "change-person", "Change what is given", grant.Keep, wholeHouse, 0},
		func(ctx context.Context, in *struct {
			PersonIn
			Body wire.PersonChange
		}) (wire.Person, error) {
			c, err := a.personChange(in.Body)
			if err != nil {
				return wire.Person{}, err
			}
			return as(a.personOf)(doors.ChangePerson(ctx, in.Person, c, asking(ctx)))
		})
	remove(a, operation{method: "DELETE", path: "/people/{person}", id: "remove-person",
		summary: "Sign somebody out everywhere, for good", right: grant.Keep, where: wholeHouse},
		func(ctx context.Context, in *PersonIn) error { return doors.RemovePerson(ctx, in.Person, asking(ctx)) })
	call(a, operation{"POST", "/people/{person}/link", "link-person",
		"Make a sign-in link for somebody: it works once, for 15 minutes; that of a guest until the guest's date",
		grant.Keep, wholeHouse, http.StatusCreated}, func(ctx context.Context, in *struct {
		PersonIn
		Body *wire.LinkPhones `required:"false"`
	}) (wire.Ticket, error) {
		phones := 1
		if in.Body != nil {
			phones = max(in.Body.Phones, 1)
		}
		return a.link(ctx, in.Person, phones)
	})
}

// link makes a sign-in link for a person.
func (a *API) link(ctx context.Context, person string, phones int) (wire.Ticket, error) {
	return a.ticket(a.house.Access.Link(ctx, person, phones))
}

// ticket is a sign-in code as the link that it is sent by.
func (a *API) ticket(p access.Person, code string, end time.Time, err error) (wire.Ticket, error) {
	return wire.Ticket{Person: p.Name, Link: SignInLink(a.url, code), Expires: end}, err
}

func (a *API) personChange(w wire.PersonChange) (access.PersonChange, error) {
	c := access.PersonChange{Name: w.Name, User: w.User}
	if w.Role != nil {
		role := grant.Role(*w.Role)
		c.Role = &role
	}
	if w.Where != nil {
		where, err := a.whereOf(*w.Where, len(w.Where.Boards) == 0)
		if err != nil {
			return c, err
		}
		c.Where = &where
	}
	switch {
	case w.Until != nil:
		c.Until = w.Until
	case w.Always:
		c.Until = &time.Time{}
	}
	return c, nil
}

func (a *API) personOf(p access.Person) wire.Person {
	return wire.Person{ID: p.ID, Name: p.Name, Role: string(p.Role), Where: a.whereWords(p.Where),
		Rights: list(grant.Of(p.Role, p.Where).Rights, rightText), Until: wire.Time(p.Until),
		Created: wire.Time(p.Created), User: p.User}
}

// whereOf finds what the words of a part of the house mean; all says that nothing named is the whole house.
func (a *API) whereOf(w wire.Where, all bool) (grant.Where, error) {
	out := grant.Where{House: w.House, Measurements: w.Measurements}
	for _, name := range w.Rooms {
		room, err := a.house.Rooms.Find(name)
		if err != nil {
			return out, err
		}
		if !slices.Contains(out.Rooms, room.ID) {
			out.Rooms = append(out.Rooms, room.ID)
		}
	}
	for _, slug := range w.Devices {
		id, err := a.house.Library.ID(slug)
		if err != nil {
			return out, err
		}
		if !slices.Contains(out.Devices, id) {
			out.Devices = append(out.Devices, id)
		}
	}
	for _, slug := range w.Boards {
		one, err := a.house.Boards.Find(slug)
		if err != nil {
			return out, err
		}
		if !slices.Contains(out.Boards, one.ID) {
			out.Boards = append(out.Boards, one.ID)
		}
	}
	if all && out.Empty() {
		return grant.Everywhere, nil
	}
	return out, nil
}

// whereWords is a part of the house in the words of today. What is gone is left out.
func (a *API) whereWords(w grant.Where) wire.Where {
	out := wire.Where{House: w.House, Measurements: w.Measurements}
	for _, id := range w.Rooms {
		if name := a.house.Rooms.Name(id); name != "" {
			out.Rooms = append(out.Rooms, name)
		}
	}
	for _, id := range w.Devices {
		if slug := a.house.Library.Slug(id); slug != "" {
			out.Devices = append(out.Devices, slug)
		}
	}
	for _, id := range w.Boards {
		if one, err := a.house.Boards.Find(id); err == nil {
			out.Boards = append(out.Boards, one.Slug)
		}
	}
	return out
}

// me is who asks.
func (a *API) me(c access.Caller) wire.Me {
	return wire.Me{Name: c.By.Name, Kind: string(c.By.Kind), Role: string(c.Role), Rights: list(c.Grant.Rights,
		rightText),
		Where: a.whereWords(c.Grant.Where), Scope: grant.RightsText(c.Grant.Rights),
		Unnamed: c.By.Kind == grant.Person && c.Role == grant.Owner && c.By.Name == store.FirstOwner}
}
