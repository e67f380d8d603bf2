package service

import (
	"urbo/core/happening"
	"urbo/core/line"
)

// quick says whether an errand may come with a handset's key while it is still being pressed. It waits for the end of
// the press where what the key changed has to be known first, and where something would be sent in the medium in which
// the handset is sending.
func (h *House) quick(k happening.KeyMatch, in line.Medium) bool {
	touched, is := h.Errands.Quick(k.DeviceID, k.Key)
	if !is {
		return false
	}
	for _, id := range touched {
		d, err := h.Library.ByID(id)
		if err != nil || id == k.DeviceID || len(d.Links) > 0 || d.Fed != nil || d.Whole != nil {
			return false
		}
		for _, key := range d.Keys {
			for _, c := range key.Codes {
				if on, err := c.On(h.Book); err != nil || on.Medium == in {
					return false
				}
			}
		}
	}
	return true
}
