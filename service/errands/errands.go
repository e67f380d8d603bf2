// Package errands keeps what the house does by itself, and does it: each errand is one sentence of core/errand, which
// says when it is next, whether it comes with what happened, and what its condition answers. What it does is a run.
package errands

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"urbo/core/errand"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/home"
	"urbo/core/moment"
	"urbo/core/occasion"
	"urbo/core/run"
	"urbo/core/sun"
	"urbo/service/calendar"
	"urbo/service/history"
	"urbo/service/holds"
	"urbo/service/named"
	"urbo/service/occasions"
	"urbo/service/runs"
	"urbo/service/sequences"
	"urbo/service/stream"
	"urbo/store"
)

// Errors that callers ask for.
var (
	ErrUnknown = fault.New(fault.NotFound, "unknown errand")
	ErrVersion = fault.New(fault.Conflict, "the errand was changed meanwhile")
	ErrMost    = fault.New(fault.Invalid, "errands")
	ErrUnread  = fault.New(fault.Conflict, "the errand cannot be read")
)

const (
	// Most is the most errands of a house.
	Most = 10_000
	// stateVersion is the version of the document of how far an errand is.
	stateVersion = 1
	// keptRuns is how many runs of an errand are remembered.
	keptRuns = 10
)

// Doc is what is kept of an errand. Its name is that of the thing.
type Doc struct {
	Errand errand.Errand `json:"errand"`
	Off    bool          `json:"off,omitempty"`
	Trial  bool          `json:"trial,omitempty"` // it comes, and nothing is pressed
	// Version counts how often the sentence was written. Whoever changes it says which one they saw.
	Version int `json:"version,omitempty"`
}

// Errand is one sentence.
type Errand = named.Thing[Doc]

// Store keeps errands, and how far they are.
type Store interface {
	named.Store
	ErrandStates(ctx context.Context) ([]store.ErrandState, error)
	PutErrandState(ctx context.Context, e store.ErrandState) error
	RemoveErrandState(ctx context.Context, id string) error
	HouseText(ctx context.Context, name string) (string, error)
	PutHouseText(ctx context.Context, name, text string) error
}

// Targets finds what errands name.
type Targets interface {
	sequences.Targets
	Reading(t run.Test) run.Reading
	Resolve(t run.Target, control string) (run.Target, string, error)
	With(t run.Target, control string) ([]string, error)
	AllDevices(all []run.Target) []string
}

// Runs carries steps out.
type Runs interface {
	Start(o runs.Order) (runs.Run, error)
	Halt(of, reason string)
}

// Holds are the controls that are set for a time.
type Holds interface {
	List() []holds.Hold
	End(id string, stay bool, by grant.By) error
	Stretch(of []string) int
}

// Config of the errands.
type Config struct {
	Rows      named.Rows
	Store     Store
	Targets   Targets
	Beliefs   Beliefs
	Sequences *sequences.Sequences
	Occasions *occasions.Occasions
	Station   func(name string) (id string, err error) // finds a station
	Runs      Runs
	Holds     Holds
	History   *history.History
	Home      func() home.Home
	Calendar  *calendar.Clock
	Stream    *stream.Stream
	Elsewhere func()            // called when the topics may be others; nil is nobody
	Ready     []<-chan struct{} // closed when what errands need is running
}

// state is how far an errand is.
type state struct {
	errand.Course
	Ran  time.Time `json:"ran,omitzero"`
	Runs []string  `json:"runs,omitempty"` // the last ones that it began: what its level holds goes back at its end
	Last *Came     `json:"last,omitempty"` // the last cue that came

	tried  int         // how often its level was begun in vain
	chains []time.Time // when it was set off by another errand lately
}

// Came is a cue that came, and what was made of it.
type Came struct {
	At time.Time `json:"at"` // of the calendar clock
	happening.ErrandCame
}

// Errands is the errands of the house.
type Errands struct {
	Config
	// Request says whether there is a request of a name. It is there before Run.
	Request func(name string) error
	// Understood says what a phrase means without any errand, "" where it means nothing; nil where nobody speaks. It is
	// there before Run.
	Understood func(phrase string) string
	all        *named.List[Doc]
	queue      *stream.Queue
	note       *history.Noter
	seen       *witness
	began      atomic.Pointer[time.Time] // by the calendar clock, that was not set back since

	// Of the goroutine that runs.
	last      time.Time         // what the clock showed last
	off       time.Duration     // by how much it was set since the house started
	plausible bool              // whether the clock could be right when it was looked at last
	taps      errand.Taps       // of keys that errands ask to be pressed twice, thrice or held
	pressed   map[string]string // id of the errand that a device was pressed for last, where one did that
	chains    map[string]int    // how deep the last run of each is in a chain of errands that set each other off
	begun     map[string]string // with which cue the last runs began
	deep      int               // how deep what is being taken is
	stale     bool              // levels may be another: something that errands name changed

	turn   sync.Mutex        // held while courses change; before mu
	states map[string]*state // by id
	waits  map[*waiter]bool  // runs that wait for something to happen

	mu    sync.Mutex
	about map[string][]string // ids of errands, by what they are about; nil has to be worked out
	taken map[errand.Key]bool // keys that are asked to be pressed twice, thrice or held
	ran   map[string]time.Time
	on    map[string]errand.Level
	came  map[string]Came // the last one of each
	quiet quiet
	soon  time.Time // when something is due first; zero is never
	anew  bool      // something else may be due first
}

// Open reads the errands. One that cannot be read does nothing until it is given anew, and is told.
func Open(ctx context.Context, c Config) (*Errands, error) {
	e := &Errands{Config: c, states: map[string]*state{}, waits: map[*waiter]bool{}, came: map[string]Came{},
		ran: map[string]time.Time{}, on: map[string]errand.Level{}, pressed: map[string]string{},
		chains: map[string]int{}, begun: map[string]string{}, anew: true, note: history.NewNoter(c.Calendar.At)}
	e.began.Store(new(c.Calendar.Now()))
	say := func(format string, args ...any) {
		c.Stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "error",
			Text: fmt.Sprintf(format, args...)}})
	}
	kind := named.Kind{Name: "errand", Most: Most, Unknown: ErrUnknown, Limit: ErrMost}
	var err error
	e.all, err = named.Open(ctx, kind, c.Rows, c.Store, func(one Errand, err error) {
		say("The errand %s %v: it does nothing until it is given anew", one.Name, err)
	})
	if err != nil {
		return nil, err
	}
	rows, err := c.Store.ErrandStates(ctx)
	if err != nil {
		return nil, fmt.Errorf("read how far the errands are: %w", err)
	}
	for _, row := range rows {
		var s state
		if err := store.ReadDocument(row.Document, stateVersion, &s); err != nil {
			if aside := c.Store.PutAside(ctx, store.Aside{Kind: "errand state", Owner: row.ID,
				Document: row.Document}); aside != nil {
				return nil, aside
			}
			say("How far an errand is %v: it begins anew", err)
			continue
		}
		e.states[row.ID] = &s
		e.ran[row.ID], e.on[row.ID] = s.Ran, s.Level
		if s.Last != nil {
			e.came[row.ID] = *s.Last
		}
	}
	if e.seen, err = newWitness(ctx, c.Store, e.paths); err != nil {
		return nil, err
	}
	if e.quiet, err = readQuiet(ctx, c.Store); err != nil {
		return nil, err
	}
	e.queue = c.Stream.Subscribe()
	return e, nil
}

// List lists the errands by name.
func (e *Errands) List() []Errand { return e.all.List() }

// Find finds an errand by its name or id. The error wraps ErrUnknown and names the nearest.
func (e *Errands) Find(slug string) (Errand, error) { return e.all.Find(slug) }

// Text is an errand as people write it, with what things are called now.
func (e *Errands) Text(one Errand) string {
	if !one.Readable() {
		return ""
	}
	sentence := one.Doc.Errand
	sentence.Name = one.Slug
	return sentence.Print(e.name)
}

// Name is what something is called now, "" where it is gone.
func (e *Errands) Name(t run.Target) string { return e.name(t) }

func (e *Errands) name(t run.Target) string {
	switch t.Kind {
	case run.Sequence:
		one, _ := e.Sequences.Find(t.ID)
		return one.Slug
	case run.Occasion:
		one, _ := e.Occasions.Find(t.ID)
		return one.Slug
	case run.Errand:
		one, _ := e.Find(t.ID)
		return one.Slug
	case run.Measurement:
		return t.ID
	case run.Station:
		return t.Was
	}
	return e.Targets.Name(t)
}

// Gone lists what an errand is about and is not there any more, as it was called.
func (e *Errands) Gone(one Errand) []string {
	out := []string{}
	for _, t := range one.Doc.Errand.Targets() {
		if e.name(t) == "" {
			out = append(out, t.Was)
		}
	}
	return out
}

// names finds what an errand names, as somebody sees it.
type names struct {
	Targets
	errands *Errands
	sight   sequences.Sight
	own     string // the name of the errand itself, which may not be kept yet
	id      string
}

func (n names) seen(name string, t run.Target, err error) (run.Target, error) {
	if n.sight != nil {
		err = n.sight(name, t, err)
	}
	return t, err
}

// Target finds a device, group, room or measurement.
func (n names) Target(name string) (run.Target, error) {
	t, err := n.Targets.Target(name)
	return n.seen(name, t, err)
}

// Sequence finds a sequence.
func (n names) Sequence(name string) (run.Target, error) {
	one, err := n.errands.Sequences.Find(name)
	return n.seen(name, run.Target{Kind: run.Sequence, ID: one.ID, Was: one.Slug}, err)
}

// Occasion finds an occasion.
func (n names) Occasion(name string) (run.Target, error) {
	one, err := n.errands.Occasions.Find(name)
	return n.seen(name, run.Target{Kind: run.Occasion, ID: one.ID, Was: one.Slug}, err)
}

// Errand finds an errand, also the one that is being written.
func (n names) Errand(name string) (run.Target, error) {
	if name == n.own && n.id != "" {
		return run.Target{Kind: run.Errand, ID: n.id, Was: name}, nil
	}
	one, err := n.errands.Find(name)
	return run.Target{Kind: run.Errand, ID: one.ID, Was: one.Slug}, err
}

// Station finds a station.
func (n names) Station(name string) (run.Target, error) {
	id, err := n.errands.Station(name)
	return run.Target{Kind: run.Station, ID: id, Was: name}, err
}

// read reads an errand as people write it. id is of the one that it is to be, "" of a new one.
func (e *Errands) read(text, id string, sight sequences.Sight) (errand.Errand, error) {
	if id == "" { // a new one may ask for itself
		id = newOne
	}
	own := ""
	if m := called.FindStringSubmatch(text); m != nil {
		own = strings.ToLower(m[1])
	}
	sentence, err := errand.Parse(text, names{e.Targets, e, sight, own, id})
	if err != nil {
		return sentence, err
	}
	if err := e.able(sentence); err != nil {
		return sentence, err
	}
	_, err = run.Compile("", append(append([]run.Step{}, sentence.Do...), sentence.After...), e.steps, e.name)
	return sentence, err
}

// newOne is the id of an errand that is not kept yet, in what it says of itself.
const newOne = "itself"

// called finds what an errand calls itself.
var called = regexp.MustCompile(`(?mi)^\s*errand\s+(\S+)`)

// Steps reads steps as people write them in an errand. Errors wrap run.ErrSteps, or say which request is not
// there.
func (e *Errands) Steps(text string, sight sequences.Sight) ([]run.Step, error) {
	r, err := run.NewReader(text, names{e.Targets, e, sight, "", ""})
	if err != nil {
		return nil, err
	}
	steps, err := r.Steps()
	if err == nil && !r.Ended() {
		err = r.Expected("then, or the end")
	}
	if err == nil {
		err = e.able(errand.Errand{Do: steps})
	}
	return steps, err
}

// StepsOf finds the steps of a sequence by its id, and what it is called.
func (e *Errands) StepsOf(id string) (string, []run.Step, error) { return e.steps(id) }

// steps finds the steps of a sequence by its id.
func (e *Errands) steps(id string) (string, []run.Step, error) {
	one, err := e.Sequences.Find(id)
	return one.Slug, one.Doc.Steps, err
}

// Check reads an errand without keeping it, and says how it is understood. Errors are those of Add.
func (e *Errands) Check(text string, sight sequences.Sight) (errand.Errand, string, error) {
	sentence, err := e.read(text, "", sight)
	if err != nil {
		return sentence, "", err
	}
	return sentence, sentence.Print(e.name), nil
}

// Complete says what may stand at the end of a text.
func (e *Errands) Complete(text string, sight sequences.Sight) errand.Offers {
	return errand.Complete(text, names{e.Targets, e, sight, "", newOne})
}

// doc makes what is kept of an errand.
func (e *Errands) doc(text string, seen *int, sight sequences.Sight) func(Errand) (Doc, error) {
	return func(one Errand) (Doc, error) {
		if seen != nil && *seen != one.Doc.Version {
			return one.Doc, fmt.Errorf("%w: it is version %d now, and you changed version %d: look at it again",
				ErrVersion, one.Doc.Version, *seen)
		}
		sentence, err := e.read(text, one.ID, sight)
		sentence.Name = "" // it is that of the thing
		return Doc{Errand: sentence, Off: one.Doc.Off, Trial: one.Doc.Trial, Version: one.Doc.Version + 1}, err
	}
}

// Add makes an errand, as somebody wrote it. Errors wrap device.ErrName, device.ErrTaken, ErrMost,
// errand.ErrErrand or run.ErrSteps, or are those of what it names, or the store's.
func (e *Errands) Add(ctx context.Context, text string, sight sequences.Sight, by grant.By) (Errand, error) {
	sentence, err := e.read(text, "", sight)
	if err != nil {
		return Errand{}, err
	}
	one, err := e.all.Add(ctx, sentence.Name, sentence.Name, e.doc(text, nil, sight), named.Plainly)
	return one, e.changed(one, err, by, "Added the errand ")
}

// Change writes an errand anew; its name may be another then. seen is the version that whoever changes it saw: another
// one is not written over; nil does not ask. Errors are those of Add, or wrap ErrUnknown or ErrVersion.
func (e *Errands) Change(ctx context.Context, slug, text string, seen *int, sight sequences.Sight, by grant.By) (Errand,
	error) {
	one, err := e.Find(slug)
	if err != nil {
		return one, err
	}
	sentence, err := e.read(text, one.ID, sight)
	if err != nil {
		return one, err
	}
	name := sentence.Name
	one, err = e.all.Alter(ctx, one.ID, named.Change[Doc]{Slug: &name, Name: &name, Doc: e.doc(text, seen, sight)},
		named.Plainly)
	if err == nil {
		e.leave(ctx, one, by)
	}
	return one, e.changed(one, err, by, "Changed the errand ")
}

// Switch switches an errand on or off. What its level set ends where it is switched off. Errors wrap ErrUnknown or
// ErrUnread, or are the store's.
func (e *Errands) Switch(ctx context.Context, slug string, on bool, by grant.By) (Errand, error) {
	one, err := e.all.Alter(ctx, slug, named.Change[Doc]{Doc: func(one Errand) (Doc, error) {
		if !one.Readable() {
			return one.Doc, fmt.Errorf("%w: write %s anew", ErrUnread, one.Slug)
		}
		one.Doc.Off = !on
		return one.Doc, nil
	}}, named.Plainly)
	if err == nil && !on {
		e.leave(ctx, one, by)
	}
	return one, e.changed(one, err, by, map[bool]string{true: "Switched on the errand ",
		false: "Switched off the errand "}[on])
}

// Try puts an errand on trial, or makes it real: on trial its cues come and its condition is judged, and nothing is
// pressed. Errors are those of Switch.
func (e *Errands) Try(ctx context.Context, slug string, trial bool, by grant.By) (Errand, error) {
	one, err := e.all.Alter(ctx, slug, named.Change[Doc]{Doc: func(one Errand) (Doc, error) {
		if !one.Readable() {
			return one.Doc, fmt.Errorf("%w: write %s anew", ErrUnread, one.Slug)
		}
		one.Doc.Trial = trial
		return one.Doc, nil
	}}, named.Plainly)
	if err == nil {
		e.leave(ctx, one, by)
	}
	return one, e.changed(one, err, by, map[bool]string{true: "Put on trial the errand ",
		false: "Made real the errand "}[trial])
}

// Remove removes an errand. What its level set ends. The error wraps ErrUnknown.
func (e *Errands) Remove(ctx context.Context, slug string, by grant.By) error {
	one, err := e.Find(slug)
	if err != nil {
		return err
	}
	e.leave(ctx, one, by)
	_, err = e.all.Remove(ctx, one.ID, func(Errand) error { return nil }, named.Plainly)
	if err == nil {
		e.turn.Lock()
		delete(e.states, one.ID)
		e.turn.Unlock()
		e.mu.Lock()
		delete(e.came, one.ID)
		delete(e.on, one.ID)
		e.mu.Unlock()
		err = e.Store.RemoveErrandState(ctx, one.ID)
	}
	return e.changed(one, err, by, "Removed the errand ")
}

// changed tells that an errand is another, where there is no error. Whoever waits for its next time hears of it, too.
func (e *Errands) changed(one Errand, err error, by grant.By, said string) error {
	if err != nil {
		return err
	}
	house, now := e.house(), e.Calendar.Now()
	e.turn.Lock()
	s := e.stateOf(one.ID)
	s.Anew()
	s.tried = 0
	s.Stand(one.Doc.Errand, house, now)
	e.turn.Unlock()
	e.mu.Lock()
	e.about, e.anew = nil, true
	e.mu.Unlock()
	if e.Elsewhere != nil {
		e.Elsewhere()
	}
	e.Stream.Publish(happening.Happening{By: by, What: happening.ErrandChanged{ErrandID: one.ID, Errand: one.Slug,
		Text: said + one.Slug}})
	return nil
}

// Where is the place and zone of the house.
func (e *Errands) Where() moment.Where {
	h := e.Home()
	zone, err := h.Location()
	if err != nil {
		zone = time.Local
	}
	w := moment.Where{Zone: zone}
	if h.Place != nil {
		w.Place = &sun.Place{Latitude: h.Place.Latitude, Longitude: h.Place.Longitude}
	}
	return w
}

// Due is an errand, and when it is next by the clock.
type Due struct {
	Errand Errand
	At     time.Time
}

// Next lists the next times at which errands are due by the clock, at most so many, the first one first.
func (e *Errands) Next(most int) (out []Due) {
	for one := range e.all.Each() {
		if at, is := e.NextOf(one); is {
			out = append(out, Due{one, at})
		}
	}
	return firstOf(out, most)
}

// NextOf is when an errand is due next by the clock; false where it never is.
func (e *Errands) NextOf(one Errand) (time.Time, bool) {
	if one.Doc.Off || !one.Readable() {
		return time.Time{}, false
	}
	now := e.Calendar.Now()
	e.turn.Lock()
	at, comes, known := e.stateOf(one.ID).Planned(now)
	e.turn.Unlock()
	if known {
		return at, comes
	}
	return one.Doc.Errand.Next(one.ID, now, e.Where())
}

// Came lists the last cues of an errand that came, at most so many, and what was made of them, the newest first.
func (e *Errands) Came(ctx context.Context, id string, most int) (out []Came, err error) {
	at, all, err := e.History.Came(ctx, id, most)
	zone := e.Where().Zone
	for i, c := range all {
		out = append(out, Came{at[i].In(zone), c})
	}
	return out, err
}

// Last is the last cue of an errand that came; false where none did.
func (e *Errands) Last(id string) (Came, bool) {
	e.mu.Lock()
	defer e.mu.Unlock()
	c, is := e.came[id]
	return c, is
}

// Holding says whether the level of an errand is on, and since when.
func (e *Errands) Holding(id string) (bool, time.Time) {
	e.mu.Lock()
	defer e.mu.Unlock()
	l := e.on[id]
	return l.On, l.Changed
}

// able says whether all of an errand can be done: the requests that it sends are there.
func (e *Errands) able(s errand.Errand) error { return errors.Join(e.doable(s.Do), e.doable(s.After)) }

// doable says whether all requests that steps send are there.
func (e *Errands) doable(steps []run.Step) error {
	for _, s := range steps {
		switch {
		case s.Send != nil && e.Request != nil:
			if err := e.Request(s.Send.Name); err != nil {
				return err
			}
		case s.If != nil:
			if err := errors.Join(e.doable(s.If.Do), e.doable(s.If.Else)); err != nil {
				return err
			}
		}
	}
	return nil
}

// inForce says whether an occasion is.
func (e *Errands) inForce(id string) bool {
	_, is := occasion.Of(e.Occasions.InForce(), id)
	return is
}
