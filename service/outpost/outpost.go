// Package outpost is the other end of the station link: it makes one station of all hardware of this machine, dials the
// house, and keeps what is heard while the house cannot be reached.
package outpost

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"urbo/core/happening"
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
	clocks  map[string]clock
	sending map[string]*stations.Sending // that are not over, by id

	answers station.Answers
}

// port is a port of the hardware, and what the house calls it.
type port struct {
	place string // STATION/PORT here
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
	o := &Outpost{config: c, now: c.Now, started: c.Now(), news: make(chan struct{}, 1), clocks: map[string]clock{},
		sending: map[string]*stations.Sending{}}
	events := stream.New(0, c.Now)
	o.queue = events.Subscribe()
	var err error
	o.stations, err = stations.Open(ctx, stations.Config{Store: nowhere{}, Transports: c.Hardware, Receiver: o,
		Stream: events, Now: c.Now})
	return o, err
}

// nowhere keeps nothing: what the hardware is shows when it says hello.
type nowhere struct{}

func (nowhere) Stations(context.Context) ([]store.Station, error) { return nil, nil }

func (nowhere) PutStation(context.Context, store.Station) error { return nil }

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
			named := port{place: s.Name + "/" + p.ID, port: p.Port}
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
func (o *Outpost) Hear(name string, p station.Port, m station.Heard, _ time.Time) {
	o.mu.Lock()
	place := name + "/" + p.ID
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

// reach dials the house again and again.
func (o *Outpost) reach(ctx context.Context) {
	select { // so that the first hello says what there is
	case <-ctx.Done():
	case <-o.news:
	case <-time.After(hardwarePatience):
	}
	said := ""
	for pause := firstPause; ctx.Err() == nil; pause = min(2*pause, longestPause) {
		began := o.now()
		l, err := o.config.Dial(ctx)
		if err == nil {
			slog.Info("the house is reached")
			err = o.serve(ctx, l)
		}
		if ctx.Err() != nil {
			return
		}
		if o.now().Sub(began) > lasting {
			pause, said = firstPause, ""
		}
		if text := err.Error(); text != said {
			said = text
			slog.Warn("the house cannot be reached, and it is tried again", "error", err)
		}
		if !station.Pause(ctx, pause) {
			return
		}
	}
}

// serve is the life of one link to the house.
func (o *Outpost) serve(ctx context.Context, l station.Link) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer l.Close()
	defer cancel(nil)
	if err := o.hello(ctx, l); err != nil {
		return err
	}
	spoke := make(chan struct{}, 1)
	welcome := make(chan struct{})
	var group sync.WaitGroup
	defer func() {
		_ = l.Close()
		group.Wait()
		cancel(nil)
		o.waiting.Wait()
	}()
	group.Go(func() {
		err := o.listen(ctx, l, spoke, sync.OnceFunc(func() { close(welcome) }))
		cancel(err)
	})
	select {
	case <-ctx.Done():
		return context.Cause(ctx)
	case <-welcome:
	}
	err := o.speak(ctx, l, spoke)
	cancel(err)
	return err
}

// speak tells the house what there is to tell, and looks after a house that is silent.
func (o *Outpost) speak(ctx context.Context, l station.Link, spoke <-chan struct{}) error {
	quiet := time.NewTicker(silent / 3)
	defer quiet.Stop()
	last := o.now()
	for {
		if err := o.flush(ctx, l); err != nil {
			return err
		}
		select {
		case <-ctx.Done():
			return context.Cause(ctx)
		case <-o.news:
		case <-spoke:
			last = o.now()
		case <-quiet.C:
			if o.now().Sub(last) > silent {
				return fmt.Errorf("%w: the house has said nothing for %.0f s", station.ErrAway, silent.Seconds())
			}
			if err := o.tell(ctx, l, station.Ping{}); err != nil {
				return err
			}
		}
	}
}

// flush tells the house what is kept, the oldest first. What cannot be told stays.
func (o *Outpost) flush(ctx context.Context, l station.Link) error {
	for {
		o.mu.Lock()
		changed, dropped, first := o.changed, o.dropped, o.first
		var m station.Message
		if len(o.kept) > 0 {
			m = o.kept[0]
		}
		o.mu.Unlock()
		switch {
		case changed:
			if err := o.hello(ctx, l); err != nil {
				return err
			}
			continue
		case dropped > 0:
			if err := o.tell(ctx, l, station.Note{Severity: "warning", Text: fmt.Sprintf(
				"While the house could not be reached, %d messages more came than can be kept", dropped)}); err != nil {
				return err
			}
			o.mu.Lock()
			o.dropped -= dropped
			o.mu.Unlock()
			continue
		case m == nil:
			return nil
		}
		if err := o.tell(ctx, l, m); err != nil {
			return err
		}
		o.mu.Lock()
		if o.first == first { // otherwise it made room meanwhile
			o.forget()
		}
		o.mu.Unlock()
	}
}

func (o *Outpost) tell(ctx context.Context, l station.Link, m station.Message) error {
	ctx, cancel := context.WithTimeout(ctx, telling)
	defer cancel()
	return l.Tell(ctx, m)
}

func (o *Outpost) hello(ctx context.Context, l station.Link) error {
	o.mu.Lock()
	h := station.Hello{Link: station.Version, Station: o.config.Name, Model: "Urbo outpost", Firmware: o.config.Version,
		Ports: []station.Port{}, Now: o.micros()}
	for _, p := range o.ports {
		h.Ports = append(h.Ports, p.port)
	}
	o.changed = false
	o.mu.Unlock()
	return o.tell(ctx, l, h)
}

// listen obeys the house until the link ends.
func (o *Outpost) listen(ctx context.Context, l station.Link, spoke chan struct{}, welcome func()) error {
	for {
		m, err := l.Receive(ctx)
		if err != nil {
			return err
		}
		wake.Up(spoke)
		switch m := m.(type) {
		case station.Welcome:
			welcome()
		case station.Refused:
			return fmt.Errorf("the house refused this station: %.200s", m.Reason)
		case station.Gone:
			return fmt.Errorf("%w: the house is gone", station.ErrAway)
		case station.Who:
			err = o.hello(ctx, l)
		case station.Ping:
			err = o.tell(ctx, l, station.Pong{})
		case station.Send:
			o.send(ctx, l, m)
		case station.Hold:
			if s := o.find(m.ID); s != nil {
				_ = s.Hold(ctx, time.Duration(m.Lease)*time.Millisecond)
			}
		case station.Cancel:
			if s := o.find(m.ID); s != nil {
				_ = s.Cancel(ctx)
			}
		}
		if err != nil {
			return err
		}
	}
}

// find finds what is on the air, nil where it is over.
func (o *Outpost) find(id string) *stations.Sending {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.sending[id]
}

// send passes a send on to the hardware, and its answer back. One that is known is answered again, and not sent again.
func (o *Outpost) send(ctx context.Context, l station.Link, m station.Send) {
	if answer, known := o.answers.Known(m.ID); known {
		if answer != nil {
			_ = o.tell(ctx, l, answer)
		}
		return
	}
	id, wanted := m.ID, m.Port
	o.mu.Lock()
	i := slices.IndexFunc(o.ports, func(p port) bool { return p.port.ID == wanted })
	place := ""
	if i >= 0 {
		place = o.ports[i].place
	}
	o.mu.Unlock()
	through, err := o.stations.At(place)
	if err != nil {
		_ = o.tell(ctx, l, station.Failed{ID: id, Reason: fmt.Sprintf("no transmitter %.40q here now", wanted)})
		return
	}
	m.Port = through.Port.ID
	o.answers.Begin(id)
	sending, err := through.Send(ctx, m)
	if err != nil {
		if errors.Is(err, station.ErrAway) { // nothing went out
			o.answer(ctx, l, id, station.Failed{ID: id, Reason: err.Error()})
		}
		return
	}
	o.mu.Lock()
	o.sending[id] = sending
	o.mu.Unlock()
	o.waiting.Go(func() {
		defer func() {
			o.mu.Lock()
			delete(o.sending, id)
			o.mu.Unlock()
		}()
		select {
		case answer, ok := <-sending.Answer():
			if ok {
				o.answer(ctx, l, id, answer)
			} // otherwise nobody knows, and the house finds that out by itself
		case <-ctx.Done():
		}
	})
}

func (o *Outpost) answer(ctx context.Context, l station.Link, id string, m station.Message) {
	if sent, ok := m.(station.Sent); ok {
		sent.Started = o.micros() - sent.Took
		m = sent
	}
	o.answers.Put(id, m)
	_ = o.tell(ctx, l, m)
}
