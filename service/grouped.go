package service

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"urbo/core/control"
	"urbo/core/run"
	"urbo/service/belief"
	"urbo/service/holds"
	"urbo/service/setting"
)

// Mixed is the value of a control of several devices that are not all at one.
const Mixed = "mixed"

// Together is a control of several devices: what those that have it are at.
type Together struct {
	Control string
	Kind    control.Kind
	Value   string   // "" where some are not known, Mixed where they differ
	Choices []string // its values by name, of any of them; none of a number
	Devices []string
	Word    control.Word // the least of them
}

// StateOf is what the devices of a group or room are believed to be at, by control.
func (h *House) StateOf(of run.Target) ([]Together, error) {
	var out []Together
	for _, id := range h.Targets.Devices(of) {
		slug := h.Library.Slug(id)
		states, err := h.Beliefs.StatesOf(id)
		if errors.Is(err, belief.ErrNoControls) {
			continue
		}
		if err != nil {
			return nil, err
		}
		spec, err := h.Beliefs.Spec(id)
		if err != nil {
			return nil, err
		}
		for k, st := range states {
			choices := spec.Controls()[k].Choices()
			i := slices.IndexFunc(out, func(c Together) bool { return c.Control == st.Control && c.Kind == st.Kind })
			if i < 0 {
				out = append(out, Together{Control: st.Control, Kind: st.Kind, Value: st.Value, Word: st.Word,
					Choices: slices.Clone(choices), Devices: []string{slug}})
				continue
			}
			c := &out[i]
			for _, v := range choices {
				if !slices.Contains(c.Choices, v) {
					c.Choices = append(c.Choices, v)
				}
			}
			c.Devices = append(c.Devices, slug)
			c.Word = lesser(c.Word, st.Word)
			switch {
			case c.Value == "" || st.Value == "":
				c.Value = ""
			case c.Value != st.Value:
				c.Value = Mixed
			}
		}
	}
	return out, nil
}

// lesser is the word that says less.
func lesser(a, b control.Word) control.Word {
	order := []control.Word{control.Doubtful, control.Believed, control.Certain}
	return order[min(slices.Index(order, a), slices.Index(order, b))]
}

// Wanted is a wish as people say it.
type Wanted struct {
	setting.Wish
	For  time.Duration // then what was before comes back; 0 is for good
	Then string        // or this value
	Dry  bool          // only tell what would be pressed
}

// Set sets controls of a device, and waits for what becomes of it. Errors are those of setting.Set and holds.Start.
func (h *House) Set(ctx context.Context, w Wanted) (setting.Result, error) {
	switch {
	case w.Dry:
		return h.Setting.Plan(w.Wish)
	case w.For == 0 && w.Then == "":
		return h.Setting.Set(ctx, w.Wish)
	}
	t, err := h.Holds.Start(ctx, holds.Order{Wish: w.Wish, For: w.For, Then: w.Then})
	if err != nil {
		return setting.Result{}, err
	}
	return t.Wait(ctx)
}

// One is what came of a wish for one of several devices.
type One struct {
	Device string // slug
	Result setting.Result
	Err    error
}

// SetAll sets controls of all devices of a group or room that have them, side by side. The error wraps control.ErrForm
// where none of them has a control that is wanted.
func (h *House) SetAll(ctx context.Context, of run.Target, w Wanted) ([]One, error) {
	wanted := map[string][]control.Want{} // by id
	var order []string
	for _, want := range w.Wants {
		on, name, err := h.Targets.Resolve(of, want.Control)
		if err != nil {
			return nil, err
		}
		want.Control = name
		ids, err := h.Targets.With(on, name)
		if err != nil {
			return nil, err
		}
		for _, id := range ids {
			if wanted[id] == nil {
				order = append(order, id)
			}
			wanted[id] = append(wanted[id], want)
		}
	}
	if w.Then != "" && len(w.Wants) != 1 {
		return nil, fmt.Errorf("%w: then goes with one control", holds.ErrHold)
	}
	out := make([]One, len(order))
	var all sync.WaitGroup
	for i, id := range order {
		one := w
		one.Device, one.Wants = id, wanted[id]
		out[i].Device = h.Library.Slug(id)
		all.Go(func() { out[i].Result, out[i].Err = h.Set(ctx, one) })
	}
	all.Wait()
	return out, nil
}
