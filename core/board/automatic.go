package board

import (
	"urbo/core/control"
	"urbo/core/run"
)

// Room is a room by its id and name.
type Room struct{ ID, Name string }

// Thing is a device as a board shows it.
type Thing struct {
	On       run.Target
	Room     string // id; "" is none
	Controls []control.Control
	Whole    bool // each frame carries all of its controls, as those of a heat pump do
	Keys     int  // that are learned
}

// House is what a board is made from.
type House struct {
	Rooms     []Room // in the order in which they are shown
	Things    []Thing
	Occasions []run.Target
}

// Automatic makes a board: the occasions first, then the rooms; in each, what can be switched, then what can be turned
// or moved, then what has keys only. What is beyond the bounds is left out.
func Automatic(h House) Board {
	b := Board{Automatic: true}
	var first Section
	for _, o := range h.Occasions {
		first.Tiles = append(first.Tiles, Tile{ID: o.ID, Kind: Occasion, On: o})
	}
	b.add(first)
	known := map[string]bool{}
	for _, r := range h.Rooms {
		known[r.ID] = true
		b.add(Section{Title: r.Name, Tiles: tilesOf(h.Things, func(t Thing) bool { return t.Room == r.ID })})
	}
	title := ""
	if len(h.Rooms) > 0 {
		title = "Elsewhere"
	}
	b.add(Section{Title: title, Tiles: tilesOf(h.Things, func(t Thing) bool { return !known[t.Room] })})
	return b
}

// add adds a section, unless nothing is in it, as far as the bounds allow.
func (b *Board) add(s Section) {
	n := 0
	for _, o := range b.Sections {
		n += len(o.Tiles)
	}
	s.Tiles = s.Tiles[:min(len(s.Tiles), MaxTiles-n)]
	if len(s.Tiles) > 0 && len(b.Sections) < MaxSections {
		b.Sections = append(b.Sections, s)
	}
}

// tilesOf are the tiles of some devices.
func tilesOf(things []Thing, is func(Thing) bool) []Tile {
	var switched, turned, pressed []Tile
	for _, t := range things {
		if !is(t) {
			continue
		}
		of := func(c control.Control) Tile {
			return Tile{ID: t.On.ID + "." + c.Name, Kind: Control, On: t.On, Name: c.Name}
		}
		whole := Tile{ID: t.On.ID, Kind: Device, On: t.On}
		switch {
		case t.Whole:
			whole.Size = Wide
			turned = append(turned, whole)
			continue
		case len(t.Controls) == 0 && t.Keys > 0:
			pressed = append(pressed, whole)
			continue
		}
		before := len(switched) + len(turned)
		dial := false
		for _, c := range t.Controls {
			switch {
			case c.Kind == control.Power:
				switched = append(switched, of(c))
			case c.Kind == control.Travel && c.SlatsOf == "", c.Kind == control.Dial && !dial:
				dial = dial || c.Kind == control.Dial
				turned = append(turned, of(c))
			}
		}
		if len(switched)+len(turned) == before && len(t.Controls) > 0 { // it has others only
			turned = append(turned, of(t.Controls[0]))
		}
	}
	out := append(switched, turned...)
	return append(out, pressed...)
}
