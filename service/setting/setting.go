// Package setting carries wishes out: one actor for each device holds what is wanted of it, plans, and presses. A newer
// wish for the same control takes the place of one that waits, and ends one under way at a safe place; wishes for
// different controls that wait together are planned together.
package setting

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service/belief"
	"urbo/service/stream"
	"urbo/service/transmit"
	"urbo/service/wake"
	"urbo/store"
)

// Errors that callers ask for.
var (
	ErrLesson = fault.New(fault.Conflict, "a lesson is running")
	ErrEnding = fault.New(fault.Later, "the service is ending: set it again when it is back")
	ErrMany   = fault.New(fault.Busy, "too many wishes wait for this device")
)

const (
	// patience is how long a wish waits for its turn before it is dropped: later, nobody expects it any more.
	patience = 2 * time.Minute
	// mostWaiting is how many wishes may wait for one device.
	mostWaiting = 64
	// mostTimes is how many presses go out as one order.
	mostTimes = 20
	// mostMoved is how often a device may be moved from elsewhere while it is set: pressed all the time, that is given
	// up.
	mostMoved = 12
)

// Beliefs is what devices are believed to be at. What has happened so far is in what it answers.
type Beliefs interface {
	// Plan makes the plan of what is wanted of a device.
	Plan(id string, ask control.Request) (control.Plan, error)
	// Holds says whether all that is wanted is believed to be so.
	Holds(id string, wants []control.Want) bool
	// Settled is wants as values, where they lead on from where a travel stands.
	Settled(id string, wants []control.Want) ([]control.Want, error)
	// Doubts says whether what any wanted control is at is doubtful.
	Doubts(id string, wants []control.Want) bool
	// Spec is what the device's keys do to its controls.
	Spec(id string) (*control.Spec, error)
	// Value is what a control is believed to be at, "" where it may be at several.
	Value(id, control string) string
	// Others counts what moved the belief and was not sent: presses of handsets, words and sensors.
	Others(id string) int
	// Settles is how long sensors of what is wanted need to show it, 0 where there are none.
	Settles(id string, wants []control.Want) time.Duration
	// Overdue lists the devices that are on for as long as they may be.
	Overdue(now time.Time) []belief.Due
}

// Library finds devices.
type Library interface {
	ByID(id string) (device.Device, error)
	// Key finds a learned key; its error says what to do where there is none.
	Key(ref device.Ref) (device.Device, device.Key, error)
}

// Transmit presses keys.
type Transmit interface {
	Start(o transmit.Order) (*transmit.Ticket, error)
}

// Lessons says which devices are being learned.
type Lessons interface {
	Learning(deviceID string) bool
}

// Class is how urgent a wish is.
type Class int

// The classes. What nobody waits for lets the presses of people go first.
const (
	Person Class = iota
	Standing
)

// Wish is something that is wanted of a device.
type Wish struct {
	ID     string // of its ticket; "" is a new one
	Device string // id
	Wants  []control.Want
	Asked  bool // a person waits: keys that set a value are pressed even where it is believed so already
	Spare  bool // nothing is pressed for what is believed to be so, even where that is not certain
	Blind  bool // what is believed is worth nothing: only what leads there from everything is pressed
	Class  Class
	By     grant.By
	Cause  string        // id of what led to it, or ""
	Within time.Duration // dropped when its turn has not come by then; 0 is two minutes

	// Mine names who sets the controls for a time. Unless lets go of each control, by its place in Wants, that
	// anybody but this one wished something of since.
	Mine   string
	Unless []string
}

// ask is the wish as the planner takes it.
func (w Wish) ask() control.Request {
	return control.Request{Wants: w.Wants, Asked: w.Asked, Sparing: w.Spare, Blind: w.Blind}
}

// End is what became of a want.
type End string

// The ends.
const (
	Done       End = "done"       // it is believed to be so
	Unsure     End = "unsure"     // nothing surely leads there, or it does not seem to be so
	Superseded End = "superseded" // something newer was wanted of the control
	Cancelled  End = "cancelled"  // nobody wants it any more
	Failed     End = "failed"     // a press did not go out, or it is not known whether it did
	Late       End = "late"       // its turn did not come in time
)

// Result is what came of a wish.
type Result struct {
	Ends    []End // by want
	Plan    control.Plan
	Presses []happening.Receipt
	Done    bool // everything wanted is believed to be so
	// Doubtful says that it is done, but that what it is at now cannot be relied on.
	Doubtful bool
	Reason   string // why it was given up, where it was
}

// Config of the settings.
type Config struct {
	Beliefs  Beliefs
	Library  Library
	Transmit Transmit
	Lessons  Lessons
	Stream   *stream.Stream
	Now      func() time.Time
}

// Setting is the actors of all devices.
type Setting struct {
	Config
	group sync.WaitGroup

	mu      sync.Mutex
	running context.Context   // nil before Run
	ready   chan struct{}     // closed when it runs
	actors  map[string]*actor // by device id; those that have something to do
	resting map[string]time.Time
	undo    map[undoKey]before
	latest  map[path]string // who wished something last of a control, where that is for a time; "" is anybody else
	look    chan struct{}
}

// New makes the settings of a house.
func New(c Config) *Setting {
	return &Setting{Config: c, actors: map[string]*actor{}, resting: map[string]time.Time{},
		undo: map[undoKey]before{}, latest: map[path]string{}, look: make(chan struct{}, 1),
		ready: make(chan struct{})}
}

// Ready is closed when wishes can be carried out.
func (s *Setting) Ready() <-chan struct{} { return s.ready }

// Plan says what a wish would press now; nothing is pressed. Errors wrap control.ErrForm or control.ErrPlan, or are
// those of the beliefs.
func (s *Setting) Plan(w Wish) (Result, error) {
	p, err := s.Beliefs.Plan(w.Device, w.ask())
	if err == nil {
		err = s.sendable(w.Device, p)
	}
	if err != nil {
		return Result{}, err
	}
	return Result{Plan: p, Done: p.Sure && len(p.Steps) == 0}, nil
}

// sendable says whether all keys of a plan can be sent. Errors are those of library.Key.
func (s *Setting) sendable(id string, p control.Plan) error {
	d, err := s.Library.ByID(id)
	if err != nil {
		return err
	}
	for _, step := range p.Steps {
		if step.Frame != nil {
			continue
		}
		if _, _, err := s.Library.Key(device.Ref{Device: d.Slug, Key: step.Key}); err != nil {
			return err
		}
	}
	return nil
}

// Set asks for something, and waits for what becomes of it. A wish belongs to the house: it goes on where ctx ends.
// Errors are those of Start and Ticket.Wait.
func (s *Setting) Set(ctx context.Context, w Wish) (Result, error) {
	t, err := s.Start(w)
	if err != nil {
		return Result{}, err
	}
	return t.Wait(ctx)
}

// Start asks for something. Errors say that nothing is done: they wrap ErrLesson, ErrEnding, ErrMany, control.ErrForm
// or control.ErrPlan, or are those of the beliefs.
func (s *Setting) Start(w Wish) (*Ticket, error) {
	spec, err := s.Beliefs.Spec(w.Device)
	if err != nil {
		return nil, err
	}
	d, err := s.Library.ByID(w.Device)
	if err != nil {
		return nil, err
	}
	if s.Lessons.Learning(w.Device) {
		return nil, fmt.Errorf("%w for %s: end or pause it first", ErrLesson, d.Slug)
	}
	if w.Wants, err = s.Beliefs.Settled(w.Device, w.Wants); err != nil {
		return nil, fmt.Errorf("set %s: %w", d.Slug, err)
	}
	p, err := s.Beliefs.Plan(w.Device, w.ask())
	if err != nil {
		return nil, fmt.Errorf("set %s: %w", d.Slug, err)
	}
	if err := s.sendable(w.Device, p); err != nil {
		return nil, fmt.Errorf("set %s: %w", d.Slug, err)
	}
	t := &Ticket{ID: cmp.Or(w.ID, store.NewID()), wish: w, setting: s, done: make(chan struct{}),
		late: s.Now().Add(cmp.Or(w.Within, patience)), asked: s.Stream.Last()}
	for _, wanted := range w.Wants {
		t.wants = append(t.wants, &want{Want: wanted, ticket: t})
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.running == nil || s.running.Err() != nil {
		return nil, fmt.Errorf("set %s: %w", d.Slug, ErrEnding)
	}
	a := s.actors[w.Device]
	if a == nil {
		a = &actor{setting: s, id: w.Device, news: make(chan struct{}, 1), clear: make(chan struct{})}
		s.actors[w.Device] = a
		ctx := s.running
		defer s.group.Go(func() { a.work(ctx) })
	}
	if len(a.tickets) >= mostWaiting {
		return nil, fmt.Errorf("set %s: %w: %d, try again in a moment", d.Slug, ErrMany, mostWaiting)
	}
	s.note(spec, t)
	a.take(spec, t)
	return t, nil
}

// path is a control of a device, by its id.
type path struct{ device, control string }

// note keeps who wishes something of the controls of a ticket, and lets go of those that somebody else wished
// something of since the ticket's own wish before. Switching a device off is a wish for all its controls, unless that
// is for a time. The caller holds mu.
func (s *Setting) note(spec *control.Spec, t *Ticket) {
	for i, w := range t.wants {
		p := path{t.wish.Device, w.Control}
		if now, known := s.latest[p]; i < len(t.wish.Unless) && known && now != t.wish.Unless[i] {
			w.end = Superseded
			continue
		}
		s.latest[p] = t.wish.Mine
		if !spec.IsOff(w.Want) || t.wish.Mine != "" {
			continue
		}
		for _, c := range spec.Controls() {
			s.latest[path{t.wish.Device, c.Name}] = t.wish.Mine
		}
	}
}

// Wanted is what is wanted of the controls of a device right now and not over, the newest of each: what it will be at
// where nobody wants something else. A want of so many steps is none.
func (s *Setting) Wanted(device string) map[string]string {
	spec, err := s.Beliefs.Spec(device)
	if err != nil {
		return nil
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	a := s.actors[device]
	if a == nil {
		return nil
	}
	out := map[string]string{}
	for _, t := range a.tickets {
		for _, w := range t.wants {
			if _, steps := spec.Steps(w.Want); w.end == "" && !steps {
				out[w.Control] = w.Value
			}
		}
	}
	return out
}

// Clear waits until nothing is half done on a device that another press would spoil: a number that is being typed, an
// off that is pressed twice. It gives up when ctx ends.
func (s *Setting) Clear(ctx context.Context, id string) error {
	for {
		s.mu.Lock()
		a := s.actors[id]
		if a == nil || !a.open {
			s.mu.Unlock()
			return nil
		}
		clear := a.clear
		s.mu.Unlock()
		select {
		case <-clear:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

const (
	// doze is how often it is looked at how long devices are on.
	doze = 30 * time.Second
	// rest is how long a device that could not be switched off is left alone.
	rest = 10 * time.Minute
)

// Run works until the context ends. Then what is half done is brought to a safe place, and the rest is given up.
func (s *Setting) Run(ctx context.Context) error {
	s.mu.Lock()
	s.running = ctx
	s.mu.Unlock()
	close(s.ready)
	tick := time.NewTicker(doze)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			s.group.Wait()
			return nil
		case <-tick.C:
		case <-s.look:
		}
		s.offInTime()
	}
}

// Look lets it look now for devices that are on for as long as they may be.
func (s *Setting) Look() { wake.Up(s.look) }

// offInTime switches off the devices that are on for as long as they may be.
func (s *Setting) offInTime() {
	now := s.Now()
	for _, due := range s.Beliefs.Overdue(now) {
		s.mu.Lock()
		waits := now.Before(s.resting[due.Device])
		if !waits {
			s.resting[due.Device] = now.Add(rest)
		}
		s.mu.Unlock()
		if waits {
			continue
		}
		t, err := s.Start(Wish{Device: due.Device, Wants: []control.Want{{Control: due.Control, Value: "off"}},
			Asked: true,
			Class: Standing, By: grant.TheHouse("longest on")})
		if err != nil {
			s.notOff(due, err)
			continue
		}
		s.group.Go(func() {
			if r, err := t.Wait(context.Background()); err != nil && !errors.Is(err, ErrEnding) || err == nil &&
				r.Reason != "" {
				s.notOff(due, cmp.Or(err, errors.New(r.Reason)))
			}
		})
	}
}

func (s *Setting) notOff(due belief.Due, err error) {
	d, _ := s.Library.ByID(due.Device)
	s.Stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "error",
		Text: d.Slug + " was on for as long as it may be, and could not be switched off: " + err.Error()}})
}
