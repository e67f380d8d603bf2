package service

import (
	"fmt"
	"slices"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/run"
	"urbo/service/kept"
	"urbo/service/library"
	"urbo/service/phrases"
	"urbo/service/sequences"
)

// Texts is where a face keeps documents of its own.
func (h *House) Texts() kept.Store { return h.store }

// Place is a device where it stands now.
func (h *House) Place(id string) grant.Target {
	return grant.Target{Device: id, Room: h.Library.RoomOf(id)}
}

// places are devices where they stand now.
func (h *House) places(ids []string) []grant.Target {
	out := make([]grant.Target, len(ids))
	for i, id := range ids {
		out[i] = h.Place(id)
	}
	return out
}

// Reached is what some targets are about, with what occasions, sequences and errands among them reach.
func (h *House) Reached(all []run.Target) (out []run.Target) {
	for _, t := range all {
		switch t.Kind {
		case run.Occasion:
			if o, err := h.Occasions.Find(t.ID); err == nil {
				out = append(out, o.Doc.Targets()...)
			}
		case run.Sequence:
			if s, err := h.Sequences.Find(t.ID); err == nil {
				out = append(out, h.AboutSequence(s)...)
			}
		default:
			out = append(out, t)
		}
	}
	return out
}

// ReachedBy is what one thing is about, also an errand.
func (h *House) ReachedBy(t run.Target) []run.Target {
	if t.Kind == run.Errand {
		if e, err := h.Errands.Find(t.ID); err == nil {
			return h.Reached(e.Doc.Errand.Targets())
		}
	}
	return h.Reached([]run.Target{t})
}

// AboutSequence is what a sequence is about, with what it runs.
func (h *House) AboutSequence(s sequences.Sequence) []run.Target {
	p, err := h.Sequences.Program(s)
	if err != nil {
		return run.Targets(s.Doc.Steps)
	}
	return p.Targets()
}

// May says whether a grant covers a right on what some targets are about: to see them, on one of the devices; for all
// else, on each. What is about no device is of the whole house.
func (h *House) May(g grant.Grant, r grant.Right, about []run.Target) error {
	ids := h.Targets.AllDevices(about)
	if r == grant.See && slices.ContainsFunc(ids, func(id string) bool { return g.May(r, h.Place(id)) == nil }) {
		return nil
	}
	if g.Where.House {
		return g.May(r)
	}
	return g.May(r, h.places(ids)...)
}

// MayObey refuses a key of a device that another one obeys, too, where a grant does not cover using that.
func (h *House) MayObey(g grant.Grant, deviceID string, k device.Key) error {
	if g.Where.House {
		return g.May(grant.Use)
	}
	for _, other := range h.Library.SameCode(deviceID, k) {
		if err := g.May(grant.Use, h.Place(other.DeviceID)); err != nil {
			return fmt.Errorf("%w: a device that you may not use obeys that code, too", grant.ErrRefused)
		}
	}
	return nil
}

// Sight hides what a grant does not let see from the reader of steps, and refuses what it does not cover a right on.
// Who sees the whole house is told what there is.
func (h *House) Sight(g grant.Grant, r grant.Right) sequences.Sight {
	if g.Where.House {
		return nil
	}
	return func(name string, t run.Target, err error) error {
		if t.Kind == run.Measurement && err == nil {
			return g.May(grant.See, grant.Target{Measurement: t.ID})
		}
		about := h.ReachedBy(t)
		if err != nil || h.May(g, grant.See, about) != nil {
			return fmt.Errorf("%w %.60q", library.ErrUnknownDevice, name)
		}
		return h.May(g, r, about)
	}
}

// Speaker is somebody who says something, with a grant.
func (h *House) Speaker(by grant.By, g grant.Grant) phrases.Speaker {
	who := phrases.Speaker{By: by, Sight: h.Sight(g, grant.Use), May: func(about []run.Target) error {
		return h.May(g, grant.Use, h.Reached(about))
	}}
	if !g.Where.House {
		who.Sees = func(kind run.Kind, id string) bool {
			return h.May(g, grant.See, h.ReachedBy(run.Target{Kind: kind, ID: id})) == nil
		}
	}
	return who
}
