// Package belief keeps what every device that has controls is believed to be set to. It follows the stream: presses
// that were sent, handsets that were heard, measurements, and what people tell. It carries out what is wanted of a
// device by pressing only what must be pressed.
package belief

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"slices"
	"sync"
	"time"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/service/library"
	"urbo/service/stream"
	"urbo/store"
)

// Store keeps beliefs.
type Store interface {
	Beliefs(ctx context.Context) ([]store.Belief, error)
	BeliefLog(ctx context.Context) (map[string][][]byte, error)
	PutBeliefs(ctx context.Context, all []store.BeliefChange) error
	PutAside(ctx context.Context, a store.Aside) error
	NoteEnd(ctx context.Context, at time.Time) error
	TakeEnd(ctx context.Context) (time.Time, error)
}

// Stations tells where receivers and transmitters are, and whether anybody listens.
type Stations interface {
	Listens(on device.Channel, room string) bool
}

// Config of the beliefs.
type Config struct {
	Store    Store
	Library  *library.Library
	Stations Stations
	Stream   *stream.Stream
	Book     *line.Book
	Now      func() time.Time
}

// Beliefs is what is believed of all devices.
type Beliefs struct {
	Config
	queue *stream.Queue
	group sync.WaitGroup // what it does by itself

	mu      sync.Mutex
	minds   map[string]*mind               // by device id
	seen    int64                          // up to where the stream was followed
	caught  *sync.Cond                     // with mu: seen grew
	echoed  map[string][]echo              // by id of the press
	moved   map[string]map[string][]string // devices that obey a key as well, by device id and key
	led     map[string][]*mind             // those that follow a device, by its id; nil where it is to be worked out
	shows   map[string]shown               // what was measured last, by measurement
	counts  map[string]int64               // what handsets with rolling codes counted last
	ended   bool
	ending  time.Time       // since then the house ends; zero before
	running context.Context // nil before Run
	wake    chan struct{}   // something goes on by itself
}

// short is how long the house may be down, ended in order, for what was certain to be believed still.
const short = 10 * time.Minute

// Open reads what was believed. Whoever pressed a handset while the house was down was not heard: what was certain is
// only believed, and after a while, or where the house did not end in order, it is doubtful; but not what keys only
// set.
func Open(ctx context.Context, c Config) (*Beliefs, error) {
	b := &Beliefs{Config: c, minds: map[string]*mind{}, echoed: map[string][]echo{},
		moved: map[string]map[string][]string{},
		shows: map[string]shown{}, counts: map[string]int64{}, wake: make(chan struct{}, 1)}
	b.caught = sync.NewCond(&b.mu)
	now := c.Now()
	ended, err := c.Store.TakeEnd(ctx)
	if err != nil {
		slog.Warn("whether the house ended in order is not known", "error", err)
	}
	down := now.Sub(ended) // below 0 where the clock is behind
	rows, err := c.Store.Beliefs(ctx)
	if err != nil {
		return nil, fmt.Errorf("read what was believed: %w", err)
	}
	log, err := c.Store.BeliefLog(ctx)
	if err != nil {
		return nil, fmt.Errorf("read what was believed: %w", err)
	}
	if ended.IsZero() && len(rows) > 0 {
		c.Stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "warning",
			Text: "Urbo did not end in order. If the mains failed, say so (urbo outage): devices may be at " +
				"something else"}})
	}
	for _, row := range rows {
		m, err := readMind(row, log[row.DeviceID])
		if err != nil {
			if err := b.setAside(ctx, row, log[row.DeviceID], err, now); err != nil {
				return nil, err
			}
			continue
		}
		if now.Before(m.last()) { // what is of now comes after it all the same
			m.rewind(now)
		}
		switch {
		case ended.IsZero():
			m.deafen(now)
		case down > short:
			m.add(entry{Away: &now})
		default:
			m.add(entry{Rest: &now})
		}
		b.minds[row.DeviceID] = m
	}
	for _, l := range c.Library.Lines("") {
		if m := b.minds[l.ID]; m != nil {
			m.slug = l.Slug
			b.refresh(l.ID)
		}
	}
	b.queue = c.Stream.Subscribe()
	return b, nil
}

// setAside keeps a belief that cannot be read, with its log, one entry in a line. Its device is believed to be at
// anything.
func (b *Beliefs) setAside(ctx context.Context, row store.Belief, log [][]byte, why error, now time.Time) error {
	d, err := b.Library.ByID(row.DeviceID)
	if err != nil { // it went meanwhile
		return nil
	}
	b.Stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "error",
		Text: fmt.Sprintf("What was believed of %s is set aside, and nothing is known of it: %v", d.Slug, why)}})
	aside := store.Aside{Kind: "belief", Owner: row.DeviceID,
		Document: string(bytes.Join(append([][]byte{row.Document}, log...), []byte("\n"))),
		At:       now}
	if err := b.Store.PutAside(ctx, aside); err != nil {
		return fmt.Errorf("set aside what was believed of %s: %w", d.Slug, err)
	}
	spec, err := d.Compile()
	if err != nil {
		return nil
	}
	m := newMind(row.DeviceID, spec)
	m.rebased = true
	b.minds[row.DeviceID] = m
	return nil
}

// saving is how long changes wait in memory before they are written.
const saving = 500 * time.Millisecond

// Run follows the stream until it ends, and then writes what is not written yet.
func (b *Beliefs) Run(ctx context.Context) error {
	live, end := context.WithCancel(ctx)
	b.mu.Lock()
	b.running = live
	b.mu.Unlock()
	b.group.Go(func() { b.watch(live) })
	b.group.Go(func() { b.save(live) })
	for {
		batch, err := b.queue.Next(ctx)
		if err != nil {
			b.finish(end)
			if errors.Is(err, io.EOF) || ctx.Err() != nil {
				return nil
			}
			return err
		}
		for _, h := range batch {
			b.follow(h)
		}
	}
}

// finish ends what it does by itself, and writes.
func (b *Beliefs) finish(end context.CancelFunc) {
	b.mu.Lock()
	b.ended = true
	b.caught.Broadcast()
	b.mu.Unlock()
	end()
	b.group.Wait()
	if err := b.write(context.Background()); err != nil {
		slog.Error("what is believed is not on disk", "error", err)
		return
	}
	if b.ending.IsZero() {
		b.ending = b.Now()
	}
	if err := b.Store.NoteEnd(context.Background(), b.ending); err != nil {
		slog.Error("note that the house ended", "error", err)
	}
}

// Ending says that the house ends: stations that go away from now on say nothing
// about who listened.
func (b *Beliefs) Ending() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.ending = b.Now()
}

// follow takes one happening.
func (b *Beliefs) follow(h happening.Happening) {
	switch what := h.What.(type) {
	case happening.Pressed:
		r := what.Receipt
		r.ID, r.At = h.ID, h.At
		b.pressed(r)
	case happening.Heard:
		b.heard(what.Capture)
	case happening.Measured:
		b.measured(what, h)
	case happening.DeviceChanged:
		b.mu.Lock()
		clear(b.moved)
		b.led = nil
		b.refresh(what.DeviceID)
		b.mu.Unlock()
	case happening.DeviceRemoved:
		b.mu.Lock()
		clear(b.moved)
		b.led = nil
		delete(b.minds, what.DeviceID)
		b.mu.Unlock()
	case happening.StationAway:
		b.away()
	}
	b.mu.Lock()
	b.seen = h.Seq
	b.caught.Broadcast()
	b.mu.Unlock()
}

// catchUp waits until all that has happened so far is believed.
func (b *Beliefs) catchUp() {
	last := b.Stream.Last()
	b.mu.Lock()
	defer b.mu.Unlock()
	for b.seen < last && !b.ended && b.running != nil {
		b.caught.Wait()
	}
}

// refresh brings a mind to what its device is now; the caller holds mu. A device without controls has none.
func (b *Beliefs) refresh(id string) {
	d, err := b.Library.ByID(id)
	if err != nil || len(d.Controls) == 0 {
		if m := b.minds[id]; m != nil && err == nil {
			m.forget(b.Now())
		}
		return
	}
	spec, err := d.Compile()
	if err != nil { // checked when it was changed
		slog.Error("the controls of a device cannot be used", "device", d.Slug, "error", err)
		return
	}
	m := b.minds[id]
	if m == nil {
		m = newMind(id, spec)
		b.minds[id] = m
	}
	was, fed := m.sensors, m.forms.Fed
	m.become(d, spec, b.Now())
	if b.led = nil; d.Fed != nil && (fed == nil || *fed != *d.Fed) {
		b.feed(m, d.Fed)
	}
	for _, s := range m.sensors {
		if !slices.Contains(was, s) {
			b.look(m, s)
		}
	}
}

// pressed takes a press that Urbo sent.
func (b *Beliefs) pressed(r happening.Receipt) {
	if r.Outcome == happening.Failed && r.Pressed == 0 || b.idle() {
		return
	}
	outcome := control.Sent
	b.mu.Lock()
	echoed := b.wasEchoed(r.ID)
	b.mu.Unlock()
	if r.Outcome == happening.Unknown && !echoed {
		outcome = control.Unknown
	}
	room := r.RoomID
	if r.DeviceID == "" { // such as from the bench, or in an audition
		for _, k := range r.Obey {
			if d, err := b.Library.ByID(k.DeviceID); err == nil {
				if on, ok := b.channelOf(d); ok && b.inEarshot(k.DeviceID, room, on.Medium) {
					b.enter(k.DeviceID, k.Key, r, outcome)
				}
			}
		}
		return
	}
	d, err := b.Library.ByID(r.DeviceID)
	if err != nil {
		return
	}
	b.enter(r.DeviceID, r.Key, r, outcome)
	if r.Frame != nil {
		b.pressedWhole(d, room, r, outcome)
		return
	}
	k, err := d.Key(r.Key)
	if err != nil {
		return
	}
	on, ok := b.channelOf(device.Device{Keys: []device.Key{*k}})
	if !ok {
		return
	}
	for _, other := range b.Library.SameCode(r.DeviceID, *k) {
		if b.inEarshot(other.DeviceID, room, on.Medium) {
			b.enter(other.DeviceID, other.Key, r, outcome)
		}
	}
}

// pressedWhole takes a frame that was sent to a device for the others in earshot that obey it, too.
func (b *Beliefs) pressedWhole(d device.Device, room string, r happening.Receipt, outcome control.Outcome) {
	spec, err := d.Compile()
	if err != nil || spec.Whole() == nil {
		return
	}
	sheet, err := b.Book.Sheet(spec.Whole().Sheet)
	if err != nil {
		return
	}
	fields := spec.Fields(r.Frame)
	b.mu.Lock()
	others := map[string]map[string]string{}
	for id, m := range b.minds {
		if frame, too := m.spec.Frame(sheet.Name, fields); too && id != d.ID && b.inEarshot(id, room, sheet.Medium) {
			others[id] = frame
		}
	}
	b.mu.Unlock()
	for id, frame := range others {
		also := r
		also.Frame = frame
		b.enter(id, r.Key, also, outcome)
	}
}

// idle says whether no device has controls.
func (b *Beliefs) idle() bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return len(b.minds) == 0
}

// enter folds a press that was sent, with all its times.
func (b *Beliefs) enter(deviceID, key string, r happening.Receipt, outcome control.Outcome) {
	times := max(r.Times, 1)
	if r.Pressed > 0 {
		times = r.Pressed
	}
	each := r.Took / time.Duration(times) // with the silence after each
	b.mu.Lock()
	defer b.mu.Unlock()
	m := b.minds[deviceID]
	if m == nil || slices.ContainsFunc(m.log, func(e entry) bool { return e.Press != nil && e.ID == r.ID }) {
		return // it is in it: a killed process had told it
	}
	for n := range times {
		p := control.Press{Key: key, Frame: r.Frame, At: r.At.Add(time.Duration(n) * each), Outcome: outcome,
			Source: control.BySending, Cause: r.ID}
		if times == 1 && r.Held {
			p.Held = r.Took
		}
		if outcome == control.Unknown && n+1 < times {
			p.Outcome = control.Sent // those before were answered
		}
		m.add(entry{Press: &p, ID: r.ID})
	}
	for _, e := range b.echoed[r.ID] {
		b.disturb(m, r.ID, e)
	}
	b.changed(m, r.ID)
	b.wakeWatch()
}

// changed tells the stream which controls are believed to be at something else. The caller holds mu.
func (b *Beliefs) changed(m *mind, cause string) {
	b.leads(m)
	for _, st := range m.news(b.Now()) {
		b.Stream.Publish(happening.Happening{Cause: cause, What: happening.Believed{DeviceID: m.id, Device: m.slug,
			Control: st.Control, Value: st.Value, Source: string(st.Source), May: mayBe(st)}})
	}
}

// mayBe is what a control may be at that has no value, or may be a little off.
func mayBe(st control.State) []string {
	switch {
	case st.About:
		return []string{st.Near}
	case st.Value != "":
		return nil
	}
	return st.May
}
