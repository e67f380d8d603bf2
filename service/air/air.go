// Package air sends: it finds the transmitter for a key's codes, keeps one queue per transmitter so that nothing
// talks over itself, and gives a receipt for every press. Sending is at most once: a press whose station does not
// answer is unknown and never sent again by itself.
package air

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"sync"
	"time"

	"urbo/core/line"
	"urbo/core/signal"
	"urbo/service/journal"
	"urbo/service/library"
	"urbo/service/roster"
	"urbo/station"
	"urbo/store"
	"urbo/wire"
)

// Errors that callers ask for.
var (
	ErrBusy    = errors.New("too many presses wait for this transmitter")
	ErrTooLong = errors.New("code is too long for the transmitter")
)

const (
	// queueLimit is how many presses may wait for one transmitter.
	queueLimit = 32
	// between is the silence between presses of one request, so that each is heard as a press of its own.
	between = 300_000 * time.Microsecond
	// grace is how much longer than its own air time a send may take to be answered.
	grace = 2 * time.Second
	// startWithin is how late a station may begin.
	startWithin = time.Second
)

// Air is everything that sends.
type Air struct {
	store   *store.Store
	library *library.Library
	roster  *roster.Roster
	journal *journal.Journal
	book    *line.Book
	now     func() time.Time

	mu      sync.Mutex
	queues  map[string]*queue               // by STATION/PORT
	waiting map[string]chan station.Message // answers, by id of a send
	echoes  []echo
	devices map[string]recent // by id of the device
}

// queue lets one press at a time onto a transmitter.
type queue struct {
	turn    chan struct{}
	waiting int
}

// New makes the air.
func New(s *store.Store, l *library.Library, r *roster.Roster, j *journal.Journal, book *line.Book, now func() time.Time) *Air {
	return &Air{store: s, library: l, roster: r, journal: j, book: book, now: now, queues: map[string]*queue{}, waiting: map[string]chan station.Message{}, devices: map[string]recent{}}
}

// Answer takes a station's answer to a send.
func (a *Air) Answer(_ string, id string, m station.Message) {
	a.mu.Lock()
	answer := a.waiting[id]
	a.mu.Unlock()
	if answer != nil {
		select {
		case answer <- m:
		default: // a second answer to the same send says nothing new
		}
	}
}

// Request is a key to press.
type Request struct {
	Key     wire.KeyRef
	Times   int           // presses one after another
	Hold    time.Duration // how long it is held; 0 is a short press
	By      string        // who asked
	CauseID string        // the journal entry that led to it, or ""
	what    string        // where it is no key
}

// Press sends a key and waits for the receipt. Errors say that nothing was sent; what went wrong on the air is in
// the receipt's outcome. Once the press has its turn it is finished even when ctx ends.
func (a *Air) Press(ctx context.Context, r Request) (wire.Press, error) {
	s, err := a.library.Sendable(r.Key)
	if err != nil {
		return wire.Press{}, fmt.Errorf("press %s: %w", r.Key, err)
	}
	p, err := a.send(ctx, s, r)
	if err != nil {
		return wire.Press{}, fmt.Errorf("press %s: %w", r.Key, err)
	}
	return p, nil
}

// bench stands for a device where a code is sent that no key has: its toggles need a place.
const bench = "bench"

// Trial is codes to send that belong to no key.
type Trial struct {
	Codes       []wire.Code
	Transmitter string // STATION/PORT, empty for the first that fits
	By          string
	CauseID     string
	What        string // for the journal: "Sent …"
}

// Try sends codes that belong to no key. Errors are those of Press, and library.ErrCode.
func (a *Air) Try(ctx context.Context, t Trial) (wire.Press, error) {
	s := library.Sendable{DeviceID: bench, Transmitter: t.Transmitter}
	for _, c := range t.Codes {
		row, err := a.library.Row(c)
		if err != nil {
			return wire.Press{}, fmt.Errorf("send: %w", err)
		}
		s.Codes = append(s.Codes, row)
	}
	p, err := a.send(ctx, s, Request{Times: 1, By: t.By, CauseID: t.CauseID, what: t.What})
	if err != nil {
		return wire.Press{}, fmt.Errorf("send: %w", err)
	}
	return p, nil
}

func (a *Air) send(ctx context.Context, s library.Sendable, r Request) (wire.Press, error) {
	sends, t, err := a.prepare(s)
	if err != nil {
		return wire.Press{}, err
	}
	if s.Hold != "once" {
		hold(sends, r.Hold)
	}
	done, err := a.turn(ctx, t.Place())
	if err != nil {
		return wire.Press{}, err
	}
	defer done()
	if err := a.rest(ctx, s); err != nil {
		return wire.Press{}, err
	}
	p := wire.Press{ID: store.NewID(), At: a.now(), Device: r.Key.Device, Key: r.Key.Key, Times: max(r.Times, 1), By: r.By,
		Station: t.Station, Port: t.Port.ID, Outcome: wire.Sent}
	p.Note = a.warming(s)
	defer a.pressed(s, &p)
	for n := range p.Times {
		if err := a.takeTurns(ctx, s, sends); err != nil {
			if n == 0 {
				return wire.Press{}, err
			}
			p.Outcome, p.Reason = wire.Failed, err.Error()
			break
		}
		for i, send := range sends {
			send.WithinMS = int(startWithin / time.Millisecond)
			if n+1 < p.Times && i == len(sends)-1 {
				send.GapUS = max(send.GapUS, int(max(between, s.Gap)/time.Microsecond))
			}
			a.play(t, send, &p)
			if p.Outcome != wire.Sent {
				a.record(p, r)
				return p, nil
			}
		}
	}
	a.record(p, r)
	return p, nil
}

// prepared is a send with what an echo of it will look like.
type prepared struct {
	station.Send
	medium   string
	identity string       // of the line code, or ""
	train    signal.Train // of a plain train
}

// prepare encodes a key's codes and finds one transmitter for all of them.
func (a *Air) prepare(s library.Sendable) ([]prepared, roster.Transmitter, error) {
	var out []prepared
	var t roster.Transmitter
	for i, c := range s.Codes {
		p, hz, err := a.encode(c)
		if err != nil {
			return nil, t, err
		}
		if i == 0 {
			if t, err = a.roster.Transmitter(p.medium, hz, s.Transmitter); err != nil {
				return nil, t, err
			}
		} else if t.Port.Medium != p.medium {
			return nil, t, fmt.Errorf("its codes need two media, %s and %s: learn them as two keys", t.Port.Medium, p.medium)
		}
		if n := max(len(p.Once), len(p.Repeat), len(p.Last)); n > t.Port.Longest {
			return nil, t, fmt.Errorf("%w %s: %d durations, the most is %d", ErrTooLong, t.Place(), n, t.Port.Longest)
		}
		p.Port = t.Port.ID
		out = append(out, p)
	}
	return out, t, nil
}

// takeTurns encodes anew what has to change from press to press. The next value is on disk before this one goes out;
// codes without a toggle cost nothing here.
func (a *Air) takeTurns(ctx context.Context, s library.Sendable, sends []prepared) error {
	for i, c := range s.Codes {
		sheet, err := a.library.SheetOf(c)
		if err != nil {
			return err
		}
		if sheet == nil {
			continue
		}
		toggles := sheet.Toggles()
		if len(toggles) == 0 {
			continue
		}
		c.Fields = maps.Clone(c.Fields)
		for name, limit := range toggles {
			v, err := a.store.TakeTurn(context.WithoutCancel(ctx), s.DeviceID, c.Sheet, name, limit)
			if err != nil {
				return err
			}
			c.Fields[name] = line.Number(v)
		}
		p, _, err := a.encode(c)
		if err != nil {
			return err
		}
		p.Port, p.Repeats = sends[i].Port, sends[i].Repeats
		sends[i] = p
	}
	return nil
}

// encode turns one stored code into a send, and tells the frequency it needs.
func (a *Air) encode(c store.Code) (prepared, int, error) {
	var p prepared
	hz := c.CarrierHz + c.FrequencyHz
	sheet, err := a.library.SheetOf(c)
	if err != nil {
		return p, 0, err
	}
	if sheet == nil {
		gap := max(c.GapUS, signal.UnknownGap)
		p.train = c.Train
		p.Once = append(append([]int{}, c.Train...), gap)
		if c.Repeats > 1 {
			p.Repeat, p.Repeats = p.Once, c.Repeats-1
		}
		p.medium = string(line.Infrared)
		if c.FrequencyHz > 0 {
			p.medium = string(line.Radio)
		}
	} else {
		burst, err := sheet.EncodeUnit(c.Fields, c.UnitUS)
		if err != nil {
			return p, 0, err
		}
		p.medium = string(sheet.Medium)
		if c.Sheet != "" {
			p.identity = sheet.Identity(c.Fields)
		}
		p.train = c.Train
		p.Once, p.Repeat, p.Last, p.Repeats = burst.Once, burst.Repeat, burst.Last, burst.Repeats
		if c.Inline == "" {
			p.GapUS = c.GapUS
		}
		if c.Repeats > 0 {
			p.Repeats = c.Repeats
		}
		if hz == 0 {
			hz = sheet.CarrierHz + sheet.FrequencyHz
		}
	}
	if p.medium == string(line.Infrared) {
		p.CarrierHz, p.Duty = hz, 1.0/3
		p.Once, p.Repeat, p.Last = line.ToCarrier(p.Once, hz), line.ToCarrier(p.Repeat, hz), line.ToCarrier(p.Last, hz)
	} else {
		p.FrequencyHz = hz
	}
	return p, hz, nil
}

// Wave is what a code sends, as marks and spaces in µs, with its carrier or channel in Hz.
func (a *Air) Wave(c store.Code) (durations []int, hz int, radio bool, err error) {
	p, hz, err := a.encode(c)
	if err != nil {
		return nil, 0, false, err
	}
	burst := line.Burst{Once: p.Once, Repeat: p.Repeat, Last: p.Last, Repeats: p.Repeats}
	return burst.Durations(), hz, p.medium == string(line.Radio), nil
}

// turn waits until the transmitter is free. The function it returns gives the turn back.
func (a *Air) turn(ctx context.Context, place string) (func(), error) {
	a.mu.Lock()
	q := a.queues[place]
	if q == nil {
		q = &queue{turn: make(chan struct{}, 1)}
		a.queues[place] = q
	}
	if q.waiting >= queueLimit {
		a.mu.Unlock()
		return nil, fmt.Errorf("%w: %d on %s: try again in a moment", ErrBusy, queueLimit, place)
	}
	q.waiting++
	a.mu.Unlock()
	defer func() {
		a.mu.Lock()
		q.waiting--
		a.mu.Unlock()
	}()
	select {
	case q.turn <- struct{}{}:
		return func() { <-q.turn }, nil
	case <-ctx.Done():
		return nil, fmt.Errorf("given up while it waited for %s: %w", place, ctx.Err())
	}
}

// play sends one part and waits for its answer, and puts the outcome into the receipt.
func (a *Air) play(t roster.Transmitter, s prepared, p *wire.Press) {
	s.ID = store.NewID()
	answer := make(chan station.Message, 1)
	airtime := time.Duration(s.Airtime()) * time.Microsecond
	a.mu.Lock()
	a.waiting[s.ID] = answer
	a.mu.Unlock()
	ends := a.expectEcho(p.ID, s, airtime)
	defer func() {
		a.mu.Lock()
		delete(a.waiting, s.ID)
		a.mu.Unlock()
		ends()
	}()
	if err := t.Tell(s.Send); err != nil {
		p.Outcome, p.Reason = wire.Failed, err.Error()
		return
	}
	timeout := time.NewTimer(airtime + startWithin + grace)
	defer timeout.Stop()
	select {
	case m := <-answer:
		switch m := m.(type) {
		case station.Sent:
			p.TookMS += float64(m.Took) / 1000
		case station.Failed:
			p.Outcome, p.Reason = wire.Failed, m.Reason
		}
	case <-timeout.C:
		p.Outcome, p.Reason = wire.Unknown, "the station did not answer: it may or may not have gone out"
	}
}

// record writes the receipt and a journal entry.
func (a *Air) record(p wire.Press, r Request) {
	a.roster.Used(p.Station, p.Port)
	a.journal.Pressed(p)
	text := fmt.Sprintf("Pressed %s/%s", p.Device, p.Key)
	if p.Key == "" {
		text = "Sent " + r.what
	}
	if p.Times > 1 {
		text += fmt.Sprintf(" %d times", p.Times)
	}
	if p.Reason != "" {
		text += ": " + p.Reason
	}
	a.journal.Write(wire.Entry{ID: p.ID, At: p.At, Kind: "press", CauseID: r.CauseID, By: p.By, Device: p.Device, Key: p.Key,
		Place: p.Station + "/" + p.Port, Outcome: string(p.Outcome), Text: text})
}
