package service

import (
	"context"
	"fmt"

	"urbo/core/control"
	"urbo/core/fault"
	"urbo/service/belief"
)

// ErrLesson is wrapped where a device cannot be set while it is being learned.
var ErrLesson = fault.New(fault.Conflict, "a lesson is running")

// Set sets controls of a device. Errors are those of belief.Set, and ErrLesson.
func (h *House) Set(ctx context.Context, a belief.Ask) (belief.Result, error) {
	id, err := h.Library.ID(a.Device)
	if err != nil {
		return belief.Result{}, err
	}
	if !a.Dry && h.Lessons.Learning(id) {
		return belief.Result{}, fmt.Errorf("%w for %s: end or pause it first", ErrLesson, a.Device)
	}
	return h.Beliefs.Set(ctx, a)
}

// Propose makes controls for a device from its keys. The error wraps library.ErrUnknownDevice.
func (h *House) Propose(slug string) ([]control.Control, []control.Question, error) {
	d, err := h.Library.Device(slug)
	if err != nil {
		return nil, nil, err
	}
	controls, questions := d.Propose()
	return controls, questions, nil
}
