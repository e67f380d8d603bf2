// Package hardware is what of this machine can be a station: it makes the transport of a serial port or of one of the
// kernel's devices.
package hardware

import (
	"fmt"

	"urbo/station"
	"urbo/station/kernel"
	"urbo/station/serial"
)

// Reach makes the transport of a station that this machine reaches by itself; nil for one that comes by itself. The
// error says what is wrong with its address.
func Reach(o station.Origin) (station.Transport, error) {
	switch o.Over {
	case station.Serial:
		p, err := serial.New(o.Address)
		if err != nil {
			return nil, err
		}
		return p, nil
	case station.Kernel:
		d, err := kernel.New(o.Address)
		if err != nil {
			return nil, err
		}
		return d, nil
	case station.Stage, station.WebSocket, station.MQTT, station.Samples:
		return nil, nil
	}
	return nil, fmt.Errorf("this Urbo does not know how to reach a station over %.20q", o.Over)
}

// Lasting is the origin by which a station is found again, whatever its device is called then.
func Lasting(o station.Origin) station.Origin {
	if o.Over == station.Serial {
		o.Address = serial.Lasting(o.Address)
	}
	return o
}

// Found lists the serial ports of this machine.
func Found() []string { return serial.Found() }
