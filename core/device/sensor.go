package device

import (
	"fmt"
	"time"
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
