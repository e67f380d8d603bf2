// Package transmit owns the air: what is sent is its own, and not the request's that asked for it. Each transmitter has
// a worker and a queue, so nothing talks over itself, and every press has a receipt. Sending is at most once: a press
// whose station does not answer is unknown and never sent again by itself.
package transmit

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"sync"
	"time"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/service/stations"
	"urbo/service/stream"
	"urbo/service/wake"
	"urbo/store"
)

const (
	// MaxLease is the longest time that a held key goes on without being asked for it again.
	MaxLease = 5 * time.Second
	// MaxHold is how long a key can be held in all.
	MaxHold = 20 * time.Second
	// MaxBusy is how long one order may take a transmitter.
	MaxBusy = time.Minute
	// patience is how long a press waits for its turn before it is dropped: later, nobody expects it any more.
	patience = 2 * time.Minute
	// queueLimit is how many presses may wait for one transmitter.
	queueLimit = 32
	// between is the silence between presses of one order, so that each is heard as a press of its own.
	between = 300 * time.Millisecond
	// grace is how much longer than its own air time a send may take to be answered.
	grace = 2 * time.Second
	// startWithin is how late a station may begin.
	startWithin = time.Second
	// remembered is how long a held key that is over can be asked for.
	remembered = time.Minute
)

// Turns tells values that must not come twice.
type Turns interface {
	TakeTurn(ctx context.Context, deviceID, sheet, field string, limit int64) (int64, error)
	PutTurn(ctx context.Context, deviceID, sheet, field string, next int64) error
}

// Stations finds transmitters.
type Stations interface {
	Transmitter(w stations.Want) (t stations.Transmitter, instead string, err error)
	// Listens says whether a receiver that is here hears a channel in a room, by its id.
	Listens(on device.Channel, room string) bool
}

// Order is a press that is asked for.
type Order struct {
	Device      device.Device        // zero where the codes belong to no key
	Key         device.Key           // what is sent, and what holding does
	Frame       map[string]string    // what it says, by control, where it carries several controls of the device
	Obey        []happening.KeyMatch // keys of the library that send the same, where it is no key
	What        string               // for the journal, where it is no key: "what is on the bench"
	Owner       string               // id of the device that what counts up is counted for, where it is no key of one
	Transmitter device.Place         // none is the device's own, or the first that fits
	Anyway      bool                 // also from a transmitter that makes another channel of the medium
	Times       int                  // presses one after another; 0 is one
	Hold        time.Duration        // how long it is held; 0 is a short press
	Lease       time.Duration        // or it is held for so long, and on for each Ticket.Hold
	Within      time.Duration        // dropped when its turn has not come by then; 0 is two minutes
	Background  bool                 // nobody waits for it: it lets the presses of people go first
	Next        bool                 // it goes on with what was pressed before, and comes before all that waits
	By          grant.By             // who asked
	Cause       string               // id of what led to it, or ""
}

// owner of the values that change from press to press.
func (o Order) owner() string {
	switch {
	case o.Owner != "":
		return o.Owner
	case o.Device.ID == "":
		return "bench"
	}
	return o.Device.ID
}

func (o Order) subject() string {
	if o.Device.ID == "" {
		return o.What
	}
	return o.Device.Slug + "/" + o.Key.Name
}

// Transmit is everything that sends.
type Transmit struct {
	store    Turns
	stations Stations
	echoes   *Echoes
	bits     *Bits
	stream   *stream.Stream
	book     *line.Book
	trace    *Trace // nil where none is kept
	now      func() time.Time

	mu      sync.Mutex
	running context.Context // nil before Run
	ending  bool
	group   sync.WaitGroup         // the workers
	airs    map[string]*sync.Mutex // by stations.Transmitter.Air
	workers map[string]*worker     // by stations.Transmitter.Key
	tickets map[string]*Ticket     // by id: those that are not over, and held ones that were so lately
	devices map[string]recent      // by id
}

// worker sends through one transmitter, one press after another.
type worker struct {
	wake    chan struct{}
	waiting []*Ticket // in the order of their turns
}

// New makes the sending end of a house.
func New(turns Turns, s Stations, echoes *Echoes, bits *Bits, events *stream.Stream, book *line.Book, trace *Trace,
	now func() time.Time) *Transmit {
	return &Transmit{trace: trace, store: turns, stations: s, echoes: echoes, bits: bits, stream: events, book: book,
		now:     now,
		workers: map[string]*worker{}, tickets: map[string]*Ticket{},
		airs: map[string]*sync.Mutex{}, devices: map[string]recent{}}
}

// Start asks for a press. It goes on whatever becomes of the caller: hold it, cancel it or wait for it by its ticket.
// Errors say that nothing is sent; they are in the journal as well.
func (t *Transmit) Start(o Order) (*Ticket, error) {
	k, err := t.start(o)
	if err != nil {
		t.refuse(o, err)
		return nil, fmt.Errorf("press %s: %w", o.subject(), err)
	}
	return k, nil
}

// Refused tells the journal of a press that could not be asked for: its key is not there, or not learned.
func (t *Transmit) Refused(o Order, ref device.Ref, err error) {
	what := happening.PressRefused{DeviceID: o.Device.ID, Device: ref.Device, Key: ref.Key, Reason: err.Error()}
	t.stream.Publish(happening.Happening{Cause: o.Cause, By: o.By, What: what})
}

func (t *Transmit) refuse(o Order, err error) {
	what := happening.PressRefused{DeviceID: o.Device.ID, Device: o.Device.Slug, Key: o.Key.Name, What: o.What,
		Reason: err.Error()}
	t.stream.Publish(happening.Happening{Cause: o.Cause, By: o.By, What: what})
}

func (t *Transmit) start(o Order) (*Ticket, error) {
	o.Times = max(o.Times, 1)
	t.mu.Lock()
	ending := t.ending
	t.mu.Unlock()
	if ending {
		return nil, ErrEnding
	}
	parts, legs, missing, err := t.prepare(o)
	if err != nil {
		return nil, err
	}
	if busy := takes(o, parts); busy > MaxBusy {
		return nil, fmt.Errorf("%w: %.0f s, the most is %.0f s: fewer times, or hold it for less", ErrMuch,
			busy.Seconds(), MaxBusy.Seconds())
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.ending {
		return nil, ErrEnding
	}
	now, first := t.now(), legs[0].through
	w := t.worker(first.Key())
	if k := w.same(o, legs); k != nil {
		k.join(o, now)
		return k, nil
	}
	if len(w.waiting) >= queueLimit {
		return nil, fmt.Errorf("%w: %d on %s: try again in a moment", ErrBusy, queueLimit, first.Place())
	}
	k := &Ticket{ID: store.NewID(), transmit: t, order: o, parts: parts, legs: legs, missing: missing, asked: 1,
		by:   now.Add(cmp.Or(o.Within, patience)),
		done: make(chan struct{}),
		held: now.Add(min(o.Lease, MaxLease)), most: now.Add(patience)}
	if o.Device.Verify {
		k.heard = make(chan struct{}, 1)
	}
	w.queue(k)
	t.remember(k)
	wake.Up(w.wake)
	return k, nil
}

// queue puts a press where its turn will come: what must not come late, what goes on with what was pressed before,
// people, and what nobody waits for.
func (w *worker) queue(k *Ticket) {
	i := slices.IndexFunc(w.waiting, func(o *Ticket) bool { return o.order.rank() > k.order.rank() })
	if i < 0 {
		i = len(w.waiting)
	}
	w.waiting = slices.Insert(w.waiting, i, k)
}

// rank is which presses go before which: the lower one first.
func (o Order) rank() int {
	switch {
	case o.Next && o.Within > 0:
		return 0
	case o.Next:
		return 1
	case !o.Background:
		return 2
	}
	return 3
}

// urgent takes a press out of a queue that must not come late, nil where none waits. It goes between the presses of an
// order that has many.
func (t *Transmit) urgent(k *Ticket) *Ticket {
	t.mu.Lock()
	defer t.mu.Unlock()
	w := t.workers[k.legs[0].through.Key()]
	if len(w.waiting) == 0 || k.order.rank() == 0 {
		return nil
	}
	first := w.waiting[0]
	if first.order.rank() > 0 || first.order.Device.ID == k.order.Device.ID ||
		t.rests(first.order.Device, first.order.Key.Name) > 0 {
		return nil
	}
	w.waiting = slices.Delete(w.waiting, 0, 1)
	first.began = true
	return first
}

// same finds a press that waits and that another one like it would add nothing to: of a key that only sets something.
// A key that toggles or steps counts every time, and so does one that is pressed several times or held.
func (w *worker) same(o Order, legs []leg) *Ticket {
	if o.Device.ID == "" || o.Times > 1 || o.Hold > 0 || o.Lease > 0 || !o.Device.SetsKey(o.Key.Name) {
		return nil
	}
	for _, k := range slices.Backward(w.waiting) {
		if k.order.Device.ID != o.Device.ID {
			continue
		}
		like := k.order.Key.ID == o.Key.ID && k.order.Key.Version == o.Key.Version && k.order.Times == 1 &&
			k.order.Hold == 0 && k.order.Lease == 0 && slices.EqualFunc(k.legs, legs, func(a, b leg) bool {
			return a.through.Key() == b.through.Key() && a.through.Hz == b.through.Hz
		})
		if !like { // what comes after another key of the device counts again
			return nil
		}
		return k
	}
	return nil
}

// join lets a press that waits be asked for once more. The caller holds mu.
func (k *Ticket) join(o Order, now time.Time) {
	k.asked++
	if by := now.Add(cmp.Or(o.Within, patience)); by.After(k.by) {
		k.by = by
	}
	if k.order.Background && !o.Background {
		k.order.Background = false
		w := k.transmit.workers[k.legs[0].through.Key()]
		w.waiting = slices.DeleteFunc(w.waiting, func(other *Ticket) bool { return other == k })
		w.queue(k)
	}
}

// air is held while something is sent, so that two transmitters that reach the same room never talk over each other.
func (t *Transmit) air(through stations.Transmitter) *sync.Mutex {
	t.mu.Lock()
	defer t.mu.Unlock()
	name := through.Air()
	if name == "" {
		name = through.Key()
	}
	if t.airs[name] == nil {
		t.airs[name] = &sync.Mutex{}
	}
	return t.airs[name]
}

// takes is about how long an order takes its transmitter.
func takes(o Order, parts []part) time.Duration {
	us := 0
	for _, p := range parts {
		us += p.Airtime()
	}
	n := time.Duration(o.Times)
	return n*time.Duration(us)*time.Microsecond + (n-1)*max(between, gapOf(o.Device))
}

// worker finds or makes the worker of a transmitter. The caller holds mu.
func (t *Transmit) worker(place string) *worker {
	w := t.workers[place]
	if w == nil {
		w = &worker{wake: make(chan struct{}, 1)}
		t.workers[place] = w
		t.employ(w)
	}
	return w
}

// employ starts a worker, where the house runs. The caller holds mu.
func (t *Transmit) employ(w *worker) {
	if ctx := t.running; ctx != nil {
		t.group.Go(func() { t.work(ctx, w) })
	}
}

// remember keeps a ticket. Held keys can be asked for a while after they are over; there are few of them.
func (t *Transmit) remember(k *Ticket) {
	if k.order.Lease > 0 {
		for id, old := range t.tickets {
			if !old.finished.IsZero() && t.now().Sub(old.finished) > remembered {
				delete(t.tickets, id)
			}
		}
	}
	t.tickets[k.ID] = k
}

// Ticket finds a press that is not over, or a held key that was lately. The error wraps ErrUnknown.
func (t *Transmit) Ticket(id string) (*Ticket, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if k := t.tickets[id]; k != nil {
		return k, nil
	}
	return nil, fmt.Errorf("%w %.40q: it is over, or there was none", ErrUnknown, id)
}

// Press asks for a press and waits for the receipt. Where ctx ends, whoever asked is gone: the key is let go.
func (t *Transmit) Press(ctx context.Context, o Order) (happening.Receipt, error) {
	k, err := t.Start(o)
	if err != nil {
		return happening.Receipt{}, err
	}
	stop := context.AfterFunc(ctx, k.Cancel)
	defer stop()
	r, err := k.Wait(context.WithoutCancel(ctx))
	if err != nil {
		return r, fmt.Errorf("press %s: %w", o.subject(), err)
	}
	return r, nil
}

// Run works until the context ends. Then what waits is dropped, what is on the air ends, and all of it has its receipt
// before Run returns.
func (t *Transmit) Run(ctx context.Context) error {
	t.mu.Lock()
	t.running = ctx
	for _, w := range t.workers {
		t.employ(w)
	}
	t.mu.Unlock()
	<-ctx.Done()
	t.mu.Lock()
	t.ending = true
	var open []*Ticket
	for _, k := range t.tickets {
		if k.finished.IsZero() {
			open = append(open, k)
		}
	}
	t.mu.Unlock()
	for _, k := range open {
		k.cancel(true)
	}
	t.group.Wait()
	return nil
}
