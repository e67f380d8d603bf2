// Package stations knows the hardware: it runs the transports that bring links, keeps what each station last said of
// itself, and passes on what it hears and what it answers.
package stations

import (
	"context"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/signal"
	"urbo/service/rooms"
	"urbo/service/stream"
	"urbo/station"
	"urbo/store"
)

// Errors that callers ask for.
var (
	ErrNoTransmitter      = fault.New(fault.Conflict, "no transmitter")
	ErrUnknownTransmitter = fault.New(fault.Invalid, "unknown transmitter")
	ErrNameTaken          = fault.New(fault.Conflict, "another station has this name")
	ErrUnknownStation     = fault.New(fault.NotFound, "unknown station")
	ErrRemoved            = fault.New(fault.Conflict, "the station was removed")
	ErrMany               = fault.New(fault.Conflict, "too many stations")
	ErrAirtime            = fault.New(fault.Conflict, "its airtime is used up")
	ErrReach              = fault.New(fault.Invalid, "cannot reach the station")
	ErrSetting            = fault.New(fault.Invalid, "the transmitter's setting")
)

// Silent is how long a station may say nothing before it counts as away, and a ping is sent at a third of it.
const Silent = 30 * time.Second

const (
	// greeting is how long a link may take to say hello.
	greeting = 10 * time.Second
	// telling is how long a message may take to get out.
	telling = 2 * time.Second
	// longestSend is the most that a station is believed of how long it sent.
	longestSend = 2 * time.Minute
	// keepEach is how often it is written at once that a station says something new of itself.
	keepEach = time.Second
	// asking is how long a link may be silent before it is asked who it is: a board that was there before says nothing
	// by itself.
	asking = time.Second
)

// Receiver takes what receivers hear; when is zero, or when it was where that is long past. Hear does not block.
type Receiver interface {
	Hear(from Source, port station.Port, m station.Heard, when time.Time)
}

// Source is the station that something was heard by.
type Source struct {
	ID   string // which it keeps whatever its name becomes
	Name string
	Room string // id; "" where it stands in none
}

// Rooms tells which rooms there are.
type Rooms interface {
	Name(id string) string
	Ensure(ctx context.Context, name string, by grant.By) (rooms.Room, error)
}

// Store keeps what the house knows of its stations.
type Store interface {
	Stations(ctx context.Context) ([]store.Station, error)
	PutStation(ctx context.Context, s store.Station) error
	PutAside(ctx context.Context, a store.Aside) error
	Airings(ctx context.Context, since time.Time) ([]store.Airing, error)
}

// Config of the stations.
type Config struct {
	Store      Store
	Transports []station.Transport // that run all the time
	// Reach makes the transport of a station that the house reaches by itself, such as one on a serial port. Its error
	// says what is wrong with the address.
	Reach    func(station.Origin) (station.Transport, error)
	Receiver Receiver
	Rooms    Rooms
	Stream   *stream.Stream
	Now      func() time.Time
}

// Stations is the stations of the house.
type Stations struct {
	store      Store
	transports []station.Transport
	reach      func(station.Origin) (station.Transport, error)
	receiver   Receiver
	rooms      Rooms
	stream     *stream.Stream
	now        func() time.Time

	changing sync.Mutex // held while a record is changed, on disk and here; taken before mu

	mu      sync.Mutex
	running context.Context // nil before Run
	group   sync.WaitGroup  // the transports
	members []*member       // in the order in which they were added

	strangers *voice // of links that are not let in
}

// member is one station as Urbo sees it.
type member struct {
	record store.Station
	hello  station.Hello // what it last said of itself; its name there is its own
	link   station.Link  // nil while it is away
	since  time.Time     // here or away; zero where it was never here
	spoke  time.Time
	clock  time.Time // when its own clock was 0
	ports  map[string]*use
	sends  map[string]*Sending // that are not answered, by id
	end    func()              // its own transport's; nil where it has none
	voice  *voice
	kept   time.Time // when its record was written because it said something new
	unkept bool      // its record says something that is not on disk yet

	doubled time.Time // when it was said that two stations come with its token

	trouble string // why it cannot be reached, while it is away
}

// use is what a port did.
type use struct {
	last  time.Time
	count int
	peak  *float64 // strength of what it heard last, where it measures it
	end   int64    // of what it heard last, on the station's clock in µs
	air   airtime
}

// Open reads what the house knows of its stations.
func Open(ctx context.Context, c Config) (*Stations, error) {
	s := &Stations{store: c.Store, transports: c.Transports, reach: c.Reach, receiver: c.Receiver, rooms: c.Rooms,
		stream: c.Stream, now: c.Now, strangers: newVoice()}
	records, err := c.Store.Stations(ctx)
	if err != nil {
		return nil, fmt.Errorf("read the stations: %w", err)
	}
	for _, r := range records {
		m := newMember(r)
		s.members = append(s.members, m)
		if _, err := m.settings(); err != nil {
			s.stream.Publish(happening.Happening{What: happening.StationNote{StationID: r.ID, Place: r.Name,
				Severity: "error", Text: fmt.Sprintf("What is set for the ports of %s %v. It stays as it is, and its "+
					"transmitters may send for %s until their airtime is set anew", r.Name, err,
					ShareText(StrictShare))}})
		}
	}
	if err := s.recall(ctx); err != nil {
		return nil, fmt.Errorf("read what was on the air lately: %w", err)
	}
	return s, nil
}

func newMember(r store.Station) *member {
	m := &member{record: r, since: r.Seen, ports: map[string]*use{}, sends: map[string]*Sending{}, voice: newVoice()}
	if said, err := station.Unmarshal([]byte(r.Hello)); err == nil && r.Hello != "" {
		m.hello, _ = said.(station.Hello)
	}
	return m
}

// Run runs every transport until the context ends.
func (s *Stations) Run(ctx context.Context) error {
	s.changing.Lock()
	s.mu.Lock()
	s.running = ctx
	for _, t := range s.transports {
		s.group.Go(func() {
			said := ""
			station.Supervise(ctx, t, s.serve, s.now, func(err error) {
				if text := err.Error(); text != said { // once, however often it is tried
					said = text
					slog.Warn("stations cannot be reached, and it is tried again", "by", fmt.Sprintf("%T", t), "error",
						err)
				}
			})
		})
	}
	s.group.Go(func() { s.watch(ctx) })
	for _, m := range s.members {
		s.start(m)
	}
	s.mu.Unlock()
	s.changing.Unlock()
	<-ctx.Done()
	s.changing.Lock() // nobody starts another one any more
	s.mu.Lock()
	s.running = nil
	s.mu.Unlock()
	s.changing.Unlock()
	s.group.Wait()
	s.keepRest()
	return nil
}

// start runs the transport of a station that the house reaches by itself. The caller holds mu.
func (s *Stations) start(m *member) {
	if s.reach == nil || s.running == nil || !m.record.Removed.IsZero() {
		return
	}
	t, err := s.reach(m.origin())
	if err != nil {
		s.group.Go(func() { s.troubled(m, err) })
		return
	}
	if t == nil { // it comes by itself
		return
	}
	ctx, end := context.WithCancel(s.running)
	m.end = end
	s.group.Go(func() {
		defer end()
		station.Supervise(ctx, t, s.serve, s.now, func(err error) { s.troubled(m, err) })
	})
}

// troubled notes why a station that is away cannot be reached, and tells it.
func (s *Stations) troubled(m *member, err error) {
	s.mu.Lock()
	text := shown(err.Error())
	fresh := m.link == nil && m.trouble != text && m.record.Removed.IsZero()
	if fresh {
		m.trouble = text
	}
	from := m.source()
	s.mu.Unlock()
	if !fresh {
		return
	}
	slog.Warn("a station cannot be reached, and it is tried again", "station", from.Name, "error", err)
	s.say(m.voice, happening.StationNote{StationID: from.ID, Place: from.Name, Severity: "warning", Text: text})
	s.used(from)
}

func (m *member) origin() station.Origin {
	return station.Origin{Over: station.Over(m.record.Over), Address: m.record.Address}
}

// source is the member as what is heard names it. The caller holds mu.
func (m *member) source() Source { return Source{m.record.ID, m.record.Name, m.record.RoomID} }

// lose ends the sends that nobody will answer any more. The caller holds mu.
func (m *member) lose() {
	for _, send := range m.sends {
		close(send.answer)
	}
	m.sends = map[string]*Sending{}
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
	name, id := m.record.Name, m.record.ID
	s.mu.Unlock()
	switch msg := message.(type) {
	case station.Hello: // it began anew, and forgot what it was told
		if err := s.again(m, msg); err != nil {
			s.say(m.voice, happening.StationNote{StationID: id, Place: name, Severity: "refused", Text: err.Error()})
			s.tell(ctx, l, station.Refused{Reason: err.Error()})
			return
		}
		s.tell(ctx, l, station.Welcome{Link: station.Version})
	case station.Heard:
		s.heard(m, msg)
	case station.Sent:
		s.answered(m, msg.ID, msg)
	case station.Failed:
		s.answered(m, msg.ID, msg)
	case station.Note:
		s.say(m.voice, happening.StationNote{StationID: id, Place: name, Severity: shown(msg.Severity),
			Text: shown(msg.Text)})
	case station.Ping:
		s.tell(ctx, l, station.Pong{})
	case station.Gone:
		_ = l.Close()
	}
}

func (s *Stations) heard(m *member, heard station.Heard) {
	s.mu.Lock()
	from := m.source()
	i := slices.IndexFunc(m.hello.Ports, func(p station.Port) bool {
		return p.ID == heard.Port &&
			p.Direction == station.Receiver
	})
	if i < 0 {
		s.mu.Unlock()
		s.say(m.voice, happening.StationNote{StationID: from.ID, Place: from.Name, Severity: "error",
			Text: "Heard something on a port that it did not name as a receiver: " + shown(heard.Port)})
		return
	}
	port := m.hello.Ports[i]
	if err := heard.Check(); err != nil {
		s.mu.Unlock()
		s.say(m.voice, happening.StationNote{StationID: from.ID, Place: from.Name + "/" + port.ID, Severity: "error",
			Text: "Sent a train that is none: " + err.Error()})
		return
	}
	u := m.use(port.ID)
	fresh := u.last.IsZero() || heard.At-u.end >= signal.PressSilence || heard.At < u.end
	u.last, u.end = s.now(), heard.At+int64(heard.Train.Length())
	when := m.late(heard, s.now())
	if heard.Strength != nil {
		u.peak = heard.Strength
	}
	if fresh {
		u.count++
	}
	s.mu.Unlock()
	s.receiver.Hear(from, port, heard, when)
	if fresh {
		s.used(from)
	}
}

// behind is how late something heard may come in before it counts as kept for later.
const behind = 500 * time.Millisecond

// late is when something was heard that was kept while the station was away; zero where it is of now, or where the
// station's clock is not known. The caller holds mu.
func (m *member) late(heard station.Heard, now time.Time) time.Time {
	if m.hello.Now == 0 {
		return time.Time{}
	}
	end := m.clock.Add(time.Duration(heard.At+int64(heard.Train.Length())+int64(heard.Gap)) * time.Microsecond)
	if now.Sub(end) < behind {
		return time.Time{}
	}
	return m.clock.Add(time.Duration(heard.At) * time.Microsecond)
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
	from := m.source()
	if sent, ok := message.(station.Sent); ok && send != nil {
		sent.Took = min(max(sent.Took, 0), longestSend.Microseconds()) // whatever its clock says
		m.use(send.port).air.add(s.now(), time.Duration(sent.Took)*time.Microsecond)
		message = sent
	}
	s.mu.Unlock()
	if send == nil { // of a send that was given up, or a second answer: it says nothing new
		return
	}
	send.answer <- message // it has room for one
	s.used(from)
}

func (s *Stations) used(from Source) {
	s.stream.Publish(happening.Happening{What: happening.StationUsed{StationID: from.ID, Station: from.Name}})
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
		s.tellRest()
		s.keepRest()
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
