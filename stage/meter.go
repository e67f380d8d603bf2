package stage

import (
	"math"
	"time"
)

// Meter is what something on the stage measures.
type Meter struct {
	Name  string // such as boardwalk/power
	Value float64
	Unit  string
}

// sensor is an appliance whose room something measures.
type sensor interface {
	measures(now time.Duration) Meter
}

// metered is an appliance behind a meter of the power that it draws.
type metered interface{ watts() float64 }

// Meters lists what the meters on the stage show.
func (s *Stage) Meters() (out []Meter) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, p := range s.appliances {
		if m, ok := p.Appliance.(metered); ok && p.plugged {
			out = append(out, Meter{p.slug + "/power", m.watts(), "W"})
		}
		if m, ok := p.Appliance.(sensor); ok {
			out = append(out, m.measures(s.Now()))
		}
	}
	mixes := false
	for _, p := range s.appliances {
		if m, is := p.Appliance.(*Mixer); is {
			mixes = m.on && p.plugged
		}
	}
	return append(out, humidity(s.begins+s.Now(), mixes))
}

// Meter is what one of them shows now; false where it is not plugged in.
func (s *Stage) Meter(name string) (Meter, bool) {
	for _, m := range s.Meters() {
		if m.Name == name {
			return m, true
		}
	}
	return Meter{}, false
}

// humidity is the dome's, at a time of day: it grows damp in the evening, when the tide comes in and the air cools, and
// dries in the morning. The mixer takes some of it away.
func humidity(now time.Duration, mixes bool) Meter {
	h := math.Mod(now.Hours(), 24)
	if h < 12 { // hours since noon
		h += 24
	}
	h -= 12
	damp := 1/(1+math.Exp(-(h-7)*2)) - 1/(1+math.Exp(-(h-20)*2)) // from 19:00 to 8:00
	value := 68 + 21*damp + 1.5*math.Sin(2*math.Pi*now.Hours())
	if mixes {
		value -= 4
	}
	return Meter{"dome/humidity", math.Round(10*value) / 10, "%"}
}

// standby is what an appliance draws that is off, in W.
const standby = 0.4

func (b *Boardwalk) watts() float64 {
	if !b.on {
		return standby
	}
	return 4 + 5*float64(b.level)
}

func (m *Mixer) watts() float64 {
	if !m.on {
		return standby
	}
	return 6 + 9*float64(m.speed)
}
