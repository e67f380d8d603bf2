// Package stage is the simulated surroundings that ship with Urbo: air, handsets that people press, and appliances
// that obey. Handsets play timings written by hand and appliances decode with small decoders of their own, never
// with core/line, so that a mistake there cannot prove itself right. Time on the stage is its own and can run faster
// than real time; its noise exists only around frames, so an idle stage costs nothing.
package stage

import (
	"container/heap"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"sync"
	"time"
)

// Errors of the stage. They are wrapped with the name that was asked for and the names there are.
var (
	ErrUnknownHandset = errors.New("no such handset on the stage")
	ErrUnknownKey     = errors.New("no such key on the handset")
)

// Options of a stage.
type Options struct {
	Pace   float64  // how many times faster than real time it runs; 0 is 1
	Seed   uint64   // of all randomness; equal seeds play the same noise
	Faults Faults   // what goes wrong
	Unplug []string // appliances that are not plugged in: they obey nothing
	// Begins is the time of day at which it begins, from midnight.
	Begins time.Duration
}

// Stage holds the air, the handsets and the appliances, and runs their events in order of stage time.
// Methods are safe for use from several goroutines.
type Stage struct {
	pace   float64
	start  time.Time
	begins time.Duration // time of day, from midnight
	wake   chan struct{}

	mu         sync.Mutex
	random     *rand.Rand
	events     eventHeap
	sequence   uint64
	air        map[Medium]*air
	handsets   []*Handset
	appliances []*placed
	changed    []func()
	faults     Faults
	presses    int // of handsets
	outages    int // plans of them
}

// Medium is what carries a signal on the stage.
type Medium string

// The two media.
const (
	Infrared Medium = "infrared"
	Radio    Medium = "radio"
)

// empty makes a stage with nothing on it.
func empty(o Options) *Stage {
	if o.Pace <= 0 {
		o.Pace = 1
	}
	s := &Stage{
		pace:   o.Pace,
		start:  time.Now(),
		begins: o.Begins,
		wake:   make(chan struct{}, 1),
		random: rand.New(rand.NewPCG(o.Seed, 0x5a17)),
	}
	s.air = map[Medium]*air{Infrared: {stage: s}, Radio: {stage: s}}
	return s
}

// Now is the stage's time since its start.
func (s *Stage) Now() time.Duration {
	return time.Duration(float64(time.Since(s.start)) * s.pace)
}

// Real is how long a span of stage time takes in real time.
func (s *Stage) Real(d time.Duration) time.Duration {
	return time.Duration(float64(d) / s.pace)
}

// Run plays the stage's events until the context ends.
func (s *Stage) Run(ctx context.Context) error {
	timer := time.NewTimer(time.Hour)
	defer timer.Stop()
	for {
		wait := s.playDue()
		timer.Reset(wait)
		select {
		case <-ctx.Done():
			return nil
		case <-s.wake:
		case <-timer.C:
		}
	}
}

// playDue plays all events that are due and returns the real time until the next.
func (s *Stage) playDue() time.Duration {
	s.mu.Lock()
	defer s.mu.Unlock()
	for len(s.events) > 0 {
		if wait := s.events[0].at - s.Now(); wait > 0 {
			return max(s.Real(wait), time.Microsecond)
		}
		e := heap.Pop(&s.events).(event)
		e.play(e.at)
	}
	return time.Hour
}

// at plans something for a stage time. The caller holds mu; play is called with mu held and the planned time.
func (s *Stage) at(t time.Duration, play func(now time.Duration)) {
	s.sequence++
	heap.Push(&s.events, event{t, s.sequence, play})
	select {
	case s.wake <- struct{}{}:
	default:
	}
}

// Change is called, from the stage's own goroutine, after the true state of an appliance has changed.
func (s *Stage) Change(f func()) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.changed = append(s.changed, f)
}

// event is something planned.
type event struct {
	at       time.Duration
	sequence uint64
	play     func(now time.Duration)
}

type eventHeap []event

func (h eventHeap) Len() int { return len(h) }
func (h eventHeap) Less(i, j int) bool {
	return h[i].at < h[j].at || h[i].at == h[j].at && h[i].sequence < h[j].sequence
}
func (h eventHeap) Swap(i, j int) { h[i], h[j] = h[j], h[i] }
func (h *eventHeap) Push(e any)   { *h = append(*h, e.(event)) }
func (h *eventHeap) Pop() any {
	old := *h
	e := old[len(old)-1]
	*h = old[:len(old)-1]
	return e
}

// Fact is one thing that is true of an appliance.
type Fact struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// Appliance is a simulated device. Its methods are called with the stage's time, in order.
type Appliance interface {
	// Hear is given an envelope as it reaches the appliance: durations in µs, mark first, with the stage time of
	// the first edge.
	Hear(at time.Duration, runs []int)
	// State lists what is true at a time.
	State(now time.Duration) []Fact
}

// passing is an appliance whose state changes with time alone: Next is when it will, 0 for never.
type passing interface {
	Next(now time.Duration) time.Duration
}

// placed is an appliance with its place on the stage.
type placed struct {
	Appliance
	slug, title, room string
	medium            Medium
	hz                int // carrier or channel it listens on
	width             int // how far off it still hears
	plugged           bool

	presses int           // that came by
	heard   time.Duration // when the last of them ended
	missing bool          // it is one that it misses
}

// ApplianceState is an appliance as anyone standing beside it would see it.
type ApplianceState struct {
	Slug  string `json:"slug"`
	Title string `json:"title"`
	Room  string `json:"room"`
	Facts []Fact `json:"facts"`
}

// Appliances lists the true state of every appliance.
func (s *Stage) Appliances() []ApplianceState {
	s.mu.Lock()
	defer s.mu.Unlock()
	out := make([]ApplianceState, len(s.appliances))
	for i, a := range s.appliances {
		out[i] = ApplianceState{a.slug, a.title, a.room, a.State(s.Now())}
	}
	return out
}

// State finds the true state of one appliance as a map.
func (s *Stage) State(slug string) (map[string]string, error) {
	for _, a := range s.Appliances() {
		if a.Slug == slug {
			out := map[string]string{}
			for _, f := range a.Facts {
				out[f.Name] = f.Value
			}
			return out, nil
		}
	}
	return nil, fmt.Errorf("no appliance %q on the stage", slug)
}

// place puts an appliance on the stage: it hears what is on its medium near enough to its frequency.
func (s *Stage) place(p *placed) {
	s.appliances = append(s.appliances, p)
	s.air[p.medium].listeners = append(s.air[p.medium].listeners, listener{
		hz: p.hz, width: p.width,
		hear: func(at time.Duration, runs []int, _ float64) {
			if missed := p.misses(s.faults, at, runs); missed || !p.plugged {
				return
			}
			p.Hear(at, runs)
			s.tell(p)
		},
	})
}

// tell says that an appliance may have changed, and again when it does by itself.
func (s *Stage) tell(p *placed) {
	for _, f := range s.changed {
		f()
	}
	if t, ok := p.Appliance.(passing); ok {
		if next := t.Next(s.Now()); next > 0 {
			s.at(next, func(time.Duration) { s.tell(p) })
		}
	}
}
