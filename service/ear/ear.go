// Package ear turns what receivers hear into captures: trains are joined into presses, decoded by all line sheets,
// matched with the library, told apart from Urbo's own sending, and handed on.
package ear

import (
	"context"
	"fmt"
	"strings"
	"sync"
	"time"

	"urbo/core/bench"
	"urbo/core/line"
	"urbo/core/signal"
	"urbo/service/air"
	"urbo/service/journal"
	"urbo/service/library"
	"urbo/service/loop"
	"urbo/service/roster"
	"urbo/station"
	"urbo/store"
	"urbo/wire"
)

// Capture is one press as heard.
type Capture struct {
	ID       string
	At       time.Time
	Station  string
	Port     string
	Medium   string
	Strength *float64
	Trains   []signal.Heard
	line.Decoded
	Structure *bench.Structure // where no line code was read clearly, and there is enough to describe
	Carrier   int              // Hz, where it was measured
	Count     int              // equal presses of a recording that this stands for
	Keys      []wire.KeyRef
	Sets      []wire.SetKey // keys of code sets, where no key of the library sends this
	PressID   string        // Urbo's own press, where this is an echo
}

// Ear joins trains into presses.
type Ear struct {
	books   map[string]*line.Book // by medium
	library *library.Library
	air     *air.Air
	roster  *roster.Roster
	journal *journal.Journal
	now     func() time.Time
	sinks   []func(context.Context, Capture)
	wake    chan struct{}

	mu      sync.Mutex
	pending map[string]*press // by STATION/PORT
	ready   []*press
}

// press gathers the trains of one push of a key.
type press struct {
	station string
	port    station.Port
	trains  []signal.Heard
	count   int       // durations so far
	began   time.Time // when the first train came in
	latest  time.Time // when the last train came in
	looked  time.Time // when it was last planned to look after it, where that was late
	start   time.Time // about when the first mark was
	end     int64     // station time of the last mark's end, µs
	peak    *float64
}

// silence is how long a receiver must be quiet for a press to be over.
const silence = signal.PressSilence * time.Microsecond

// stalled is how late a press may be looked after before the machine must have stood still, and how long what was heard
// meanwhile is then waited for.
const stalled = 100 * time.Millisecond

// New makes an ear. Every capture that is no echo is handed to the sinks, in order.
func New(book *line.Book, l *library.Library, a *air.Air, r *roster.Roster, j *journal.Journal, now func() time.Time, sinks ...func(context.Context, Capture)) *Ear {
	books := map[string]*line.Book{}
	for _, m := range []line.Medium{line.Infrared, line.Radio} {
		books[string(m)] = book.Only(m)
	}
	return &Ear{books: books, library: l, air: a, roster: r, journal: j, now: now, sinks: sinks, wake: make(chan struct{}, 1), pending: map[string]*press{}}
}

// Hear takes one train from a station. It does not block.
func (e *Ear) Hear(stationName string, port station.Port, m station.Heard) {
	if m.Train.Check() != nil {
		e.journal.Write(wire.Entry{Kind: "station", Place: stationName + "/" + port.ID, Outcome: "error", Text: "Sent a train that is none: " + m.Train.Check().Error()})
		return
	}
	e.mu.Lock()
	defer e.mu.Unlock()
	place := stationName + "/" + port.ID
	now := e.now()
	p := e.pending[place]
	if p != nil {
		gap := m.At - p.end
		if gap >= signal.PressSilence || gap < 0 || p.count+len(m.Train) > signal.MaxDurations {
			e.ready = append(e.ready, p)
			p = nil
		} else {
			p.trains[len(p.trains)-1].Gap = int(gap)
		}
	}
	if p == nil {
		p = &press{station: stationName, port: port, began: now, start: now.Add(-time.Duration(m.Train.Length()+m.Gap) * time.Microsecond)}
		e.pending[place] = p
	}
	p.trains = append(p.trains, signal.Heard{Train: m.Train, Gap: m.Gap})
	p.count += len(m.Train) + 1
	p.latest, p.looked = now, time.Time{}
	p.end = m.At + int64(m.Train.Length())
	if m.Strength != nil && (p.peak == nil || *m.Strength > *p.peak) {
		p.peak = m.Strength
	}
	loop.Wake(e.wake)
}

// Run closes presses when their receiver has been quiet, until the context ends; what is still open then is closed
// too, so that nothing heard is lost.
func (e *Ear) Run(ctx context.Context) error {
	timer := time.NewTimer(time.Hour)
	defer timer.Stop()
	for {
		over := ctx.Err() != nil
		done, wait := e.due(over)
		for _, p := range done {
			e.finish(context.WithoutCancel(ctx), p)
		}
		if over {
			return nil
		}
		timer.Reset(wait)
		select {
		case <-ctx.Done():
		case <-e.wake:
		case <-timer.C:
		}
	}
}

// due takes out the presses that are over, and tells how long until the next may be.
func (e *Ear) due(all bool) ([]*press, time.Duration) {
	e.mu.Lock()
	defer e.mu.Unlock()
	done, wait := e.ready, time.Hour
	e.ready = nil
	now := e.now()
	for place, p := range e.pending {
		planned := p.latest.Add(silence)
		if !p.looked.IsZero() {
			planned = p.looked
		}
		left := planned.Sub(now)
		if left < -stalled && !all { // the machine stood still: what came in meanwhile still waits to be taken
			p.looked = now.Add(stalled)
			wait = min(wait, stalled)
			continue
		}
		if all || left <= 0 {
			done = append(done, p)
			delete(e.pending, place)
			continue
		}
		wait = min(wait, left)
	}
	return done, wait
}

// finish makes a capture of a press and hands it on.
func (e *Ear) finish(ctx context.Context, p *press) {
	c := Capture{ID: store.NewID(), At: p.start, Station: p.station, Port: p.port.ID, Medium: p.port.Medium, Strength: p.peak, Trains: p.trains, Count: 1}
	c.Decoded = e.books[c.Medium].Decode(p.trains)
	c.describe()
	c.match(e.library)
	c.PressID = e.air.Echo(c.Medium, p.began, p.latest, c.Readings, c.Trains)
	e.roster.Used(p.station, p.port.ID)
	if !e.worthKeeping(c) {
		return
	}
	e.journal.Heard(c.Row(), c.Wire(false))
	e.journal.Write(c.Entry())
	if c.PressID != "" {
		return
	}
	for _, sink := range e.sinks {
		sink(ctx, c)
	}
}

// worthKeeping leaves out noise: a few stray pulses, and what a radio receiver delivers when nobody sends. The
// roster still counts it, so a port that hears only noise can be seen.
func (e *Ear) worthKeeping(c Capture) bool {
	if len(c.Readings) > 0 || c.Held != "" || c.PressID != "" {
		return true
	}
	if c.Medium == string(line.Radio) { // only what comes again is more than noise
		return c.Structure != nil && c.Structure.Frames > 1 && len(c.Structure.Frame) >= leastRadio
	}
	n := 0
	for _, h := range c.Trains {
		n += len(h.Train)
	}
	return n >= 5
}

// leastRadio is the fewest durations of a frame without a line code that is kept from the radio.
const leastRadio = 24

// describe finds the structure of what has no clear reading.
func (c *Capture) describe() {
	if len(c.Readings) > 0 && c.Readings[0].Confidence >= line.Clear || c.Held != "" {
		return
	}
	if s, err := bench.Describe(c.Trains); err == nil {
		c.Structure = &s
	}
}

// Row is the capture as it is stored.
func (c Capture) Row() store.Capture {
	return store.Capture{ID: c.ID, At: c.At, Station: c.Station, Port: c.Port, Medium: c.Medium, Strength: c.Strength, Carrier: c.Carrier, Count: c.Count, Trains: c.Trains,
		Readings: c.Readings, Held: c.Held, Echo: c.PressID != "", PressID: c.PressID}
}

// Wire is the capture as it crosses the network.
func (c Capture) Wire(stored bool) wire.Capture {
	out := wire.Capture{ID: c.ID, At: c.At, Station: c.Station, Port: c.Port, Medium: c.Medium, Strength: c.Strength, Carrier: c.Carrier, Count: c.Count, Trains: c.Trains,
		Readings: wire.Readings(c.Readings), Held: c.Held, Keys: c.Keys, Sets: c.Sets, Echo: c.PressID != "", PressID: c.PressID, Stored: stored}
	if out.Keys == nil {
		out.Keys = []wire.KeyRef{}
	}
	return out
}

// FromRow is a capture as it was stored, matched with the library as it is now.
func FromRow(row store.Capture, l *library.Library) Capture {
	c := Capture{ID: row.ID, At: row.At, Station: row.Station, Port: row.Port, Medium: row.Medium, Strength: row.Strength, Carrier: row.Carrier,
		Count: row.Count, Trains: row.Trains, Decoded: line.Decoded{Readings: row.Readings, Held: row.Held}, PressID: row.PressID}
	c.describe()
	c.match(l)
	return c
}

// match looks for whose key it is.
func (c *Capture) match(l *library.Library) {
	c.Sets = nil
	if c.Keys = l.Match(c.Readings, c.Structure); len(c.Keys) == 0 {
		c.Sets = l.MatchSets(c.Readings, c.Structure)
	}
}

// Entry is the capture as the journal tells it.
func (c Capture) Entry() wire.Entry {
	e := wire.Entry{ID: c.ID, At: c.At, Kind: "heard", CauseID: c.PressID, Place: c.Station + "/" + c.Port}
	what := "a signal without a known line code"
	if c.Structure != nil && len(c.Structure.Bits) > 0 {
		what += ": " + strings.Join(c.Structure.Bits, " ")
	}
	if len(c.Readings) > 0 {
		what = c.Readings[0].Sheet + " " + c.Readings[0].Fields.String()
		for i, m := range c.Readings[0].Measured {
			what += []string{": ", ", "}[min(i, 1)] + m.String()
		}
	} else if c.Held != "" {
		what = "only repeat frames of " + c.Held
	}
	e.Text = "Heard " + what
	if len(c.Keys) > 0 {
		e.Device, e.Key = c.Keys[0].Device, c.Keys[0].Key
		e.Text = "Heard " + c.Keys[0].String() + ": " + what
	}
	if len(c.Keys) == 0 && len(c.Sets) > 0 {
		e.Text = fmt.Sprintf("Heard %s of the code set %s: %s", c.Sets[0].Key, c.Sets[0].Name, what)
	}
	if c.PressID != "" {
		e.Kind = "echo"
		e.Text += ", Urbo's own sending"
	}
	return e
}
