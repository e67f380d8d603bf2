package stations

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/reach"
	"urbo/service/rooms"
	"urbo/station"
	"urbo/store"
)

// MaxStations is the most stations of a house, with those that were removed.
const MaxStations = 500

// Change is what is to be different about a station; nil leaves it as it is.
type Change struct {
	Name *string
	Room *string
}

// Add makes a station known before it says hello. Where the house reaches it by itself, it begins to. One that was
// removed is let in again. Errors wrap device.ErrName, device.ErrTaken, ErrReach or ErrMany.
func (s *Stations) Add(ctx context.Context, name string, from station.Origin, room string, by grant.By) error {
	in, err := s.rooms.Ensure(ctx, room, by)
	if err != nil {
		return err
	}
	s.changing.Lock()
	defer s.changing.Unlock()
	s.mu.Lock()
	i := slices.IndexFunc(s.members, func(m *member) bool { return m.origin() == from })
	var record store.Station
	err = s.checkName(name, nil)
	switch {
	case err != nil:
	case i >= 0 && s.members[i].record.Removed.IsZero():
		err = fmt.Errorf("%w: it is the station %s already", device.ErrTaken, s.members[i].record.Name)
	case i >= 0:
		record = s.members[i].record
		record.Removed = time.Time{}
	case len(s.members) >= MaxStations:
		err = fmt.Errorf("%w: %d, which is the most: remove one", ErrMany, MaxStations)
	default:
		record = store.Station{ID: store.NewID(), Over: string(from.Over), Address: from.Address, Added: s.now()}
	}
	s.mu.Unlock()
	if err != nil {
		return err
	}
	if s.reach != nil {
		if _, err := s.reach(from); err != nil {
			return fmt.Errorf("%w: %w", ErrReach, err)
		}
	}
	record.Name, record.RoomID = name, in.ID
	if err := s.store.PutStation(ctx, record); err != nil {
		return err
	}
	s.mu.Lock()
	if i < 0 {
		i = len(s.members)
		s.members = append(s.members, nil)
	}
	fresh := newMember(record)
	if old := s.members[i]; old != nil { // what it sent in the last hour counts on
		fresh.ports = old.ports
	}
	s.members[i] = fresh
	s.start(fresh)
	s.mu.Unlock()
	s.changed(record, by, "Added the station "+name)
	return nil
}

// Alter changes a station's name or room. Errors wrap ErrUnknownStation, device.ErrName or device.ErrTaken.
func (s *Stations) Alter(ctx context.Context, name string, c Change, by grant.By) error {
	var said []string
	var now store.Station
	var in rooms.Room
	if c.Room != nil {
		var err error
		if in, err = s.rooms.Ensure(ctx, *c.Room, by); err != nil {
			return err
		}
	}
	err := s.change(ctx, name, func(m *member, r *store.Station) error {
		if c.Name != nil && *c.Name != r.Name {
			if err := s.checkName(*c.Name, m); err != nil {
				return err
			}
			said = append(said, "its name is "+*c.Name)
			r.Name = *c.Name
		}
		if c.Room != nil && in.ID != r.RoomID {
			r.RoomID = in.ID
			said = append(said, map[bool]string{true: "it is in no room", false: "it is in " + in.Name}[in.ID == ""])
		}
		now = *r
		return nil
	})
	if err == nil && len(said) > 0 {
		s.changed(now, by, "Changed the station "+name+": "+strings.Join(said, ", "))
	}
	return err
}

// SetShare sets the share of an hour that a transmitter may send, 0 for no limit. Errors wrap ErrUnknownStation or
// ErrUnknownTransmitter.
func (s *Stations) SetShare(ctx context.Context, name, port string, share float64, by grant.By) error {
	if !(share >= 0 && share <= 1) {
		return fmt.Errorf("%w: a share of an hour is from 0 to 1, not %g", ErrSetting, share)
	}
	r, err := s.setPort(ctx, name, port, func(w *portWish) { w.Share = &share })
	if err == nil {
		s.changed(r, by, fmt.Sprintf("%s/%s may send for %s", name, port, ShareText(share)))
	}
	return err
}

// Correct sets what makes a transmitter's durations true. Errors wrap ErrSetting, ErrUnknownStation or
// ErrUnknownTransmitter.
func (s *Stations) Correct(ctx context.Context, name, port string, c reach.Correction, by grant.By) error {
	if err := c.Check(); err != nil {
		return fmt.Errorf("%w: %w", ErrSetting, err)
	}
	r, err := s.setPort(ctx, name, port, func(w *portWish) { w.Correction = c })
	if err == nil {
		text := name + "/" + port + " is corrected: it " + c.Text()
		if c.None() {
			text = name + "/" + port + " is not corrected any more"
		}
		s.changed(r, by, text)
	}
	return err
}

// setPort changes what is set for a transmitter, and tells its station as it is then. What could not be read is set
// aside.
func (s *Stations) setPort(ctx context.Context, name, port string, f func(*portWish)) (now store.Station, err error) {
	return now, s.change(ctx, name, func(m *member, r *store.Station) error {
		if !m.isTransmitter(port) {
			return fmt.Errorf("%w %.60q: there are %s", ErrUnknownTransmitter, name+"/"+port, s.transmitters())
		}
		set, err := m.settings()
		if err != nil {
			aside := store.Aside{Kind: "settings", Owner: r.ID, Document: r.Settings, At: s.now()}
			if err := s.store.PutAside(ctx, aside); err != nil {
				return err
			}
			set = settings{Ports: m.strictest()}
		}
		if set.Ports == nil {
			set.Ports = map[string]portWish{}
		}
		w := set.Ports[port]
		f(&w)
		set.Ports[port] = w
		r.Settings, err = store.WriteDocument(settingsVersion, set)
		now = *r
		return err
	})
}

// Witness keeps which receivers heard a transmitter that was tested just now, by STATION/PORT, with the strength. It is
// what transmitters are chosen by for rooms that have none.
func (s *Stations) Witness(ctx context.Context, transmitter string, heard map[string]float64) error {
	name, port, _ := strings.Cut(transmitter, "/")
	kept := map[string]float64{}
	s.mu.Lock()
	for _, m := range s.members {
		for _, p := range m.hello.Ports {
			if strength, ok := heard[m.record.Name+"/"+p.ID]; ok && m.record.Removed.IsZero() {
				kept[m.record.ID+"/"+p.ID] = strength
			}
		}
	}
	s.mu.Unlock()
	_, err := s.setPort(ctx, name, port, func(w *portWish) { w.Heard = kept })
	return err
}

// ShareText says what share of an hour is allowed.
func ShareText(share float64) string {
	if share == 0 {
		return "as long as it is asked to"
	}
	return fmt.Sprintf("%g %% of an hour", share*100)
}

// change changes a record, on disk and then here.
func (s *Stations) change(ctx context.Context, name string, f func(*member, *store.Station) error) error {
	s.changing.Lock()
	defer s.changing.Unlock()
	s.mu.Lock()
	m, err := s.find(name)
	var record store.Station
	if err == nil {
		record = m.record
		err = f(m, &record)
	}
	s.mu.Unlock()
	if err != nil {
		return err
	}
	if err := s.store.PutStation(ctx, record); err != nil {
		return err
	}
	s.mu.Lock()
	m.record = record
	s.mu.Unlock()
	return nil
}

// Remove takes a station out of the house: its link ends, and it is not let in again until it is added. The error wraps
// ErrUnknownStation.
func (s *Stations) Remove(ctx context.Context, name string, by grant.By) (station.Origin, error) {
	s.changing.Lock()
	defer s.changing.Unlock()
	s.mu.Lock()
	m, err := s.find(name)
	if err != nil {
		s.mu.Unlock()
		return station.Origin{}, err
	}
	record := m.record
	s.mu.Unlock()
	record.Removed = s.now()
	if err := s.store.PutStation(ctx, record); err != nil {
		return station.Origin{}, err
	}
	s.mu.Lock()
	m.record = record
	link, end := m.link, m.end
	m.lose()
	m.link, m.end, m.since = nil, nil, s.now()
	s.mu.Unlock()
	if end != nil {
		end()
	}
	if link != nil {
		s.tell(ctx, link, station.Refused{Reason: "removed from the house"})
		_ = link.Close()
	}
	s.changed(record, by, "Removed the station "+name)
	return m.origin(), nil
}

func (s *Stations) changed(r store.Station, by grant.By, text string) {
	s.stream.Publish(happening.Happening{By: by,
		What: happening.StationChanged{StationID: r.ID, Station: r.Name, Text: text}})
}

// find finds a station by name. The caller holds mu. The error wraps ErrUnknownStation and lists those that there are.
func (s *Stations) find(name string) (*member, error) {
	if m := s.named(name); m != nil {
		return m, nil
	}
	var names []string
	for _, m := range s.members {
		if m.record.Removed.IsZero() {
			names = append(names, m.record.Name)
		}
	}
	there := "there is none yet"
	if len(names) > 0 {
		slices.Sort(names)
		there = "there are " + strings.Join(names, ", ")
	}
	return nil, fmt.Errorf("%w %.40q: %s", ErrUnknownStation, name, there)
}

// CheckName says whether a new station may have a name. Errors wrap device.ErrName or ErrNameTaken.
func (s *Stations) CheckName(name string) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.checkName(name, nil)
}

// checkName says whether a station may have a name. The caller holds mu.
func (s *Stations) checkName(name string, but *member) error {
	if !station.ValidName(name) {
		return fmt.Errorf("%w: station %.50q: 1 to 40 of a-z, 0-9 and -", device.ErrName, name)
	}
	if m := s.named(name); m != nil && m != but {
		return fmt.Errorf("%w: there is a station %q already: choose another name", ErrNameTaken, name)
	}
	return nil
}

// strictest is what is set for each transmitter of a station whose settings cannot be read. The caller holds mu.
func (m *member) strictest() map[string]portWish {
	out := map[string]portWish{}
	for _, p := range m.hello.Ports {
		if p.Direction == station.Transmitter {
			out[p.ID] = m.wish(p.ID)
		}
	}
	return out
}
