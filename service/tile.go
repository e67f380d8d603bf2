package service

import (
	"errors"
	"slices"

	"urbo/core/board"
	"urbo/core/control"
	"urbo/core/run"
	"urbo/service/targets"
)

// TileControl is a control of a tile: what it is at, of one device or of several together.
type TileControl struct {
	control.State
	Device string // id of the one that it is of; "" where there are several
}

// Tile is what a tile shows now.
type Tile struct {
	Devices  []string // ids of those that it is about
	Controls []TileControl
	Forms    []control.Control // of the controls, in the same order
	Keys     []string          // that it presses
	Fixed    bool              // nothing sets its controls: the device has no keys that can be sent
	Whole    bool
	Idle     bool // it is of the reins, and nobody has them now
	Gone     bool
}

// TileOf is what a tile shows now. What is gone has nothing.
func (h *House) TileOf(t board.Tile) Tile {
	out := Tile{Devices: h.Boards.DevicesOf(t.On)}
	t, err := h.TileNow(t)
	if err != nil {
		out.Idle = errors.Is(err, targets.ErrReins)
		out.Gone = !out.Idle
		return out
	}
	if t.On.ID != "" && h.Boards.Name(t.On) == "" {
		out.Gone = true
		return out
	}
	if t.On.Kind == run.Device && (t.Kind == board.Device || t.Kind == board.Key) {
		if d, err := h.Library.ByID(t.On.ID); err == nil {
			out.Whole = d.Whole != nil
			for _, k := range d.Keys {
				if k.Learned() && (t.Kind == board.Device || k.Name == t.Name) {
					out.Keys = append(out.Keys, k.Name)
				}
			}
			_, missing := d.Key(t.Name)
			out.Gone = t.Kind == board.Key && missing != nil
		}
	}
	if d, err := h.Library.ByID(t.On.ID); err == nil {
		out.Fixed = d.Fixed()
	}
	switch {
	case t.Kind == board.Control && t.On.Kind != run.Device:
		out.together(h, t)
	case t.Kind == board.Control, t.Kind == board.Device:
		states, err := h.Beliefs.StatesOf(t.On.ID)
		spec, none := h.Beliefs.Spec(t.On.ID)
		for i, st := range states {
			if err == nil && none == nil && (t.Kind == board.Device || st.Control == t.Name) {
				out.Controls = append(out.Controls, TileControl{st, t.On.ID})
				out.Forms = append(out.Forms, spec.Controls()[i])
			}
		}
		out.Gone = t.Kind == board.Control && len(out.Controls) == 0
	}
	return out
}

// TileNow is a tile as it is now: one of the reins is of whoever has them. The error wraps targets.ErrReins where
// nobody has.
func (h *House) TileNow(t board.Tile) (now board.Tile, err error) {
	switch t.Kind {
	case board.Control:
		t.On, t.Name, err = h.Targets.Resolve(t.On, t.Name)
	case board.Key:
		t.On, t.Name, err = h.Targets.ResolveKey(t.On, t.Name)
	}
	return t, err
}

// together adds a control of several devices. Its form is that of the first, with all their values by name.
func (out *Tile) together(h *House, t board.Tile) {
	all, err := h.StateOf(t.On)
	i := slices.IndexFunc(all, func(c Together) bool { return c.Control == t.Name })
	if err != nil || i < 0 {
		out.Gone = true
		return
	}
	c := all[i]
	form := control.Control{Name: c.Control, Kind: c.Kind}
	if id, err := h.Library.ID(c.Devices[0]); err == nil {
		if spec, err := h.Beliefs.Spec(id); err == nil {
			for _, f := range spec.Controls() {
				if f.Name == c.Control {
					form = f
				}
			}
		}
	}
	if form.Kind == control.Selector || form.Kind == control.Power {
		form.Values = c.Choices
	}
	out.Forms = append(out.Forms, form)
	out.Controls = append(out.Controls, TileControl{State: control.State{Control: c.Control, Kind: c.Kind,
		Value: c.Value, Word: c.Word, Unit: form.Unit}})
}
