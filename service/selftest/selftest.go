// Package selftest tries every transmitter: each sends a code of its own, and every receiver tells what it heard.
package selftest

import (
	"context"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/core/reach"
	"urbo/core/signal"
	"urbo/service/stations"
	"urbo/service/transmit"
	"urbo/station"
)

// ErrRunning is wrapped where a test runs already.
var ErrRunning = fault.New(fault.Conflict, "a test of the stations is running")

// listens is how long receivers are listened to after a send.
const listens = 400 * time.Millisecond

// Probe stands before whatever takes what receivers hear, and looks at it while a test runs.
type Probe struct {
	next stations.Receiver

	mu    sync.Mutex
	heard map[string][]station.Heard // by place; nil while nothing is tried
}

// NewProbe stands before next.
func NewProbe(next stations.Receiver) *Probe { return &Probe{next: next} }

// Hear passes on what was heard.
func (p *Probe) Hear(from stations.Source, port station.Port, m station.Heard, when time.Time) {
	p.mu.Lock()
	if p.heard != nil && when.IsZero() {
		place := from.Name + "/" + port.ID
		p.heard[place] = append(p.heard[place], m)
	}
	p.mu.Unlock()
	p.next.Hear(from, port, m, when)
}

// begin forgets what was heard; end tells what was heard since.
func (p *Probe) begin() {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.heard = map[string][]station.Heard{}
}

func (p *Probe) end() map[string][]station.Heard {
	p.mu.Lock()
	defer p.mu.Unlock()
	heard := p.heard
	p.heard = nil
	return heard
}

// Transmit sends.
type Transmit interface {
	Press(ctx context.Context, o transmit.Order) (happening.Receipt, error)
}

// Stations lists the hardware.
type Stations interface {
	List() []stations.State
	// Witness keeps which receivers heard a transmitter, by STATION/PORT.
	Witness(ctx context.Context, transmitter string, heard map[string]float64) error
}

// Test tries the stations.
type Test struct {
	probe    *Probe
	stations Stations
	transmit Transmit
	book     *line.Book
	running  sync.Mutex
}

// New makes the test of a house.
func New(p *Probe, s Stations, t Transmit, book *line.Book) *Test {
	return &Test{probe: p, stations: s, transmit: t, book: book}
}

// Run tries the transmitters of one station, or of all where only is "". Each takes about half a second. The error
// wraps ErrRunning or stations.ErrUnknownStation.
func (t *Test) Run(ctx context.Context, only string, by grant.By) (reach.Matrix, error) {
	if !t.running.TryLock() {
		return reach.Matrix{}, fmt.Errorf("%w: wait until it is over", ErrRunning)
	}
	defer t.running.Unlock()
	m := reach.Matrix{Cells: map[reach.Heard]reach.Cell{}}
	all := t.stations.List()
	if only != "" && !slices.ContainsFunc(all, func(s stations.State) bool { return s.Name == only }) {
		return m, fmt.Errorf("%w %.40q", stations.ErrUnknownStation, only)
	}
	for _, s := range all {
		for _, p := range s.Ports {
			end := reach.End{ID: s.ID, Station: s.Name, Port: p.ID, Medium: line.Medium(p.Medium), FromHz: p.FromHz,
				ToHz: p.ToHz}
			switch {
			case p.Direction == station.Receiver && s.Here:
				m.Receivers = append(m.Receivers, reach.Receiver{End: end, Deaf: p.Count == 0})
			case p.Direction == station.Transmitter && (only == "" || only == s.Name):
				tx := reach.Transmitter{End: end, On: channelOf(end)}
				if !s.Here {
					tx.Failed = "station " + s.Name + " is away"
				}
				m.Transmitters = append(m.Transmitters, tx)
			}
		}
	}
	for i := range m.Transmitters {
		if tx := &m.Transmitters[i]; tx.Failed == "" {
			t.try(ctx, tx, i, &m, by)
		}
		if ctx.Err() != nil {
			return m, ctx.Err()
		}
	}
	return m, nil
}

// channelOf is what a transmitter is tried on: a usual channel, if it makes that, or the middle of what it makes.
func channelOf(e reach.End) device.Channel {
	usual := 433_920_000
	if e.Medium == line.Infrared {
		usual = 38_000
	}
	if usual < e.FromHz || usual > e.ToHz {
		usual = e.FromHz + (e.ToHz-e.FromHz)/2
	}
	return device.Channel{Medium: e.Medium, Hz: usual}
}

// codeOf is the test code of the nth transmitter.
func codeOf(on device.Channel, n int) device.Code {
	if on.Medium == line.Infrared {
		return device.Code{Sheet: "nec", Channel: on, Fields: line.Fields{"address": line.Number(0xA7),
			"command": line.Number(int64(n % 256))}}
	}
	return device.Code{Sheet: "ev1527", Channel: on, Fields: line.Fields{"id": line.Number(int64(0xA7000 + n%256)),
		"key": line.Number(9)}}
}

// try lets one transmitter send, and enters who heard it.
func (t *Test) try(ctx context.Context, tx *reach.Transmitter, n int, m *reach.Matrix, by grant.By) {
	code := codeOf(tx.On, n)
	sheet, err := t.book.Sheet(code.Sheet)
	if err != nil {
		tx.Failed = err.Error()
		return
	}
	t.probe.begin()
	r, err := t.transmit.Press(ctx, transmit.Order{Key: device.Key{Codes: []device.Code{code}},
		What: "a test signal", Transmitter: device.Place{Station: tx.ID, Port: tx.Port}, By: by})
	switch {
	case err != nil:
		tx.Failed = err.Error()
	case r.Outcome != happening.Sent:
		tx.Failed = r.Reason
	default:
		station.Pause(ctx, listens)
	}
	identity, strengths := code.Identity(t.book), map[string]float64{}
	for place, heard := range t.probe.end() {
		cell, found := read(t.book, sheet, identity, heard)
		if !found {
			continue
		}
		m.Cells[reach.Heard{Transmitter: tx.Place(), Receiver: place}] = cell
		if strengths[place] = cell.Confidence; cell.Strength != nil {
			strengths[place] = *cell.Strength
		}
	}
	if tx.Failed == "" && m.Witnessed(*tx) {
		if err := t.stations.Witness(ctx, tx.Place(), strengths); err != nil {
			slog.Warn("who heard a transmitter is not kept on disk", "error", err)
		}
	}
}

// read looks for a test code in what a receiver heard.
func read(book *line.Book, sheet *line.Sheet, identity string, heard []station.Heard) (reach.Cell, bool) {
	var cell reach.Cell
	var trains []signal.Reception
	for i, h := range heard {
		if i > 0 {
			trains[i-1].Gap = max(int(h.At-heard[i-1].At)-heard[i-1].Train.Length(), 1)
		}
		trains = append(trains, signal.Reception{Train: h.Train, Gap: h.Gap})
		if h.Strength != nil && (cell.Strength == nil || *h.Strength > *cell.Strength) {
			cell.Strength = h.Strength
		}
	}
	for _, r := range book.Decode(trains).Readings {
		if s, err := book.Sheet(r.Sheet); err != nil || s.Identity(r.Fields) != identity {
			continue
		}
		cell.Confidence, cell.Stretch, cell.Unit = r.Confidence, r.Stretch, 2*r.Unit/(sheet.UnitFrom+sheet.UnitTo)
		return cell, true
	}
	return cell, false
}
