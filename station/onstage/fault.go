package onstage

import "urbo/stage"

// Fault is what is wrong with the wiring or the modules of a board.
type Fault string

// The faults.
const (
	Sound     Fault = ""
	Dead      Fault = "dead"      // its transmitters are silent
	Exchanged Fault = "exchanged" // receivers where transmitters should be, and the other way round
	Swapped   Fault = "swapped"   // infrared and radio transmitter
	Off       Fault = "frequency" // the radio module is made for 433.42 MHz
	Weak      Fault = "weak"      // its transmitters are
)

// Faults are all faults.
var Faults = []Fault{Dead, Exchanged, Swapped, Off, Weak}

// weakness is how strong a weak transmitter is heard.
const weakness = 0.15

// distort is what really goes out.
func (f Fault) distort(t stage.Transmission) stage.Transmission {
	switch f {
	case Dead, Exchanged:
		t.Strength = -1
	case Weak:
		t.Strength = weakness
	case Swapped:
		if t.Medium == stage.Radio {
			t.Medium, t.Hz = stage.Infrared, 38_000
		} else {
			t.Medium, t.Hz = stage.Radio, 433_920_000
		}
	case Off:
		if t.Medium == stage.Radio {
			t.Hz = 433_420_000
		}
	}
	return t
}
