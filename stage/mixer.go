package stage

import (
	"strconv"
	"time"
)

// Mixer is the fan that keeps the air in the dome moving: power and sweep toggle, its four speeds are direct. Whole
// frames repeat while a key is held; it acts on the first.
type Mixer struct {
	on     bool
	speed  int
	sweeps bool
	before byte
	heard  time.Duration
}

const mixerAddress byte = 0xA6

const (
	mixerPower byte = 0x30 + iota
	mixerSpeed1
	mixerSpeed2
	mixerSpeed3
	mixerSpeed4
	mixerSweep
)

// mixerHold is how soon the same frame must come again to be the same press.
const mixerHold = 160 * time.Millisecond

// mixerLead is the lead of the mixer's handset, mark and space alike.
const mixerLead = 4510

// mixerFrame writes a frame of the mixer's handset: a short lead, and the address twice.
func mixerFrame(command byte) []int {
	out := distanceFrame([4]byte{mixerAddress, mixerAddress, command, ^command})
	out[0], out[1] = mixerLead, mixerLead
	out[len(out)-1] = 0
	out[len(out)-1] = distancePeriod - sum(out)
	return out
}

// Hear obeys frames with the short lead.
func (m *Mixer) Hear(at time.Duration, runs []int) {
	for i := 0; i+67 <= len(runs); i += 2 {
		if !within(runs[i], 4000, 5000) || !within(runs[i+1], 4000, 5000) {
			continue
		}
		// The rest is as after a long lead.
		frame := append([]int{9000, 4500}, runs[i+2:i+67]...)
		readDistance(frame, func(b [4]byte) {
			if b[0] == mixerAddress && b[1] == mixerAddress && b[2] == ^b[3] {
				same := b[2] == m.before && at-m.heard < mixerHold
				m.before, m.heard = b[2], at
				if !same {
					m.obey(b[2])
				}
			}
		})
	}
}

func (m *Mixer) obey(command byte) {
	switch {
	case command == mixerPower:
		m.on = !m.on
	case !m.on:
	case command == mixerSweep:
		m.sweeps = !m.sweeps
	case command >= mixerSpeed1 && command <= mixerSpeed4:
		m.speed = int(command-mixerSpeed1) + 1
	}
}

// State lists power, speed and sweep.
func (m *Mixer) State(time.Duration) []Fact {
	power, sweep := "off", "still"
	if m.on {
		power = "on"
	}
	if m.sweeps {
		sweep = "sweeping"
	}
	return []Fact{{"power", power}, {"speed", strconv.Itoa(m.speed)}, {"sweep", sweep}}
}
