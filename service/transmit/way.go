package transmit

import "urbo/core/device"

// Place is a transmitter that a press would go through.
type Place struct {
	Name    string // STATION/PORT
	Instead string // why it is not the preferred one, or what it does otherwise; "" where it is as was meant
}

// Way says through which transmitters an order would go out, and which of the device's further ones cannot send now,
// and why. Nothing is sent. Errors are those of Start.
func (t *Transmit) Way(o Order) (places []Place, missing []string, err error) {
	_, legs, missing, err := t.prepare(o)
	for _, l := range legs {
		places = append(places, Place{l.through.Place(), l.instead})
	}
	return places, missing, err
}

// Warming says that a device may ignore a press, as it was switched on a moment ago; "" where it was not.
func (t *Transmit) Warming(d device.Device) string { return t.warming(d) }
