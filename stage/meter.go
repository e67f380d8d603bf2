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
	return append(out, humidity(s.Now()))
}

// humidity is the dome's, which goes up and down with the tide.
func humidity(now time.Duration) Meter {
	return Meter{"dome/humidity", math.Round(80 + 9*math.Sin(2*math.Pi*now.Hours())), "%"}
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
