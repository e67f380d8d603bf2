package service

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"

	"urbo/core/control"
	"urbo/service/belief"
	"urbo/service/groups"
	"urbo/service/setting"
)

// Mixed is the value of a group's control whose devices are not all at one.
const Mixed = "mixed"

// GroupControl is a control of a group: what its devices that have it are at.
type GroupControl struct {
	Control string
	Kind    control.Kind
	Value   string // "" where some are not known, Mixed where they differ
	Devices []string
	Word    control.Word // the least of them
}

// GroupState is what the devices of a group are believed to be at, by control.
func (h *House) GroupState(group groups.Group) ([]GroupControl, error) {
	var out []GroupControl
	for _, id := range h.Groups.Devices(group.ID) {
		slug := h.Library.Slug(id)
		states, _, err := h.Beliefs.States(slug)
		if errors.Is(err, belief.ErrNoControls) {
			continue
		}
		if err != nil {
			return nil, err
		}
		for _, st := range states {
			i := slices.IndexFunc(out, func(c GroupControl) bool {
				return c.Control == st.Control &&
					c.Kind == st.Kind
			})
			if i < 0 {
				out = append(out, GroupControl{Control: st.Control, Kind: st.Kind, Value: st.Value, Word: st.Word,
					Devices: []string{slug}})
				continue
			}
			c := &out[i]
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

// GroupResult is what came of a wish for one device of a group.
type GroupResult struct {
	Device string // slug
	Result setting.Result
	Err    error
}

// SetGroup sets controls of all devices of a group that have them, side by side. The error wraps control.ErrForm where
// none of them has a control that is wanted.
func (h *House) SetGroup(ctx context.Context, group groups.Group, w setting.Wish, dry bool) ([]GroupResult, error) {
	state, err := h.GroupState(group)
	if err != nil {
		return nil, err
	}
	wanted := map[string][]control.Want{} // by slug
	var order []string
	for _, want := range w.Wants {
		i := slices.IndexFunc(state, func(c GroupControl) bool { return c.Control == want.Control })
		if i < 0 {
			return nil, fmt.Errorf("%w %.40q: no device of %s has it", control.ErrForm, want.Control, group.Slug)
		}
		for _, slug := range state[i].Devices {
			if wanted[slug] == nil {
				order = append(order, slug)
			}
			wanted[slug] = append(wanted[slug], want)
		}
	}
	out := make([]GroupResult, len(order))
	var all sync.WaitGroup
	for i, slug := range order {
		one := w
		one.Wants = wanted[slug]
		out[i].Device = slug
		if one.Device, out[i].Err = h.Library.ID(slug); out[i].Err != nil {
			continue
		}
		all.Go(func() {
			if dry {
				out[i].Result, out[i].Err = h.Setting.Plan(one)
				return
			}
			out[i].Result, out[i].Err = h.Setting.Set(ctx, one)
		})
	}
	all.Wait()
	return out, nil
}
