package device

import "urbo/core/control"

// Propose makes controls from the device's keys, beside those that it has, with the questions that remain.
func (d *Device) Propose() ([]control.Control, []control.Question) {
	return control.Propose(d.KeyNames(), control.About{Kind: d.Kind, WarmUpMS: d.WarmUpMS}, d.Controls)
}
