package device

import (
	"fmt"
	"slices"
	"time"

	"urbo/core/control"
)

// Sensor ties a measurement to a control of a device: power that it draws tells whether it is on. Without values it
// tells nothing and is only shown beside the control, such as a room's temperature beside the one that is wanted.
type Sensor struct {
	Control     string  `json:"control" maxLength:"40" doc:"Control that it tells"`
	Measurement string  `json:"measurement" maxLength:"81" doc:"Name of the measurement"`
	High        string  `json:"high,omitempty" maxLength:"40" doc:"Value of the control above the upper limit"`
	Low         string  `json:"low,omitempty" maxLength:"40" doc:"Value below the lower limit"`
	Above       float64 `json:"above,omitempty" doc:"Upper limit"`
	Below       float64 `json:"below,omitempty" doc:"Lower limit; between the two nothing is told"`
	SettleMS    int     `json:"settle_ms,omitempty" minimum:"0" maximum:"600000" doc:"How long it has to stay there; 0 is 2 s"`
}

// MaxSensors is the most sensors of a device.
const MaxSensors = 16

// Tells says whether the measurement tells what the control is at.
func (s Sensor) Tells() bool { return s.High != "" || s.Low != "" }

// Settle is how long a measurement has to stay beyond a limit.
func (s Sensor) Settle() time.Duration {
	if s.SettleMS == 0 {
		return 2 * time.Second
	}
	return time.Duration(s.SettleMS) * time.Millisecond
}

// DropControl takes a control away, with its sensors. The error wraps control.ErrForm.
func (d *Device) DropControl(name string) error {
	d.dropSensors([]string{name})
	return d.Drop(name)
}

// Carry lets frames carry controls, as of control.Forms; the sensors of controls that go are taken away.
func (d *Device) Carry(sheet string, fixed map[string]int64, carries []control.Carry) error {
	gone, err := d.CarryWhole(sheet, fixed, carries)
	d.dropSensors(gone)
	return err
}

// DropFrames lets no frames carry controls any more. The error wraps control.ErrForm.
func (d *Device) DropFrames() error {
	gone, err := d.DropWhole()
	d.dropSensors(gone)
	return err
}

func (d *Device) dropSensors(controls []string) {
	d.Sensors = slices.DeleteFunc(slices.Clone(d.Sensors),
		func(s Sensor) bool { return slices.Contains(controls, s.Control) })
}

// PutControl gives a device a control in the place of the one that was called name, with its sensors.
func (d *Device) PutControl(name string, c control.Control) {
	d.Sensors = slices.Clone(d.Sensors)
	for i := range d.Sensors {
		if d.Sensors[i].Control == name {
			d.Sensors[i].Control = c.Name
		}
	}
	d.Put(name, c)
}

// PutSensor ties a measurement to a control, in the place of what was said of the two.
func (d *Device) PutSensor(s Sensor) {
	d.DropSensor(s.Control, s.Measurement)
	d.Sensors = append(d.Sensors, s)
}

// DropSensor takes a measurement from a control; false where it was not there.
func (d *Device) DropSensor(name, measurement string) bool {
	had := len(d.Sensors)
	d.Sensors = slices.DeleteFunc(slices.Clone(d.Sensors),
		func(s Sensor) bool { return s.Control == name && s.Measurement == measurement })
	return len(d.Sensors) < had
}

// checkSensors says what is wrong with the sensors. The error wraps ErrTraits.
func (d *Device) checkSensors() error {
	if len(d.Sensors) > MaxSensors {
		return fmt.Errorf("%w: %d sensors, the most is %d", ErrTraits, len(d.Sensors), MaxSensors)
	}
	spec, err := d.Compile()
	if err != nil {
		return err
	}
	for _, s := range d.Sensors {
		switch {
		case !(s.Above >= s.Below):
			return fmt.Errorf("%w: sensor %.80q: above (%g) has to be at least below (%g)", ErrTraits, s.Measurement,
				s.Above, s.Below)
		case s.Measurement == "" || CheckText("measurement", s.Measurement) != nil:
			return fmt.Errorf("%w: sensor of %.40s: name the measurement", ErrTraits, s.Control)
		}
		if !s.Tells() {
			if err := spec.Has(s.Control); err != nil {
				return err
			}
			continue
		}
		for _, v := range []string{s.High, s.Low} {
			if err := spec.Check(s.Control, v); err != nil {
				return err
			}
		}
	}
	return nil
}
