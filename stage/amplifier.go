package stage

import (
	"strconv"
	"time"
)

// Amplifier is the lecture amplifier: its power key toggles, its volume goes from 0 to 60, and four inputs are direct.
// It acts once for the frames of one press, but for the volume keys, which step on while they are held.
type Amplifier struct {
	on     bool
	volume int
	muted  bool
	input  int
	before uint32        // the command obeyed last
	heard  time.Duration // when its last frame came
	next   time.Duration // when a volume key that is held steps on
}

const amplifierAddress = 0x6B // 8 bits

const (
	amplifierPower uint32 = 21 + iota
	amplifierUp
	amplifierDown
	amplifierMute
	amplifierInput1
)

// amplifierHold is how soon the same command must come again to count as the same press.
const amplifierHold = 120 * time.Millisecond

// A volume key that is held steps on after a while, and then again and again.
const (
	amplifierWaits = 400 * time.Millisecond
	amplifierSteps = 200 * time.Millisecond
)

func newAmplifier() *Amplifier { return &Amplifier{volume: 14, input: 1} }

// Hear obeys frames of 15 bits with the amplifier's address.
func (a *Amplifier) Hear(at time.Duration, runs []int) {
	readWidths(runs, 15, func(value uint32) {
		if value>>7 != amplifierAddress {
			return
		}
		command := value & 0x7F
		same := command == a.before && at-a.heard < amplifierHold
		a.before, a.heard = command, at
		switch held := command == amplifierUp || command == amplifierDown; {
		case !same:
			a.next = at + amplifierWaits
			a.obey(command)
		case held && at >= a.next:
			a.next += amplifierSteps
			a.obey(command)
		}
	})
}

func (a *Amplifier) obey(command uint32) {
	if command == amplifierPower {
		a.on, a.muted = !a.on, false
		return
	}
	if !a.on {
		return
	}
	switch command {
	case amplifierUp, amplifierDown:
		step := 1
		if command == amplifierDown {
			step = -1
		}
		a.volume, a.muted = min(max(a.volume+step, 0), 60), false
	case amplifierMute:
		a.muted = !a.muted
	default:
		if n := int(command) - int(amplifierInput1) + 1; n >= 1 && n <= 4 {
			a.input = n
		}
	}
}

// State lists power, volume and input.
func (a *Amplifier) State(time.Duration) []Fact {
	power, volume := "off", strconv.Itoa(a.volume)
	if a.on {
		power = "on"
	}
	if a.muted {
		volume += ", muted"
	}
	return []Fact{{"power", power}, {"volume", volume}, {"input", strconv.Itoa(a.input)}}
}
