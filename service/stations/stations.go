// Package stations knows the hardware: it runs the transports that bring links, keeps what each station last said of
// itself, and passes on what it hears and what it answers.
package stations

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"urbo/core/happening"
	"urbo/core/plain"
	"urbo/core/signal"
	"urbo/service/stream"
	"urbo/station"
)

// Errors that callers ask for.
var (
	ErrNoTransmitter      = errors.New("no transmitter")
	ErrUnknownTransmitter = errors.New("unknown transmitter")
	ErrNameTaken          = errors.New("another station has this name")
)

// Silent is how long a station may say nothing before it counts as away, and a ping is sent at a third of it.
const Silent = 30 * time.Second

const (
	// greeting is how long a link may take to say hello.
	greeting = 10 * time.Second
	// telling is how long a message may take to get out.
	telling = 2 * time.Second
	// A transport that failed is run again after a pause that grows from the first to the second.
	firstPause, longestPause = time.Second, time.Minute
)

// Receiver takes what receivers hear. Hear does not block.
type Receiver interface {
	Hear(station string, port station.Port, m station.Heard)
}

// Stations is the stations of the house.
type Stations struct {
	transports []station.Transport
	receiver   Receiver
	stream     *stream.Stream
	now        func() time.Time

	mu      sync.Mutex
	members []*member // in the order in which they first said hello
}

// member is one station as Urbo sees it.
type member struct {
	hello station.Hello
	link  station.Link // nil while it is away
	since time.Time    // here or away
	spoke time.Time
	ports map[string]*use
	sends map[string]*Sending // that are not answered, by id
}

// use is what a port did.
type use struct {
	last  time.Time
	count int
	end   int64 // of what it heard last, on the station's clock in µs
}

// New makes the stations of some transports.
func New(transports []station.Transport, receiver Receiver, events *stream.Stream, now func() time.Time) *Stations {
	return &Stations{transports: transports, receiver: receiver, stream: events, now: now}
}

// Run runs every transport until the context ends.
func (s *Stations) Run(ctx context.Context) error {
	var group sync.WaitGroup
	for _, t := range s.transports {
		group.Go(func() { s.supervise(ctx, t) })
	}
	group.Go(func() { s.watch(ctx) })
	group.Wait()
	return nil
}

// supervise runs one transport, again after a while where it fails.
func (s *Stations) supervise(ctx context.Context, t station.Transport) {
	for pause := firstPause; ; pause = min(2*pause, longestPause) {
		began := s.now()
		err := t.Run(ctx, s.serve)
		if ctx.Err() != nil || err == nil {
			return
		}
		slog.Warn("a transport failed and is run again", "transport", fmt.Sprintf("%T", t), "error", err)
		if s.now().Sub(began) > longestPause {
			pause = firstPause
		}
		timer := time.NewTimer(pause)
		select {
		case <-ctx.Done():
			timer.Stop()
			return
		case <-timer.C:
		}
	}
}

// serve is the life of one link: hello, and then all that the station says. It returns when the link has ended.
func (s *Stations) serve(ctx context.Context, l station.Link) error {
	defer l.Close()
	hello, err := greet(ctx, l)
	if err != nil {
		return err
	}
	m, err := s.enter(hello, l)
	if err != nil {
		s.tell(ctx, l, station.Refused{Reason: err.Error()})
		s.stream.Publish(happening.Happening{What: happening.StationNote{Severity: "refused", Text: err.Error()}})
		return err
	}
	s.tell(ctx, l, station.Welcome{Link: station.Version})
	s.stream.Publish(happening.Happening{What: happening.StationHere{Station: hello.Station}})
	for {
		message, err := l.Receive(ctx)
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

// greet waits for the hello of a link.
func greet(ctx context.Context, l station.Link) (station.Hello, error) {
	ctx, cancel := context.WithTimeout(ctx, greeting)
	defer cancel()
	for {
		m, err := l.Receive(ctx)
		if err != nil {
			return station.Hello{}, fmt.Errorf("wait for hello: %w", err)
		}
		if hello, ok := m.(station.Hello); ok {
			return hello, nil
		}
	}
}

// enter makes a station that said hello a member. A name belongs to the station that is here with it; one that was
// quiet for long gives way: the same station may have come back before its old link was noticed to be dead.
func (s *Stations) enter(hello station.Hello, l station.Link) (*member, error) {
	if err := hello.Check(); err != nil {
		return nil, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	i := slices.IndexFunc(s.members, func(m *member) bool { return m.hello.Station == hello.Station })
	if i < 0 {
		i = len(s.members)
		s.members = append(s.members, &member{ports: map[string]*use{}})
	}
	m := s.members[i]
	if m.link != nil && s.now().Sub(m.spoke) < Silent/3 {
		return nil, fmt.Errorf("%w: %q is here already: rename one of the two", ErrNameTaken, hello.Station)
	}
	if m.link != nil {
		_ = m.link.Close()
	}
	m.lose()
	hello.Model, hello.Firmware = shown(hello.Model), shown(hello.Firmware)
	m.hello, m.link, m.since, m.spoke = hello, l, s.now(), s.now()
	return m, nil
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

// lose ends the sends that nobody will answer any more. The caller holds mu.
func (m *member) lose() {
	for _, send := range m.sends {
		close(send.answer)
	}
	m.sends = map[string]*Sending{}
}

// leave notes that a link has ended: its station is away at once.
func (s *Stations) leave(m *member, l station.Link, why error) {
	s.mu.Lock()
	if m.link != l { // another one has taken its place
		s.mu.Unlock()
		return
	}
	m.lose()
	m.link, m.since = nil, s.now()
	name := m.hello.Station
	s.mu.Unlock()
	what := happening.StationAway{Station: name}
	if !errors.Is(why, station.ErrAway) && !errors.Is(why, context.Canceled) {
		what.Why = why.Error()
	}
	s.stream.Publish(happening.Happening{What: what})
}

// tell sends a message that nothing depends on: where it does not get out, the link's end shows by itself.
func (s *Stations) tell(ctx context.Context, l station.Link, m station.Message) {
	ctx, cancel := context.WithTimeout(ctx, telling)
	defer cancel()
	_ = l.Tell(ctx, m)
}

// take deals with one message of a station.
func (s *Stations) take(ctx context.Context, m *member, l station.Link, message station.Message) {
	s.mu.Lock()
	m.spoke = s.now()
	name := m.hello.Station
	s.mu.Unlock()
	switch msg := message.(type) {
	case station.Hello: // it began anew, and forgot what it was told
		if err := s.again(m, msg); err != nil {
			s.stream.Publish(happening.Happening{What: happening.StationNote{Place: name, Severity: "refused",
				Text: err.Error()}})
			s.tell(ctx, l, station.Refused{Reason: err.Error()})
			return
		}
		s.tell(ctx, l, station.Welcome{Link: station.Version})
	case station.Heard:
		s.heard(m, name, msg)
	case station.Sent:
		s.answered(m, msg.ID, msg)
	case station.Failed:
		s.answered(m, msg.ID, msg)
	case station.Note:
		s.stream.Publish(happening.Happening{What: happening.StationNote{Place: name, Severity: shown(msg.Severity),
			Text: shown(msg.Text)}})
	case station.Ping:
		s.tell(ctx, l, station.Pong{})
	}
}

func (s *Stations) again(m *member, hello station.Hello) error {
	if err := hello.Check(); err != nil {
		return err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if hello.Station != m.hello.Station {
		return fmt.Errorf("%w: %q calls itself %q now: close the link first", ErrNameTaken, m.hello.Station,
			hello.Station)
	}
	m.lose()
	m.hello = hello
	return nil
}

func (s *Stations) heard(m *member, name string, heard station.Heard) {
	s.mu.Lock()
	i := slices.IndexFunc(m.hello.Ports, func(p station.Port) bool {
		return p.ID == heard.Port &&
			p.Direction == station.Receiver
	})
	if i < 0 {
		s.mu.Unlock()
		slog.Warn("heard on a port that the station did not name as a receiver", "station", name, "port", heard.Port)
		return
	}
	port := m.hello.Ports[i]
	u := m.use(port.ID)
	fresh := u.last.IsZero() || heard.At-u.end >= signal.PressSilence || heard.At < u.end
	u.last, u.end = s.now(), heard.At+int64(heard.Train.Length())
	if fresh {
		u.count++
	}
	s.mu.Unlock()
	s.receiver.Hear(name, port, heard)
	if fresh {
		s.stream.Publish(happening.Happening{What: happening.StationUsed{Station: name}})
	}
}

func (m *member) use(port string) *use {
	u := m.ports[port]
	if u == nil {
		u = &use{}
		m.ports[port] = u
	}
	return u
}

func (s *Stations) answered(m *member, id string, message station.Message) {
	s.mu.Lock()
	send := m.sends[id]
	delete(m.sends, id)
	s.mu.Unlock()
	if send == nil { // of a send that was given up, or a second answer: it says nothing new
		return
	}
	send.answer <- message // it has room for one
	s.stream.Publish(happening.Happening{What: happening.StationUsed{Station: m.hello.Station}})
}

// watch asks quiet stations whether they live, and closes the links of those that do not.
func (s *Stations) watch(ctx context.Context) {
	tick := time.NewTicker(Silent / 3)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		s.mu.Lock()
		var ask, close []station.Link
		for _, m := range s.members {
			switch quiet := s.now().Sub(m.spoke); {
			case m.link == nil:
			case quiet > Silent:
				close = append(close, m.link)
			case quiet >= Silent/3:
				ask = append(ask, m.link)
			}
		}
		s.mu.Unlock()
		for _, l := range close {
			_ = l.Close()
		}
		for _, l := range ask {
			s.tell(ctx, l, station.Ping{})
		}
	}
}
