// Package roster knows the stations: it runs their drivers, keeps what each last said of itself, and passes their
// messages on to whoever they are for.
package roster

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"time"

	"urbo/service/event"
	"urbo/service/journal"
	"urbo/station"
	"urbo/wire"
)

// ErrNoTransmitter is wrapped where nothing can send what is asked for.
var ErrNoTransmitter = errors.New("no transmitter")

// Silent is how long a station may say nothing before it counts as away, and a ping is sent at a third of it.
const Silent = 30 * time.Second

// Roster is the stations of the house.
type Roster struct {
	drivers []station.Driver
	events  *event.Hub
	journal *journal.Journal
	now     func() time.Time

	// Where messages go. Set before Run.
	OnHeard  func(stationName string, port station.Port, m station.Heard)
	OnAnswer func(stationName string, id string, m station.Message)

	mu    sync.Mutex
	posts []*post // in the order of the drivers
}

// post is one station as Urbo sees it.
type post struct {
	driver station.Driver
	hello  station.Hello
	known  bool // it has said hello once
	here   bool
	since  time.Time
	spoke  time.Time
	last   map[string]time.Time
	count  map[string]int
}

// New makes a roster of drivers.
func New(drivers []station.Driver, events *event.Hub, j *journal.Journal, now func() time.Time) *Roster {
	r := &Roster{drivers: drivers, events: events, journal: j, now: now}
	for _, d := range drivers {
		r.posts = append(r.posts, &post{driver: d, last: map[string]time.Time{}, count: map[string]int{}})
	}
	return r
}

// Run runs every driver until the context ends.
func (r *Roster) Run(ctx context.Context) error {
	var group sync.WaitGroup
	for _, p := range r.posts {
		group.Go(func() {
			if err := p.driver.Run(ctx, func(m station.Message) { r.up(p, m) }); err != nil && ctx.Err() == nil {
				slog.Error("station driver ended", "error", err)
			}
			r.setHere(p, false)
		})
	}
	group.Go(func() { r.watch(ctx) })
	group.Wait()
	return nil
}

// watch asks quiet stations whether they live, and notes those that do not.
func (r *Roster) watch(ctx context.Context) {
	tick := time.NewTicker(Silent / 3)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		for _, p := range r.posts {
			r.mu.Lock()
			quiet, here := r.now().Sub(p.spoke), p.here
			r.mu.Unlock()
			if !here {
				continue
			}
			if quiet > Silent {
				r.setHere(p, false)
			} else if quiet >= Silent/3 {
				_ = p.driver.Tell(station.Ping{}) // no answer shows by itself
			}
		}
	}
}

func (r *Roster) up(p *post, m station.Message) {
	r.mu.Lock()
	p.spoke = r.now()
	name := p.hello.Station
	r.mu.Unlock()
	switch m := m.(type) {
	case station.Hello:
		if err := m.Check(); err != nil {
			_ = p.driver.Tell(station.Refused{Reason: err.Error()})
			r.journal.Write(wire.Entry{Kind: "station", Outcome: "refused", Text: err.Error()})
			return
		}
		r.mu.Lock()
		p.hello, p.known = m, true
		r.mu.Unlock()
		_ = p.driver.Tell(station.Welcome{Link: station.Version})
		r.setHere(p, true)
	case station.Heard:
		r.mu.Lock()
		i := slices.IndexFunc(p.hello.Ports, func(q station.Port) bool { return q.ID == m.Port })
		r.mu.Unlock()
		if i < 0 {
			slog.Warn("heard on a port that the station did not name", "station", name, "port", m.Port)
			return
		}
		r.OnHeard(name, p.hello.Ports[i], m)
	case station.Sent:
		r.OnAnswer(name, m.ID, m)
	case station.Failed:
		r.OnAnswer(name, m.ID, m)
	case station.Note:
		r.journal.Write(wire.Entry{Kind: "station", Place: name, Outcome: m.Severity, Text: m.Text})
	case station.Ping:
		_ = p.driver.Tell(station.Pong{})
	}
}

func (r *Roster) setHere(p *post, here bool) {
	r.mu.Lock()
	if !p.known || p.here == here {
		r.mu.Unlock()
		return
	}
	p.here, p.since = here, r.now()
	state := p.wire()
	r.mu.Unlock()
	text := "Station " + state.Name + " is here"
	if !here {
		text = "Station " + state.Name + " is away"
	}
	r.journal.Write(wire.Entry{Kind: "station", Place: state.Name, Text: text})
	r.events.Publish(state)
}

// Used notes that a port heard or sent a press.
func (r *Roster) Used(stationName, port string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, p := range r.posts {
		if p.hello.Station == stationName {
			p.last[port] = r.now()
			p.count[port]++
			r.events.Publish(p.wire())
		}
	}
}

// Stations lists the stations that have said hello since the start.
func (r *Roster) Stations() []wire.Station {
	r.mu.Lock()
	defer r.mu.Unlock()
	out := []wire.Station{}
	for _, p := range r.posts {
		if p.known {
			out = append(out, p.wire())
		}
	}
	return out
}

func (p *post) wire() wire.Station {
	s := wire.Station{Name: p.hello.Station, Model: p.hello.Model, Firmware: p.hello.Firmware, Here: p.here, Since: p.since, Ports: []wire.PortState{}}
	for _, port := range p.hello.Ports {
		w := wire.PortState{ID: port.ID, Direction: string(port.Direction), Medium: port.Medium, FromHz: port.FromHz, ToHz: port.ToHz, Count: p.count[port.ID]}
		if at, ok := p.last[port.ID]; ok {
			w.Last = &at
		}
		s.Ports = append(s.Ports, w)
	}
	return s
}

// Transmitter is a port that can send.
type Transmitter struct {
	Station string
	Port    station.Port
	driver  station.Driver
}

// Place is STATION/PORT.
func (t Transmitter) Place() string { return t.Station + "/" + t.Port.ID }

// Tell sends a message to the transmitter's station.
func (t Transmitter) Tell(m station.Message) error { return t.driver.Tell(m) }

// Transmitter finds what can send a medium at a frequency: the preferred one (STATION/PORT), or the first that fits.
// Its error wraps ErrNoTransmitter and says what is in the way.
func (r *Roster) Transmitter(medium string, hz int, preferred string) (Transmitter, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	var why []string
	for _, p := range r.posts {
		for _, port := range p.hello.Ports {
			place := p.hello.Station + "/" + port.ID
			if port.Direction != station.Transmitter || preferred != "" && place != preferred {
				continue
			}
			switch {
			case port.Medium != medium:
				if preferred != "" {
					why = append(why, fmt.Sprintf("%s sends %s", place, port.Medium))
				}
			case hz < port.FromHz || hz > port.ToHz:
				why = append(why, fmt.Sprintf("%s sends from %s to %s", place, Hertz(port.FromHz), Hertz(port.ToHz)))
			case !p.here:
				why = append(why, fmt.Sprintf("station %q is away since %s", p.hello.Station, p.since.Format("15:04")))
			default:
				return Transmitter{p.hello.Station, port, p.driver}, nil
			}
		}
	}
	if len(why) == 0 {
		why = []string{"attach a station that has one"}
		if preferred != "" {
			why = []string{fmt.Sprintf("the device's transmitter %s is not known", preferred)}
		}
	}
	return Transmitter{}, fmt.Errorf("%w for %s at %s: %s", ErrNoTransmitter, medium, Hertz(hz), strings.Join(why, "; "))
}

// Hertz prints a frequency: "38 kHz", "433.92 MHz".
func Hertz(hz int) string {
	if hz >= 1_000_000 {
		return fmt.Sprintf("%g MHz", float64(hz)/1e6)
	}
	return fmt.Sprintf("%g kHz", float64(hz)/1e3)
}
