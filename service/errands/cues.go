package errands

import (
	"cmp"
	"context"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"time"

	"urbo/core/errand"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/plain"
	"urbo/core/run"
)

// take lets errands come with what happened, and looks at levels that may be another then.
func (e *Errands) take(ctx context.Context, h happening.Happening) {
	switch w := h.What.(type) {
	case happening.Pressed:
		delete(e.pressed, w.DeviceID)
		if h.By.Kind == grant.Errand {
			e.pressed[w.DeviceID] = h.By.ID
		}
	case happening.WasSet:
		if h.By.Kind == grant.Person {
			e.yield(w.DeviceID)
		}
	case happening.ErrandChanged, happening.GroupChanged, happening.DeviceChanged, happening.DeviceRemoved,
		happening.MeasurementChanged:
		e.mu.Lock()
		e.about = nil // they may be about something else now
		e.mu.Unlock()
		e.stale = true
	case happening.HouseChanged:
		e.elsewhere()
	case happening.RunChanged:
		if w.Phase == run.Ended && w.End != run.Done {
			e.failed(w)
		}
	}
	facts := e.note.Note(h)
	if w, is := h.What.(happening.KeyDown); is && !e.waitsFor(errand.Key{Device: w.DeviceID, Key: w.Key}) {
		facts = e.note.Down(h.At, w)
	}
	for _, f := range facts {
		e.deep = e.depth(f, h.By.ID)
		e.fact(ctx, f)
		e.deep = 0
	}
}

// depth is how deep what an errand brought about is in a chain of errands that set each other off.
func (e *Errands) depth(f errand.Fact, by string) int {
	if f.By != string(grant.Errand) {
		return 0
	}
	if f.Kind == errand.OfControl {
		by = e.pressed[f.Of]
	}
	return e.chains[by] + 1
}

// fact lets errands come with something.
func (e *Errands) fact(ctx context.Context, f errand.Fact) {
	n := e.seen.take(f)
	began, ended, is := f.Pressing()
	if !is {
		e.hear(ctx, n, f.About())
		return
	}
	k := errand.Key{Device: f.Of, Key: f.Name}
	if e.concerned(""); !e.waitsFor(k) {
		n.Pressed = &k
		e.hear(ctx, n, f.Of)
		return
	}
	for _, k := range e.taps.Press(k, began, ended, e.Calendar.Now()) {
		e.hear(ctx, errand.News{Pressed: &k}, f.Of)
	}
}

// waitsFor says whether any errand asks how often a key is pressed, or whether it is held.
func (e *Errands) waitsFor(k errand.Key) bool {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.taken[k]
}

// Quick says which devices the errands touch that may come with a key of a handset. It is false where none comes with
// it, where one asks how often or for how long it is pressed, and where it is not known what they touch.
func (e *Errands) Quick(device, key string) (touched []string, is bool) {
	about := e.concerned(device)
	if e.waitsFor(errand.Key{Device: device, Key: key}) {
		return nil, false
	}
	for _, one := range about {
		sentence := one.Doc.Errand
		is = is || slices.ContainsFunc(sentence.When, func(c errand.Cue) bool {
			return c.Sudden != nil && c.Sudden.Pressed != nil && c.Sudden.Pressed.On.ID == device &&
				c.Sudden.Pressed.Key == key
		})
		sentence.When = nil
		all := sentence.Targets()
		unclear := func(t run.Target) bool { return t.Kind == run.Sequence || t.Kind == run.Occasion }
		if slices.ContainsFunc(all, unclear) {
			return nil, false
		}
		touched = append(touched, e.Targets.AllDevices(all)...)
	}
	return touched, is
}

// settle lets presses come of which it is sure now that no more belong to them.
func (e *Errands) settle(ctx context.Context) {
	for _, k := range e.taps.Settle(e.Calendar.Now()) {
		e.hear(ctx, errand.News{Pressed: &k}, k.Device)
	}
}

// now is the moment at which conditions are judged.
func (e *Errands) now() errand.Now {
	return errand.Now{At: e.Calendar.Now(), Where: e.Where(), Clock: e.Calendar.Plausible(), Began: *e.began.Load()}
}

// hear lets the cues of errands come that come with something about a device or measurement; "" is about none.
func (e *Errands) hear(ctx context.Context, n errand.News, about string) {
	now, house := e.now(), e.house()
	for _, one := range e.concerned(about) {
		if len(one.Doc.Errand.When) == 0 {
			continue
		}
		e.turn.Lock()
		reached, changed := e.stateOf(one.ID).Hear(one.Doc.Errand, n, house, now)
		e.turn.Unlock()
		if changed { // a restart does not forget it
			e.keepOrSay(ctx, one)
			e.due()
		}
		for _, r := range reached {
			e.reached(ctx, one, r, now)
		}
	}
	e.turn.Lock()
	for w := range e.waits {
		if reached, changed := w.Hear(w.Errand, n, house, now); !w.reached(reached) && changed {
			e.due()
		}
	}
	e.turn.Unlock()
	e.looks(about)
}

// due lets the next tick look what is due first.
func (e *Errands) due() {
	e.mu.Lock()
	e.anew = true
	e.mu.Unlock()
}

func (e *Errands) keepOrSay(ctx context.Context, one Errand) {
	if err := e.keep(ctx, one.ID); err != nil {
		slog.Error("how far an errand is, is not on disk", "errand", one.Slug, "error", err)
	}
}

// concerned are the errands that may come with something: about a device or measurement, or about none.
func (e *Errands) concerned(about string) (out []Errand) {
	e.mu.Lock()
	all := e.about
	e.mu.Unlock()
	if all == nil {
		all = e.index()
	}
	for _, id := range all[about] {
		if one, err := e.Find(id); err == nil {
			out = append(out, one)
		}
	}
	return out
}

// index works out what errands are about, which of them hears of everything, and what has to be remembered for them.
func (e *Errands) index() map[string][]string {
	all, taken := map[string][]string{}, map[errand.Key]bool{}
	for one := range e.all.Each() {
		if one.Doc.Off || !one.Readable() {
			continue
		}
		sentence := one.Doc.Errand
		if sentence.While != nil || slices.ContainsFunc(sentence.When, func(c errand.Cue) bool {
			return c.Sudden != nil && c.Sudden.Pressed == nil && c.Sudden.Becomes == nil && c.Sudden.Moves == nil
		}) {
			all[""] = append(all[""], one.ID)
		}
		ids := map[string]bool{}
		for _, t := range sentence.Targets() {
			if t.Kind == run.Measurement {
				ids[t.ID] = true
			}
			for _, id := range e.Targets.AllDevices([]run.Target{t}) {
				ids[id] = true
			}
		}
		for _, id := range slices.Sorted(maps.Keys(ids)) {
			all[id] = append(all[id], one.ID)
		}
		for _, c := range sentence.When {
			if c.Sudden != nil && c.Sudden.Pressed != nil && c.Sudden.Pressed.How != "" {
				taken[errand.Key{Device: c.Sudden.Pressed.On.ID, Key: c.Sudden.Pressed.Key}] = true
			}
		}
		e.watch(sentence)
	}
	e.mu.Lock()
	e.about, e.taken = all, taken
	e.mu.Unlock()
	return all
}

// watch lets it be remembered since when the tests of an errand are as they are.
func (e *Errands) watch(sentence errand.Errand) {
	for _, c := range []*run.Cond{sentence.Only, sentence.While} {
		if c == nil {
			continue
		}
		for _, t := range c.Tests() {
			if t.For > 0 {
				e.house().Since(t)
			}
		}
	}
}

// looks lets the levels be judged that are about something; "" is all of them.
func (e *Errands) looks(about string) {
	for _, one := range e.concerned(about) {
		if one.Doc.Errand.While != nil {
			e.turn.Lock()
			e.stateOf(one.ID).Look()
			e.turn.Unlock()
			e.due()
		}
	}
}

// yield lets levels that set a device leave it alone, until their conditions were false once.
func (e *Errands) yield(device string) {
	for _, one := range e.concerned(device) {
		if one.Doc.Errand.While == nil || !slices.Contains(e.Targets.AllDevices(run.Targets(one.Doc.Errand.Do)),
			device) {
			continue
		}
		e.turn.Lock()
		s := e.stateOf(one.ID)
		s.Level = s.Level.Yield()
		e.turn.Unlock()
	}
}

// failed says why a run of an errand came to nothing, and lets a level try again.
func (e *Errands) failed(w happening.RunChanged) {
	one, err := e.Find(w.Of)
	if err != nil || w.End == run.Stopped { // somebody stopped it, or the errand itself
		return
	}
	e.told(one, happening.ErrandCame{Cue: cmp.Or(e.begun[w.RunID], "its run"), Did: "failed", Reason: w.Reason,
		Run: w.RunID})
	if w.End == run.Failed {
		e.tryAgain(w.Of, e.Calendar.Now())
	}
}

// tryAgain lets a level begin once more that could not do what it wants, with growing pauses.
func (e *Errands) tryAgain(id string, now time.Time) {
	e.turn.Lock()
	s := e.states[id]
	again := s != nil && s.Level.On && !s.Level.Yielded && s.tried < mostTries
	if again {
		s.tried++
		s.Failed(s.tried, now)
		e.levelOf(id, s.Level)
	}
	e.turn.Unlock()
	if again {
		e.due()
	}
}

// levelOf shows how far a level is.
func (e *Errands) levelOf(id string, l errand.Level) {
	e.mu.Lock()
	e.on[id] = l
	e.mu.Unlock()
}

// waiter is a run that waits for something to happen.
type waiter struct {
	errand.Errand
	errand.Course
	came chan struct{}
	over bool
}

// reached ends the waiting where any cue came.
func (w *waiter) reached(all []errand.Reached) bool {
	for _, r := range all {
		if r.How == errand.Came && !w.over {
			w.over = true
			close(w.came)
		}
	}
	return w.over
}

// Happens closes came when something happens. Call stop when nobody waits for it any more.
func (e *Errands) Happens(s run.Sudden) (came <-chan struct{}, stop func()) {
	w := &waiter{Errand: errand.Errand{When: []errand.Cue{{Sudden: &s}}}, came: make(chan struct{})}
	e.turn.Lock()
	e.waits[w] = true
	e.turn.Unlock()
	e.due()
	return w.came, func() {
		e.turn.Lock()
		delete(e.waits, w)
		e.turn.Unlock()
	}
}

// ErrBrought is wrapped where what is brought into the house cannot be taken.
var ErrBrought = fault.New(fault.Invalid, "cue")

// MostBrought is the most bytes of a message that is brought.
const MostBrought = 16 << 10

// Bring lets a phrase, the call of a hook, a message or an event of a calendar come into the house. The error wraps
// ErrBrought.
func (e *Errands) Bring(what happening.Brought, by grant.By) error {
	wrong := func(format string, args ...any) error {
		return fmt.Errorf("%w: "+format, append([]any{ErrBrought}, args...)...)
	}
	switch {
	case what.Of == "" || len(what.Of) > 500 || !plain.Is(what.Of) || len(what.Title) > 500 || !plain.Is(what.Title):
		return wrong("a phrase or name has 1 to 500 characters in one line")
	case len(what.Value) > MostBrought:
		return wrong("a message has at most %d bytes", MostBrought)
	}
	switch what.Kind {
	case errand.OfPhrase, errand.OfHook, errand.OfMessage:
	case errand.OfCalendar:
		if what.Value != errand.Begins && what.Value != errand.Ends {
			return wrong("an event of a calendar begins or ends")
		}
	default:
		return wrong("%.20q is none of phrase, hook, message and calendar", what.Kind)
	}
	e.Stream.Publish(happening.Happening{By: by, What: what})
	return nil
}

// Topics lists the topics of messages that errands come with, each once.
func (e *Errands) Topics() (out []string) {
	for one := range e.all.Each() {
		if one.Doc.Off || !one.Readable() {
			continue
		}
		for _, c := range one.Doc.Errand.When {
			if c.Sudden != nil && c.Sudden.Message != nil && !slices.Contains(out, c.Sudden.Message.Topic) {
				out = append(out, c.Sudden.Message.Topic)
			}
		}
	}
	return out
}

// Calendars says how long before an event of each calendar the first errand comes with it, by the calendar's name, and
// by errand.Begins and errand.Ends.
func (e *Errands) Calendars() map[string]map[string]time.Duration {
	out := map[string]map[string]time.Duration{}
	for one := range e.all.Each() {
		if one.Doc.Off || !one.Readable() {
			continue
		}
		for _, c := range one.Doc.Errand.When {
			if c.Sudden == nil || c.Sudden.Calendar == nil {
				continue
			}
			of, kind := c.Sudden.Calendar, errand.Begins
			if of.Ends {
				kind = errand.Ends
			}
			if out[of.Name] == nil {
				out[of.Name] = map[string]time.Duration{}
			}
			out[of.Name][kind] = max(out[of.Name][kind], -c.Offset)
		}
	}
	return out
}
