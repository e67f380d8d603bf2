package device

import "urbo/core/control"

// Propose makes controls from the device's keys, beside those that it has, with the questions that remain.
func (d *Device) Propose() ([]control.Control, []control.Question) {
	return control.Propose(d.KeyNames(), control.About{Kind: d.Kind, WarmUpMS: d.WarmUpMS}, d.Controls)
}

// Questions are what can be asked about the device's controls: all about the named one, or the few that matter about
// each. The error wraps control.ErrForm.
func (d *Device) Questions(name string) (controls []control.Control, out []control.Question, err error) {
	controls, out = control.AskAbout(d.Controls, name)
	if name != "" && len(controls) == 0 {
		spec, err := d.Compile()
		if err == nil {
			err = spec.Has(name)
		}
		return nil, nil, err
	}
	return controls, out, nil
}
