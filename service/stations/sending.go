package stations

import (
	"context"
	"fmt"
	"slices"
	"time"

	"urbo/core/device"
	"urbo/station"
)

// Transmitter is a port that can send.
type Transmitter struct {
	ID      string // of its station, which keeps it whatever its name becomes
	Station string
	Room    string // id of the one that it is in, or ""
	Port    station.Port
	Hz      int // that it is to send on
	Message int // the most bytes of a message that its station takes, 0 for any

	stations *Stations
	member   *member
}

// Key tells transmitters apart, whatever their names become.
func (t Transmitter) Key() string { return t.ID + "/" + t.Port.ID }

// Air is what it must not share with another one at the same moment: the medium of a room. "" where the room is not
// known.
func (t Transmitter) Air() string {
	if t.Room == "" {
		return ""
	}
	return t.Port.Medium + " in " + t.Room
}

// At is where it is, whatever its station's name becomes.
func (t Transmitter) At() device.Place { return device.Place{Station: t.ID, Port: t.Port.ID} }

// Place is STATION/PORT, as it is called now.
func (t Transmitter) Place() string { return t.Station + "/" + t.Port.ID }

// Sending is a send that a station was told.
type Sending struct {
	id     string
	port   string
	link   station.Link
	answer chan station.Message
}

// Send tells the station to send. The error wraps station.ErrAway where nothing went out.
func (t Transmitter) Send(ctx context.Context, m station.Send) (*Sending, error) {
	s := t.stations
	s.mu.Lock()
	l := t.member.link
	if l == nil {
		s.mu.Unlock()
		return nil, fmt.Errorf("%w: %s", station.ErrAway, t.Station)
	}
	send := &Sending{id: m.ID, port: m.Port, link: l, answer: make(chan station.Message, 1)}
	t.member.sends[m.ID] = send
	c := t.member.wish(t.Port.ID).Correction
	u := t.member.use(t.Port.ID)
	u.last = s.now()
	u.count++
	s.mu.Unlock()
	m.Once, m.Repeat, m.Last = c.Apply(m.Once), c.Apply(m.Repeat), c.Apply(m.Last)
	ctx, cancel := context.WithTimeout(ctx, telling)
	defer cancel()
	if err := l.Tell(ctx, m); err != nil {
		s.mu.Lock()
		delete(t.member.sends, m.ID)
		s.mu.Unlock()
		return nil, err
	}
	return send, nil
}

// Measure lets the receivers that can measure carriers do so for a lease from now. It does not wait.
func (s *Stations) Measure(lease time.Duration) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.running == nil {
		return
	}
	for _, m := range s.members {
		measures := slices.ContainsFunc(m.hello.Ports, func(p station.Port) bool {
			return p.Direction == station.Receiver && p.Frequency
		})
		if l, ctx := m.link, s.running; l != nil && measures {
			s.group.Go(func() { s.tell(ctx, l, station.Measure{Lease: int(lease.Milliseconds())}) })
		}
	}
}

// Answer is where the answer comes: station.Sent or station.Failed, once. It is closed where none will come any more.
func (s *Sending) Answer() <-chan station.Message { return s.answer }

// Hold lets it go on repeating for a lease from now.
func (s *Sending) Hold(ctx context.Context, lease time.Duration) error {
	return s.tell(ctx, station.Hold{ID: s.id, Lease: int(lease.Milliseconds())})
}

// Cancel ends the repeating.
func (s *Sending) Cancel(ctx context.Context) error { return s.tell(ctx, station.Cancel{ID: s.id}) }

func (s *Sending) tell(ctx context.Context, m station.Message) error {
	ctx, cancel := context.WithTimeout(ctx, telling)
	defer cancel()
	return s.link.Tell(ctx, m)
}
