// Package phrases answers what people say to the house: it says what that means and what it costs, and does it. What a
// phrase means is decided by core/phrase.
package phrases

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/errand"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/phrase"
	"urbo/core/run"
	"urbo/service/errands"
	"urbo/service/groups"
	"urbo/service/kept"
	"urbo/service/library"
	"urbo/service/occasions"
	"urbo/service/rooms"
	"urbo/service/runs"
	"urbo/service/sequences"
	"urbo/service/setting"
	"urbo/service/stream"
	"urbo/service/targets"
	"urbo/store"
)

// Errors that callers ask for.
var (
	// ErrOther is wrapped where a phrase means something else than it was shown to mean.
	ErrOther = fault.New(fault.Conflict, "the phrase means something else now")
	// ErrAsks is wrapped where a phrase that is to be done is a question.
	ErrAsks = fault.New(fault.Conflict, "it is not sure what is meant")
	// ErrBefore is wrapped where nothing was said before that could be done again, or taken back.
	ErrBefore = fault.New(fault.Conflict, "nothing was said before")
	// ErrBack is wrapped where what was said last cannot be taken back.
	ErrBack = fault.New(fault.Conflict, "what was said last cannot be taken back")
)

const (
	// remembered is how long a speaker can say "again" and "undo".
	remembered = 10 * time.Minute
	// mostSpeakers bounds what is remembered.
	mostSpeakers = 200
)

// Library lists devices.
type Library interface {
	Lines(search string) []library.Line
	ByID(id string) (device.Device, error)
	Slug(id string) string
}

// Config of the phrases.
type Config struct {
	Store     kept.Store
	Library   Library
	Rooms     *rooms.Rooms
	Groups    *groups.Groups
	Occasions *occasions.Occasions
	Sequences *sequences.Sequences
	Errands   *errands.Errands
	Targets   *targets.Targets
	Setting   *setting.Setting
	Runs      *runs.Runs
	Stream    *stream.Stream
	Now       func() time.Time
	// Rolls says whether what switches a device has codes that roll.
	Rolls func(d device.Device) bool
}

// Phrases understands what is said, and does it.
type Phrases struct {
	Config
	queue *stream.Queue
	names *names

	mu      sync.Mutex
	grammar *phrase.Grammar // nil has to be made anew
	seen    int64           // how far what happens was looked at
	moved   chan struct{}   // closed when that is further
	said    map[string]said // by speaker
}

// said is what a speaker said last.
type said struct {
	steps []run.Step
	text  string
	undo  []run.Step // what sets it back
	lacks []string   // of what it is not known what it was before
	at    time.Time
}

// Open reads the names that people gave to things.
func Open(ctx context.Context, c Config) (*Phrases, error) {
	n, err := openNames(ctx, c.Store, c.Stream)
	if err != nil {
		return nil, err
	}
	p := &Phrases{Config: c, names: n, moved: make(chan struct{}), said: map[string]said{}, seen: c.Stream.Last()}
	p.queue = c.Stream.Subscribe()
	return p, nil
}

// Run sees what is called otherwise, until the context ends.
func (p *Phrases) Run(ctx context.Context) error {
	defer p.Stream.Leave(p.queue)
	for {
		batch, err := p.queue.Next(ctx)
		if err != nil {
			return nil //nolint:nilerr // the house ends
		}
		anew := slices.ContainsFunc(batch, func(h happening.Happening) bool {
			switch h.What.(type) {
			case happening.DeviceChanged, happening.DeviceRemoved, happening.RoomChanged, happening.GroupChanged,
				happening.OccasionChanged, happening.SequenceChanged, happening.ErrandChanged, happening.HouseChanged:
				return true
			}
			return false
		})
		p.mu.Lock()
		if anew {
			p.grammar = nil
		}
		p.seen = batch[len(batch)-1].Seq
		close(p.moved)
		p.moved = make(chan struct{})
		p.mu.Unlock()
	}
}

// catchUp is how long it is waited for what happened a moment ago.
const catchUp = time.Second

// Grammar is the grammar of the house as it is now.
func (p *Phrases) Grammar(ctx context.Context) *phrase.Grammar {
	ctx, cancel := context.WithTimeout(ctx, catchUp)
	defer cancel()
	now := p.Stream.Last()
	p.mu.Lock()
	defer p.mu.Unlock()
	for p.seen < now && ctx.Err() == nil {
		moved := p.moved
		p.mu.Unlock()
		select {
		case <-moved:
		case <-ctx.Done():
		}
		p.mu.Lock()
	}
	if p.grammar == nil || ctx.Err() != nil {
		p.grammar = phrase.New(p.house())
	}
	return p.grammar
}

// house is what can be spoken of.
func (p *Phrases) house() (h phrase.House) {
	also := p.names.all()
	named := func(kind run.Kind, id, slug, name string) phrase.Named {
		return phrase.Named{ID: id, Slug: slug, Name: name, Also: also[Of{kind, id}]}
	}
	for _, l := range p.Library.Lines("") {
		d, err := p.Library.ByID(l.ID)
		if err != nil {
			continue
		}
		one := phrase.Device{Named: named(run.Device, d.ID, d.Slug, d.Name), Kind: d.Kind, Room: d.RoomID,
			Rolling: p.Rolls(d)}
		if spec, err := p.Targets.Beliefs.Spec(d.ID); err == nil {
			one.Controls = spec.Controls()
			for _, c := range one.Controls {
				if !spec.Settable(c.Name) {
					one.Told = append(one.Told, c.Name)
				}
			}
		}
		for _, k := range d.Keys {
			if k.Learned() {
				one.Keys = append(one.Keys, k.Name)
			}
		}
		h.Devices = append(h.Devices, one)
	}
	for _, r := range p.Rooms.List() {
		h.Rooms = append(h.Rooms, named(run.Room, r.ID, r.Slug, r.Name))
	}
	for _, g := range p.Groups.List() {
		h.Groups = append(h.Groups, phrase.Group{Named: named(run.Group, g.ID, g.Slug, g.Name),
			Members: p.Groups.Devices(g.ID)})
	}
	for _, o := range p.Occasions.List() {
		h.Occasions = append(h.Occasions, named(run.Occasion, o.ID, o.Slug, o.Name))
	}
	for _, s := range p.Sequences.List() {
		h.Sequences = append(h.Sequences, named(run.Sequence, s.ID, s.Slug, s.Name))
	}
	for _, e := range p.Errands.List() {
		h.Errands = append(h.Errands, named(run.Errand, e.ID, e.Slug, e.Slug))
	}
	return h
}

// Speaker is who says something.
type Speaker struct {
	By   grant.By
	Sees phrase.Sees // nil sees everything
	// May says whether the speaker may use all that steps are about; nil may everything.
	May func(about []run.Target) error
	// Sight is how steps that are written out are read; nil sees everything.
	Sight sequences.Sight
}

// key is what is remembered of a speaker by.
func (s Speaker) key() string { return s.By.ID + "\x00" + s.By.Name + "\x00" + s.By.Via }

// Answer is what becomes of a phrase.
type Answer struct {
	Does    string // steps, errand, again, undo, or cue: it sets errands off
	Words   string // what it means, for people
	Steps   []run.Step
	Text    string   // the steps as they are written
	Errands []string // slugs of those that it sets off, or runs
	Presses int
	Takes   time.Duration
	Trouble string // why that cannot be done now
	// Question is what is asked back, where more than one thing may be meant, with what that is.
	Question string
	Choices  []Choice
	// Run is the run that does it, Came what became of an errand that is run by hand.
	Run  *runs.Run
	Came *errands.Came
}

// Choice is one thing that may be meant, and how that is said so that nothing else is meant.
type Choice struct{ Words, Say string }

// Cue is the Does of a phrase that errands wait for.
const Cue = "cue"

// Understand says what a phrase means and what it costs; nothing is done. Errors wrap phrase.ErrPhrase, run.ErrSteps,
// ErrBefore, ErrBack, or are those of the speaker's May.
func (p *Phrases) Understand(ctx context.Context, text string, who Speaker) (Answer, error) {
	if len(text) > run.MaxText {
		return Answer{}, fmt.Errorf("%w: it has %d bytes: say it shorter", phrase.ErrPhrase, len(text))
	}
	if a, is, err := p.cue(text, who); is {
		return a, err
	}
	if strings.Contains(text, "/") { // written as in an errand
		steps, err := p.Errands.Steps(text, who.Sight)
		if err != nil {
			return Answer{}, err
		}
		return p.plan(Answer{Does: string(phrase.Steps), Words: p.text(steps), Steps: steps}, who)
	}
	m, q, err := p.Grammar(ctx).Understand(text, who.Sees)
	switch {
	case err != nil:
		return Answer{}, err
	case q != nil:
		a := Answer{Question: q.Text}
		for _, c := range q.Choices {
			a.Choices = append(a.Choices, Choice{c.Words, p.sayFor(c)})
		}
		return a, nil
	}
	a := Answer{Does: string(m.Does), Words: m.Words, Steps: m.Steps}
	switch m.Does {
	case phrase.RunErrand:
		e, err := p.Errands.Find(m.Errand.ID)
		if err == nil && who.May != nil {
			err = who.May(e.Doc.Errand.Targets())
		}
		a.Errands = []string{e.Slug}
		return a, err
	case phrase.Again:
		last, err := p.last(who)
		if err != nil {
			return Answer{}, err
		}
		a.Steps, a.Words = last.steps, "again: "+last.text
	case phrase.Undo:
		last, err := p.last(who)
		switch {
		case err != nil:
			return Answer{}, err
		case len(last.lacks) > 0:
			return Answer{}, fmt.Errorf("%w: it was not known what %s was at: say what it should be at", ErrBack,
				strings.Join(last.lacks, ", "))
		case len(last.undo) == 0:
			return Answer{}, fmt.Errorf("%w: it set nothing, and presses of keys are pressed", ErrBack)
		}
		a.Steps, a.Words = last.undo, "back: "+p.text(last.undo)
	}
	return p.plan(a, who)
}

// Plainly says what a phrase means without errands that wait for it, "" where it means nothing.
func (p *Phrases) Plainly(text string) string {
	m, _, err := p.Grammar(context.Background()).Understand(text, nil)
	if err != nil || m == nil {
		return ""
	}
	return m.Words
}

// sayFor is how a meaning is said so that nothing else is meant.
func (p *Phrases) sayFor(m phrase.Meaning) string {
	if m.Does != phrase.Steps {
		return m.Words
	}
	return p.text(m.Steps)
}

// text is steps as they are written, in one line.
func (p *Phrases) text(steps []run.Step) string {
	return strings.ReplaceAll(run.Print(steps, p.Errands.Name), "\n", " ")
}

// cue is a phrase that errands wait for, as a whole.
func (p *Phrases) cue(text string, who Speaker) (a Answer, is bool, err error) {
	for _, e := range p.Errands.List() {
		if e.Doc.Off || !e.Readable() || !slices.ContainsFunc(e.Doc.Errand.When, func(c errand.Cue) bool {
			return c.Sudden != nil && c.Sudden.Phrase != "" && errand.SameWords(c.Sudden.Phrase, text)
		}) {
			continue
		}
		if who.May != nil && who.May(e.Doc.Errand.Targets()) != nil {
			continue // to this speaker it is no phrase
		}
		a.Errands = append(a.Errands, e.Slug)
	}
	if len(a.Errands) == 0 {
		return a, false, nil
	}
	a.Does, a.Words = Cue, "set off "+strings.Join(a.Errands, ", ")
	return a, true, nil
}

// last is what a speaker said last.
func (p *Phrases) last(who Speaker) (said, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	s, is := p.said[who.key()]
	if !is || p.Now().Sub(s.at) > remembered || p.Now().Before(s.at) {
		return said{}, fmt.Errorf("%w in the last ten minutes, by you: say what is to be done", ErrBefore)
	}
	return s, nil
}

// plan says what steps cost, and whether the speaker may.
func (p *Phrases) plan(a Answer, who Speaker) (Answer, error) {
	if err := run.Check(a.Steps); err != nil {
		return a, err
	}
	a.Text = p.text(a.Steps)
	if who.May != nil {
		if err := who.May(run.Targets(a.Steps)); err != nil {
			return Answer{}, err
		}
	}
	trouble := func(err error) {
		if a.Trouble == "" && err != nil {
			a.Trouble = err.Error()
		}
	}
	for _, s := range a.Steps {
		switch {
		case s.Press != nil:
			a.Presses += max(s.Press.Times, 1)
			a.Takes += s.Press.Held
		case s.Wait != nil && s.Wait.Point != nil:
			if until, is := p.Errands.Until(*s.Wait.Point); is {
				a.Takes += until
			}
		case s.Wait != nil:
			a.Takes += s.Wait.For
		case s.Start != nil:
			plan, err := p.Occasions.Plan(s.Start.On.ID, occasions.Start)
			trouble(err)
			a.Presses += plan.Presses
			a.Takes += plan.Takes
		case s.End != nil:
			plan, err := p.Occasions.Plan(s.End.ID, occasions.End)
			trouble(err)
			a.Presses += plan.Presses
			a.Takes += plan.Takes
		case s.Set != nil:
			presses, takes, err := p.cost(*s.Set)
			trouble(err)
			a.Presses += presses
			a.Takes += takes
		}
	}
	return a, nil
}

// cost is what one step presses, and how long that takes: several devices are set side by side.
func (p *Phrases) cost(s run.Set) (presses int, takes time.Duration, err error) {
	for id, wants := range p.wants(s) {
		r, none := p.Setting.Plan(setting.Wish{Device: id, Wants: wants, Asked: true})
		if none != nil {
			err = none
			continue
		}
		presses += r.Plan.Presses()
		takes = max(takes, r.Plan.Takes)
	}
	return presses, takes, err
}

// wants are what a step wants of each device, by its id.
func (p *Phrases) wants(s run.Set) map[string][]control.Want {
	out := map[string][]control.Want{}
	for _, c := range s.Changes {
		on, name, err := p.Targets.Resolve(c.On, c.Control)
		if err != nil {
			continue
		}
		ids, err := p.Targets.With(on, name)
		if err != nil {
			continue
		}
		for _, id := range ids {
			out[id] = append(out[id], control.Want{Control: name, Value: c.Value})
		}
	}
	return out
}

// Do understands a phrase and does it. shown is what the speaker was told that it means, "" where they were told
// nothing: where it means something else by now, nothing is done. Errors are those of Understand and runs.Start, or
// wrap ErrOther or ErrAsks.
func (p *Phrases) Do(ctx context.Context, text, shown string, who Speaker) (Answer, error) {
	a, err := p.Understand(ctx, text, who)
	switch {
	case err != nil:
		return a, err
	case a.Question != "":
		return a, fmt.Errorf("%w: %s", ErrAsks, a.Question)
	case shown != "" && shown != a.Words:
		return a, fmt.Errorf("%w: %s", ErrOther, a.Words)
	}
	switch a.Does {
	case Cue:
		return a, p.Errands.Bring(happening.Brought{Kind: errand.OfPhrase, Of: strings.TrimSpace(text)}, who.By)
	case string(phrase.RunErrand):
		came, err := p.Errands.Do(ctx, a.Errands[0], who.By)
		a.Came = &came
		return a, err
	}
	id := store.NewID()
	program, err := run.Compile(id, a.Steps, p.Errands.StepsOf, p.Errands.Name)
	if err != nil {
		return a, err
	}
	before, lacks := p.before(a.Steps)
	started, err := p.Runs.Start(runs.Order{Name: a.Words, Of: id, Program: program, By: who.By})
	if err != nil {
		return a, err
	}
	a.Run = &started
	p.remember(who, said{steps: a.Steps, text: strings.TrimPrefix(a.Words, "again: "), undo: before, lacks: lacks,
		at: p.Now()})
	return a, nil
}

// remember keeps what a speaker said, and forgets what is too old, or the oldest where there is too much.
func (p *Phrases) remember(who Speaker, s said) {
	p.mu.Lock()
	defer p.mu.Unlock()
	oldest := ""
	for key, other := range p.said {
		if s.at.Sub(other.at) > remembered {
			delete(p.said, key)
		} else if oldest == "" || other.at.Before(p.said[oldest].at) {
			oldest = key
		}
	}
	if len(p.said) >= mostSpeakers {
		delete(p.said, oldest)
	}
	p.said[who.key()] = s
}

// before is the steps that set back what some steps set, and of what that is not known. What is off is only switched
// off.
func (p *Phrases) before(steps []run.Step) (back []run.Step, lacks []string) {
	var rest, powers []run.Wanted
	seen, off := map[string]bool{}, map[string]bool{}
	for _, s := range steps {
		if s.Set == nil || s.Set.Hold > 0 { // that goes back by itself
			continue
		}
		for id, wants := range p.wants(*s.Set) {
			states, err := p.Targets.Beliefs.StatesOf(id)
			if err != nil {
				continue
			}
			spec, err := p.Targets.Beliefs.Spec(id)
			if err != nil {
				continue
			}
			slug := p.Library.Slug(id)
			on := run.Target{Kind: run.Device, ID: id, Was: slug}
			for _, st := range states {
				i := slices.IndexFunc(wants, func(w control.Want) bool { return w.Control == st.Control })
				key := id + "/" + st.Control
				if i < 0 || seen[key] {
					continue
				}
				if seen[key] = true; st.Value == "" {
					lacks = append(lacks, slug+"/"+st.Control)
					continue
				}
				w := run.Wanted{On: on, Control: st.Control, Value: strings.TrimSuffix(st.Value, "%")}
				if spec.IsOff(control.Want{Control: w.Control, Value: w.Value}) {
					off[id] = true
				}
				if st.Kind == control.Power {
					powers = append(powers, w)
				} else {
					rest = append(rest, w)
				}
			}
		}
	}
	rest = slices.DeleteFunc(rest, func(w run.Wanted) bool { return off[w.On.ID] })
	for _, all := range [][]run.Wanted{powers, rest} {
		slices.SortFunc(all, func(a, b run.Wanted) int {
			return strings.Compare(a.On.Was+a.Control,
				b.On.Was+b.Control)
		})
		for some := range slices.Chunk(all, run.MaxChanges) {
			back = append(back, run.Step{Set: &run.Set{Changes: some}})
		}
	}
	slices.Sort(lacks)
	return back, lacks
}
