// Package onstage is the driver of the simulated station: it stands on the stage, hears what is on its air and
// sends into it, and speaks the messages of the station link in process.
package onstage

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"time"

	"urbo/core/signal"
	"urbo/stage"
	"urbo/station"
)

// Station is a simulated piece of hardware with ports on the stage.
type Station struct {
	stage *stage.Stage
	hello station.Hello

	inverts bool // its receivers do
	fault   Fault
	said    *mailbox // what the station says; read by Run

	mu      sync.Mutex
	answers station.Answers
	playing map[string]*stage.Playing
	busy    map[string]bool // by port
}

// New puts a station of a name on the stage, with a receiver and a transmitter for infrared and for 433.92 MHz.
func New(s *stage.Stage, name string) *Station {
	n := empty(s, name)
	n.pair("ir", stage.Infrared, 38_000, 2_500, 70, 30_000, 60_000)
	n.pair("radio", stage.Radio, 433_920_000, 250_000, 25, 433_670_000, 434_170_000)
	return n
}

// NewRadio puts a station on the stage that receives and sends on one radio channel in Hz. Its receiver inverts, as
// some modules do.
func NewRadio(s *stage.Stage, name string, hz int) *Station {
	n := empty(s, name)
	n.inverts = true
	n.pair("radio", stage.Radio, hz, 250_000, 25, hz-150_000, hz+150_000)
	return n
}

func empty(s *stage.Stage, name string) *Station {
	return &Station{
		stage:   s,
		hello:   station.Hello{Link: station.Version, Station: name, Model: "Stage board", Firmware: "1"},
		said:    newMailbox(),
		playing: map[string]*stage.Playing{},
		busy:    map[string]bool{},
	}
}

// pair adds a receiver, which hears what is within width of hz, and a transmitter for a range.
func (n *Station) pair(name string, medium stage.Medium, hz, width, stretch, from, to int) {
	n.hello.Ports = append(n.hello.Ports,
		station.Port{ID: name + "-in", Direction: station.Receiver, Medium: string(medium), FromHz: hz - width,
			ToHz: hz + width, Longest: signal.MaxDurations, Strength: true},
		station.Port{ID: name + "-out", Direction: station.Transmitter, Medium: string(medium), FromHz: from, ToHz: to,
			Longest: signal.MaxDurations})
	if n.stage == nil { // it is away, and hears nothing
		return
	}
	if n.fault == Exchanged {
		return
	}
	n.stage.Receive(stage.Receiver{Medium: medium, Hz: hz, Width: width, Stretch: stretch, Inverts: n.inverts},
		func(h stage.Heard) { n.heard(name+"-in", h) })
}

// NewFaulty is New with a fault.
func NewFaulty(s *stage.Stage, name string, f Fault) *Station {
	n := empty(s, name)
	n.fault = f
	n.pair("ir", stage.Infrared, 38_000, 2_500, 70, 30_000, 60_000)
	n.pair("radio", stage.Radio, 433_920_000, 250_000, 25, 433_670_000, 434_170_000)
	return n
}

// Gone is a station that has said hello and is away since: trouble to look at.
type Gone struct{ *Station }

// NewGone makes one, with the ports of New.
func NewGone(name string) Gone { return Gone{New(nil, name)} }

// Run says hello once, and goes away.
func (g Gone) Run(ctx context.Context, join func(context.Context, station.Link) error) error {
	l := g.open()
	g.said.put(left{})
	_ = join(ctx, l)
	<-ctx.Done()
	return nil
}

// Run joins as a link until the context ends; one that was closed is joined anew.
func (n *Station) Run(ctx context.Context, join func(context.Context, station.Link) error) error {
	for ctx.Err() == nil {
		if err := join(ctx, n.open()); err != nil && ctx.Err() == nil {
			return err
		}
	}
	return nil
}

// link is one connection of the station.
type link struct {
	station *Station
	ended   chan struct{}
	close   func()
}

// open begins a connection: the station says hello.
func (n *Station) open() *link {
	l := &link{station: n, ended: make(chan struct{})}
	l.close = sync.OnceFunc(func() { close(l.ended) })
	n.said.put(n.hello)
	return l
}

// Origin is the stage.
func (l *link) Origin() station.Origin {
	return station.Origin{Over: station.Stage, Address: l.station.hello.Station}
}

// Receive waits for what the station says.
func (l *link) Receive(ctx context.Context) (station.Message, error) {
	for {
		select { // a link that has ended says nothing more
		case <-l.ended:
			return nil, fmt.Errorf("%w: %s", station.ErrAway, l.station.hello.Station)
		default:
		}
		switch m := l.station.said.take().(type) {
		case nil:
		case left:
			return nil, fmt.Errorf("%w: %s", station.ErrAway, l.station.hello.Station)
		case finished:
			l.station.finish(m)
			return m.Sent, nil
		default:
			return m, nil
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-l.ended:
		case <-l.station.said.ready:
		}
	}
}

// Tell obeys one message of Urbo.
func (l *link) Tell(_ context.Context, m station.Message) error {
	select {
	case <-l.ended:
		return fmt.Errorf("%w: %s", station.ErrAway, l.station.hello.Station)
	default:
		l.station.obey(m)
		return nil
	}
}

// Close ends the connection. What is on the air goes on, and nobody gets to know.
func (l *link) Close() error {
	l.close()
	return nil
}

// left says that the station went away.
type left struct{ station.Pong }

// finished is the end of a send, from the stage's goroutine to Run.
type finished struct {
	station.Sent
	port string
}

func (n *Station) heard(port string, h stage.Heard) {
	strength := h.Strength
	n.said.put(station.Heard{Port: port, At: h.At.Microseconds(), Train: h.Train, Gap: h.Gap, Strength: &strength})
}

// obey does what one message of Urbo says.
func (n *Station) obey(m station.Message) {
	n.mu.Lock()
	defer n.mu.Unlock()
	switch m := m.(type) {
	case station.Send:
		n.send(m)
	case station.Hold:
		if p := n.playing[m.ID]; p != nil {
			p.Hold(time.Duration(m.Lease) * time.Millisecond)
		}
	case station.Cancel:
		if p := n.playing[m.ID]; p != nil {
			p.Cancel()
		}
	case station.Who:
		n.said.put(n.hello)
	case station.Ping:
		n.said.put(station.Pong{})
	}
}

func (n *Station) send(m station.Send) {
	if answer, known := n.answers.Known(m.ID); known {
		if answer != nil {
			n.said.put(answer)
		}
		return
	}
	i := slices.IndexFunc(n.hello.Ports, func(p station.Port) bool {
		return p.ID == m.Port &&
			p.Direction == station.Transmitter
	})
	switch {
	case i < 0:
		n.said.put(station.Failed{ID: m.ID, Reason: fmt.Sprintf("no transmitter %q here", m.Port)})
		return
	case m.Check(n.hello.Ports[i]) != nil:
		n.said.put(station.Failed{ID: m.ID, Reason: m.Check(n.hello.Ports[i]).Error()})
		return
	case n.busy[m.Port]:
		n.said.put(station.Failed{ID: m.ID, Reason: "still sending something else"})
		return
	}
	n.answers.Begin(m.ID)
	port := n.hello.Ports[i]
	n.busy[m.Port] = true
	started := n.stage.Now().Microseconds()
	n.playing[m.ID] = n.stage.Transmit(n.fault.distort(stage.Transmission{
		Medium: stage.Medium(port.Medium), Hz: m.CarrierHz + m.FrequencyHz,
		Once: m.Once, Repeat: m.Repeat, Repeats: m.Repeats, Last: m.Last,
		Silence: m.GapUS,
	}), func(took time.Duration) { // called with the stage locked: Run does the rest
		n.said.put(finished{station.Sent{ID: m.ID, Started: started, Took: took.Microseconds()}, m.Port})
	})
}

func (n *Station) finish(f finished) {
	n.mu.Lock()
	defer n.mu.Unlock()
	delete(n.playing, f.ID)
	n.busy[f.port] = false
	n.answers.Put(f.ID, f.Sent)
}
