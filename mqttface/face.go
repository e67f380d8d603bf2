// Package mqttface is the MQTT face: it publishes what devices are believed to be at, what is heard, measured and in
// force, and takes what is wanted, pressed, started, run and said. It decides nothing: it asks the house what its HTTP
// face asks, and for the same rights. At the house's own broker each program is its token; at a broker of somebody
// else's, whoever speaks there is one program.
package mqttface

import (
	"context"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"sync"
	"sync/atomic"
	"time"

	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service"
	"urbo/service/kept"
	broker "urbo/station/mqtt"
	"urbo/store"
)

// Given is what the house was started with.
type Given struct {
	Own     bool            // a broker of its own
	Listens string          // where that listens, as HOST:PORT
	Outside *broker.Options // or one of somebody else's
	On      bool            // the face is on where nobody said otherwise
}

// Face is the MQTT face of a house.
type Face struct {
	house *service.House
	given Given

	doc   *kept.Document[*Settings] // nil settings are those that nobody gave
	known *kept.Document[topics]

	mu       sync.Mutex
	changed  chan struct{}              // closed when the settings are others
	again    chan struct{}              // closed when another connection is to be made
	ownOut   func(broker.Message) error // the way to the house's own broker; nil where that is not up
	visitOut func(broker.Message) error // or to one of somebody else's
	came     chan struct{}              // gets something when there is another way
	status   Status
	turns    map[string]chan struct{} // of devices: closed when what was asked last has begun

	running context.Context // of what was asked; nil before Run
	group   sync.WaitGroup
	asked   asked
	noted   atomic.Int64 // when something odd was told last, in Unix seconds
}

// Status is how the face is.
type Status struct {
	At      string // its broker: own, or an address; "" where there is none
	Here    bool   // it is connected
	Version int    // of MQTT; 0 at the house's own
	Since   time.Time
	Error   string // why it is not connected
	Base    string
	Listens string // where the house's own broker does
	Topics  int    // that are published
	Took    int    // that it was asked for since the start
	Last    Asker
}

// Asker is who asked for something last.
type Asker struct {
	Name string
	What string // the topic behind the base
	At   time.Time
}

// New makes the face of a house, as it was left.
func New(ctx context.Context, house *service.House, given Given) (*Face, error) {
	f := &Face{house: house, given: given, changed: make(chan struct{}), again: make(chan struct{}),
		came:  make(chan struct{}, 1),
		turns: map[string]chan struct{}{}}
	return f, f.open(ctx)
}

// Status is how the face is now.
func (f *Face) Status() Status {
	f.mu.Lock()
	defer f.mu.Unlock()
	s, set := f.status, f.Settings()
	s.At, s.Base, s.Listens = f.at(set), f.base(set), f.given.Listens
	switch {
	case !set.On:
		s.Here, s.Error = false, ""
	case f.own(set):
		s.Here, s.Version, s.Error = f.ownOut != nil, 0, ""
	}
	return s
}

// at is where settings lead: own, or an address; "" is nowhere.
func (f *Face) at(s Settings) string {
	switch {
	case s.Broker != "":
		return s.Broker
	case f.given.Own:
		return "own"
	case f.given.Outside != nil:
		return f.given.Outside.URL
	}
	return ""
}

// outside is how a broker of somebody else's is reached; false where the face is at the house's own, or nowhere.
func (f *Face) outside(s Settings) (broker.Options, bool) {
	switch {
	case !s.On:
	case s.Broker != "":
		return s.options(), true
	case !f.given.Own && f.given.Outside != nil:
		return *f.given.Outside, true
	}
	return broker.Options{}, false
}

// own says whether the face is at the house's own broker.
func (f *Face) own(s Settings) bool { return s.On && s.Broker == "" && f.given.Own }

// watch is the settings of now, and a channel that is closed when they are others.
func (f *Face) watch() (Settings, <-chan struct{}) {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.Settings(), f.changed
}

// Run publishes and takes until the context ends. What was asked for by then is over, or goes on with the house.
func (f *Face) Run(ctx context.Context) error {
	f.mu.Lock()
	f.running = ctx
	f.mu.Unlock()
	var visits sync.WaitGroup
	leave, gone := context.WithCancel(context.WithoutCancel(ctx))
	visits.Go(func() { f.visit(leave) })
	p := newPublisher(f)
	p.run(ctx) // its last word goes out over the visit
	gone()
	visits.Wait()
	f.group.Wait()
	return nil
}

// Pauses between visits.
const firstPause, longestPause = time.Second, time.Minute

// visit keeps a connection to a broker of somebody else's, where the settings name one.
func (f *Face) visit(ctx context.Context) {
	said, pause := "", firstPause
	for ctx.Err() == nil {
		f.mu.Lock()
		s, again := f.Settings(), f.again
		f.mu.Unlock()
		o, is := f.outside(s)
		if !is {
			select {
			case <-again:
			case <-ctx.Done():
			}
			pause, said = firstPause, ""
			continue
		}
		began := time.Now()
		err := f.stay(ctx, o, s, again)
		f.note(func(s *Status) { s.Here = false })
		if err == nil {
			pause, said = firstPause, ""
			continue
		}
		if time.Since(began) > longestPause {
			pause, said = firstPause, ""
		}
		f.note(func(s *Status) { s.Error = err.Error() })
		if err.Error() != said {
			said = err.Error()
			slog.Warn("the MQTT face is not connected, and tries again", "error", err)
		}
		timer := time.NewTimer(pause/2 + rand.N(pause)) // not all at once, where many wait for one broker
		select {
		case <-timer.C:
		case <-again:
		case <-ctx.Done():
		}
		timer.Stop()
		pause = min(2*pause, longestPause)
	}
}

// stay is one connection. It has no error where another one is to be made, or the house ends.
func (f *Face) stay(ctx context.Context, o broker.Options, s Settings, again <-chan struct{}) error {
	base := f.base(s)
	who := grant.Who{By: grant.By{Actor: grant.Actor{Kind: grant.Program, Name: "broker"}, Via: "MQTT"}, Grant: s.Grant}
	v, err := broker.Connect(ctx, o, broker.Stay{ID: "urbo-" + store.NewID(),
		Will:   &broker.Message{Topic: base + "/here", Payload: []byte("no"), Retain: true, Once: true},
		Topics: asks(base), Took: func(m broker.Message) { f.Take(who, m) }})
	if err != nil {
		return err
	}
	defer v.Close()
	f.note(func(s *Status) { s.Here, s.Version, s.Since, s.Error = true, v.Version, time.Now(), "" })
	defer f.carry(&f.visitOut, func(m broker.Message) error { return v.Publish(ctx, m) })()
	select {
	case <-v.Ended:
		return v.Err()
	case <-again:
	case <-ctx.Done():
	}
	return nil
}

// longestTry is how long a broker may take that is tried.
const longestTry = 10 * time.Second

// Test tries to reach the broker of settings, and says which version of MQTT it speaks. The error wraps ErrSettings, or
// says what failed.
func (f *Face) Test(ctx context.Context, s Settings) (version int, took time.Duration, err error) {
	s.On = true
	if err := s.check(); err != nil {
		return 0, 0, err
	}
	o, is := f.outside(s)
	switch {
	case !is && f.given.Own:
		if f.Status().Here || f.ownUp() {
			return 5, 0, nil
		}
		return 0, 0, fmt.Errorf("%w: the house's own broker is not up", ErrSettings)
	case !is:
		return 0, 0, fmt.Errorf("%w: there is no broker: name one (urbo mqtt set --broker mqtt://HOST:PORT), or let "+
			"the "+
			"house run one (urbo serve --broker own)", ErrSettings)
	}
	ctx, cancel := context.WithTimeout(ctx, longestTry)
	defer cancel()
	began := time.Now()
	v, err := broker.Connect(ctx, o, broker.Stay{ID: "urbo-test-" + store.NewID(), Topics: asks(f.base(s)),
		Took: func(broker.Message) {}})
	if err != nil {
		return 0, 0, fmt.Errorf("%w: %w", ErrUnreached, err)
	}
	took = time.Since(began)
	v.Close()
	return v.Version, took, nil
}

// ErrUnreached is wrapped where a broker cannot be reached: the text says why.
var ErrUnreached = fault.New(fault.Later, "the broker is not reached")

// ownUp says whether the house's own broker is up.
func (f *Face) ownUp() bool {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.ownOut != nil
}

// anew lets another connection be made.
func (f *Face) anew() {
	f.mu.Lock()
	defer f.mu.Unlock()
	close(f.again)
	f.again = make(chan struct{})
}

// carry lets messages go out by a way; end takes it away.
func (f *Face) carry(way *func(broker.Message) error, publish func(broker.Message) error) (end func()) {
	f.mu.Lock()
	*way = publish
	f.mu.Unlock()
	f.wake()
	return func() {
		f.mu.Lock()
		*way = nil
		f.mu.Unlock()
	}
}

// out is the way that messages go now, nil where there is none.
func (f *Face) out() func(broker.Message) error {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.at(f.Settings()) == "own" { // also where it is off: it says that it is not here
		return f.ownOut
	}
	return f.visitOut
}

// wake lets the publisher look again.
func (f *Face) wake() {
	select {
	case f.came <- struct{}{}:
	default:
	}
}

func (f *Face) note(do func(*Status)) {
	f.mu.Lock()
	defer f.mu.Unlock()
	do(&f.status)
}

// Up is called when the house's own broker runs.
func (f *Face) Up(publish func(broker.Message) error) (down func()) {
	return f.carry(&f.ownOut, publish)
}

// odd tells something odd in the journal, at most once a minute.
func (f *Face) odd(text string) {
	now := time.Now().Unix()
	if last := f.noted.Load(); now-last < 60 || !f.noted.CompareAndSwap(last, now) {
		return
	}
	f.house.Stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "warning", Text: text}})
}
