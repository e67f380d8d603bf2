package outpost

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"urbo/core/device"
	"urbo/service/stations"
	"urbo/service/wake"
	"urbo/station"
)

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
		case station.Measure:
			o.stations.Measure(time.Duration(m.Lease) * time.Millisecond)
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
	place := device.Place{}
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
