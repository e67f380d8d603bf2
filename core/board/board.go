// Package board is pages of tiles: what they are made of, their bounds, and how a page makes itself from what a house
// has. It keeps nothing and draws nothing.
package board

import (
	"fmt"
	"slices"
	"unicode/utf8"

	"urbo/core/fault"
	"urbo/core/plain"
	"urbo/core/run"
)

// ErrBoard is wrapped where a board cannot be kept: the text says why.
var ErrBoard = fault.New(fault.Invalid, "board")

// Bounds of a board.
const (
	// MaxTiles is the most tiles of a board.
	MaxTiles = 500
	// MaxSections is the most sections of a board.
	MaxSections = 60
	// MaxTitle is the longest title of a section or tile, in characters.
	MaxTitle = 80
	// MaxNote is the longest note, in characters.
	MaxNote = 500
)

// Board is a page.
type Board struct {
	// Automatic says that it is made from what the house has, until somebody edits it.
	Automatic bool `json:"automatic,omitempty"`
	// Version grows with each change: who changes a board says which one they saw.
	Version  int       `json:"edition"`
	Sections []Section `json:"sections,omitempty"`
}

// Section is tiles under a title.
type Section struct {
	Title string `json:"title,omitempty"`
	Tiles []Tile `json:"tiles"`
}

// Kind of a tile.
type Kind string

// The kinds.
const (
	Control     Kind = "control"     // one control of a device, or of all devices of a group or room
	Key         Kind = "key"         // one key of a device
	Device      Kind = "device"      // all that a device has
	Occasion    Kind = "occasion"    // starts, ends, and is put right
	Sequence    Kind = "sequence"    // runs
	Errand      Kind = "errand"      // is switched, and run
	Measurement Kind = "measurement" // a number
	Question    Kind = "question"    // what is asked of people now
	Heading     Kind = "heading"     // a title within a section
	Note        Kind = "note"        // a text
)

// Kinds are all of them.
var Kinds = []Kind{Control, Key, Device, Occasion, Sequence, Errand, Measurement, Question, Heading, Note}

// Size of a tile: how much of a row it takes.
type Size string

// The sizes. Without one a tile has that of what it shows.
const (
	Small Size = "small"
	Wide  Size = "wide"
	Large Size = "large"
)

// Sizes are all of them.
var Sizes = []Size{Small, Wide, Large}

// Tile is one thing on a board.
type Tile struct {
	ID    string     `json:"id"` // within its board
	Kind  Kind       `json:"kind"`
	On    run.Target `json:"on,omitzero"`    // what it is about
	Name  string     `json:"name,omitempty"` // of a control or key
	Title string     `json:"title,omitempty"`
	Size  Size       `json:"size,omitempty"`
	Text  string     `json:"text,omitempty"` // of a heading or note
}

// needs are the kinds of things that tiles of a kind may be about; none is nothing.
var needs = map[Kind][]run.Kind{
	Control: {run.Device, run.Group, run.Room, run.Reins}, Key: {run.Device, run.Reins}, Device: {run.Device},
	Occasion: {run.Occasion}, Sequence: {run.Sequence}, Errand: {run.Errand}, Measurement: {run.Measurement},
	Question: nil, Heading: nil, Note: nil,
}

// Named says whether tiles of a kind name a control or key.
func (k Kind) Named() bool { return k == Control || k == Key }

// Check says whether a board can be kept. The error wraps ErrBoard.
func (b Board) Check() error {
	if len(b.Sections) > MaxSections {
		return fmt.Errorf("%w: %d sections, the most is %d: make a second board", ErrBoard, len(b.Sections),
			MaxSections)
	}
	ids, n := map[string]bool{}, 0
	for _, s := range b.Sections {
		if err := text("the title of a section", s.Title, MaxTitle); err != nil {
			return err
		}
		for _, t := range s.Tiles {
			if n++; n > MaxTiles {
				return fmt.Errorf("%w: more than %d tiles: make a second board", ErrBoard, MaxTiles)
			}
			if err := t.check(); err != nil {
				return fmt.Errorf("%w, in tile %d", err, n)
			}
			if ids[t.ID] {
				return fmt.Errorf("%w: two tiles have the id %.40q", ErrBoard, t.ID)
			}
			ids[t.ID] = true
		}
	}
	return nil
}

func (t Tile) check() error {
	of, known := needs[t.Kind]
	switch {
	case !known:
		return fmt.Errorf("%w: kind %.20q: there are %s", ErrBoard, string(t.Kind), plain.List(Kinds))
	case t.ID == "" || len(t.ID) > 120:
		return fmt.Errorf("%w: the id of a tile has 1 to 120 characters", ErrBoard)
	case t.Size != "" && !slices.Contains(Sizes, t.Size):
		return fmt.Errorf("%w: size %.20q: there are %s", ErrBoard, string(t.Size), plain.List(Sizes))
	case len(of) > 0 && !slices.Contains(of, t.On.Kind):
		return fmt.Errorf("%w: a tile of kind %s is about one of %s, and %.60q is a %s", ErrBoard, t.Kind,
			plain.List(of), t.On.Was, t.On.Kind)
	case len(of) == 0 && t.On.ID != "":
		return fmt.Errorf("%w: a tile of kind %s is about nothing: leave out %.60q", ErrBoard, t.Kind, t.On.Was)
	case t.Kind.Named() != (t.Name != ""):
		return fmt.Errorf("%w: a tile of kind control or key names one, such as amplifier/volume, and others do not",
			ErrBoard)
	case (t.Kind == Heading || t.Kind == Note) != (t.Text != ""):
		return fmt.Errorf("%w: a heading or note has a text, and others do not", ErrBoard)
	}
	if err := text("the title of a tile", t.Title, MaxTitle); err != nil {
		return err
	}
	return text("a note", t.Text, MaxNote)
}

func text(what, s string, most int) error {
	switch n := utf8.RuneCountInString(s); {
	case n > most:
		return fmt.Errorf("%w: %s has %d characters, the most is %d", ErrBoard, what, n, most)
	case !plain.Is(s):
		return fmt.Errorf("%w: %s is not plain text", ErrBoard, what)
	}
	return nil
}

// Tile finds a tile by its id.
func (b Board) Tile(id string) (Tile, bool) {
	for _, s := range b.Sections {
		for _, t := range s.Tiles {
			if t.ID == id {
				return t, true
			}
		}
	}
	return Tile{}, false
}

// Targets lists what a board is about, each once.
func (b Board) Targets() (out []run.Target) {
	for _, s := range b.Sections {
		for _, t := range s.Tiles {
			if t.On.ID != "" && !slices.ContainsFunc(out, func(o run.Target) bool {
				return o.Kind == t.On.Kind && o.ID == t.On.ID
			}) {
				out = append(out, t.On)
			}
		}
	}
	return out
}
