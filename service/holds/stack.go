package holds

import (
	"slices"

	"urbo/core/run"
)

// top is what is in force for a control, nil where it is not held. The caller holds mu.
func (h *Holds) top(device, control string) *Hold {
	for _, one := range slices.Backward(h.all) {
		if one.DeviceID == device && one.Control == control {
			return one
		}
	}
	return nil
}

// below is what a hold goes back to: what is held below it, or what was before. The caller holds mu.
func (h *Holds) below(of *Hold) string {
	if of.Then != "" {
		return of.Then
	}
	switch one := h.under(of); {
	case one == nil:
		return of.Before
	case one.Phase == run.Held || one.Phase == run.HoldSetting:
		return one.Value
	default:
		return h.below(one)
	}
}

// under is the hold that lies below one. The caller holds mu.
func (h *Holds) under(of *Hold) *Hold {
	for _, one := range slices.Backward(h.all[:max(slices.Index(h.all, of), 0)]) {
		if one.DeviceID == of.DeviceID && one.Control == of.Control {
			return one
		}
	}
	return nil
}

// above is the hold that lies on one. The caller holds mu.
func (h *Holds) above(of *Hold) *Hold {
	for _, one := range h.all[slices.Index(h.all, of)+1:] {
		if one.DeviceID == of.DeviceID && one.Control == of.Control {
			return one
		}
	}
	return nil
}
