package device

import "urbo/core/control"

// Propose makes controls from the device's keys, beside those that it has, with the questions that remain.
func (d *Device) Propose() ([]control.Control, []control.Question) {
	keys := make([]string, len(d.Keys))
	for i, k := range d.Keys {
		keys[i] = k.Name
	}
	return control.Propose(keys, control.About{Kind: d.Kind, WarmUpMS: d.WarmUpMS}, d.Controls)
}
