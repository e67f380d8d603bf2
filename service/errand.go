package service

import (
	"context"
	"fmt"
	"slices"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/occasion"
	"urbo/service/occasions"
)

// errPeople is wrapped where an errand would take the place of what a person started.
var errPeople = fault.New(fault.Conflict, "a person started another occasion")

// doOccasion starts an occasion for a step of a run, or ends it. One that a person started is only replaced by an
// errand that says so. One that is in force, or is not, is left alone.
func (h *House) doOccasion(ctx context.Context, id string, start, over bool, by grant.By) error {
	what := occasions.End
	if start {
		what = occasions.Start
	}
	if _, is := occasion.Of(h.Occasions.InForce(), id); !start && !is {
		return nil
	}
	plan, err := h.Occasions.Plan(id, what)
	if err != nil {
		return err
	}
	for _, slug := range plan.Ends {
		one, err := h.Occasions.Find(slug)
		if err != nil {
			continue
		}
		f, is := occasion.Of(h.Occasions.InForce(), one.ID)
		if is && f.Kind == string(grant.Person) && by.Kind == grant.Errand && !over {
			return fmt.Errorf("%w: %s, which goes on: write start … over people to take its place", errPeople, slug)
		}
	}
	_, err = h.Occasions.Do(ctx, id, what, by, nil)
	return err
}

// stationID finds a station by its name.
func (h *House) stationID(name string) (string, error) {
	s, err := h.Stations.Find(name)
	return s.ID, err
}

// rolls says whether what switches a device has codes that roll.
func (h *House) rolls(d device.Device) bool {
	return slices.ContainsFunc(d.Keys, func(k device.Key) bool {
		return slices.ContainsFunc(slices.Concat(k.Codes, k.Follows), func(c device.Code) bool {
			sheet, err := h.Book.Sheet(c.Sheet)
			return err == nil && sheet.Rolls()
		})
	})
}
