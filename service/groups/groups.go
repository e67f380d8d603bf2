// Package groups keeps named lists of devices whose controls are set together. A group may have groups in it. Groups
// and devices share one space of slugs.
package groups

import (
	"context"
	"fmt"
	"slices"

	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service/named"
	"urbo/service/stream"
)

// Errors that callers ask for.
var (
	ErrUnknown = fault.New(fault.NotFound, "unknown group")
	ErrGroup   = fault.New(fault.Invalid, "group")
)

const (
	// Most is the most groups of a house.
	Most = 500
	// MostMembers is the most members of a group.
	MostMembers = 500
)

// Group is a named list.
type Group = named.Thing[List]

// List is what is in a group.
type List struct {
	Members []Member `json:"members"`
}

// Member is a device or a group, by its id.
type Member struct {
	Device string `json:"device,omitempty"`
	Group  string `json:"group,omitempty"`
}

// Library finds devices, and keeps the slugs of groups for them.
type Library interface {
	ID(slug string) (string, error)
	Slug(id string) string
	Reserve(ctx context.Context, slug, was string, f func() error) error
}

// Groups is the groups of the house.
type Groups struct {
	all     *named.List[List]
	library Library
	stream  *stream.Stream
}

// Open reads the groups. One that cannot be read has no members until they are given anew, and is told in the journal.
func Open(ctx context.Context, rows named.Rows, s named.Store, l Library, events *stream.Stream) (*Groups, error) {
	say := func(severity, text string) {
		events.Publish(happening.Happening{What: happening.HouseNote{Severity: severity, Text: text}})
	}
	kind := named.Kind{Name: "group", Most: Most, Unknown: ErrUnknown, Limit: ErrGroup}
	all, err := named.Open(ctx, kind, rows, s, func(t Group, err error) {
		say("error", fmt.Sprintf("Who is in the group %s %v: it has no members until they are given anew", t.Name, err))
	})
	if err != nil {
		return nil, err
	}
	g := &Groups{all: all, library: l, stream: events}
	for _, one := range g.List() {
		if err := l.Reserve(ctx, one.Slug, "", func() error { return nil }); err != nil {
			say("warning", fmt.Sprintf("The group %s is named like a device: %v", one.Name, err))
		}
	}
	return g, nil
}

// List lists the groups by name.
func (g *Groups) List() []Group { return g.all.List() }

// Find finds a group by its slug or id. The error wraps ErrUnknown.
func (g *Groups) Find(slug string) (Group, error) { return g.all.Find(slug) }

// byID finds a group by its id; one that is gone is empty.
func (g *Groups) byID(id string) Group {
	one, _ := g.all.Find(id)
	return one
}

// Devices are the ids of all devices of a group that are there, also of the groups in it, each once.
func (g *Groups) Devices(id string) []string {
	var out []string
	seen := map[string]bool{}
	var walk func(id string)
	walk = func(id string) {
		if seen[id] {
			return
		}
		seen[id] = true
		for _, m := range g.byID(id).Doc.Members {
			switch {
			case m.Group != "":
				walk(m.Group)
			case !seen[m.Device] && g.library.Slug(m.Device) != "": // one that was removed comes back into it
				seen[m.Device] = true
				out = append(out, m.Device)
			}
		}
	}
	walk(id)
	return out
}

// Names are the members of a group as they are called now; those that are gone are left out.
func (g *Groups) Names(group Group) []string {
	out := []string{}
	for _, m := range group.Doc.Members {
		name := ""
		if m.Group != "" {
			name = g.byID(m.Group).Slug
		} else {
			name = g.library.Slug(m.Device)
		}
		if name != "" {
			out = append(out, name)
		}
	}
	return out
}

// members finds devices and groups by their slugs. Errors wrap ErrGroup, or are those of the library.
func (g *Groups) members(slugs []string) ([]Member, error) {
	if len(slugs) > MostMembers {
		return nil, fmt.Errorf("%w: %d members, the most is %d", ErrGroup, len(slugs), MostMembers)
	}
	var out []Member
	for _, slug := range slugs {
		m := Member{}
		if group, err := g.Find(slug); err == nil {
			m.Group = group.ID
		} else if m.Device, err = g.library.ID(slug); err != nil {
			return nil, err
		}
		if !slices.Contains(out, m) {
			out = append(out, m)
		}
	}
	return out, nil
}

// Change is what is to be different about a group; nil leaves it as it is.
type Change struct {
	Slug, Name *string
	Members    *[]string // slugs of devices and groups
}

// list makes what is in a group. Errors wrap ErrGroup, or are those of the library.
func (g *Groups) list(slugs []string) func(Group) (List, error) {
	return func(t Group) (List, error) {
		members, err := g.members(slugs)
		if err == nil && g.leadsBack(t.ID, members) {
			err = fmt.Errorf("%w: %s would be in itself: leave out the group that leads back to it", ErrGroup, t.Slug)
		}
		return List{members}, err
	}
}

// keep writes a group under a slug that no device has.
func (g *Groups) keep(ctx context.Context) named.Keep {
	return func(slug, was string, put func() error) error { return g.library.Reserve(ctx, slug, was, put) }
}

// Add makes a group. Errors wrap device.ErrName, device.ErrTaken or ErrGroup, or are the library's or the store's.
func (g *Groups) Add(ctx context.Context, slug, name string, members []string, by grant.By) (Group, error) {
	t, err := g.all.Add(ctx, slug, name, g.list(members), g.keep(ctx))
	return t, g.changed(t, err, by, "Added the group ")
}

// Alter changes a group. Errors are those of Add, or wrap ErrUnknown.
func (g *Groups) Alter(ctx context.Context, slug string, c Change, by grant.By) (Group, error) {
	change := named.Change[List]{Slug: c.Slug, Name: c.Name}
	if c.Members != nil {
		change.Doc = g.list(*c.Members)
	}
	t, err := g.all.Alter(ctx, slug, change, g.keep(ctx))
	return t, g.changed(t, err, by, "Changed the group ")
}

// Remove removes a group, and takes it out of those that it is in. The error wraps ErrUnknown.
func (g *Groups) Remove(ctx context.Context, slug string, by grant.By) error {
	t, err := g.all.Remove(ctx, slug, func(Group) error { return nil }, g.keep(ctx))
	return g.changed(t, err, by, "Removed the group ")
}

// changed tells that a group is another, where there is no error.
func (g *Groups) changed(t Group, err error, by grant.By, said string) error {
	if err == nil {
		g.stream.Publish(happening.Happening{By: by, What: happening.GroupChanged{GroupID: t.ID, Group: t.Slug,
			Text: said + t.Name}})
	}
	return err
}

// leadsBack says whether a group would be in itself.
func (g *Groups) leadsBack(id string, members []Member) bool {
	seen := map[string]bool{}
	var walk func(members []Member) bool
	walk = func(members []Member) bool {
		for _, m := range members {
			switch {
			case m.Group == "" || seen[m.Group]:
				continue
			case m.Group == id:
				return true
			}
			seen[m.Group] = true
			if walk(g.byID(m.Group).Doc.Members) {
				return true
			}
		}
		return false
	}
	return walk(members)
}
