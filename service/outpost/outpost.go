// Package outpost is the other end of the station link: it makes one station of all hardware of this machine, dials the
// house, and keeps what is heard while the house cannot be reached.
package outpost

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"time"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service/rooms"
	"urbo/service/stations"
	"urbo/service/stream"
	"urbo/service/wake"
	"urbo/station"
	"urbo/store"
)

const (
	// maxKept is how many trains are kept while the house cannot be reached: some hundred presses. The oldest go first.
	maxKept = 1000
	// telling is how long a message may take to get out.
	telling = 2 * time.Second
	// firstPause and longestPause are between attempts to reach the house.
	firstPause, longestPause = time.Second, 5 * time.Second
	// hardwarePatience is how long the hardware may take to say hello before the house is dialled without it.
	hardwarePatience = 3 * time.Second
	// lasting is how long a link must last for the next pause to be short again.
	lasting = time.Minute
	// silent is how long the house may say nothing before the link counts as dead; a ping is sent at a third of it.
	silent = stations.Silent
)

// Config of an outpost.
type Config struct {
	Name     string // what it calls itself: 1 to 40 of a-z, 0-9 and -
	Version  string
	Hardware []station.Transport
	Dial     func(ctx context.Context) (station.Link, error)
	Now      func() time.Time // nil is time.Now
}

// Outpost is one station made of all hardware of this machine.
type Outpost struct {
	config   Config
	now      func() time.Time
	started  time.Time
	queue    *stream.Queue
	stations *stations.Stations
	waiting  sync.WaitGroup // for answers of the hardware
	news     chan struct{}  // something is in kept, or the ports changed

	mu      sync.Mutex
	kept    []station.Message
	first   int // how many were kept before the first of those
	dropped int
	ports   []port
	changed bool // the ports, since the house was told
	clocks  map[device.Place]clock
	sending map[string]*stations.Sending // that are not over, by id

	answers station.Answers
}

// port is a port of the hardware, and what the house calls it.
type port struct {
	place device.Place // here
	port  station.Port
}

// clock sets the clock of one local station against the outpost's own, in µs.
type clock struct{ offset, last int64 }

// New makes an outpost.
func New(ctx context.Context, c Config) (*Outpost, error) {
	if c.Now == nil {
		c.Now = time.Now
	}
	if !station.ValidName(c.Name) {
		return nil, fmt.Errorf("name %.50q: a name is 1 to 40 of a-z, 0-9 and -", c.Name)
	}
	o := &Outpost{config: c, now: c.Now, started: c.Now(), news: make(chan struct{}, 1),
		clocks:  map[device.Place]clock{},
		sending: map[string]*stations.Sending{}}
	events := stream.New(0, c.Now)
	o.queue = events.Subscribe()
	var err error
	o.stations, err = stations.Open(ctx, stations.Config{Store: nowhere{}, Transports: c.Hardware, Receiver: o,
		Rooms: nowhere{}, Stream: events, Now: c.Now})
	return o, err
}

// nowhere keeps nothing: what the hardware is shows when it says hello.
type nowhere struct{}

func (nowhere) Stations(context.Context) ([]store.Station, error) { return nil, nil }

func (nowhere) PutStation(context.Context, store.Station) error { return nil }

func (nowhere) PutAside(context.Context, store.Aside) error { return nil }

func (nowhere) Name(string) string { return "" }

func (nowhere) Ensure(context.Context, string, grant.By) (rooms.Room, error) {
	return rooms.Room{}, nil
}

func (nowhere) Airings(context.Context, time.Time) ([]store.Airing, error) { return nil, nil }

// Run works until the context ends.
func (o *Outpost) Run(ctx context.Context) error {
	var group sync.WaitGroup
	group.Go(func() { _ = o.stations.Run(ctx) })
	group.Go(func() { o.follow(ctx) })
	group.Go(func() { o.reach(ctx) })
	group.Wait()
	return nil
}

// follow notes what ports there are, and passes on what the hardware wants to be known.
func (o *Outpost) follow(ctx context.Context) {
	for {
		all, err := o.queue.Next(ctx)
		if err != nil {
			return
		}
		for _, h := range all {
			switch what := h.What.(type) {
			case happening.StationHere, happening.StationAway:
				o.look()
			case happening.StationNote:
				o.keep(station.Note{Severity: what.Severity, Text: what.Place + ": " + what.Text})
			}
		}
	}
}

// look takes stock of the ports of all hardware that is here.
func (o *Outpost) look() {
	var ports []port
	names := map[string]int{}
	all := o.stations.List()
	for _, s := range all {
		for _, p := range s.Ports {
			names[p.ID]++
		}
	}
	for _, s := range all {
		if !s.Here {
			continue
		}
		for _, p := range s.Ports {
			named := port{place: device.Place{Station: s.ID, Port: p.ID}, port: p.Port}
			if names[p.ID] > 1 {
				named.port.ID = s.Name + "-" + p.ID
			}
			ports = append(ports, named)
		}
	}
	o.mu.Lock()
	o.changed = o.changed || !slices.Equal(ports, o.ports)
	o.ports = ports
	o.mu.Unlock()
	wake.Up(o.news)
}

// Hear takes what a local receiver heard, on the outpost's own clock.
func (o *Outpost) Hear(from stations.Source, p station.Port, m station.Heard, _ time.Time) {
	o.mu.Lock()
	place := device.Place{Station: from.ID, Port: p.ID}
	i := slices.IndexFunc(o.ports, func(p port) bool { return p.place == place })
	if i < 0 {
		o.mu.Unlock()
		return
	}
	m.Port = o.ports[i].port.ID
	c, known := o.clocks[place]
	if !known || m.At < c.last { // its clock began anew
		c.offset = o.micros() - m.At - int64(m.Train.Length()) - int64(m.Gap)
	}
	c.last = m.At
	o.clocks[place] = c
	m.At += c.offset
	o.mu.Unlock()
	o.keep(m)
}

// micros is the outpost's own clock.
func (o *Outpost) micros() int64 { return o.now().Sub(o.started).Microseconds() + 1 }

// keep keeps a message until the house has it.
func (o *Outpost) keep(m station.Message) {
	o.mu.Lock()
	if len(o.kept) >= maxKept {
		o.forget()
		o.dropped++
	}
	o.kept = append(o.kept, m)
	o.mu.Unlock()
	wake.Up(o.news)
}

// forget drops the oldest message that is kept. The caller holds mu.
func (o *Outpost) forget() {
	o.kept = slices.Delete(o.kept, 0, 1)
	o.first++
}
