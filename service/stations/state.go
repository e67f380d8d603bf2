package stations

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/station"
)

// State is a station as it is now.
type State struct {
	Name, Model, Firmware string
	Here                  bool
	Since                 time.Time // here or away
	Ports                 []PortState
}

// PortState is a port with what it did.
type PortState struct {
	station.Port
	Last  time.Time // when it last heard or sent; zero where it never did
	Count int       // presses heard or sent since the start
}

// List lists the stations that have said hello since the start.
func (s *Stations) List() []State {
	s.mu.Lock()
	defer s.mu.Unlock()
	out := make([]State, 0, len(s.members))
	for _, m := range s.members {
		if m.hello.Station != "" {
			out = append(out, m.state())
		}
	}
	return out
}

// State finds a station by name.
func (s *Stations) State(name string) (State, bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, m := range s.members {
		if m.hello.Station == name {
			return m.state(), true
		}
	}
	return State{}, false
}

func (m *member) state() State {
	out := State{Name: m.hello.Station, Model: m.hello.Model, Firmware: m.hello.Firmware, Here: m.link != nil,
		Since: m.since, Ports: []PortState{}}
	for _, port := range m.hello.Ports {
		p := PortState{Port: port}
		if u := m.ports[port.ID]; u != nil {
			p.Last, p.Count = u.last, u.count
		}
		out.Ports = append(out.Ports, p)
	}
	return out
}

// Transmitter finds what can send on a channel: the preferred one (STATION/PORT), or the first that fits. Its error
// wraps ErrNoTransmitter and says what is in the way.
func (s *Stations) Transmitter(on device.Channel, preferred string) (Transmitter, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	var why []string
	for _, m := range s.members {
		for _, port := range m.hello.Ports {
			place := m.hello.Station + "/" + port.ID
			if port.Direction != station.Transmitter || preferred != "" && place != preferred {
				continue
			}
			switch {
			case line.Medium(port.Medium) != on.Medium:
				if preferred != "" {
					why = append(why, fmt.Sprintf("%s sends %s", place, port.Medium))
				}
			case on.Hz < port.FromHz || on.Hz > port.ToHz:
				why = append(why, fmt.Sprintf("%s sends from %s to %s", place, device.Hertz(port.FromHz),
					device.Hertz(port.ToHz)))
			case m.link == nil:
				why = append(why, fmt.Sprintf("station %q is away since %s", m.hello.Station, m.since.Format("15:04")))
			default:
				return Transmitter{Station: m.hello.Station, Port: port, stations: s, member: m}, nil
			}
		}
	}
	if len(why) == 0 {
		why = []string{"attach a station that has one"}
		if preferred != "" {
			why = []string{fmt.Sprintf("there is no transmitter %s, only %s", preferred, s.transmitters())}
		}
	}
	return Transmitter{}, fmt.Errorf("%w for %s at %s: %s", ErrNoTransmitter, on.Medium, device.Hertz(on.Hz),
		strings.Join(why, "; "))
}

// transmitters lists the transmitters that there are. The caller holds mu.
func (s *Stations) transmitters() string {
	var out []string
	for _, m := range s.members {
		for _, port := range m.hello.Ports {
			if port.Direction == station.Transmitter {
				out = append(out, m.hello.Station+"/"+port.ID)
			}
		}
	}
	if len(out) == 0 {
		return "none"
	}
	slices.Sort(out)
	return strings.Join(out, ", ")
}

// CheckTransmitter says whether a place is a transmitter that is known, here or away; "" is none in particular. The
// error wraps ErrNoTransmitter and lists those that there are.
func (s *Stations) CheckTransmitter(place string) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if place == "" || slices.Contains(strings.Split(s.transmitters(), ", "), place) {
		return nil
	}
	return fmt.Errorf("%w %.60q: there are %s", ErrUnknownTransmitter, place, s.transmitters())
}

// Reaches says why no transmitter can send on a channel; nil where one can.
func (s *Stations) Reaches(on device.Channel, preferred string) error {
	_, err := s.Transmitter(on, preferred)
	return err
}
