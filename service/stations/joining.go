package stations

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"urbo/core/happening"
	"urbo/core/plain"
	"urbo/station"
	"urbo/store"
)

// serve is the life of one link: hello, and then all that the station says. It returns when the link has ended.
func (s *Stations) serve(ctx context.Context, l station.Link) error {
	defer l.Close()
	hello, err := s.greet(ctx, l)
	if err != nil {
		return err
	}
	m, err := s.enter(hello, l)
	if err != nil {
		s.tell(ctx, l, station.Refused{Reason: err.Error()})
		s.say(s.strangers, happening.StationNote{Severity: "refused", Text: err.Error()})
		return err
	}
	s.tell(ctx, l, station.Welcome{Link: station.Version})
	s.stream.Publish(happening.Happening{What: s.here(m)})
	pace := station.NewPace()
	for {
		message, err := l.Receive(ctx)
		if err == nil && l.Origin().Over != station.Stage { // the stage may be faster than real time
			err = pace.Wait(ctx, station.Weight(message))
		}
		if err != nil {
			s.leave(m, l, err)
			if ctx.Err() != nil {
				return nil
			}
			return err
		}
		s.take(ctx, m, l, message)
	}
}

// here is the happening that a member is here.
func (s *Stations) here(m *member) happening.StationHere {
	s.mu.Lock()
	defer s.mu.Unlock()
	return happening.StationHere{StationID: m.record.ID, Station: m.record.Name, Quiet: !m.voice.may(s.now())}
}

// greet waits for the hello of a link, and asks for it where it does not come.
func (s *Stations) greet(ctx context.Context, l station.Link) (station.Hello, error) {
	ctx, cancel := context.WithTimeoutCause(ctx, greeting, errNoHello)
	defer cancel()
	var asked sync.WaitGroup
	defer asked.Wait()
	answered := make(chan struct{})
	defer close(answered)
	asked.Go(func() {
		tick := time.NewTicker(asking)
		defer tick.Stop()
		for {
			select {
			case <-answered:
				return
			case <-ctx.Done():
				return
			case <-tick.C:
				s.tell(ctx, l, station.Who{})
			}
		}
	})
	for {
		m, err := l.Receive(ctx)
		if err != nil {
			if errors.Is(context.Cause(ctx), errNoHello) {
				err = errNoHello
			}
			return station.Hello{}, fmt.Errorf("wait for hello: %w", err)
		}
		if hello, ok := m.(station.Hello); ok {
			return hello, nil
		}
	}
}

var errNoHello = fmt.Errorf("nothing says hello within %.0f s: is there a station, and is its speed right?",
	greeting.Seconds())

// enter makes a station that said hello a member. The newer link of a station takes the older one's place at once: the
// same station may have come back before its old link was noticed to be dead.
func (s *Stations) enter(hello station.Hello, l station.Link) (*member, error) {
	if err := hello.Check(); err != nil {
		return nil, err
	}
	s.changing.Lock()
	defer s.changing.Unlock()
	m, err := s.seat(hello, l)
	if err != nil {
		return nil, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if old := m.link; old != nil {
		s.group.Go(func() { s.replace(m, old) })
	}
	m.lose()
	m.hello, m.link, m.since, m.spoke, m.trouble = cleaned(hello), l, s.now(), s.now(), ""
	m.clock = s.now().Add(-time.Duration(hello.Now) * time.Microsecond)
	s.keep(m)
	return m, nil
}

// replaceable is a link that can tell whether its other end is still there when a newer one takes its place.
type replaceable interface {
	// Replace ends the link and says why to the other end. alive is whether that still answered.
	Replace(ctx context.Context, why string) (alive bool)
}

const (
	lastAnswer  = time.Second // in which the other end of a link that is replaced may answer
	doubledEach = time.Hour   // for a station, at most
)

// replace ends the link of a station whose place a newer one took. Where it was alive, two boards have one token.
func (s *Stations) replace(m *member, old station.Link) {
	r, can := old.(replaceable)
	if !can {
		_ = old.Close()
		return
	}
	ctx, cancel := context.WithTimeout(context.Background(), lastAnswer)
	defer cancel()
	if !r.Replace(ctx, "another station came with this token") {
		return
	}
	s.mu.Lock()
	id, name, often := m.record.ID, m.record.Name, s.now().Sub(m.doubled) < doubledEach
	if !often {
		m.doubled = s.now()
	}
	s.mu.Unlock()
	if !often {
		s.say(m.voice, happening.StationNote{StationID: id, Place: name, Severity: "error", Text: "Two stations come " +
			"with the token of " + name + ", and push each other out: give each a token of its own with urbo station " +
			"add"})
	}
}

// seat finds the member that a link belongs to, or makes one. The caller holds changing.
func (s *Stations) seat(hello station.Hello, l station.Link) (*member, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	origin := l.Origin()
	for _, m := range s.members {
		if m.origin() != origin {
			continue
		}
		if !m.record.Removed.IsZero() {
			return nil, fmt.Errorf("%w: %q: add it again to let it in", ErrRemoved, hello.Station)
		}
		return m, nil
	}
	if err := s.checkName(hello.Station, nil); err != nil {
		return nil, err
	}
	if len(s.members) >= MaxStations {
		return nil, fmt.Errorf("%w: %d, which is the most: remove one", ErrMany, MaxStations)
	}
	if m := s.expected(hello.Station); m != nil {
		m.record.Over, m.record.Address, m.record.Added = string(origin.Over), origin.Address, s.now()
		m.record.Removed = time.Time{}
		return m, nil
	}
	m := newMember(store.Station{ID: store.NewID(), Name: hello.Station, Over: string(origin.Over),
		Address: origin.Address, Added: s.now()})
	s.members = append(s.members, m)
	return m, nil
}

// named is how a station came to be known that a device named before it was ever seen.
const named = "named"

// expected finds a station of a name that a device named, and that was never seen. The caller holds mu.
func (s *Stations) expected(name string) *member {
	for _, m := range s.members {
		if m.record.Over == named && m.record.Address == name {
			return m
		}
	}
	return nil
}

// keep writes on disk who came, where it says something new. Where the disk refuses, it is here all the same. The
// caller holds changing and mu; mu is given away meanwhile.
func (s *Stations) keep(m *member) {
	lasting := m.hello
	lasting.Now = 0
	said, err := station.Marshal(lasting)
	if err != nil {
		return
	}
	known := m.record.Hello == string(said)
	m.record.Hello, m.record.Seen = string(said), s.now()
	if known {
		return
	}
	if m.unkept = s.now().Sub(m.kept) < keepEach; m.unkept { // it says something else each time
		return
	}
	m.kept = s.now()
	r := m.record
	s.mu.Unlock()
	defer s.mu.Lock()
	if err := s.store.PutStation(context.Background(), r); err != nil {
		slog.Error("a station is not kept on disk", "error", err)
	}
}

// keepRest writes on disk what was not written at once.
func (s *Stations) keepRest() {
	s.changing.Lock()
	defer s.changing.Unlock()
	s.mu.Lock()
	var rest []store.Station
	for _, m := range s.members {
		if m.unkept {
			m.unkept = false
			rest = append(rest, m.record)
		}
	}
	s.mu.Unlock()
	for _, r := range rest {
		if err := s.store.PutStation(context.Background(), r); err != nil {
			slog.Error("a station is not kept on disk", "error", err)
		}
	}
}

// cleaned is a hello as it may be shown.
func cleaned(h station.Hello) station.Hello {
	h.Model, h.Firmware = shown(h.Model), shown(h.Firmware)
	return h
}

// longestText is the most characters that are taken of a text that a station says.
const longestText = 300

// shown is a text that a station says, as it may be shown.
func shown(text string) string {
	text = plain.Show(text)
	if r := []rune(text); len(r) > longestText {
		return string(r[:longestText]) + "…"
	}
	return text
}

func (s *Stations) again(m *member, hello station.Hello) error {
	if err := hello.Check(); err != nil {
		return err
	}
	s.changing.Lock()
	defer s.changing.Unlock()
	s.mu.Lock()
	defer s.mu.Unlock()
	if hello.Station != m.hello.Station {
		return fmt.Errorf("%w: %q calls itself %q now: close the link first", ErrNameTaken, m.hello.Station,
			hello.Station)
	}
	m.lose()
	m.hello, m.clock = cleaned(hello), s.now().Add(-time.Duration(hello.Now)*time.Microsecond)
	s.keep(m)
	return nil
}

// leave notes that a link has ended: its station is away at once.
func (s *Stations) leave(m *member, l station.Link, why error) {
	s.mu.Lock()
	if m.link != l { // another one has taken its place
		s.mu.Unlock()
		return
	}
	m.lose()
	m.link, m.since, m.record.Seen = nil, s.now(), s.now()
	what := happening.StationAway{StationID: m.record.ID, Station: m.record.Name, Quiet: !m.voice.may(s.now())}
	m.unkept = true
	s.mu.Unlock()
	if !what.Quiet {
		s.keepRest()
	}
	if !errors.Is(why, station.ErrAway) && !errors.Is(why, context.Canceled) {
		what.Why = why.Error()
	}
	s.stream.Publish(happening.Happening{What: what})
}
