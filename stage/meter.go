package stage

// Meter is what something on the stage measures.
type Meter struct {
	Name  string // such as boardwalk/power
	Value float64
	Unit  string
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
	}
	return out
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
