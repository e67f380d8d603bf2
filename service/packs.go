package service

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"urbo/core/board"
	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/pack"
	"urbo/core/run"
	"urbo/service/belief"
	"urbo/service/boards"
	"urbo/service/library"
	"urbo/service/occasions"
	"urbo/service/sequences"
)

// Packed names what a pack is made of, by short names. Without any it is all devices; All is these and all groups,
// sequences, occasions and boards.
type Packed struct {
	All                                                 bool
	Devices, Sets, Groups, Sequences, Occasions, Boards []string
}

// ExportPack makes a pack. Errors say that one of the names is unknown.
func (h *House) ExportPack(of Packed) (pack.Pack, error) {
	things := len(of.Groups)+len(of.Sequences)+len(of.Occasions)+len(of.Boards) > 0
	p := pack.Pack{Format: pack.Format, Version: pack.Version, Devices: []device.Device{}}
	var err error
	if len(of.Devices)+len(of.Sets) > 0 || of.All || !things {
		if p, err = h.Library.Export(of.Devices, of.Sets); err != nil {
			return p, err
		}
	}
	if of.All {
		of.Groups, of.Sequences, of.Occasions, of.Boards = nil, nil, nil, nil
	}
	if of.All || things {
		p.Things, err = h.things(of)
	}
	return p, err
}

// chosen are those of all whose short names are given, in that order; all where every one is wanted.
func chosen[T any](every bool, names []string, all []T, find func(string) (T, error)) ([]T, error) {
	if every {
		return all, nil
	}
	var out []T
	for _, name := range names {
		one, err := find(name)
		if err != nil {
			return nil, fmt.Errorf("export: %w", err)
		}
		out = append(out, one)
	}
	return out, nil
}

// things are groups, sequences, occasions and boards as a pack has them. A board that makes itself is none.
func (h *House) things(of Packed) (t pack.Things, err error) {
	someGroups, err := chosen(of.All, of.Groups, h.Groups.List(), h.Groups.Find)
	if err != nil {
		return t, err
	}
	someSequences, err := chosen(of.All, of.Sequences, h.Sequences.List(), h.Sequences.Find)
	if err != nil {
		return t, err
	}
	someOccasions, err := chosen(of.All, of.Occasions, h.Occasions.List(), h.Occasions.Find)
	if err != nil {
		return t, err
	}
	someBoards, err := chosen(of.All, of.Boards, h.Boards.List(), h.Boards.Find)
	if err != nil {
		return t, err
	}
	for _, g := range someGroups {
		t.Groups = append(t.Groups, pack.Group{Slug: g.Slug, Name: g.Name, Members: h.Groups.Names(g)})
	}
	for _, s := range someSequences {
		t.Sequences = append(t.Sequences, pack.Sequence{Slug: s.Slug, Name: s.Name, Steps: h.Sequences.Text(s)})
	}
	for _, o := range someOccasions {
		t.Occasions = append(t.Occasions, h.packedOccasion(o))
	}
	for _, b := range someBoards {
		if !b.Doc.Automatic {
			t.Boards = append(t.Boards, h.packedBoard(b))
		}
	}
	return t, nil
}

func (h *House) packedOccasion(o occasions.Occasion) pack.Occasion {
	one := pack.Occasion{Slug: o.Slug, Name: o.Name, Wants: h.Occasions.Text(o), Stays: h.Occasions.Stays(o),
		Leaves: o.Doc.Leaves, Reins: map[string]string{}}
	if r, err := h.Rooms.Find(o.Doc.Room); err == nil {
		one.Room = r.Name
	}
	for rein, path := range h.Occasions.Reins(o) {
		one.Reins[string(rein)] = path
	}
	return one
}

// packedBoard is a board without what is gone, and without errands: nobody else could have them.
func (h *House) packedBoard(b boards.Board) pack.Board {
	one := pack.Board{Slug: b.Slug, Name: b.Name, Sections: []pack.Section{}}
	for _, s := range b.Doc.Sections {
		section := pack.Section{Title: s.Title, Tiles: []pack.Tile{}}
		for _, t := range s.Tiles {
			if t.Kind == board.Errand {
				continue
			}
			tile := pack.Tile{Kind: t.Kind, Title: t.Title, Size: t.Size, Text: t.Text}
			if t.On.ID != "" {
				if h.Boards.Name(t.On) == "" {
					continue
				}
				tile.Of = h.Boards.Of(t)
			}
			section.Tiles = append(section.Tiles, tile)
		}
		one.Sections = append(one.Sections, section)
	}
	return one
}

// PlanPack says what importing a pack would do, where conflict is what to do with devices and code sets whose short
// names are taken. A group, sequence, occasion or board whose name is taken gets another one.
func (h *House) PlanPack(p pack.Pack, conflict string) (library.PackPlan, error) {
	plan, err := h.Library.Plan(p, conflict)
	if err != nil {
		return plan, err
	}
	_, items, err := h.arrive(p, plan)
	plan.Items = append(plan.Items, items...)
	return plan, err
}

// ImportPack does what PlanPack says. Its devices and code sets come in one transaction; where a thing cannot be kept
// afterwards, the error says so, and those of this pack that came are removed again.
func (h *House) ImportPack(ctx context.Context, p pack.Pack, conflict string, note library.Note) (library.PackPlan,
	error) {
	h.packs.Lock()
	defer h.packs.Unlock()
	plan, err := h.Library.Plan(p, conflict)
	if err != nil {
		return plan, err
	}
	arrived, items, err := h.arrive(p, plan) // before anything is changed
	if err != nil {
		return plan, err
	}
	if len(p.Devices)+len(p.Sets) > 0 {
		if plan, err = h.Library.Import(ctx, p, conflict, note); err != nil {
			return plan, err
		}
	}
	if err := h.keep(ctx, arrived, note.By); err != nil {
		return plan,
			fmt.Errorf("its devices and code sets came, and none of its groups, sequences, occasions and boards: %w",
				err)
	}
	plan.Items, plan.Done = append(plan.Items, items...), true
	return plan, nil
}

// keep adds the things of a pack, or none of them.
func (h *House) keep(ctx context.Context, t pack.Things, by grant.By) error {
	var undo []func()
	add := func(what, slug string, f func() error, remove func(context.Context, string, grant.By) error) error {
		if err := f(); err != nil {
			return fmt.Errorf("the %s %s: %w", what, slug, err)
		}
		undo = append(undo, func() { _ = remove(context.WithoutCancel(ctx), slug, by) }) // it was added just now
		return nil
	}
	err := func() error {
		for _, g := range t.Groups {
			if err := add("group", g.Slug, func() error {
				_, err := h.Groups.Add(ctx, g.Slug, g.Name, g.Members, by)
				return err
			}, h.Groups.Remove); err != nil {
				return err
			}
		}
		for _, s := range t.Sequences {
			if err := add("sequence", s.Slug, func() error {
				_, err := h.Sequences.Add(ctx, s.Slug, s.Name, sequences.Text{Steps: s.Steps}, by)
				return err
			}, h.Sequences.Remove); err != nil {
				return err
			}
		}
		for _, o := range t.Occasions {
			if err := add("occasion", o.Slug, func() error {
				_, err := h.Occasions.Add(ctx, o.Slug, o.Name, occasions.Text{Wants: &o.Wants, Room: &o.Room,
					Stays: &o.Stays, Reins: &o.Reins, Leaves: &o.Leaves}, by)
				return err
			}, h.Occasions.Remove); err != nil {
				return err
			}
		}
		for _, b := range t.Boards {
			sections := make([]boards.Text, len(b.Sections))
			for i, s := range b.Sections {
				sections[i].Title = s.Title
				for _, t := range s.Tiles {
					sections[i].Tiles = append(sections[i].Tiles, boards.TileText{Kind: t.Kind, Of: t.Of,
						Title: t.Title,
						Size:  t.Size, Text: t.Text})
				}
			}
			if err := add("board", b.Slug, func() error {
				_, err := h.Boards.Add(ctx, b.Slug, b.Name, boards.Change{Sections: &sections}, by)
				return err
			}, h.Boards.Remove); err != nil {
				return err
			}
		}
		return nil
	}()
	if err != nil {
		for _, f := range slices.Backward(undo) {
			f()
		}
	}
	return err
}

// arrival is a pack on its way into the house: what its things are called here. It is a pack.Finder.
type arrival struct {
	house     *House
	places    map[string]place // devices and groups of the pack, by what they are called in it
	sequences map[string]string
	occasions map[string]string
	rooms     []string        // of its devices, as it calls them
	later     map[string]bool // groups and sequences of the pack whose names here are not known yet
	items     []library.PackItem
}

// place is what a device or group of a pack is called here, and what it is like.
type place struct {
	kind    run.Kind
	as      string
	keys    []string      // of a device that comes with the pack
	spec    *control.Spec // of that; nil of one that is here
	members []string      // of a group of the pack, as they are called here
}

// family is the things of one kind, on their way into the house.
type family[T any] struct {
	what   string
	slug   func(*T) *string
	name   func(T) string
	called func(T, pack.Finder) (T, error)
	taken  func(slug string) bool
	known  func(was, as string, called T) // told what each is called here
}

// arrive says which things of a pack are to be added, under the names that they get here, in an order in which each
// finds what it names. Errors wrap pack.ErrPack.
func (h *House) arrive(p pack.Pack, plan library.PackPlan) (out pack.Things, _ []library.PackItem, err error) {
	a := &arrival{house: h, places: map[string]place{}, sequences: map[string]string{}, occasions: map[string]string{},
		later: map[string]bool{}}
	for i, d := range p.Devices {
		a.rooms = append(a.rooms, d.Room)
		one := place{kind: run.Device, as: d.Slug}
		if item := plan.Items[i]; item.Action != library.Skip {
			one.as, one.keys = item.As, d.KeyNames()
			if one.spec, err = d.Compile(); err != nil {
				return out, nil, fmt.Errorf("%w: %s: %w", pack.ErrPack, d.Slug, err)
			}
		}
		a.places[d.Slug] = one
	}
	here, err := h.things(Packed{All: true})
	if err != nil {
		return out, nil, err
	}
	here.Sequences = slices.DeleteFunc(here.Sequences,
		func(q pack.Sequence) bool { // what names what is gone is another
			s, err := h.Sequences.Find(q.Slug)
			return err != nil || len(h.Sequences.Gone(s)) > 0
		})
	here.Occasions = slices.DeleteFunc(here.Occasions, func(q pack.Occasion) bool {
		o, err := h.Occasions.Find(q.Slug)
		return err != nil || len(h.Occasions.Gone(o)) > 0
	})
	if out.Groups, err = settle(a, p.Groups, here.Groups, family[pack.Group]{"group",
		func(g *pack.Group) *string { return &g.Slug }, func(g pack.Group) string { return g.Name },
		pack.Group.Called, a.takenPlace,
		func(was, as string, g pack.Group) {
			a.places[was] = place{kind: run.Group, as: as,
				members: g.Members}
		}}); err != nil {
		return out, nil, err
	}
	if out.Sequences, err = settle(a, p.Sequences, here.Sequences, family[pack.Sequence]{"sequence",
		func(q *pack.Sequence) *string { return &q.Slug }, func(q pack.Sequence) string { return q.Name },
		pack.Sequence.Called, func(slug string) bool { return found(h.Sequences.Find(slug)) },
		func(was, as string, _ pack.Sequence) { a.sequences[was] = as }}); err != nil {
		return out, nil, err
	}
	if out.Occasions, err = settle(a, p.Occasions, here.Occasions, family[pack.Occasion]{"occasion",
		func(o *pack.Occasion) *string { return &o.Slug }, func(o pack.Occasion) string { return o.Name },
		pack.Occasion.Called, func(slug string) bool { return found(h.Occasions.Find(slug)) },
		func(was, as string, _ pack.Occasion) { a.occasions[was] = as }}); err != nil {
		return out, nil, err
	}
	out.Boards, err = settle(a, p.Boards, here.Boards, family[pack.Board]{"board",
		func(b *pack.Board) *string { return &b.Slug }, func(b pack.Board) string { return b.Name },
		pack.Board.Called, func(slug string) bool { return found(h.Boards.Find(slug)) }, func(string, string,
			pack.Board) {
		}})
	return out, a.items, err
}

func found[T any](_ T, err error) bool { return err == nil }

// takenPlace says whether a device or group has a short name, here or once the devices of the pack have come.
func (a *arrival) takenPlace(slug string) bool {
	for _, p := range a.places {
		if p.as == slug {
			return true
		}
	}
	return slug == "reins" || found(a.house.Library.ID(slug)) || found(a.house.Groups.Find(slug))
}

// errLater is the error of what names a thing of the pack whose own name here is not known yet.
var errLater = errors.New("it is in the pack, and leads back to what names it")

// settle finds the names of some things here, each after those that it names. What is here already, and is the same,
// is left out. Errors wrap pack.ErrPack.
func settle[T any](a *arrival, all, here []T, f family[T]) ([]T, error) {
	for i := range all {
		a.later[f.what+" "+*f.slug(&all[i])] = true
	}
	var out []T
	waiting := slices.Clone(all)
	for len(waiting) > 0 {
		var next []T
		var why error
		for _, one := range waiting {
			was := *f.slug(&one)
			called, err := f.called(one, a)
			if errors.Is(err, errLater) {
				next, why = append(next, one), err
				continue
			}
			if err != nil {
				return nil, fmt.Errorf("%w: %w", pack.ErrPack, err)
			}
			item := library.PackItem{What: f.what, Slug: was, Name: f.name(one), Taken: f.taken(was), Action: "add",
				As: was}
			switch same := slices.IndexFunc(here, func(h T) bool { return alike(called, h, f.slug) }); {
			case same >= 0:
				item.Same, item.Action, item.As = true, library.Skip, *f.slug(&here[same])
			case item.Taken:
				item.Action = library.Copy
				item.As = device.FreeSlug(was, func(s string) bool {
					return !f.taken(s) && !slices.ContainsFunc(all, func(o T) bool { return *f.slug(&o) == s }) &&
						!slices.ContainsFunc(out, func(o T) bool { return *f.slug(&o) == s })
				})
			}
			f.known(was, item.As, called)
			delete(a.later, f.what+" "+was)
			a.items = append(a.items, item)
			if item.Action != library.Skip {
				*f.slug(&called) = item.As
				out = append(out, called)
			}
		}
		if len(next) == len(waiting) {
			return nil, fmt.Errorf("%w: %w", pack.ErrPack, why)
		}
		waiting = next
	}
	return out, nil
}

// alike says whether two things are the same but for their short names.
func alike[T any](x, y T, slug func(*T) *string) bool {
	*slug(&x), *slug(&y) = "", ""
	a, _ := json.Marshal(x) // what came from JSON, or goes there
	b, _ := json.Marshal(y)
	return string(a) == string(b)
}

// Place finds a device or group, of the pack or of the house, or a room or measurement.
func (a *arrival) Place(name string) (run.Kind, string, error) {
	if a.later["group "+name] {
		return "", "", fmt.Errorf("%s: %w", name, errLater)
	}
	if p, is := a.places[name]; is {
		return p.kind, p.as, nil
	}
	t, err := a.house.Targets.Target(name)
	if room, is := strings.CutPrefix(name, "room/"); is && err != nil {
		if slices.ContainsFunc(a.rooms, func(r string) bool { return device.Slug(r) == room }) {
			return run.Room, name, nil
		}
	}
	return t.Kind, cmp.Or(a.house.Targets.Name(t), name), err // a measurement is called the same everywhere
}

// Key says whether a device has a key.
func (a *arrival) Key(name, key string) error {
	if p, is := a.coming(name); is {
		if !slices.Contains(p.keys, key) {
			return fmt.Errorf("%s has no key %.40q", name, key)
		}
		return nil
	}
	t, err := a.house.Targets.Target(name)
	if err == nil {
		err = a.house.Targets.Key(t, key)
	}
	return err
}

// coming finds a device or group that comes with the pack by what it is called here.
func (a *arrival) coming(as string) (place, bool) {
	for _, p := range a.places {
		if p.as == as && (p.spec != nil || p.kind == run.Group) {
			return p, true
		}
	}
	return place{}, false
}

// Control says whether something has a control, or one of a group.
func (a *arrival) Control(name, of, value string) error {
	p, is := a.coming(name)
	if is && p.kind == run.Group {
		err := fmt.Errorf("the group %s has no devices", name)
		for _, m := range p.members {
			if err = a.Control(m, of, value); err == nil {
				return nil
			}
		}
		return err
	}
	if is && len(p.spec.Controls()) == 0 {
		return nil // nothing can be set on it yet
	}
	if is {
		if err := p.spec.Has(of); err != nil || value == "" {
			return err
		}
		if _, steps := p.spec.Steps(control.Want{Control: of, Value: value}); steps {
			return nil
		}
		return p.spec.Check(of, value)
	}
	t, err := a.house.Targets.Target(name)
	if err != nil { // a room that comes with the devices of the pack
		return nil
	}
	if err = a.house.Targets.Control(t, of, value); errors.Is(err, belief.ErrNoControls) {
		return nil // nothing can be set on it yet
	}
	return err
}

// Sequence finds a sequence, of the pack or of the house.
func (a *arrival) Sequence(name string) (string, error) {
	if a.later["sequence "+name] {
		return "", fmt.Errorf("%s: %w", name, errLater)
	}
	if as, is := a.sequences[name]; is {
		return as, nil
	}
	s, err := a.house.Sequences.Find(name)
	return s.Slug, err
}

// Occasion finds an occasion, of the pack or of the house.
func (a *arrival) Occasion(name string) (string, error) {
	if as, is := a.occasions[name]; is {
		return as, nil
	}
	o, err := a.house.Occasions.Find(name)
	return o.Slug, err
}

// Room says whether there is a room, or will be one with the devices of the pack.
func (a *arrival) Room(name string) error {
	if slices.Contains(a.rooms, name) {
		return nil
	}
	_, err := a.house.Rooms.Find(name)
	return err
}
