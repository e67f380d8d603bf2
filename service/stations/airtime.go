package stations

import (
	"context"
	"slices"
	"time"

	"urbo/core/reach"
	"urbo/station"
	"urbo/store"
)

// An hour of airtime is kept for each transmitter, in minutes, so that it takes little memory however often it sends.
const (
	airSpan  = time.Hour
	airSlots = 60
)

// RadioShare is the share of an hour that a radio transmitter may send until told otherwise: what many countries allow
// between 433.05 and 434.79 MHz.
const RadioShare = 0.1

// airtime is how long a transmitter was on the air in the last hour.
type airtime struct {
	slots [airSlots]time.Duration
	begun [airSlots]int64 // the minute that each slot is about
}

func (a *airtime) add(at time.Time, took time.Duration) {
	minute := at.Unix() / 60
	i := minute % airSlots
	if a.begun[i] != minute {
		a.begun[i], a.slots[i] = minute, 0
	}
	a.slots[i] += took
}

// used is the sum of the last hour.
func (a *airtime) used(now time.Time) time.Duration {
	minute := now.Unix() / 60
	var sum time.Duration
	for i, begun := range a.begun {
		if minute-begun < airSlots && begun <= minute {
			sum += a.slots[i]
		}
	}
	return sum
}

// recall counts what was on the air in the hour before the house was started, also of stations that were removed: they
// may be added again.
func (s *Stations) recall(ctx context.Context) error {
	airings, err := s.store.Airings(ctx, s.now().Add(-airSpan))
	for _, a := range airings {
		if m := s.byID(a.Station); m != nil && !a.At.After(s.now()) {
			m.use(a.Port).air.add(a.At, a.Took)
		}
	}
	return err
}

// Air is how long a transmitter was on the air in the last hour, and how long it may be.
type Air struct {
	Used   time.Duration
	Budget time.Duration // 0 is no limit
	Share  float64       // of the hour that the budget is; 0 is no limit
}

// Spent says that it may not send any more for now.
func (a Air) Spent() bool { return a.Budget > 0 && a.Used >= a.Budget }

// settings are what the owner set for a station's ports, as kept on disk.
type settings struct {
	Ports map[string]portWish `json:"ports,omitempty"`
}

// portWish is what the owner set for one port.
type portWish struct {
	Share      *float64           `json:"airtime_share,omitempty"` // of an hour; 0 is no limit
	Correction reach.Correction   `json:"correction,omitzero"`
	Heard      map[string]float64 `json:"heard,omitzero"` // strength at receivers when it was last tested, by STATION-ID/PORT
}

// StrictShare is the share of an hour that a transmitter may send whose setting cannot be read: what was set may have
// been as little.
const StrictShare = 0.01

// wish is what is set for a port; the strictest where that cannot be read. The caller holds mu.
func (m *member) wish(port string) portWish {
	set, err := m.settings()
	if err != nil {
		strict := StrictShare
		return portWish{Share: &strict}
	}
	return set.Ports[port]
}

// settingsVersion of the document.
const settingsVersion = 1

// settings are what is set for its ports. The error wraps store.ErrDocument.
func (m *member) settings() (s settings, err error) {
	err = store.ReadDocument(m.record.Settings, settingsVersion, &s)
	return s, err
}

// air is what a transmitter used, and may use. The caller holds mu.
func (s *Stations) air(m *member, port station.Port) Air {
	a := Air{}
	if port.Medium == "radio" {
		a.Share = RadioShare
	}
	if wish := m.wish(port.ID).Share; wish != nil {
		a.Share = *wish
	}
	a.Budget = time.Duration(a.Share * float64(airSpan))
	if u := m.ports[port.ID]; u != nil {
		a.Used = u.air.used(s.now())
	}
	return a
}

// isTransmitter says whether a station has a transmitter of a name.
func (m *member) isTransmitter(port string) bool {
	return slices.ContainsFunc(m.hello.Ports, func(p station.Port) bool {
		return p.ID == port && p.Direction == station.Transmitter
	})
}
