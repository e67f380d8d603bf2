package service

import (
	"urbo/core/control"
)

// Propose makes controls for a device from its keys. The error wraps library.ErrUnknownDevice.
func (h *House) Propose(slug string) ([]control.Control, []control.Question, error) {
	d, err := h.Library.Device(slug)
	if err != nil {
		return nil, nil, err
	}
	controls, questions := d.Propose()
	return controls, questions, nil
}
