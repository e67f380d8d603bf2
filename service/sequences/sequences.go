// Package sequences keeps named steps that are run in order.
package sequences

import (
	"context"
	"fmt"
	"slices"

	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/run"
	"urbo/service/named"
	"urbo/service/stream"
)

// Errors that callers ask for.
var (
	ErrUnknown = fault.New(fault.NotFound, "unknown sequence")
	ErrUsed    = fault.New(fault.Conflict, "the sequence is used")
	ErrMost    = fault.New(fault.Invalid, "sequences")
	ErrUnread  = fault.New(fault.Conflict, "the sequence cannot be read")
)

// Most is the most sequences of a house.
const Most = 500

// Sequence is named steps.
type Sequence = named.Thing[Steps]

// Steps is what is kept of a sequence.
type Steps struct {
	Steps []run.Step `json:"steps"`
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
	all     *named.List[Steps]
	targets Targets
	stream  *stream.Stream
}

// Open reads the sequences. One that cannot be read is not run until its steps are given anew, and is told.
func Open(ctx context.Context, rows named.Rows, s named.Store, t Targets, events *stream.Stream) (*Sequences, error) {
	kind := named.Kind{Name: "sequence", Most: Most, Unknown: ErrUnknown, Limit: ErrMost}
	all, err := named.Open(ctx, kind, rows, s, func(one Sequence, err error) {
		events.Publish(happening.Happening{What: happening.HouseNote{Severity: "error", Text: fmt.Sprintf(
			"The steps of the sequence %s %v: it does not run until they are given anew", one.Name, err)}})
	})
	return &Sequences{all: all, targets: t, stream: events}, err
}

// List lists the sequences by name.
func (s *Sequences) List() []Sequence { return s.all.List() }

// Find finds a sequence by its slug or id. The error wraps ErrUnknown and names the nearest.
func (s *Sequences) Find(slug string) (Sequence, error) { return s.all.Find(slug) }

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
	sequences *Sequences
	sight     Sight
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
	one, err := n.sequences.Find(name)
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
func (s *Sequences) Text(one Sequence) string { return run.Print(one.Doc.Steps, s.name) }

// Gone lists what a sequence is about and is not there any more, as it was called.
func (s *Sequences) Gone(one Sequence) (out []string) {
	for _, t := range run.Targets(one.Doc.Steps) {
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
	return run.Compile(one.ID, one.Doc.Steps, s.steps, s.name)
}

// steps finds the steps of a sequence by its id.
func (s *Sequences) steps(id string) (string, []run.Step, error) {
	one, err := s.Find(id)
	if err == nil && !one.Readable() {
		err = fmt.Errorf("%w: give %s its steps anew: urbo sequence change", ErrUnread, one.Slug)
	}
	return one.Slug, one.Doc.Steps, err
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

// doc makes what is kept of steps. Errors wrap run.ErrSteps.
func (s *Sequences) doc(text Text) func(Sequence) (Steps, error) {
	return func(one Sequence) (Steps, error) {
		steps, err := s.read(text)
		if err != nil {
			return Steps{}, err
		}
		if _, err := run.Compile(one.ID, steps, s.steps, s.name); err != nil {
			return Steps{}, err
		}
		one.Doc = Steps{steps}
		return one.Doc, s.fits(one)
	}
}

// Add makes a sequence. Errors wrap device.ErrName, device.ErrTaken, ErrMost or run.ErrSteps, or are the store's.
func (s *Sequences) Add(ctx context.Context, slug, name string, steps Text, by grant.By) (Sequence, error) {
	one, err := s.all.Add(ctx, slug, name, s.doc(steps), named.Plainly)
	return one, s.changed(one, err, by, "Added the sequence ")
}

// Alter changes a sequence. Errors are those of Add, or wrap ErrUnknown.
func (s *Sequences) Alter(ctx context.Context, slug string, c Change, by grant.By) (Sequence, error) {
	change := named.Change[Steps]{Slug: c.Slug, Name: c.Name}
	if c.Steps != nil {
		change.Doc = s.doc(*c.Steps)
	}
	one, err := s.all.Alter(ctx, slug, change, named.Plainly)
	return one, s.changed(one, err, by, "Changed the sequence ")
}

// Remove removes a sequence. Errors wrap ErrUnknown, or ErrUsed where another one runs it.
func (s *Sequences) Remove(ctx context.Context, slug string, by grant.By) error {
	one, err := s.all.Remove(ctx, slug, func(one Sequence) error {
		for _, other := range s.List() {
			if other.ID != one.ID && s.runs(other, one.ID) {
				return fmt.Errorf("%w: %s runs it: change that first", ErrUsed, other.Slug)
			}
		}
		return nil
	}, named.Plainly)
	return s.changed(one, err, by, "Removed the sequence ")
}

// changed tells that a sequence is another, where there is no error.
func (s *Sequences) changed(one Sequence, err error, by grant.By, said string) error {
	if err == nil {
		s.stream.Publish(happening.Happening{By: by, What: happening.SequenceChanged{SequenceID: one.ID,
			Sequence: one.Slug, Text: said + one.Name}})
	}
	return err
}

// fits says whether all that run a sequence, as it is to be, can still run.
func (s *Sequences) fits(changed Sequence) error {
	find := func(id string) (string, []run.Step, error) {
		if id == changed.ID {
			return changed.Slug, changed.Doc.Steps, nil
		}
		return s.steps(id)
	}
	for _, one := range s.List() {
		if one.ID == changed.ID {
			continue
		}
		_, before := run.Compile(one.ID, one.Doc.Steps, s.steps, s.name)
		if _, err := run.Compile(one.ID, one.Doc.Steps, find, s.name); err != nil && before == nil {
			return fmt.Errorf("%w, in %s, which runs it", err, one.Slug)
		}
	}
	return nil
}

// runs says whether a sequence runs another one by itself.
func (s *Sequences) runs(one Sequence, id string) bool {
	return slices.ContainsFunc(run.Targets(one.Doc.Steps), func(t run.Target) bool {
		return t.Kind == run.Sequence && t.ID == id
	})
}
