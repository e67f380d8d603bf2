// Package feed is the stream of happenings for screens and programs on the network. It is the one follower that may
// lose something: whoever falls behind, or comes back too late, is told to ask for everything again.
package feed

import (
	"context"
	"errors"
	"io"
	"strconv"
	"strings"
	"sync"
	"time"

	"urbo/core/happening"
	"urbo/service/stream"
	"urbo/store"
)

// Bounds of what is kept for those whose connection broke, and of what waits for one slow listener.
const (
	keptItems = 512
	keptBytes = 4 << 20
	waiting   = 256
)

// Item is one place in the feed.
type Item struct {
	ID    string              // to go on after it
	What  happening.Happening // its What is nil in the first item
	Reset bool                // too much was missed: ask for everything again

	shared *shared // by all listeners; nil where the item is for one
}

// shared is what listeners of one happening have in common.
type shared struct {
	once sync.Once
	data []byte
}

// Encoded is what encode makes of the item: once, however many listeners there are.
func (i Item) Encoded(encode func() []byte) []byte {
	if i.shared == nil {
		return encode()
	}
	i.shared.once.Do(func() { i.shared.data = encode() })
	return i.shared.data
}

// Feed passes happenings on to listeners.
type Feed struct {
	queue *stream.Queue
	epoch string // of this run: ids of another one mean nothing here

	mu        sync.Mutex
	last      int64
	ring      []Item // those that happened last
	size      int
	listeners map[*listener]struct{}
}

type listener struct {
	hears func(happening.Happening) bool // what it hears of
	queue chan Item
	lost  bool // the queue overflowed: everything until the reset is passed over
}

// New makes a feed of a stream.
func New(s *stream.Stream) *Feed {
	return &Feed{queue: s.Subscribe(), epoch: store.NewID(), listeners: map[*listener]struct{}{}}
}

// Run passes on what happens, until the context or the stream ends.
func (f *Feed) Run(ctx context.Context) error {
	for {
		batch, err := f.queue.Next(ctx)
		if errors.Is(err, io.EOF) || ctx.Err() != nil {
			return nil
		}
		for _, h := range batch {
			f.pass(h)
		}
	}
}

func (f *Feed) pass(h happening.Happening) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.last = h.Seq
	item := Item{ID: f.id(h.Seq), What: h, shared: &shared{}}
	f.ring = append(f.ring, item)
	f.size += h.Size()
	for len(f.ring) > keptItems || f.size > keptBytes && len(f.ring) > 1 {
		f.size -= f.ring[0].What.Size()
		f.ring[0] = Item{} // let go of it
		f.ring = f.ring[1:]
	}
	for l := range f.listeners {
		if l.hears(h) {
			l.offer(item)
		}
	}
}

func (f *Feed) id(seq int64) string { return f.epoch + "-" + strconv.FormatInt(seq, 10) }

// offer queues an item. A listener that fell behind gets one reset in the last place of its queue instead.
func (l *listener) offer(i Item) {
	switch {
	case l.lost:
	case len(l.queue) < cap(l.queue)-1:
		l.queue <- i
	default:
		l.lost = true
		l.queue <- Item{ID: i.ID, Reset: true}
	}
}

// breath is how long what follows closely waits, to go out together: a thousand happenings a second are then a hundred
// writes.
const breath = 10 * time.Millisecond

// Listen calls f with every item after id that hears wants, until the context ends or f returns an error; more says
// that another one follows at once. Without an id it begins now; an id that is no longer known, or from before a
// restart, begins with a reset. The very first call has no happening: from then on nothing is missed.
func (f *Feed) Listen(ctx context.Context, after string, hears func(happening.Happening) bool,
	call func(i Item, more bool) error) error {
	l := &listener{hears: hears, queue: make(chan Item, waiting)}
	missed, at := f.join(l, after)
	defer f.leave(l)
	if err := call(Item{ID: at}, len(missed) > 0); err != nil {
		return err
	}
	for n, i := range missed {
		if err := call(i, n < len(missed)-1); err != nil {
			return err
		}
	}
	var told time.Time
	for {
		select {
		case <-ctx.Done():
			return nil
		case i := <-l.queue:
			if soon := breath - time.Since(told); soon > 0 && soon <= breath && !pause(ctx, soon) {
				return nil
			}
			for more := true; more; {
				if i.Reset {
					f.forgive(l)
				}
				more = len(l.queue) > 0
				if err := call(i, more); err != nil {
					return err
				}
				if more {
					i = <-l.queue
				}
			}
			told = time.Now()
		}
	}
}

// pause waits; it is false where the context ends before.
func pause(ctx context.Context, d time.Duration) bool {
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-t.C:
		return true
	case <-ctx.Done():
		return false
	}
}

func (f *Feed) join(l *listener, after string) (missed []Item, at string) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.listeners[l] = struct{}{}
	now := f.id(f.last)
	if after == "" || after == now {
		return nil, now
	}
	epoch, number, _ := strings.Cut(after, "-")
	seq, err := strconv.ParseInt(number, 10, 64)
	if epoch != f.epoch || err != nil || seq > f.last || len(f.ring) == 0 || f.ring[0].What.Seq > seq+1 {
		return []Item{{ID: now, Reset: true}}, now
	}
	for _, i := range f.ring {
		if i.What.Seq > seq && l.hears(i.What) {
			missed = append(missed, i)
		}
	}
	return missed, after
}

func (f *Feed) forgive(l *listener) {
	f.mu.Lock()
	defer f.mu.Unlock()
	l.lost = false
}

func (f *Feed) leave(l *listener) {
	f.mu.Lock()
	defer f.mu.Unlock()
	delete(f.listeners, l)
}
