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
	Inexact   Fault = "inexact"   // its clock is 4 % slow, and its marks are 120 µs too long
)

// Faults are all faults.
var Faults = []Fault{Dead, Exchanged, Swapped, Off, Weak, Inexact}

// weakness is how strong a weak transmitter is heard.
const weakness = 0.15

// inexact is what a transmitter makes of durations whose clock is slow and whose marks are long.
func inexact(durations []int) []int {
	out := make([]int, len(durations))
	for i, d := range durations {
		out[i] = d*104/100 + []int{120, -120}[i%2]
	}
	return out
}

// distort is what really goes out.
func (f Fault) distort(t stage.Transmission) stage.Transmission {
	switch f {
	case Dead, Exchanged:
		t.Strength = -1
	case Weak:
		t.Strength = weakness
	case Inexact:
		t.Once, t.Repeat, t.Last = inexact(t.Once), inexact(t.Repeat), inexact(t.Last)
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
