// Package sequences keeps named steps that are run in order.
package sequences

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/run"
	"urbo/service/stream"
	"urbo/store"
)

// Errors that callers ask for.
var (
	ErrUnknown = fault.New(fault.NotFound, "unknown sequence")
	ErrUsed    = fault.New(fault.Conflict, "the sequence is used")
	ErrMost    = fault.New(fault.Invalid, "sequences")
	ErrUnread  = fault.New(fault.Conflict, "the sequence cannot be read")
)

const (
	// Most is the most sequences of a house.
	Most = 500
	// version of the document.
	version = 1
)

// Sequence is named steps.
type Sequence struct {
	ID     string
	Slug   string
	Name   string
	Steps  []run.Step
	unread string // the document, where it cannot be read
}

// Readable says whether its steps could be read.
func (s Sequence) Readable() bool { return s.unread == "" }

// document is what is kept of a sequence.
type document struct {
	Steps []run.Step `json:"steps"`
}

// Store keeps sequences.
type Store interface {
	Sequences(ctx context.Context) ([]store.Named, error)
	PutSequence(ctx context.Context, n store.Named) error
	RemoveSequence(ctx context.Context, id string) error
	PutAside(ctx context.Context, a store.Aside) error
}

// Targets finds what steps name.
type Targets interface {
	Target(name string) (run.Target, error)
	Key(t run.Target, key string) error
	Control(t run.Target, control, value string) error
	Name(t run.Target) string
}

// Sequences is the sequences of the house.
type Sequences struct {
	store   Store
	targets Targets
	stream  *stream.Stream

	writer sync.Mutex // held for a whole change

	mu  sync.RWMutex
	all map[string]Sequence // by id
}

// Open reads the sequences. One that cannot be read is not run until its steps are given anew, and is told.
func Open(ctx context.Context, s Store, t Targets, events *stream.Stream) (*Sequences, error) {
	rows, err := s.Sequences(ctx)
	if err != nil {
		return nil, fmt.Errorf("read the sequences: %w", err)
	}
	out := &Sequences{store: s, targets: t, stream: events, all: map[string]Sequence{}}
	for _, row := range rows {
		var doc document
		one := Sequence{ID: row.ID, Slug: row.Slug, Name: row.Name}
		if err := store.ReadDocument(row.Document, version, &doc); err != nil {
			one.unread = row.Document
			events.Publish(happening.Happening{What: happening.HouseNote{Severity: "error",
				Text: fmt.Sprintf("The steps of the sequence %s %v: it does not run until they are given anew",
					row.Name,
					err)}})
		}
		one.Steps = doc.Steps
		out.all[row.ID] = one
	}
	return out, nil
}

// List lists the sequences by name.
func (s *Sequences) List() []Sequence {
	s.mu.RLock()
	defer s.mu.RUnlock()
	out := make([]Sequence, 0, len(s.all))
	for _, one := range s.all {
		out = append(out, one)
	}
	slices.SortFunc(out, func(a, b Sequence) int { return strings.Compare(a.Name+a.ID, b.Name+b.ID) })
	return out
}

// Find finds a sequence by its slug or id. The error wraps ErrUnknown and names the nearest.
func (s *Sequences) Find(slug string) (Sequence, error) {
	s.mu.RLock()
	defer s.mu.RUnlock()
	names := make([]string, 0, len(s.all))
	for _, one := range s.all {
		if one.Slug == slug || one.ID == slug {
			return one, nil
		}
		names = append(names, one.Slug)
	}
	if len(names) == 0 {
		return Sequence{}, fmt.Errorf("%w %.60q: there are no sequences yet: urbo sequence add", ErrUnknown, slug)
	}
	slices.Sort(names)
	return Sequence{}, fmt.Errorf("%w %.60q: nearest are %s", ErrUnknown, slug, device.Nearest(slug, names))
}

// Text is steps as somebody wrote them.
type Text struct {
	Steps string
	Sight Sight // nil sees everything
}

// Sight says what somebody hears of something that steps name: it is given what was found, or why nothing was.
type Sight func(name string, t run.Target, err error) error

// names finds what steps name, sequences among them.
type names struct {
	Targets
	all   *Sequences
	sight Sight
}

// Target finds a device, a group, a room or a measurement.
func (n names) Target(name string) (run.Target, error) {
	t, err := n.Targets.Target(name)
	if n.sight != nil {
		err = n.sight(name, t, err)
	}
	return t, err
}

// Sequence finds a sequence.
func (n names) Sequence(name string) (run.Target, error) {
	one, err := n.all.Find(name)
	t := run.Target{Kind: run.Sequence, ID: one.ID, Was: one.Slug}
	if n.sight != nil {
		err = n.sight(name, t, err)
	}
	return t, err
}

// name is what something is called now, "" where it is gone.
func (s *Sequences) name(t run.Target) string {
	if t.Kind != run.Sequence {
		return s.targets.Name(t)
	}
	one, _ := s.Find(t.ID)
	return one.Slug
}

// Text is the steps of a sequence as people write them, with what things are called now.
func (s *Sequences) Text(one Sequence) string { return run.Print(one.Steps, s.name) }

// Gone lists what a sequence is about and is not there any more, as it was called.
func (s *Sequences) Gone(one Sequence) (out []string) {
	for _, t := range run.Targets(one.Steps) {
		if t.Kind != run.Measurement && s.name(t) == "" {
			out = append(out, t.Was)
		}
	}
	return out
}

// Program lays out the steps of a sequence, with those of the sequences that it runs. Errors wrap ErrUnread,
// ErrUnknown or run.ErrSteps.
func (s *Sequences) Program(one Sequence) (run.Program, error) {
	if !one.Readable() {
		return nil, fmt.Errorf("%w: give %s its steps anew: urbo sequence change", ErrUnread, one.Slug)
	}
	return run.Compile(one.ID, one.Steps, s.steps, s.name)
}

// steps finds the steps of a sequence by its id.
func (s *Sequences) steps(id string) (string, []run.Step, error) {
	one, err := s.Find(id)
	if err == nil && !one.Readable() {
		err = fmt.Errorf("%w: give %s its steps anew: urbo sequence change", ErrUnread, one.Slug)
	}
	return one.Slug, one.Steps, err
}

// read reads steps as people write them. Errors wrap run.ErrSteps.
func (s *Sequences) read(t Text) ([]run.Step, error) {
	return run.Parse(t.Steps, names{s.targets, s, t.Sight})
}

// Change is what is to be different about a sequence; nil leaves it as it is.
type Change struct {
	Slug, Name *string
	Steps      *Text
}

// Add makes a sequence. Errors wrap device.ErrName, device.ErrTaken, ErrMost or run.ErrSteps, or are the store's.
func (s *Sequences) Add(ctx context.Context, slug, name string, steps Text, by grant.By) (Sequence, error) {
	s.writer.Lock()
	defer s.writer.Unlock()
	if slug == "" {
		slug = device.Slug(name)
	}
	if name == "" {
		name = slug
	}
	if len(s.List()) >= Most {
		return Sequence{}, fmt.Errorf("%w: there are %d, which is the most: remove one", ErrMost, Most)
	}
	return s.put(ctx, Sequence{ID: store.NewID()}, Change{Slug: &slug, Name: &name, Steps: &steps}, by,
		"Added the sequence ")
}

// Alter changes a sequence. Errors are those of Add, or wrap ErrUnknown.
func (s *Sequences) Alter(ctx context.Context, slug string, c Change, by grant.By) (Sequence, error) {
	s.writer.Lock()
	defer s.writer.Unlock()
	one, err := s.Find(slug)
	if err != nil {
		return one, err
	}
	return s.put(ctx, one, c, by, "Changed the sequence ")
}

// put checks and keeps a sequence. The caller holds writer.
func (s *Sequences) put(ctx context.Context, one Sequence, c Change, by grant.By, said string) (Sequence, error) {
	was := one
	var err error
	if c.Name != nil {
		if one.Name, err = device.CleanName("the sequence's name", *c.Name); err != nil {
			return was, err
		}
	}
	if c.Slug != nil {
		one.Slug = *c.Slug
		if err := device.CheckSlug("sequence", one.Slug); err != nil {
			return was, err
		}
	}
	text := was.unread
	if c.Steps != nil {
		if one.Steps, err = s.read(*c.Steps); err != nil {
			return was, err
		}
		if _, err := run.Compile(one.ID, one.Steps, s.steps, s.name); err != nil {
			return was, err
		}
		if err := s.fits(one); err != nil {
			return was, err
		}
		one.unread = ""
	}
	if one.Readable() {
		if text, err = store.WriteDocument(version, document{one.Steps}); err != nil {
			return was, err
		}
	}
	if was.unread != "" && one.Readable() {
		if err := s.store.PutAside(ctx, store.Aside{Kind: "sequence", Owner: was.ID,
			Document: was.unread}); err != nil {
			return was, err
		}
	}
	err = s.store.PutSequence(ctx, store.Named{ID: one.ID, Slug: one.Slug, Name: one.Name, Document: text})
	if errors.Is(err, store.ErrDuplicate) {
		err = fmt.Errorf("%w: there is a sequence %q already: choose another short name", device.ErrTaken, one.Slug)
	}
	if err != nil {
		return was, err
	}
	s.mu.Lock()
	s.all[one.ID] = one
	s.mu.Unlock()
	s.stream.Publish(happening.Happening{By: by, What: happening.SequenceChanged{SequenceID: one.ID, Sequence: one.Slug,
		Text: said + one.Name}})
	return one, nil
}

// fits says whether all that run a sequence, as it is to be, can still run. The caller holds writer.
func (s *Sequences) fits(changed Sequence) error {
	find := func(id string) (string, []run.Step, error) {
		if id == changed.ID {
			return changed.Slug, changed.Steps, nil
		}
		return s.steps(id)
	}
	for _, one := range s.List() {
		if one.ID == changed.ID {
			continue
		}
		_, before := run.Compile(one.ID, one.Steps, s.steps, s.name)
		if _, err := run.Compile(one.ID, one.Steps, find, s.name); err != nil && before == nil {
			return fmt.Errorf("%w, in %s, which runs it", err, one.Slug)
		}
	}
	return nil
}

// runs says whether a sequence runs another one by itself.
func (s *Sequences) runs(one Sequence, id string) bool {
	return slices.ContainsFunc(run.Targets(one.Steps), func(t run.Target) bool {
		return t.Kind == run.Sequence && t.ID == id
	})
}

// Remove removes a sequence. Errors wrap ErrUnknown, or ErrUsed where another one runs it.
func (s *Sequences) Remove(ctx context.Context, slug string, by grant.By) error {
	s.writer.Lock()
	defer s.writer.Unlock()
	one, err := s.Find(slug)
	if err != nil {
		return err
	}
	for _, other := range s.List() {
		if other.ID != one.ID && s.runs(other, one.ID) {
			return fmt.Errorf("%w: %s runs it: change that first", ErrUsed, other.Slug)
		}
	}
	if err := s.store.RemoveSequence(ctx, one.ID); err != nil {
		return fmt.Errorf("remove sequence %s: %w", one.Slug, err)
	}
	s.mu.Lock()
	delete(s.all, one.ID)
	s.mu.Unlock()
	s.stream.Publish(happening.Happening{By: by, What: happening.SequenceChanged{SequenceID: one.ID, Sequence: one.Slug,
		Text: "Removed the sequence " + one.Name}})
	return nil
}
