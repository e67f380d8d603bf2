// Package runs carries steps out, in order, for whoever asked: each run has a goroutine, is on disk before anything of
// a step is pressed, is listed while it is under way, and can be stopped. Where a run stands, and what comes next, is
// decided by core/run.
package runs

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"sync"
	"time"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/moment"
	"urbo/core/run"
	"urbo/service/holds"
	"urbo/service/setting"
	"urbo/service/stream"
	"urbo/service/transmit"
	"urbo/store"
)

// Errors that callers ask for.
var (
	ErrUnknown = fault.New(fault.NotFound, "unknown run")
	ErrRunning = fault.New(fault.Conflict, "it is under way already")
	ErrMany    = fault.New(fault.Busy, "too many runs are under way")
	ErrOver    = fault.New(fault.Conflict, "the run is over")
)

const (
	// most is how many runs may be under way at once, mostQueued how many of one thing may wait for their turn.
	most, mostQueued = 100, 8
	// kept is how many runs that are over are still listed.
	kept = 50
	// turn is how long a run waits for its turn.
	turn = 10 * time.Minute
	// asks is how long it is asked what something is at.
	asks = 10 * time.Minute
	// logs is how many steps of a run are listed.
	logs = 100
	// version of the document.
	version = 1
)

// Run is steps under way.
type Run struct {
	ID    string   `json:"-"`
	Name  string   `json:"name"` // what runs, as it was called then
	Of    string   `json:"of"`   // id of the sequence or occasion
	By    grant.By `json:"by"`
	Cause string   `json:"cause,omitempty"`
	// Asks is for how long people are asked what something is at; 0 is as usual.
	Asks    time.Duration `json:"asks,omitempty"`
	Guess   bool          `json:"guess,omitempty"` // nobody is asked: what is believed most counts
	Began   time.Time     `json:"began"`
	Over    time.Time     `json:"-"` // zero while it is under way
	Program run.Program   `json:"program"`
	State   run.State     `json:"-"` // kept beside the document: it changes with each step
	// Log is what came of its steps, since the house is there; the last ones.
	Log    []happening.RunStep `json:"-"`
	Logged int                 `json:"-"` // how many there were in all
}

// Step is the number of the step that it is in, from 1, and what that says.
func (r Run) Step() (int, string) {
	if r.State.At >= len(r.Program) {
		return r.Program.Steps(), ""
	}
	return r.Program.Number(r.State.At), r.Program[r.State.At].Says
}

// Store keeps runs.
type Store interface {
	Runs(ctx context.Context) ([]store.Run, error)
	PutRun(ctx context.Context, r store.Run) error
	PutRunState(ctx context.Context, id, state string) error
	RemoveRun(ctx context.Context, id string) error
	PutAside(ctx context.Context, a store.Aside) error
}

// Targets finds which devices something is now, and what is known of it.
type Targets interface {
	Name(t run.Target) string
	With(t run.Target, control string) ([]string, error)
	Resolve(t run.Target, control string) (run.Target, string, error)
	ResolveKey(t run.Target, key string) (run.Target, string, error)
	AllDevices(all []run.Target) []string
	Reading(t run.Test) run.Reading
}

// Setting carries wishes out.
type Setting interface {
	Plan(w setting.Wish) (setting.Result, error)
	Start(w setting.Wish) (*setting.Ticket, error)
	Clear(ctx context.Context, id string) error
}

// Holds sets controls for a time.
type Holds interface {
	Start(ctx context.Context, o holds.Order) (*setting.Ticket, error)
	Stop(runID, reason string)
}

// Transmit presses keys.
type Transmit interface {
	Start(o transmit.Order) (*transmit.Ticket, error)
}

// Library finds keys.
type Library interface {
	Slug(id string) string
	Key(ref device.Ref) (device.Device, device.Key, error)
}

// Beliefs is what devices are believed to be at.
type Beliefs interface {
	StatesOf(id string) ([]control.State, error)
}

// Config of the runs.
type Config struct {
	Store    Store
	Targets  Targets
	Setting  Setting
	Holds    Holds
	Transmit Transmit
	Library  Library
	Beliefs  Beliefs
	Stream   *stream.Stream
	Now      func() time.Time
}

// Errands is what steps ask of the errands: what conditions answer, and when moments of a day are.
type Errands interface {
	// Answer answers a condition, and lists the questions of which the answer is not known.
	Answer(c run.Cond) (run.Truth, []run.Cond)
	// Until is how long it really takes until a moment of a day is next; false where it never is.
	Until(p moment.Point) (time.Duration, bool)
	Mark(ctx context.Context, marker string, on bool) error
	// Happens closes came when something happens. Call stop when nobody waits for it any more.
	Happens(s run.Sudden) (came <-chan struct{}, stop func())
}

// Runs is what is under way, and what was lately.
type Runs struct {
	Config
	// Errands answers what steps ask, and Occasion starts an occasion, also over people, or ends it. Both are there
	// before Run.
	Errands  Errands
	Occasion func(ctx context.Context, id string, start, over bool, by grant.By) error
	// Request sends a request out of the house. It is there before Run.
	Request func(ctx context.Context, name, text string) error

	queue *stream.Queue
	group sync.WaitGroup

	mu      sync.Mutex
	running context.Context // nil before Run
	ready   chan struct{}   // closed when it runs
	all     []*actor        // under way, in the order in which they began
	over    []Run           // the last ones, the newest last
	moved   chan struct{}   // closed when any run is somewhere else
}

// Open reads the runs that were under way: one that only waited goes on, and one in a step is not begun again.
func Open(ctx context.Context, c Config) (*Runs, error) {
	r := &Runs{Config: c, moved: make(chan struct{}), ready: make(chan struct{})}
	rows, err := c.Store.Runs(ctx)
	if err != nil {
		return nil, fmt.Errorf("read what is under way: %w", err)
	}
	for _, row := range rows {
		one := Run{ID: row.ID}
		err := cmp.Or(store.ReadDocument(row.Document, version, &one), store.ReadDocument(row.State, version,
			&one.State))
		if err == nil {
			if damaged := one.Program.Check(one.State); damaged != nil {
				err = fmt.Errorf("%w: %w", store.ErrDocument, damaged)
			}
		}
		if err != nil {
			aside := store.Aside{Kind: "run", Owner: row.ID, Document: row.Document + row.State, At: c.Now()}
			if err := c.Store.PutAside(ctx, aside); err != nil {
				return nil, fmt.Errorf("set aside a run: %w", err)
			}
			c.Stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "error",
				Text: fmt.Sprintf("A run that was under way %v: it is set aside, and does not go on", err)}})
			if err := c.Store.RemoveRun(ctx, row.ID); err != nil {
				return nil, fmt.Errorf("set aside a run: %w", err)
			}
			continue
		}
		r.all = append(r.all, newActor(r, one))
	}
	r.queue = c.Stream.Subscribe()
	return r, nil
}

// Order is what is to run.
type Order struct {
	Name    string // for people
	Of      string // id of the sequence or occasion
	Program run.Program
	By      grant.By
	Cause   string
	Follow  bool          // it waits for its turn where the same is under way
	Asks    time.Duration // for how long people are asked what something is at; 0 is as usual
	Guess   bool          // nobody is asked: what is believed most counts
}

// Start begins a run, which is on disk then. Errors wrap ErrRunning, ErrMany or setting.ErrEnding, or are the store's.
func (r *Runs) Start(o Order) (Run, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.running == nil || r.running.Err() != nil {
		return Run{}, setting.ErrEnding
	}
	if len(r.all) >= most {
		return Run{}, fmt.Errorf("%w: %d, which is the most: stop one, or wait for one to end", ErrMany, most)
	}
	now := r.Now()
	one := Run{ID: store.NewID(), Name: o.Name, Of: o.Of, By: o.By, Cause: o.Cause, Asks: o.Asks, Guess: o.Guess,
		Began: now, Program: o.Program, State: run.State{Phase: run.Queued, Until: now.Add(turn)}}
	same := r.same(o.Of)
	switch {
	case len(same) > 0 && !o.Follow:
		step, _ := same[0].run.Step()
		return Run{}, fmt.Errorf(
			"%w: %s is in step %d of %d: stop it first (urbo run stop), or let this one follow it (--follow)",
			ErrRunning,
			o.Name, step, same[0].run.Program.Steps())
	case len(same) > mostQueued:
		return Run{}, fmt.Errorf("%w: %d of %s wait for their turn already", ErrMany, mostQueued, o.Name)
	}
	a := newActor(r, one)
	turn := run.Event{What: run.Turn, At: now}
	a.kept = one.State
	if state, act := one.Program.Next(one.State, turn); len(same) == 0 && act == run.Begin {
		a.kept = state // its first step begins at once: that is kept with it
	}
	if err := a.writeAll(); err != nil {
		return Run{}, fmt.Errorf("begin %s: %w", o.Name, err)
	}
	r.all = append(r.all, a)
	a.tell(true, len(same) > 0)
	if len(same) == 0 {
		a.send(turn)
	}
	r.group.Go(func() { a.work(r.running) })
	return a.run, nil
}

// same are the runs of the same sequence, the oldest first. The caller holds mu.
func (r *Runs) same(of string) (out []*actor) {
	for _, a := range r.all {
		if a.run.Of == of {
			out = append(out, a)
		}
	}
	return out
}

// List lists the runs that are under way, and the last ones that are over, the newest first.
func (r *Runs) List() []Run {
	r.mu.Lock()
	defer r.mu.Unlock()
	out := slices.Clone(r.over)
	for _, a := range r.all {
		out = append(out, a.run)
	}
	slices.SortStableFunc(out, func(a, b Run) int {
		if a.Over.IsZero() != b.Over.IsZero() { // what is under way comes first
			return a.Over.Compare(b.Over)
		}
		return cmp.Or(b.Over.Compare(a.Over), b.Began.Compare(a.Began))
	})
	return out
}

// One finds a run by its id, also one that is over lately. The error wraps ErrUnknown.
func (r *Runs) One(id string) (Run, error) {
	for _, one := range r.List() {
		if one.ID == id {
			return one, nil
		}
	}
	return Run{}, fmt.Errorf("%w %.60q: it is over, or never was: see urbo run list", ErrUnknown, id)
}

// Change waits until a run has more in its log than was seen, or is in another phase, or ctx ends, and says where it is
// then. The error wraps ErrUnknown.
func (r *Runs) Change(ctx context.Context, id string, seen int, phase run.Phase) (Run, error) {
	for {
		r.mu.Lock()
		moved := r.moved
		r.mu.Unlock()
		one, err := r.One(id)
		if err != nil || one.Logged != seen || one.State.Phase != phase || phase == run.Ended {
			return one, err
		}
		select {
		case <-moved:
		case <-ctx.Done():
			return one, nil
		}
	}
}

// Stop stops a run at the next safe place, and waits until it has ended. Errors wrap ErrUnknown or ErrOver.
func (r *Runs) Stop(ctx context.Context, id string, by grant.By) (Run, error) {
	one, err := r.One(id)
	if err != nil {
		return one, err
	}
	r.mu.Lock()
	i := slices.IndexFunc(r.all, func(a *actor) bool { return a.run.ID == id })
	if i < 0 {
		r.mu.Unlock()
		return one, fmt.Errorf("%w: %s is %s", ErrOver, one.Name, one.State.End)
	}
	a := r.all[i]
	r.mu.Unlock()
	a.send(run.Event{What: run.Stop, Reason: "stopped by " + cmp.Or(by.String(), "somebody")})
	select {
	case <-a.done:
		return r.One(id)
	case <-ctx.Done():
		return one, fmt.Errorf("stop %s: it ends at the next safe place, and nobody waits for that: %w", one.Name,
			ctx.Err())
	}
}

// Halt stops the runs of something at the next safe place, and does not wait for their end.
func (r *Runs) Halt(of, reason string) {
	r.mu.Lock()
	same := r.same(of)
	r.mu.Unlock()
	for _, a := range same {
		a.send(run.Event{What: run.Stop, Reason: reason})
	}
}

// Ready is closed when steps can be carried out.
func (r *Runs) Ready() <-chan struct{} { return r.ready }

// Run carries steps out until the context ends. What is in a step then ends at a safe place, and the run is
// interrupted; what only waits goes on when the house is back.
func (r *Runs) Run(ctx context.Context) error {
	r.mu.Lock()
	r.running = ctx
	for _, a := range r.all {
		a.send(run.Event{What: run.Restarted, Limit: asks})
		r.group.Go(func() { a.work(ctx) })
	}
	r.mu.Unlock()
	close(r.ready)
	for {
		batch, err := r.queue.Next(ctx)
		if err != nil {
			break
		}
		for _, h := range batch {
			r.take(h)
		}
	}
	<-ctx.Done()
	r.group.Wait()
	r.Stream.Leave(r.queue)
	return nil
}

// take lets the runs know what happened.
func (r *Runs) take(h happening.Happening) {
	switch w := h.What.(type) {
	case happening.DeviceRemoved:
		gone := run.Target{Kind: run.Device, ID: w.DeviceID}
		r.each(func(a *actor) {
			a.send(run.Event{What: run.Removed, Gone: gone, Reason: w.Device + " was removed"})
		})
	case happening.WasSet:
		r.each(func(a *actor) {
			a.send(run.Event{What: run.Superseded, Gone: run.Target{ID: w.DeviceID}, Reason: h.Cause})
		})
	case happening.Believed, happening.Measured, happening.ToldBelief, happening.DeviceChanged, happening.GroupChanged:
		r.each((*actor).look)
	}
}

func (r *Runs) each(do func(*actor)) {
	r.mu.Lock()
	all := slices.Clone(r.all)
	r.mu.Unlock()
	for _, a := range all {
		do(a)
	}
}

// wake lets those look who wait for runs. The caller holds mu.
func (r *Runs) wake() {
	close(r.moved)
	r.moved = make(chan struct{})
}

// ended takes a run off those that are under way, and lets the next one of the same begin.
func (r *Runs) ended(a *actor) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.all = slices.DeleteFunc(r.all, func(o *actor) bool { return o == a })
	if r.over = append(r.over, a.run); len(r.over) > kept {
		r.over = r.over[1:]
	}
	r.wake()
	if same := r.same(a.run.Of); len(same) > 0 && same[0].run.State.Phase == run.Queued {
		same[0].send(run.Event{What: run.Turn})
	}
}
