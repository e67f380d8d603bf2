// Package groups keeps named lists of devices whose controls are set together. A group may have groups in it. Groups
// and devices share one space of slugs.
package groups

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service/stream"
	"urbo/store"
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
	// version of the document.
	version = 1
)

// Group is a named list.
type Group struct {
	ID      string
	Slug    string
	Name    string
	Members []Member
	unread  string // the document, where it cannot be read
}

// Member is a device or a group, by its id.
type Member struct {
	Device string `json:"device,omitempty"`
	Group  string `json:"group,omitempty"`
}

// document is what is kept of a group.
type document struct {
	Members []Member `json:"members"`
}

// Store keeps groups.
type Store interface {
	Groups(ctx context.Context) ([]store.Named, error)
	PutGroup(ctx context.Context, n store.Named) error
	RemoveGroup(ctx context.Context, id string) error
	PutAside(ctx context.Context, a store.Aside) error
}

// Library finds devices, and keeps the slugs of groups for them.
type Library interface {
	ID(slug string) (string, error)
	Slug(id string) string
	Reserve(ctx context.Context, slug, was string, f func() error) error
}

// Groups is the groups of the house.
type Groups struct {
	store   Store
	library Library
	stream  *stream.Stream

	writer sync.Mutex // held for a whole change

	mu  sync.RWMutex
	all map[string]Group // by id
}

// Open reads the groups. One that cannot be read has no members until they are given anew, and is told in the journal.
func Open(ctx context.Context, s Store, l Library, events *stream.Stream) (*Groups, error) {
	rows, err := s.Groups(ctx)
	if err != nil {
		return nil, fmt.Errorf("read the groups: %w", err)
	}
	g := &Groups{store: s, library: l, stream: events, all: map[string]Group{}}
	for _, row := range rows {
		var doc document
		group := Group{ID: row.ID, Slug: row.Slug, Name: row.Name}
		if err := store.ReadDocument(row.Document, version, &doc); err != nil {
			group.unread = row.Document
			events.Publish(happening.Happening{What: happening.HouseNote{Severity: "error",
				Text: fmt.Sprintf("Who is in the group %s %v: it has no members until they are given anew", row.Name,
					err)}})
		}
		group.Members = doc.Members
		g.all[row.ID] = group
		if err := l.Reserve(ctx, row.Slug, "", func() error { return nil }); err != nil {
			events.Publish(happening.Happening{What: happening.HouseNote{Severity: "warning",
				Text: fmt.Sprintf("The group %s is named like a device: %v", row.Name, err)}})
		}
	}
	return g, nil
}

// List lists the groups by name.
func (g *Groups) List() []Group {
	g.mu.RLock()
	defer g.mu.RUnlock()
	out := make([]Group, 0, len(g.all))
	for _, group := range g.all {
		out = append(out, group)
	}
	slices.SortFunc(out, func(a, b Group) int { return strings.Compare(a.Name+a.ID, b.Name+b.ID) })
	return out
}

// Find finds a group by its slug or id. The error wraps ErrUnknown.
func (g *Groups) Find(slug string) (Group, error) {
	g.mu.RLock()
	defer g.mu.RUnlock()
	names := make([]string, 0, len(g.all))
	for _, group := range g.all {
		if group.Slug == slug || group.ID == slug {
			return group, nil
		}
		names = append(names, group.Slug)
	}
	if len(names) == 0 {
		return Group{}, fmt.Errorf("%w %.60q: there are no groups yet: urbo group add", ErrUnknown, slug)
	}
	slices.Sort(names)
	return Group{}, fmt.Errorf("%w %.60q: nearest are %s", ErrUnknown, slug, device.Nearest(slug, names))
}

// Devices are the ids of all devices of a group that are there, also of the groups in it, each once.
func (g *Groups) Devices(id string) []string {
	g.mu.RLock()
	defer g.mu.RUnlock()
	var out []string
	seen := map[string]bool{}
	var walk func(id string)
	walk = func(id string) {
		if seen[id] {
			return
		}
		seen[id] = true
		for _, m := range g.all[id].Members {
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
	g.mu.RLock()
	defer g.mu.RUnlock()
	out := []string{}
	for _, m := range group.Members {
		name := g.library.Slug(m.Device)
		if m.Group != "" {
			name = g.all[m.Group].Slug
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

// Add makes a group. Errors wrap device.ErrName, device.ErrTaken or ErrGroup, or are the library's or the store's.
func (g *Groups) Add(ctx context.Context, slug, name string, members []string, by grant.By) (Group, error) {
	g.writer.Lock()
	defer g.writer.Unlock()
	if slug == "" {
		slug = device.Slug(name)
	}
	if name == "" {
		name = slug
	}
	if len(g.List()) >= Most {
		return Group{}, fmt.Errorf("%w: there are %d, which is the most: remove one", ErrGroup, Most)
	}
	group := Group{ID: store.NewID()}
	return g.put(ctx, group, Change{Slug: &slug, Name: &name, Members: &members}, by, "Added the group ")
}

// Alter changes a group. Errors are those of Add, or wrap ErrUnknown.
func (g *Groups) Alter(ctx context.Context, slug string, c Change, by grant.By) (Group, error) {
	g.writer.Lock()
	defer g.writer.Unlock()
	group, err := g.Find(slug)
	if err != nil {
		return group, err
	}
	return g.put(ctx, group, c, by, "Changed the group ")
}

// put checks and keeps a group. The caller holds writer.
func (g *Groups) put(ctx context.Context, group Group, c Change, by grant.By, said string) (Group, error) {
	was := group
	var err error
	if c.Name != nil {
		if group.Name, err = device.CleanName("the group's name", *c.Name); err != nil {
			return was, err
		}
	}
	if c.Slug != nil {
		group.Slug = *c.Slug
		if err := device.CheckSlug("group", group.Slug); err != nil {
			return was, err
		}
	}
	if c.Members != nil {
		if group.Members, err = g.members(*c.Members); err != nil {
			return was, err
		}
		if g.leadsBack(group) {
			return was, fmt.Errorf("%w: %s would be in itself: leave out the group that leads back to it", ErrGroup,
				group.Slug)
		}
	}
	text, err := store.WriteDocument(version, document{group.Members})
	if err != nil {
		return was, err
	}
	if was.unread != "" && c.Members == nil {
		text = was.unread
	} else if was.unread != "" {
		if err := g.store.PutAside(ctx, store.Aside{Kind: "group", Owner: was.ID, Document: was.unread}); err != nil {
			return was, err
		}
		group.unread = ""
	}
	err = g.library.Reserve(ctx, group.Slug, was.Slug, func() error {
		return g.store.PutGroup(ctx, store.Named{ID: group.ID, Slug: group.Slug, Name: group.Name, Document: text})
	})
	if errors.Is(err, store.ErrDuplicate) {
		err = fmt.Errorf("%w: there is a group %q already: choose another short name", device.ErrTaken, group.Slug)
	}
	if err != nil {
		return was, err
	}
	g.mu.Lock()
	g.all[group.ID] = group
	g.mu.Unlock()
	g.stream.Publish(happening.Happening{By: by, What: happening.GroupChanged{GroupID: group.ID, Group: group.Slug,
		Text: said + group.Name}})
	return group, nil
}

// leadsBack says whether a group would be in itself.
func (g *Groups) leadsBack(group Group) bool {
	g.mu.RLock()
	defer g.mu.RUnlock()
	seen := map[string]bool{}
	var walk func(members []Member) bool
	walk = func(members []Member) bool {
		for _, m := range members {
			switch {
			case m.Group == "" || seen[m.Group]:
				continue
			case m.Group == group.ID:
				return true
			}
			seen[m.Group] = true
			if walk(g.all[m.Group].Members) {
				return true
			}
		}
		return false
	}
	return walk(group.Members)
}

// Remove removes a group, and takes it out of those that it is in. The error wraps ErrUnknown.
func (g *Groups) Remove(ctx context.Context, slug string, by grant.By) error {
	g.writer.Lock()
	defer g.writer.Unlock()
	group, err := g.Find(slug)
	if err != nil {
		return err
	}
	err = g.library.Reserve(ctx, "", group.Slug, func() error { return g.store.RemoveGroup(ctx, group.ID) })
	if err != nil {
		return fmt.Errorf("remove group %s: %w", group.Slug, err)
	}
	g.mu.Lock()
	delete(g.all, group.ID)
	g.mu.Unlock()
	g.stream.Publish(happening.Happening{By: by, What: happening.GroupChanged{GroupID: group.ID, Group: group.Slug,
		Text: "Removed the group " + group.Name}})
	return nil
}
