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
	By       grant.By  `json:"by"`
	Cause    string    `json:"cause,omitempty"`
	Run      string    `json:"run,omitempty"`  // id of the run that began it
	Set      string    `json:"set"`            // id of the ticket that set it
	Back     string    `json:"back,omitempty"` // and of the last one that set it back
	Last     string    `json:"last"`           // of the last one that was for it, or that went back to it
	run.HoldState

	after int64 // what happened up to there was before it; 0 for what a process before this one began
}

// Store keeps holds.
type Store interface {
	Holds(ctx context.Context) ([]store.HeldControl, error)
	PutHolds(ctx context.Context, put []store.HeldControl, over []string) error
	PutAside(ctx context.Context, a store.Aside) error
}

// Setting carries wishes out.
type Setting interface {
	Start(w setting.Wish) (*setting.Ticket, error)
}

// Beliefs is what devices are believed to be at.
type Beliefs interface {
	Spec(id string) (*control.Spec, error)
	StatesOf(id string) ([]control.State, error)
	Holds(id string, wants []control.Want) bool
	Plan(id string, ask control.Ask) (control.Plan, error)
}

// Library finds devices.
type Library interface {
	Slug(id string) string
	ID(slug string) (string, error)
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
	began   int64              // up to there is told again what happened before the house began
	all     []*Hold            // in the order in which they began: the last one of a control is in force
	tickets map[string]*ticket // what is being set, by its id
}

// ticket is a wish for some holds of one device.
type ticket struct {
	*setting.Ticket
	holds []*Hold // by want
}

// Open reads what is held. What was under way may or may not have gone out.
func Open(ctx context.Context, c Config) (*Holds, error) {
	h := &Holds{Config: c, look: make(chan struct{}, 1), tickets: map[string]*ticket{}}
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

// Order is controls of a device that are set for a time.
type Order struct {
	setting.Wish
	For  time.Duration
	Then string // what the one control goes to afterwards; "" is what it was at before
	Run  string // id of the run that it is for, or ""
}

// Start sets controls for a time: they are on disk as held before anything is pressed. Errors wrap ErrHold, ErrMany or
// ErrBefore (an *Unsure, which says of what), or are those of setting.Start.
func (h *Holds) Start(ctx context.Context, o Order) (*setting.Ticket, error) {
	if o.For <= 0 || o.For > run.MaxHold {
		return nil, fmt.Errorf("%w for %s: at most %s", ErrHold, run.Dur(o.For), run.Dur(run.MaxHold))
	}
	spec, err := h.Beliefs.Spec(o.Device)
	if err != nil {
		return nil, err
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.running == nil || h.running.Err() != nil {
		return nil, setting.ErrEnding
	}
	if len(h.all)+len(o.Wants) > most {
		return nil, fmt.Errorf("%w: %d: end some: urbo hold end", ErrMany, len(h.all))
	}
	before, err := h.before(spec, o)
	if err != nil {
		return nil, err
	}
	o.ID = store.NewID()
	o.Mine = o.ID
	begun := make([]*Hold, len(o.Wants))
	now := h.Now()
	for i, w := range o.Wants {
		begun[i] = &Hold{ID: store.NewID(), DeviceID: o.Device, Control: w.Control, Value: w.Value, Before: before[i],
			Then: o.Then, Since: now, Until: now.Add(o.For), By: o.By, Cause: o.Cause, Run: o.Run, Set: o.ID,
			Last:      o.ID,
			HoldState: run.HoldState{Phase: run.HoldSetting}, after: h.Stream.Last()}
	}
	if err := h.Store.PutHolds(ctx, h.documents(begun), nil); err != nil {
		return nil, fmt.Errorf("keep what is held: %w", err)
	}
	t, err := h.Setting.Start(o.Wish)
	if err != nil {
		ids := make([]string, len(begun))
		for i, one := range begun {
			ids[i] = one.ID
		}
		h.keep(nil, ids)
		return nil, err
	}
	h.all = append(h.all, begun...)
	for _, one := range begun {
		h.tell(one, true, "")
	}
	h.wait(t, begun)
	wake.Up(h.look)
	return t, nil
}

// Unsure says that it is not known what a control is at, and so what to set back.
type Unsure struct {
	Control string
	May     []string
	device  string
}

// Error says what to do.
func (u *Unsure) Error() string {
	return fmt.Sprintf("%v: %s %s may be at several: say what it is at: urbo tell %s %s VALUE", ErrBefore, u.device,
		u.Control, u.device, u.Control)
}

// Unwrap is ErrBefore.
func (u *Unsure) Unwrap() error { return ErrBefore }

// before is what the controls of an order go back to. Where the device goes back to off, nothing else matters. The
// caller holds mu.
func (h *Holds) before(spec *control.Spec, o Order) ([]string, error) {
	states, err := h.Beliefs.StatesOf(o.Device)
	if err != nil {
		return nil, err
	}
	out := make([]string, len(o.Wants))
	var unsure *Unsure
	off := false
	for i, w := range o.Wants {
		if err := spec.Has(w.Control); err != nil {
			return nil, err
		}
		if o.Then != "" {
			if len(o.Wants) > 1 {
				return nil, fmt.Errorf("%w: then goes with one control", ErrHold)
			}
			if err := spec.Check(w.Control, o.Then); err != nil {
				return nil, err
			}
			continue
		}
		if h.top(o.Device, w.Control) != nil { // it goes back to that
			continue
		}
		at := slices.IndexFunc(states, func(s control.State) bool { return s.Control == w.Control })
		out[i] = states[at].Value
		if out[i] == "" && unsure == nil {
			unsure = &Unsure{Control: w.Control, May: states[at].May, device: h.Library.Slug(o.Device)}
		}
		off = off || out[i] != "" && spec.IsOff(control.Want{Control: w.Control, Value: out[i]})
	}
	if unsure != nil && !off {
		return nil, unsure
	}
	return out, h.returns(o, states, out)
}

// returns says whether there is a way back where nobody hears handsets: then only keys that set a value are pressed.
func (h *Holds) returns(o Order, states []control.State, before []string) error {
	var wants []control.Want
	for i, w := range o.Wants {
		back := cmp.Or(o.Then, before[i])
		if back != "" && slices.ContainsFunc(states, func(s control.State) bool {
			return s.Control == w.Control && s.Deaf
		}) {
			wants = append(wants, control.Want{Control: w.Control, Value: back})
		}
	}
	if len(wants) == 0 {
		return nil
	}
	p, err := h.Beliefs.Plan(o.Device, control.Ask{Wants: wants[:1], Blind: true})
	if err != nil || p.Sure {
		return err
	}
	return fmt.Errorf("%w: no receiver hears the handset of %s, and no key surely sets its %s back to %s: give it a "+
		"key "+
		"that sets that, or set it for good", ErrHold, h.Library.Slug(o.Device), wants[0].Control, wants[0].Value)
}

// top is what is in force for a control, nil where it is not held. The caller holds mu.
func (h *Holds) top(device, control string) *Hold {
	for _, one := range slices.Backward(h.all) {
		if one.DeviceID == device && one.Control == control {
			return one
		}
	}
	return nil
}

// below is what a hold goes back to: what is held below it, or what was before. The caller holds mu.
func (h *Holds) below(of *Hold) string {
	if of.Then != "" {
		return of.Then
	}
	switch one := h.under(of); {
	case one == nil:
		return of.Before
	case one.Phase == run.Held || one.Phase == run.HoldSetting:
		return one.Value
	default:
		return h.below(one)
	}
}

// under is the hold that lies below one. The caller holds mu.
func (h *Holds) under(of *Hold) *Hold {
	for _, one := range slices.Backward(h.all[:max(slices.Index(h.all, of), 0)]) {
		if one.DeviceID == of.DeviceID && one.Control == of.Control {
			return one
		}
	}
	return nil
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

// End ends a hold now: it goes back, or, with stay, it is left as it is. The error wraps ErrUnknown.
func (h *Holds) End(id string, stay bool, by grant.By) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	i := slices.IndexFunc(h.all, func(one *Hold) bool { return one.ID == id })
	if i < 0 {
		return fmt.Errorf("%w %.60q: it is over", ErrUnknown, id)
	}
	if stay {
		h.event(h.all[i], run.Other, "it stays as it is, says "+cmp.Or(by.String(), "somebody"))
		return nil
	}
	h.over([]*Hold{h.all[i]})
	return nil
}

// Run sets back what is due until the context ends.
func (h *Holds) Run(ctx context.Context) error {
	h.mu.Lock()
	h.running, h.began = ctx, h.Stream.Last()
	h.mu.Unlock()
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

// rest is how long it waits where nothing is due.
const rest = time.Hour

// due sets back what is due, and says how long it is until the next is.
func (h *Holds) due() time.Duration {
	h.mu.Lock()
	defer h.mu.Unlock()
	now := h.Now()
	var over []*Hold
	for _, one := range slices.Clone(h.all) {
		switch {
		case one.Frozen:
		case one.Phase == run.Owed && !now.Before(one.Retry) && h.top(one.DeviceID, one.Control) == one,
			(one.Phase == run.Held || one.Phase == run.HoldSetting && !one.Over) && !now.Before(one.Until):
			over = append(over, one)
		}
	}
	h.over(over)
	next := rest
	for _, one := range h.all {
		switch {
		case one.Frozen:
		case one.Phase == run.Owed && h.top(one.DeviceID, one.Control) != one: // it waits for what lies above it
		case one.Phase == run.Owed:
			next = min(next, one.Retry.Sub(now))
		case one.Phase == run.Held, one.Phase == run.HoldSetting && !one.Over:
			next = min(next, one.Until.Sub(now))
		}
	}
	return max(next, 10*time.Millisecond)
}

// over is the end of the time of some holds. Those of one device go back as one wish. The caller holds mu.
func (h *Holds) over(all []*Hold) {
	back := map[string][]*Hold{}
	var order []string
	for _, one := range all {
		what := run.TimeOver
		if one.Phase == run.Owed {
			what = run.RetryDue
		}
		if top := h.top(one.DeviceID, one.Control); top != one { // what lies above it goes back to what it would
			if next := h.above(one); next.Before == "" && next.Then == "" {
				next.Before = h.below(one)
				h.keep([]*Hold{next}, nil)
			}
			h.event(one, run.Other, "its time is over, and something else is held")
			continue
		}
		if h.event(one, what, "") != run.GoBack {
			continue
		}
		if back[one.DeviceID] == nil {
			order = append(order, one.DeviceID)
		}
		back[one.DeviceID] = append(back[one.DeviceID], one)
	}
	for _, id := range order {
		h.goBack(id, back[id])
	}
}

// above is the hold that lies on one. The caller holds mu.
func (h *Holds) above(of *Hold) *Hold {
	for _, one := range h.all[slices.Index(h.all, of)+1:] {
		if one.DeviceID == of.DeviceID && one.Control == of.Control {
			return one
		}
	}
	return nil
}

// goBack sets controls of a device to what they were at before, as one wish. The caller holds mu.
func (h *Holds) goBack(id string, all []*Hold) {
	spec, err := h.Beliefs.Spec(id)
	if err != nil {
		h.failed(all, err)
		return
	}
	w := setting.Wish{ID: store.NewID(), Device: id, Asked: true, By: all[0].By, Cause: all[0].Set}
	w.Mine = w.ID
	deaf := h.deaf(id, all)
	w.Blind = deaf
	var ordered []*Hold
	for _, one := range all {
		want := control.Want{Control: one.Control, Value: h.below(one)}
		if want.Value == "" {
			continue // the device goes back to off
		}
		if spec.IsOff(want) { // then nothing else matters
			w.Wants, w.Unless, ordered = []control.Want{want}, []string{one.Last}, []*Hold{one}
			break
		}
		w.Wants, w.Unless = append(w.Wants, want), append(w.Unless, one.Last)
		ordered = append(ordered, one)
	}
	changed := slices.Clone(all)
	for _, one := range all {
		one.Back, one.Last = w.ID, w.ID
		if under := h.under(one); under != nil {
			under.Last = w.ID
			changed = append(changed, under)
		}
		if !slices.Contains(ordered, one) {
			ordered = append(ordered, one)
		}
	}
	h.keep(changed, nil)
	if len(w.Wants) == 0 {
		h.failed(all, fmt.Errorf("%w", ErrBefore))
		return
	}
	t, err := h.Setting.Start(w)
	if err != nil {
		h.failed(all, err)
		return
	}
	h.wait(t, ordered)
}

// failed notes that going back could not be begun. The caller holds mu.
func (h *Holds) failed(all []*Hold, err error) {
	for _, one := range all {
		h.event(one, run.HoldFailed, err.Error())
	}
}

// deaf says whether a handset may have been pressed that nobody heard, since some controls are held.
func (h *Holds) deaf(id string, all []*Hold) bool {
	states, err := h.Beliefs.StatesOf(id)
	return err == nil && slices.ContainsFunc(states, func(s control.State) bool {
		return s.Deaf && slices.ContainsFunc(all, func(one *Hold) bool { return one.Control == s.Control })
	})
}

// wait follows what becomes of a ticket for some holds, of which the first are its wants. The caller holds mu.
func (h *Holds) wait(t *setting.Ticket, all []*Hold) {
	h.tickets[t.ID] = &ticket{t, all}
	ctx := h.running
	h.group.Go(func() {
		r, err := t.Wait(ctx)
		h.mu.Lock()
		defer h.mu.Unlock()
		delete(h.tickets, t.ID)
		if ctx.Err() != nil { // the house ends: it is on disk how far it was
			return
		}
		for i, one := range all {
			end := setting.Failed
			switch {
			case i < len(r.Ends):
				end = r.Ends[i]
			case err == nil && len(r.Ends) > 0: // another part of it decides
				end = r.Ends[0]
			}
			h.ended(one, end, r, err)
		}
		wake.Up(h.look)
	})
}

// ended notes what became of setting a hold's control. The caller holds mu.
func (h *Holds) ended(one *Hold, end setting.End, r setting.Result, err error) {
	reason := r.Reason
	if err != nil {
		reason = err.Error()
	}
	unknown := slices.ContainsFunc(r.Presses, func(p happening.Receipt) bool { return p.Outcome == happening.Unknown })
	switch {
	case end == setting.Done:
		if one.Phase == run.HoldSetting {
			h.settled(one)
		}
		h.event(one, run.HoldDone, "")
	case end == setting.Superseded:
		h.event(one, run.Other, "something else was wanted meanwhile")
	case unknown || end == setting.Unsure && len(r.Presses) > 0:
		h.event(one, run.HoldUnknown, cmp.Or(reason, "it does not seem to be so"))
	default:
		h.event(one, run.HoldFailed, cmp.Or(reason, "nothing surely leads there"))
	}
}

// settled keeps the value that steps led to.
func (h *Holds) settled(one *Hold) {
	states, err := h.Beliefs.StatesOf(one.DeviceID)
	if err != nil {
		return
	}
	for _, s := range states {
		if s.Control == one.Control && s.Value != "" {
			one.Value = s.Value
		}
	}
}

// event is something that happens to a hold; it is kept on disk. The caller holds mu.
func (h *Holds) event(one *Hold, what run.HoldHappened, reason string) run.HoldAct {
	was := one.HoldState
	var act run.HoldAct
	one.HoldState, act = one.Next(what, reason, h.Now())
	if act == run.CancelSet {
		for _, t := range h.tickets {
			if slices.Contains(t.holds, one) && !slices.ContainsFunc(t.holds, func(other *Hold) bool {
				return other.Phase != run.HoldEnded
			}) {
				t.Cancel()
			}
		}
	}
	if one.HoldState == was {
		return act
	}
	if one.Phase != run.HoldEnded {
		h.keep([]*Hold{one}, nil)
		if one.Phase != was.Phase && (one.Phase != run.Owed || one.Reason != was.Reason) { // a failure is told once
			h.tell(one, false, "")
		}
		return act
	}
	back := ""
	if was.Phase == run.GoingBack && what == run.HoldDone {
		back = h.below(one)
	}
	h.all = slices.DeleteFunc(h.all, func(other *Hold) bool { return other == one })
	h.keep(nil, []string{one.ID})
	h.tell(one, false, back)
	wake.Up(h.look)
	return act
}

// keep writes holds, and removes those that are over. The caller holds mu.
func (h *Holds) keep(put []*Hold, over []string) {
	if err := h.Store.PutHolds(context.Background(), h.documents(put), over); err != nil {
		slog.Error("what is held is not on disk", "error", err)
	}
}

// tell tells that a hold is another.
func (h *Holds) tell(one *Hold, began bool, back string) {
	h.Stream.Publish(happening.Happening{By: one.By, Cause: cmp.Or(one.Cause, one.Set), What: happening.HoldChanged{
		HoldID: one.ID, DeviceID: one.DeviceID, Device: h.Library.Slug(one.DeviceID), Control: one.Control,
		Value: one.Value, Until: one.Until, Phase: one.Phase, Began: began, Back: back, Reason: one.Reason}})
}
