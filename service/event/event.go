// Package event is the one stream of what happens in the house: everything that changes is published here, and
// every screen, client and test listens to it.
package event

import (
	"context"
	"sync"

	"urbo/wire"
)

// kept is how many events can be asked for again after a broken connection, and waiting how many may wait for one
// slow listener before it is reset.
const (
	kept    = 512
	waiting = 256
)

// Hub passes events on. The zero value is ready to use.
type Hub struct {
	mu        sync.Mutex
	last      uint64
	ring      []wire.Event
	listeners map[*listener]struct{}
}

type listener struct {
	queue chan wire.Event
	lost  bool // the queue overflowed: everything until the reset is passed over
}

// Publish hands the new state of one thing to every listener. It never blocks.
func (h *Hub) Publish(data any) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.last++
	e := wire.Event{ID: h.last, Data: data}
	h.ring = append(h.ring, e)
	if len(h.ring) > kept {
		h.ring = append([]wire.Event(nil), h.ring[len(h.ring)-kept/2:]...)
	}
	for l := range h.listeners {
		l.offer(e)
	}
}

// offer queues an event. A listener that fell behind gets one Reset in the last place of its queue instead.
func (l *listener) offer(e wire.Event) {
	switch {
	case l.lost:
	case len(l.queue) < cap(l.queue)-1:
		l.queue <- e
	default:
		l.lost = true
		l.queue <- wire.Event{ID: e.ID, Data: wire.Reset{}}
	}
}

// Listen calls f with every event after id until the context ends or f returns an error. An id of 0 begins now; an
// id that is no longer known begins with a Reset. The very first call has no data: from then on nothing is missed.
func (h *Hub) Listen(ctx context.Context, after uint64, f func(wire.Event) error) error {
	l := &listener{queue: make(chan wire.Event, waiting)}
	missed, last := h.join(l, after)
	defer h.leave(l)
	if err := f(wire.Event{ID: last}); err != nil {
		return err
	}
	for _, e := range missed {
		if err := f(e); err != nil {
			return err
		}
	}
	for {
		select {
		case <-ctx.Done():
			return nil
		case e := <-l.queue:
			if _, reset := e.Data.(wire.Reset); reset {
				h.forgive(l)
			}
			if err := f(e); err != nil {
				return err
			}
		}
	}
}

func (h *Hub) join(l *listener, after uint64) (missed []wire.Event, last uint64) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.listeners == nil {
		h.listeners = map[*listener]struct{}{}
	}
	h.listeners[l] = struct{}{}
	if after == 0 || after == h.last {
		return nil, h.last
	}
	if after > h.last || len(h.ring) == 0 || h.ring[0].ID > after+1 {
		return []wire.Event{{ID: h.last, Data: wire.Reset{}}}, h.last
	}
	i := int(after + 1 - h.ring[0].ID)
	return append([]wire.Event(nil), h.ring[i:]...), after
}

func (h *Hub) forgive(l *listener) {
	h.mu.Lock()
	defer h.mu.Unlock()
	l.lost = false
}

func (h *Hub) leave(l *listener) {
	h.mu.Lock()
	defer h.mu.Unlock()
	delete(h.listeners, l)
}
