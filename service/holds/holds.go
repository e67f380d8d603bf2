// Package holds sets controls for a time, and sets them back. Each control that is held is a record on disk: what it
// was at before, and until when; so nothing is forgotten, whatever happens to the house meanwhile.
package holds

import (
	"cmp"
	"context"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/run"
	"urbo/service/library"
	"urbo/service/setting"
	"urbo/service/stream"
	"urbo/service/wake"
	"urbo/store"
)

// Errors that callers ask for.
var (
	ErrUnknown = fault.New(fault.NotFound, "unknown hold")
	ErrHold    = fault.New(fault.Invalid, "cannot be held")
	ErrBefore  = fault.New(fault.Conflict, "it is not known what to set back")
	ErrSet     = fault.New(fault.Conflict, "it cannot be set")
	ErrMany    = fault.New(fault.Busy, "too many controls are held")
)

const (
	// most is how many controls may be held at once.
	most = 2000
	// version of the document.
	version = 1
)

// Hold is a control that is set for a time.
type Hold struct {
	ID       string    `json:"-"`
	DeviceID string    `json:"device_id"`
	Control  string    `json:"control"`
	Value    string    `json:"value"`            // that it is held at
	Before   string    `json:"before,omitempty"` // what it was at; "" where another part of going back makes that moot
	Then     string    `json:"then,omitempty"`   // what it goes to instead
	Since    time.Time `json:"since"`
	Until    time.Time `json:"until"`
	// For is how long it lasts from its last cue on, where that can be stretched.
	For   time.Duration `json:"for,omitempty"`
	By    grant.By      `json:"by"`
	Cause string        `json:"cause,omitempty"`
	Run   string        `json:"run,omitempty"`  // id of the run that began it
	Set   string        `json:"set"`            // id of the ticket that set it
	Back  string        `json:"back,omitempty"` // and of the last one that set it back
	Last  string        `json:"last"`           // of the last one that was for it, or that went back to it
	run.HoldState

	after int64    // what happened up to there was before it; 0 for what a process before this one began
	older []string // wishes that it took the place of: what they still press is older than it
}

// Store keeps holds.
type Store interface {
	Holds(ctx context.Context) ([]store.HeldControl, error)
	PutHolds(ctx context.Context, put []store.HeldControl, over []string) error
	PutAside(ctx context.Context, a store.Aside) error
}

// Setting carries wishes out.
type Setting interface {
	Wanted(device string) map[string]string
	Start(w setting.Wish) (*setting.Ticket, error)
}

// Beliefs is what devices are believed to be at.
type Beliefs interface {
	Spec(id string) (*control.Spec, error)
	StatesOf(id string) ([]control.State, error)
	Holds(id string, wants []control.Want) bool
	Plan(id string, ask control.Request) (control.Plan, error)
}

// Library finds devices.
type Library interface {
	Slug(id string) string
	ByID(id string) (device.Device, error)
	Removed(ctx context.Context) ([]library.Removed, error)
}

// Config of the holds.
type Config struct {
	Store   Store
	Setting Setting
	Beliefs Beliefs
	Library Library
	Stream  *stream.Stream
	Now     func() time.Time
}

// Holds is the controls that are held.
type Holds struct {
	Config
	queue *stream.Queue
	group sync.WaitGroup
	look  chan struct{}

	mu      sync.Mutex
	running context.Context    // nil before Run
	ready   chan struct{}      // closed when it runs
	began   int64              // up to there is told again what happened before the house began
	all     []*Hold            // in the order in which they began: the last one of a control is in force
	tickets map[string]*ticket // what is being set, by its id
	ours    []string           // the last ones, also of holds that are over: what they did may only be told now
}

// ticket is a wish for some holds of one device.
type ticket struct {
	*setting.Ticket
	holds []*Hold // by want
}

// Open reads what is held. What was under way may or may not have gone out.
func Open(ctx context.Context, c Config) (*Holds, error) {
	h := &Holds{Config: c, look: make(chan struct{}, 1), ready: make(chan struct{}),
		tickets: map[string]*ticket{}}
	rows, err := c.Store.Holds(ctx)
	if err != nil {
		return nil, fmt.Errorf("read what is held: %w", err)
	}
	gone := map[string]bool{}
	removed, err := c.Library.Removed(ctx)
	if err != nil {
		return nil, fmt.Errorf("read what is held: %w", err)
	}
	for _, r := range removed {
		gone[r.ID] = true
	}
	var over []string
	for _, row := range rows {
		one := &Hold{ID: row.ID}
		if err := store.ReadDocument(row.Document, version, one); err != nil {
			aside := store.Aside{Kind: "hold", Owner: row.ID, Document: row.Document, At: c.Now()}
			if err := c.Store.PutAside(ctx, aside); err != nil {
				return nil, fmt.Errorf("set aside what is held: %w", err)
			}
			over = append(over, row.ID)
			c.Stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "error", Text: fmt.Sprintf(
				"Something that was held for a time %v: it is set aside, and nothing goes back by itself", err)}})
			continue
		}
		one.HoldState, _ = one.Next(run.HouseAgain, "", c.Now())
		if now := c.Now(); now.Before(one.Since) { // the clock is behind: it is held no longer than it was to be
			one.Since, one.Until = now, now.Add(one.Until.Sub(one.Since))
		}
		switch {
		case c.Library.Slug(one.DeviceID) != "":
		case gone[one.DeviceID]:
			one.Frozen = true
		default:
			over = append(over, one.ID)
			continue
		}
		h.all = append(h.all, one)
	}
	if err := c.Store.PutHolds(ctx, h.documents(h.all), over); err != nil {
		return nil, fmt.Errorf("keep what is held: %w", err)
	}
	h.queue = c.Stream.Subscribe()
	return h, nil
}

// documents are holds as they are kept.
func (h *Holds) documents(all []*Hold) (out []store.HeldControl) {
	for _, one := range all {
		text, err := store.WriteDocument(version, one)
		if err != nil {
			slog.Error("keep what is held", "error", err)
			continue
		}
		out = append(out, store.HeldControl{ID: one.ID, Document: text})
	}
	return out
}

// List lists what is held, the oldest first.
func (h *Holds) List() []Hold {
	h.mu.Lock()
	defer h.mu.Unlock()
	out := make([]Hold, len(h.all))
	for i, one := range h.all {
		out[i] = *one
	}
	return out
}

// One finds a hold by its id. The error wraps ErrUnknown.
func (h *Holds) One(id string) (Hold, error) {
	for _, one := range h.List() {
		if one.ID == id {
			return one, nil
		}
	}
	return Hold{}, fmt.Errorf("%w %.60q: it is over", ErrUnknown, id)
}

// Stop says that a run is stopped: what it is just setting is not held.
func (h *Holds) Stop(runID, reason string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, one := range slices.Clone(h.all) {
		if one.Run == runID && runID != "" {
			h.event(one, run.RunStopped, reason)
		}
	}
}

// End ends a hold now: it goes back, or, with stay, it is left as it is. Errors wrap ErrUnknown or
// ErrSet.
func (h *Holds) End(id string, stay bool, by grant.By) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	i := slices.IndexFunc(h.all, func(one *Hold) bool { return one.ID == id })
	if i < 0 {
		return fmt.Errorf("%w %.60q: it is over: see urbo hold list", ErrUnknown, id)
	}
	if h.all[i].Frozen && !stay {
		return fmt.Errorf("%w back: its device is removed: bring that back, or leave it as it is (--stay)", ErrSet)
	}
	if stay {
		h.event(h.all[i], run.Other, "it stays as it is, says "+cmp.Or(by.String(), "somebody"))
		return nil
	}
	h.over([]*Hold{h.all[i]})
	return nil
}

// Stretch lets what some runs hold last as long from now on as it was to last. It says how many controls that are.
func (h *Holds) Stretch(of []string) int {
	h.mu.Lock()
	defer h.mu.Unlock()
	var all []*Hold
	for _, one := range h.all {
		if one.Run != "" && slices.Contains(of, one.Run) && one.For > 0 && !one.Over &&
			(one.Phase == run.Held || one.Phase == run.HoldSetting) {
			one.Until = h.Now().Add(one.For)
			all = append(all, one)
		}
	}
	if len(all) == 0 {
		return 0
	}
	h.keep(all, nil)
	for _, one := range all {
		h.tell(one, false, "")
	}
	wake.Up(h.look)
	return len(all)
}

// Ready is closed when controls can be held.
func (h *Holds) Ready() <-chan struct{} { return h.ready }

// Run sets back what is due until the context ends.
func (h *Holds) Run(ctx context.Context) error {
	h.mu.Lock()
	h.running, h.began = ctx, h.Stream.Last()
	h.mu.Unlock()
	close(h.ready)
	following, stop := context.WithCancel(ctx)
	defer stop()
	h.group.Go(func() { h.follow(following) })
	for {
		timer := time.NewTimer(h.due())
		select {
		case <-ctx.Done():
			timer.Stop()
			h.group.Wait()
			h.Stream.Leave(h.queue)
			return nil
		case <-timer.C:
		case <-h.look:
			timer.Stop()
		}
	}
}
