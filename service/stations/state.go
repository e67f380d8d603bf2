package stations

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/plain"
	"urbo/core/reach"
	"urbo/station"
)

// State is a station as it is now.
type State struct {
	ID                    string // which it keeps whatever its name becomes
	Name, Model, Firmware string
	RoomID, Room          string // the room's id, and its name; "" where it stands in none
	Origin                station.Origin
	Here                  bool
	Since                 time.Time // here or away; zero where it was never here
	Trouble               string    // why it cannot be reached while it is away; "" where nobody knows
	Ports                 []PortState
}

// PortState is a port with what it did.
type PortState struct {
	station.Port
	Last  time.Time // when it last heard or sent; zero where it never did
	Count int       // presses heard or sent since the start
	Peak  *float64  // strength of what it heard last, 0 to 1, where it measures it
	Air   Air       // of a transmitter
	// Correction makes the durations of a transmitter true.
	Correction reach.Correction
}

// List lists the stations that the house knows.
func (s *Stations) List() []State {
	s.mu.Lock()
	defer s.mu.Unlock()
	out := make([]State, 0, len(s.members))
	for _, m := range s.members {
		if m.record.Removed.IsZero() {
			out = append(out, s.state(m))
		}
	}
	return out
}

// Count says how many stations are here, and how many away.
func (s *Stations) Count() (here, away int) {
	for _, one := range s.List() {
		if one.Here {
			here++
		} else {
			away++
		}
	}
	return here, away
}

// State finds a station by name.
func (s *Stations) State(name string) (State, bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if m := s.named(name); m != nil {
		return s.state(m), true
	}
	return State{}, false
}

// Find is State for a caller who wants to know why there is none. The error wraps ErrUnknownStation and lists those
// that there are.
func (s *Stations) Find(name string) (State, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	m, err := s.find(name)
	if err != nil {
		return State{}, err
	}
	return s.state(m), nil
}

// ByID finds a station by its id, also one that was removed.
func (s *Stations) ByID(id string) (State, bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if m := s.byID(id); m != nil {
		return s.state(m), true
	}
	return State{}, false
}

// InRoom is the name of a station that stands in a room, "" where none does.
func (s *Stations) InRoom(id string) string {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, m := range s.members {
		if m.record.RoomID == id && m.record.Removed.IsZero() {
			return "the station " + m.record.Name
		}
	}
	return ""
}

// byID finds a member, also one that was removed. The caller holds mu.
func (s *Stations) byID(id string) *member {
	for _, m := range s.members {
		if m.record.ID == id {
			return m
		}
	}
	return nil
}

// Place is the transmitter that a text names, STATION/PORT; none for "". The error wraps ErrUnknownTransmitter and
// lists those that there are.
func (s *Stations) Place(text string) (device.Place, error) {
	if text == "" {
		return device.Place{}, nil
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, m := range s.members {
		for _, port := range m.hello.Ports {
			if m.record.Name+"/"+port.ID == text && port.Direction == station.Transmitter && m.record.Removed.IsZero() {
				return device.Place{Station: m.record.ID, Port: port.ID}, nil
			}
		}
	}
	return device.Place{}, fmt.Errorf("%w %.60q: there are %s", ErrUnknownTransmitter, text, s.transmitters())
}

// PlaceFor is Place for a device whose codes are sent in some media: the transmitter has to send in one of them. None
// are not known yet. The error wraps ErrUnknownTransmitter or ErrSetting, and says which would do.
func (s *Stations) PlaceFor(text string, media []line.Medium) (device.Place, error) {
	place, err := s.Place(text)
	if err != nil || text == "" || len(media) == 0 {
		return place, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	_, port, is := s.port(text)
	if !is || slices.Contains(media, line.Medium(port.Medium)) {
		return place, nil
	}
	return device.Place{}, fmt.Errorf("%w: %s sends %s, and the device listens to %s: there are %s", ErrSetting, text,
		port.Medium, plain.List(media), s.transmitters(media...))
}

// PlaceName is what a place is called now, STATION/PORT; "" for none.
func (s *Stations) PlaceName(p device.Place) string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.placeName(p)
}

// placeName is PlaceName. The caller holds mu.
func (s *Stations) placeName(p device.Place) string {
	switch m := s.byID(p.Station); {
	case p.IsZero():
		return ""
	case m != nil:
		return m.record.Name + "/" + p.Port
	}
	return p.String()
}

// named finds a member that is not removed; nil where there is none. The caller holds mu.
func (s *Stations) named(name string) *member {
	for _, m := range s.members {
		if m.record.Name == name && m.record.Removed.IsZero() {
			return m
		}
	}
	return nil
}

func (s *Stations) state(m *member) State {
	out := State{ID: m.record.ID, Name: m.record.Name, Model: m.hello.Model, Firmware: m.hello.Firmware,
		RoomID: m.record.RoomID, Room: s.rooms.Name(m.record.RoomID), Origin: m.origin(), Here: m.link != nil,
		Since: m.since, Trouble: m.trouble, Ports: []PortState{}}
	for _, port := range m.hello.Ports {
		p := PortState{Port: port}
		if u := m.ports[port.ID]; u != nil {
			p.Last, p.Count, p.Peak = u.last, u.count, u.peak
		}
		if port.Direction == station.Transmitter {
			p.Air, p.Correction = s.air(m, port), m.wish(port.ID).Correction
		}
		out.Ports = append(out.Ports, p)
	}
	return out
}

// port finds a transmitter by STATION/PORT. The caller holds mu.
func (s *Stations) port(place string) (*member, station.Port, bool) {
	name, id, _ := strings.Cut(place, "/")
	if m := s.named(name); m != nil {
		for _, p := range m.hello.Ports {
			if p.ID == id && p.Direction == station.Transmitter {
				return m, p, true
			}
		}
	}
	return nil, station.Port{}, false
}

// Air is how long a transmitter, STATION/PORT, was on the air, and may be; false where there is none.
func (s *Stations) Air(place string) (Air, bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	m, port, is := s.port(place)
	if !is {
		return Air{}, false
	}
	return s.air(m, port), true
}

// Reached lists the receivers, STATION/PORT, that heard a transmitter when it was tested last; false where it never
// was.
func (s *Stations) Reached(place string) (receivers []string, tested bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	m, port, is := s.port(place)
	if !is {
		return nil, false
	}
	heard := m.wish(port.ID).Heard
	for at := range heard {
		id, port, _ := strings.Cut(at, "/")
		if r := s.byID(id); r != nil {
			receivers = append(receivers, r.record.Name+"/"+port)
		}
	}
	slices.Sort(receivers)
	return receivers, heard != nil
}

// At is the transmitter at a place, if it is here. The error wraps ErrUnknownTransmitter or station.ErrAway.
func (s *Stations) At(place device.Place) (Transmitter, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, m := range s.members {
		for _, port := range m.hello.Ports {
			if m.record.ID != place.Station || port.ID != place.Port || port.Direction != station.Transmitter ||
				!m.record.Removed.IsZero() {
				continue
			}
			if m.link == nil {
				return Transmitter{}, fmt.Errorf("%w: %s", station.ErrAway, m.record.Name)
			}
			return Transmitter{ID: m.record.ID, Station: m.record.Name, Room: m.record.RoomID, Port: port,
				Message:  m.hello.Message,
				stations: s, member: m}, nil
		}
	}
	return Transmitter{}, fmt.Errorf("%w %.60q: there are %s", ErrUnknownTransmitter, s.placeName(place),
		s.transmitters())
}

// Want is what a transmitter is wanted for.
type Want struct {
	On        device.Channel
	Preferred device.Place // or none
	Only      bool         // no other than the preferred one
	Anyway    bool         // also one that makes another channel of the medium
	Room      string       // id of the one that the device is in, or ""
}

// Transmitter finds what can send: the preferred one, or one in the device's room, or the one that a test saw reaching
// it, or the first that fits. Where the
// preferred one is away, another takes its place unless only that one may; instead says so. The error wraps
// ErrNoTransmitter or ErrAirtime and says what is in the way.
func (s *Stations) Transmitter(w Want) (t Transmitter, instead string, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	var why []string
	var found []Transmitter
	kind := ErrNoTransmitter
	for _, m := range s.members {
		for _, port := range m.hello.Ports {
			place := device.Place{Station: m.record.ID, Port: port.ID}
			if port.Direction != station.Transmitter || !m.record.Removed.IsZero() {
				continue
			}
			meant := place == w.Preferred
			if !w.Preferred.IsZero() && w.Only && !meant {
				continue
			}
			hz, reason := s.fits(m, port, w)
			fits := reason == nil
			switch {
			case fits:
				found = append(found,
					Transmitter{ID: m.record.ID, Station: m.record.Name, Room: m.record.RoomID, Port: port,
						Message: m.hello.Message,
						Hz:      hz, stations: s, member: m})
			case errors.Is(reason, ErrAirtime):
				kind = ErrAirtime
				fallthrough
			case line.Medium(port.Medium) == w.On.Medium || meant:
				why = append(why, reason.Error())
			}
			if meant && !fits {
				instead = reason.Error()
			}
		}
	}
	preferred := s.placeName(w.Preferred)
	if preferred != "" && instead == "" && !slices.Contains(strings.Split(s.transmitters(), ", "), preferred) {
		instead = fmt.Sprintf("there is no transmitter %s, only %s", preferred, s.transmitters())
		if w.Only {
			why = append(why, instead)
		}
	}
	if i := s.choose(found, w); i >= 0 {
		if found[i].At() == w.Preferred || w.Preferred.IsZero() {
			instead = ""
		}
		return found[i], instead, nil
	}
	if len(why) == 0 {
		why = []string{"attach a station that has one"}
		if instead != "" {
			why = []string{instead}
		}
	}
	return Transmitter{}, "", fmt.Errorf("%w for %s at %s: %s", kind, w.On.Medium, device.Hertz(w.On.Hz),
		strings.Join(why, "; "))
}

// choose is the place of the best of those that fit, -1 where there is none.
func (s *Stations) choose(found []Transmitter, w Want) int {
	if i := slices.IndexFunc(found, func(t Transmitter) bool { return t.At() == w.Preferred }); i >= 0 {
		return i
	}
	exact := func(t Transmitter) bool { return t.Hz == w.On.Hz }
	if w.Room != "" {
		if i := slices.IndexFunc(found, func(t Transmitter) bool {
			return t.member.record.RoomID == w.Room
		}); i >= 0 {
			return i
		}
		if i := s.reaching(found, w.Room); i >= 0 {
			return i
		}
	}
	if i := slices.IndexFunc(found, exact); i >= 0 {
		return i
	}
	return min(len(found), 1) - 1
}

// reaching is the place of the transmitter that was heard best in a room when it was tested, -1 where none was. The
// caller holds mu.
func (s *Stations) reaching(found []Transmitter, room string) int {
	best, strongest := -1, 0.0
	for i, t := range found {
		for id, strength := range t.member.wish(t.Port.ID).Heard {
			if strength > strongest && s.roomOf(id) == room {
				best, strongest = i, strength
			}
		}
	}
	return best
}

// roomOf is the id of the room of a receiver, STATION-ID/PORT. The caller holds mu.
func (s *Stations) roomOf(id string) string {
	for _, m := range s.members {
		if strings.HasPrefix(id, m.record.ID+"/") && m.record.Removed.IsZero() {
			return m.record.RoomID
		}
	}
	return ""
}

// nearCarrier is how far off an infrared carrier may be: receiver modules still hear it, if less far.
const nearCarrier = 0.08

// fits is the channel that a port can send on now for what is wanted: that channel, or one that does for it. The error
// says why it cannot. The caller holds mu.
func (s *Stations) fits(m *member, port station.Port, w Want) (hz int, err error) {
	place := m.record.Name + "/" + port.ID
	hz = min(max(w.On.Hz, port.FromHz), port.ToHz)
	off := math.Abs(float64(hz-w.On.Hz)) / float64(w.On.Hz)
	near := w.On.Medium == line.Infrared && off <= nearCarrier
	switch {
	case line.Medium(port.Medium) != w.On.Medium:
		return 0, fmt.Errorf("%s sends %s", place, port.Medium)
	case hz != w.On.Hz && !near && !w.Anyway:
		return 0, fmt.Errorf("%s sends from %s to %s", place, device.Hertz(port.FromHz), device.Hertz(port.ToHz))
	case m.link == nil:
		return 0, fmt.Errorf("station %q is away since %s", m.record.Name, m.since.Format("15:04"))
	}
	if air := s.air(m, port); air.Spent() {
		return 0, fmt.Errorf("%w: %s has sent for %s of the last hour, and may for %s", ErrAirtime, place,
			air.Used.Round(time.Second), air.Budget.Round(time.Second))
	}
	return hz, nil
}

// transmitters lists the transmitters that there are. The caller holds mu.
func (s *Stations) transmitters(in ...line.Medium) string {
	var out []string
	for _, m := range s.members {
		for _, port := range m.hello.Ports {
			if port.Direction == station.Transmitter && m.record.Removed.IsZero() &&
				(len(in) == 0 || slices.Contains(in, line.Medium(port.Medium))) {
				out = append(out, m.record.Name+"/"+port.ID)
			}
		}
	}
	if len(out) == 0 {
		return "none"
	}
	slices.Sort(out)
	return strings.Join(out, ", ")
}

// Listens says whether a receiver that is here hears a channel in a room, by its id. Radio goes through walls, and so
// does what is in a room that is not known.
func (s *Stations) Listens(on device.Channel, room string) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, m := range s.members {
		if m.link == nil || on.Medium == line.Infrared && room != "" && m.record.RoomID != room {
			continue
		}
		if slices.ContainsFunc(m.hello.Ports, func(p station.Port) bool {
			return p.Direction == station.Receiver && line.Medium(p.Medium) == on.Medium && p.FromHz <= on.Hz &&
				on.Hz <= p.ToHz
		}) {
			return true
		}
	}
	return false
}

// Reaches says why no transmitter can send on a channel; nil where one can.
func (s *Stations) Reaches(on device.Channel, preferred device.Place) error {
	_, _, err := s.Transmitter(Want{On: on, Preferred: preferred, Only: !preferred.IsZero()})
	return err
}
