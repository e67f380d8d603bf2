package pack

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"urbo/core/board"
	"urbo/core/device"
	"urbo/core/run"
)

// Things is what a house has of its devices: their groups, and the sequences, occasions and boards about them. They are
// written as people write them, with short names; since 1.4.
type Things struct {
	Groups    []Group    `json:"groups,omitempty"`
	Sequences []Sequence `json:"sequences,omitempty"`
	Occasions []Occasion `json:"occasions,omitempty"`
	Boards    []Board    `json:"boards,omitempty"`
}

// Count is how many things there are.
func (t Things) Count() int {
	return len(t.Groups) + len(t.Sequences) + len(t.Occasions) + len(t.Boards)
}

// Group is a named list of devices and groups, by their short names.
type Group struct {
	Slug    string   `json:"slug"`
	Name    string   `json:"name"`
	Members []string `json:"members"`
}

// Sequence is named steps.
type Sequence struct {
	Slug  string `json:"slug"`
	Name  string `json:"name"`
	Steps string `json:"steps"`
}

// Occasion is a named wanted state.
type Occasion struct {
	Slug   string            `json:"slug"`
	Name   string            `json:"name"`
	Wants  string            `json:"wants"`
	Room   string            `json:"room,omitempty"` // by its name; "" is the whole house
	Stays  []string          `json:"stays,omitempty"`
	Reins  map[string]string `json:"reins,omitempty"` // rein → DEVICE/CONTROL or DEVICE
	Leaves bool              `json:"leaves,omitempty"`
}

// Board is a page of tiles.
type Board struct {
	Slug     string    `json:"slug"`
	Name     string    `json:"name"`
	Sections []Section `json:"sections"`
}

// Section is tiles under a title.
type Section struct {
	Title string `json:"title,omitempty"`
	Tiles []Tile `json:"tiles"`
}

// Tile is one thing on a board.
type Tile struct {
	Kind  board.Kind `json:"kind"`
	Of    string     `json:"of,omitempty"` // amplifier/volume, public-talk
	Title string     `json:"title,omitempty"`
	Size  board.Size `json:"size,omitempty"`
	Text  string     `json:"text,omitempty"`
}

// mostThings is the most of each kind in a pack.
const mostThings = 500

// things reads the things of one kind from their member of a pack.
func things[T any](s *scanner, member string, slug func(T) string, into *[]T) error {
	if err := s.open('[', member); err != nil {
		return err
	}
	seen := map[string]bool{}
	for s.in.More() {
		place := fmt.Sprintf("%s[%d]", member, len(*into))
		if len(*into) >= mostThings {
			return fmt.Errorf("%s: the most is %d: export it in parts", place, mostThings)
		}
		s.from.some = 0
		var raw json.RawMessage
		if err := s.in.Decode(&raw); err != nil {
			return err
		}
		if err := checkShape(raw); err != nil {
			return fmt.Errorf("%s: %w", place, err)
		}
		var one T
		if err := json.Unmarshal(raw, &one); err != nil {
			return fmt.Errorf("%s: %w", place, wrongKind(err))
		}
		if err := device.CheckSlug("slug", slug(one)); err != nil {
			return fmt.Errorf("%s: %w", place, err)
		}
		if seen[slug(one)] {
			return fmt.Errorf("%s: slug %q is there twice", place, slug(one))
		}
		seen[slug(one)] = true
		*into = append(*into, one)
	}
	_, err := s.in.Token()
	return err
}

// Finder says what the things that a pack names are called where the pack comes to. Errors say what is missing.
type Finder interface {
	// Place finds a device or group, "room/ROOM", "reins" or a measurement.
	Place(name string) (run.Kind, string, error)
	// Key says whether a device that Place found has a key, and Control whether it has a control that may be at a
	// value; "" is any.
	Key(place, key string) error
	Control(place, control, value string) error
	Sequence(name string) (string, error)
	Occasion(name string) (string, error)
	// Room says whether there is a room of a name.
	Room(name string) error
}

// Called is a group with what its members are called where it comes to.
func (g Group) Called(f Finder) (Group, error) {
	members := make([]string, len(g.Members))
	for i, m := range g.Members {
		_, name, err := f.Place(m)
		if err != nil {
			return g, fmt.Errorf("the group %s: %w", g.Slug, err)
		}
		members[i] = name
	}
	g.Members = members
	return g, nil
}

// Called is a sequence with what it is about called as it is where it comes to.
func (s Sequence) Called(f Finder) (Sequence, error) {
	steps, err := steps(s.Steps, f)
	if err != nil {
		return s, fmt.Errorf("the sequence %s: %w", s.Slug, err)
	}
	s.Steps = steps
	return s, nil
}

// Called is an occasion with what it is about called as it is where it comes to.
func (o Occasion) Called(f Finder) (Occasion, error) {
	called, err := o.called(f)
	if err != nil {
		return o, fmt.Errorf("the occasion %s: %w", o.Slug, err)
	}
	return called, nil
}

func (o Occasion) called(f Finder) (_ Occasion, err error) {
	if o.Wants, err = steps(o.Wants, f); err != nil {
		return o, err
	}
	if o.Room != "" {
		if err := f.Room(o.Room); err != nil {
			return o, err
		}
	}
	stays := make([]string, len(o.Stays))
	for i, name := range o.Stays {
		if _, stays[i], err = f.Place(name); err != nil {
			return o, err
		}
	}
	reins := make(map[string]string, len(o.Reins))
	for rein, path := range o.Reins {
		name, of, _ := strings.Cut(path, "/")
		_, name, err := f.Place(name)
		if err != nil {
			return o, err
		}
		reins[rein] = strings.TrimSuffix(name+"/"+of, "/")
	}
	o.Stays, o.Reins = stays, reins
	return o, nil
}

// Called is a board with what its tiles are about called as it is where it comes to.
func (b Board) Called(f Finder) (Board, error) {
	sections := make([]Section, len(b.Sections))
	for i, s := range b.Sections {
		tiles := make([]Tile, len(s.Tiles))
		for j, t := range s.Tiles {
			of, err := t.about(f)
			if err != nil {
				return b, fmt.Errorf("the board %s, section %d, tile %d: %w", b.Slug, i+1, j+1, err)
			}
			t.Of = of
			tiles[j] = t
		}
		sections[i] = Section{s.Title, tiles}
	}
	b.Sections = sections
	return b, nil
}

func (t Tile) about(f Finder) (string, error) {
	switch t.Kind {
	case board.Control, board.Key:
		i := strings.LastIndexByte(t.Of, '/')
		if i <= 0 || i == len(t.Of)-1 {
			return "", fmt.Errorf("a tile of kind %s is about DEVICE/NAME, not %.60q", t.Kind, t.Of)
		}
		_, name, err := f.Place(t.Of[:i])
		switch {
		case err != nil:
		case t.Kind == board.Key:
			err = f.Key(name, t.Of[i+1:])
		default:
			err = f.Control(name, t.Of[i+1:], "")
		}
		return name + t.Of[i:], err
	case board.Device:
		_, name, err := f.Place(t.Of)
		return name, err
	case board.Occasion:
		return f.Occasion(t.Of)
	case board.Sequence:
		return f.Sequence(t.Of)
	case board.Errand: // errands are about the times, the place and the meters of one house
		return "", errors.New("packs have no errands, and no tiles of them")
	}
	return t.Of, nil
}

// steps are steps with what they are about called as it is where they come to.
func steps(text string, f Finder) (string, error) {
	read, err := run.Parse(text, called{f})
	if err != nil {
		return "", err
	}
	return run.Print(read, func(t run.Target) string { return t.ID }), nil
}

// called lets steps be read by a finder. What it finds has its new name as its id.
type called struct{ Finder }

// Target finds a device, group, room or measurement.
func (c called) Target(name string) (run.Target, error) {
	kind, as, err := c.Place(name)
	return run.Target{Kind: kind, ID: as, Was: name}, err
}

// Sequence finds a sequence.
func (c called) Sequence(name string) (run.Target, error) {
	as, err := c.Finder.Sequence(name)
	return run.Target{Kind: run.Sequence, ID: as, Was: name}, err
}

// Key says whether a device has a key.
func (c called) Key(t run.Target, key string) error { return c.Finder.Key(t.ID, key) }

// Control says whether something has a control.
func (c called) Control(t run.Target, control, value string) error {
	return c.Finder.Control(t.ID, control, value)
}
