// Package boards keeps pages of tiles. The first one makes itself.
package boards

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"urbo/core/board"
	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/run"
	"urbo/service/errands"
	"urbo/service/library"
	"urbo/service/measure"
	"urbo/service/named"
	"urbo/service/occasions"
	"urbo/service/rooms"
	"urbo/service/sequences"
	"urbo/service/stream"
	"urbo/store"
)

// Errors that callers ask for.
var (
	ErrUnknown = fault.New(fault.NotFound, "unknown board")
	ErrTile    = fault.New(fault.NotFound, "unknown tile")
	ErrMost    = fault.New(fault.Invalid, "boards")
	ErrVersion = fault.New(fault.Conflict, "the board was changed meanwhile")
	ErrLast    = fault.New(fault.Conflict, "it is the only board")
)

// Most is the most boards of a house.
const Most = 100

// Board is a named page.
type Board = named.Thing[board.Board]

// Library lists devices.
type Library interface {
	Lines(search string) []library.Line
	ByID(id string) (device.Device, error)
}

// Targets finds what tiles name.
type Targets interface {
	Target(name string) (run.Target, error)
	Name(t run.Target) string
	Key(t run.Target, key string) error
	Control(t run.Target, control, value string) error
	AllDevices(all []run.Target) []string
}

// Config of the boards.
type Config struct {
	Rows      named.Rows
	Store     named.Store
	Library   Library
	Rooms     *rooms.Rooms
	Targets   Targets
	Occasions *occasions.Occasions
	Sequences *sequences.Sequences
	Errands   *errands.Errands // there before anybody asks
	Stream    *stream.Stream
}

// Boards is the boards of the house.
type Boards struct {
	Config
	all *named.List[board.Board]
}

// Open reads the boards. One that cannot be read is empty until it is given anew. Where there is none, the first one
// makes itself.
func Open(ctx context.Context, c Config) (*Boards, error) {
	b := &Boards{Config: c}
	kind := named.Kind{Name: "board", Most: Most, Unknown: ErrUnknown, Limit: ErrMost}
	var err error
	b.all, err = named.Open(ctx, kind, c.Rows, c.Store, func(one Board, err error) {
		c.Stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "error", Text: fmt.Sprintf(
			"The board %s %v: it is empty until it is made anew", one.Name, err)}})
	})
	if err != nil || len(b.all.List()) > 0 {
		return b, err
	}
	_, err = b.all.Add(ctx, "home", "Home", func(Board) (board.Board, error) {
		return board.Board{Automatic: true}, nil
	}, named.Plainly)
	return b, err
}

// List lists the boards by name, that which made itself first.
func (b *Boards) List() []Board {
	all := b.all.List()
	slices.SortStableFunc(all, func(x, y Board) int {
		switch {
		case x.Doc.Automatic == y.Doc.Automatic:
			return 0
		case x.Doc.Automatic:
			return -1
		}
		return 1
	})
	return all
}

// Find finds a board by its slug or id. The error wraps ErrUnknown and names the nearest.
func (b *Boards) Find(slug string) (Board, error) { return b.all.Find(slug) }

// Page is what stands on a board now: one that is automatic is made from what the house has.
func (b *Boards) Page(one Board) board.Board {
	if !one.Doc.Automatic {
		return one.Doc
	}
	var h board.House
	for _, r := range b.Rooms.List() {
		h.Rooms = append(h.Rooms, board.Room{ID: r.ID, Name: r.Name})
	}
	for _, l := range b.Library.Lines("") {
		if d, err := b.Library.ByID(l.ID); err == nil {
			h.Things = append(h.Things, board.Thing{On: run.Target{Kind: run.Device, ID: l.ID, Was: l.Slug},
				Room: l.RoomID, Controls: slices.Clone([]control.Control(d.Controls)), Whole: d.Whole != nil,
				Keys: d.Learned()})
		}
	}
	for _, o := range b.Occasions.List() {
		h.Occasions = append(h.Occasions, run.Target{Kind: run.Occasion, ID: o.ID, Was: o.Slug})
	}
	page := board.Automatic(h)
	page.Version = one.Doc.Version
	return page
}

// Name is what something is called now, "" where it is gone.
func (b *Boards) Name(t run.Target) string {
	switch t.Kind {
	case run.Occasion:
		one, _ := b.Occasions.Find(t.ID)
		return one.Slug
	case run.Sequence:
		one, _ := b.Sequences.Find(t.ID)
		return one.Slug
	case run.Errand:
		one, _ := b.Errands.Find(t.ID)
		return one.Slug
	case run.Measurement:
		return t.ID
	}
	return b.Targets.Name(t)
}

// Devices are the ids of the devices that a board is about, each once.
func (b *Boards) Devices(page board.Board) []string {
	var out []string
	for _, t := range page.Targets() {
		if t.Kind == run.Reins { // they reach what else stands there, and nothing more
			continue
		}
		for _, id := range b.DevicesOf(t) {
			if !slices.Contains(out, id) {
				out = append(out, id)
			}
		}
	}
	return out
}

// DevicesOf are the ids of the devices that something on a board is about now.
func (b *Boards) DevicesOf(t run.Target) []string {
	switch t.Kind {
	case run.Occasion:
		if o, err := b.Occasions.Find(t.ID); err == nil {
			return b.Targets.AllDevices(o.Doc.Targets())
		}
	case run.Sequence:
		if s, err := b.Sequences.Find(t.ID); err == nil {
			if p, err := b.Sequences.Program(s); err == nil { // with those that it runs
				return b.Targets.AllDevices(p.Targets())
			}
			return b.Targets.AllDevices(run.Targets(s.Doc.Steps))
		}
	case run.Errand:
		if e, err := b.Errands.Find(t.ID); err == nil {
			var out []string
			for _, about := range e.Doc.Errand.Targets() {
				if about.Kind == run.Errand {
					continue
				}
				for _, id := range b.DevicesOf(about) {
					if !slices.Contains(out, id) {
						out = append(out, id)
					}
				}
			}
			return out
		}
	}
	return b.Targets.AllDevices([]run.Target{t})
}

// Of is what a tile is about, as people write it: amplifier/volume, public-talk. What is gone is called as it was.
func (b *Boards) Of(t board.Tile) string {
	name := b.Name(t.On)
	if name == "" {
		name = t.On.Was
	}
	if t.Kind.Named() {
		name += "/" + t.Name
	}
	return name
}

// Text of a section as somebody wrote it.
type Text struct {
	Title string
	Tiles []TileText
}

// TileText is a tile as somebody wrote it.
type TileText struct {
	ID    string // "" is a new one
	Kind  board.Kind
	Of    string // what it is about
	Title string
	Size  board.Size
	Text  string
}

// Change is what is to be different about a board; nil leaves it as it is.
type Change struct {
	Slug, Name *string
	Sections   *[]Text // then it is not automatic any more
	Automatic  *bool
	// Version is the one that whoever changes it saw: another one is not written over. nil does not ask.
	Version *int
	// Sight says what whoever changes it hears of something that tiles name; nil sees everything.
	Sight sequences.Sight
	// May is asked about what a board is about once it is changed; nil allows all.
	May func(about []run.Target) error
}

// doc makes what is kept of a board. Errors wrap board.ErrBoard or ErrVersion, or are those of what it names.
func (b *Boards) doc(c Change) func(Board) (board.Board, error) {
	return func(one Board) (board.Board, error) {
		d := one.Doc
		if c.Version != nil && *c.Version != d.Version {
			return d, fmt.Errorf("%w: it is version %d now, and you changed version %d: look at it again", ErrVersion,
				d.Version, *c.Version)
		}
		d.Version++
		if c.Automatic != nil {
			d.Automatic = *c.Automatic
		}
		if d.Automatic && c.Sections == nil {
			d.Sections = nil
		}
		if c.Sections != nil {
			sections, err := b.read(*c.Sections, d, c.Sight)
			if err != nil {
				return one.Doc, err
			}
			d.Automatic, d.Sections = false, sections
		}
		if err := d.Check(); err != nil {
			return one.Doc, err
		}
		if c.May != nil {
			if err := c.May(d.Targets()); err != nil {
				return one.Doc, err
			}
		}
		return d, nil
	}
}

// read reads sections. A tile that stands on the board already, under its id, keeps what it is about where that is
// gone.
func (b *Boards) read(texts []Text, was board.Board, sight sequences.Sight) (out []board.Section, err error) {
	for _, s := range texts {
		section := board.Section{Title: s.Title, Tiles: []board.Tile{}}
		for _, t := range s.Tiles {
			tile := board.Tile{ID: t.ID, Kind: t.Kind, Title: t.Title, Size: t.Size, Text: t.Text}
			if tile.ID == "" {
				tile.ID = store.NewID()
			}
			old, there := was.Tile(t.ID)
			switch {
			case there && old.Kind == t.Kind && b.Of(old) == t.Of:
				tile.On, tile.Name = old.On, old.Name
			case t.Of != "":
				tile.On, tile.Name, err = b.about(t.Kind, t.Of)
				if sight != nil {
					err = sight(t.Of, tile.On, err)
				}
				if err != nil {
					return nil, err
				}
			}
			section.Tiles = append(section.Tiles, tile)
		}
		out = append(out, section)
	}
	return out, nil
}

// about finds what a tile is about. Errors are those of what it names, or wrap board.ErrBoard.
func (b *Boards) about(kind board.Kind, of string) (run.Target, string, error) {
	switch kind {
	case board.Occasion:
		o, err := b.Occasions.Find(of)
		return run.Target{Kind: run.Occasion, ID: o.ID, Was: o.Slug}, "", err
	case board.Sequence:
		s, err := b.Sequences.Find(of)
		return run.Target{Kind: run.Sequence, ID: s.ID, Was: s.Slug}, "", err
	case board.Errand:
		e, err := b.Errands.Find(of)
		return run.Target{Kind: run.Errand, ID: e.ID, Was: e.Slug}, "", err
	case board.Control, board.Key:
		i := strings.LastIndexByte(of, '/')
		if i <= 0 || i == len(of)-1 {
			return run.Target{}, "", fmt.Errorf("%w: a tile of kind %s is about DEVICE/NAME, such as "+
				"amplifier/volume, not %.60q", board.ErrBoard, kind, of)
		}
		on, err := b.Targets.Target(of[:i])
		name := of[i+1:]
		switch {
		case err != nil:
		case kind == board.Key && (on.Kind == run.Device || on.Kind == run.Reins):
			err = b.Targets.Key(on, name)
		case kind == board.Control && on.Kind != run.Measurement:
			err = b.Targets.Control(on, name, "")
		}
		return on, name, err
	}
	if kind == board.Measurement { // one that was not told since the start is known by its name
		return run.Target{Kind: run.Measurement, ID: of, Was: of}, "", measure.CheckName(of)
	}
	on, err := b.Targets.Target(of)
	return on, "", err
}

// Add makes a board. Errors wrap device.ErrName, device.ErrTaken, ErrMost or board.ErrBoard, or are those of what its
// tiles name, or the store's.
func (b *Boards) Add(ctx context.Context, slug, name string, c Change, by grant.By) (Board, error) {
	one, err := b.all.Add(ctx, slug, name, b.doc(c), named.Plainly)
	return one, b.changed(one, err, by, "Added the board ")
}

// Alter changes a board. Errors are those of Add, or wrap ErrUnknown or ErrVersion.
func (b *Boards) Alter(ctx context.Context, slug string, c Change, by grant.By) (Board, error) {
	change := named.Change[board.Board]{Slug: c.Slug, Name: c.Name, Doc: b.doc(c)}
	one, err := b.all.Alter(ctx, slug, change, named.Plainly)
	return one, b.changed(one, err, by, "Changed the board ")
}

// Remove removes a board. Errors wrap ErrUnknown, or ErrLast where it is the only one.
func (b *Boards) Remove(ctx context.Context, slug string, by grant.By) error {
	one, err := b.all.Remove(ctx, slug, func(one Board) error {
		if len(b.all.List()) == 1 {
			return fmt.Errorf("%w: add another one before you remove %s", ErrLast, one.Name)
		}
		return nil
	}, named.Plainly)
	return b.changed(one, err, by, "Removed the board ")
}

// changed tells that a board is another, where there is no error.
func (b *Boards) changed(one Board, err error, by grant.By, said string) error {
	if err == nil {
		b.Stream.Publish(happening.Happening{By: by, What: happening.BoardChanged{BoardID: one.ID, Board: one.Slug,
			Text: said + one.Name, Devices: b.Devices(one.Doc)}})
	}
	return err
}
