package phrases

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/phrase"
	"urbo/core/run"
	"urbo/service/stream"
	"urbo/store"
)

// Errors that callers ask for.
var (
	ErrName        = fault.New(fault.Invalid, "name")
	ErrUnknownName = fault.New(fault.NotFound, "unknown name")
)

// Store keeps texts of the house by name.
type Store interface {
	HouseText(ctx context.Context, name string) (string, error)
	PutHouseText(ctx context.Context, name, text string) error
	PutAside(ctx context.Context, a store.Aside) error
}

const (
	// namesRow is the name of the document in the store, and namesVersion its version.
	namesRow     = "names"
	namesVersion = 1
	// mostNames is the most other names of a house.
	mostNames = 500
)

// Of is what has another name.
type Of struct {
	Kind run.Kind `json:"kind"`
	ID   string   `json:"id"`
}

// Name is what people call something as well.
type Name struct {
	Name string `json:"name"`
	Of   Of     `json:"of"`
}

// names are the other names of things.
type names struct {
	store  Store
	stream *stream.Stream

	writer sync.Mutex // held for a whole change

	mu   sync.Mutex
	list []Name
	text string // as it is on disk, where it cannot be read
}

func openNames(ctx context.Context, s Store, events *stream.Stream) (*names, error) {
	text, err := s.HouseText(ctx, namesRow)
	if err != nil {
		return nil, fmt.Errorf("read the other names: %w", err)
	}
	n := &names{store: s, stream: events}
	var doc struct {
		Names []Name `json:"names"`
	}
	if err := store.ReadDocument(text, namesVersion, &doc); err != nil {
		n.text = text
		events.Publish(happening.Happening{What: happening.HouseNote{Severity: "error",
			Text: fmt.Sprintf("What things are called as well %v", err)}})
		return n, nil
	}
	n.list = doc.Names
	return n, nil
}

// all are the other names by what they are of.
func (n *names) all() map[Of][]string {
	n.mu.Lock()
	defer n.mu.Unlock()
	out := map[Of][]string{}
	for _, one := range n.list {
		out[one.Of] = append(out[one.Of], one.Name)
	}
	return out
}

// change changes the list, which f gets as a copy.
func (n *names) change(ctx context.Context, by grant.By, f func([]Name) ([]Name, error)) error {
	n.writer.Lock()
	defer n.writer.Unlock()
	n.mu.Lock()
	list, unread := slices.Clone(n.list), n.text
	n.mu.Unlock()
	list, err := f(list)
	if err != nil {
		return err
	}
	text, err := store.WriteDocument(namesVersion, map[string]any{"names": list})
	if err != nil {
		return err
	}
	if unread != "" {
		if err := n.store.PutAside(ctx, store.Aside{Kind: namesRow, Document: unread}); err != nil {
			return err
		}
	}
	if err := n.store.PutHouseText(ctx, namesRow, text); err != nil {
		return fmt.Errorf("keep the other names: %w", err)
	}
	n.mu.Lock()
	n.list, n.text = list, ""
	n.mu.Unlock()
	n.stream.Publish(happening.Happening{By: by, What: happening.HouseChanged{Changes: []string{"other names"}}})
	return nil
}

// clean is a name as people say it: words with single blanks between them.
func clean(name string) (string, error) {
	name, err := device.CleanName("the name", name)
	if err != nil {
		return "", err
	}
	if name = strings.ToLower(name); !phrase.IsName(name) {
		return "", fmt.Errorf("%w: %.40q has no word that can be said: use letters, such as \"big light\"", ErrName,
			name)
	}
	return name, nil
}

// Called is another name, with what it is of.
type Called struct {
	Name string
	Of   run.Target
}

// Names lists the other names of what is there, by name.
func (p *Phrases) Names() (out []Called) {
	for of, all := range p.names.all() {
		if now := p.target(of); now.Was != "" {
			for _, name := range all {
				out = append(out, Called{name, now})
			}
		}
	}
	slices.SortFunc(out, func(a, b Called) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// target is what another name is of, with what that is called now; without that where it is gone.
func (p *Phrases) target(of Of) run.Target {
	t := run.Target{Kind: of.Kind, ID: of.ID}
	t.Was = p.Errands.Name(t)
	return t
}

// Find finds what may have another name: a device, group or room, an occasion, a sequence or an errand. Errors are
// those of the targets, and name the nearest.
func (p *Phrases) Find(name string) (run.Target, error) {
	t, err := p.Targets.Target(name)
	if err == nil && t.Kind != run.Measurement && t.Kind != run.Reins {
		return t, nil
	}
	if o, none := p.Occasions.Find(name); none == nil {
		return run.Target{Kind: run.Occasion, ID: o.ID, Was: o.Slug}, nil
	}
	if s, none := p.Sequences.Find(name); none == nil {
		return run.Target{Kind: run.Sequence, ID: s.ID, Was: s.Slug}, nil
	}
	if e, none := p.Errands.Find(name); none == nil {
		return run.Target{Kind: run.Errand, ID: e.ID, Was: e.Slug}, nil
	}
	if err == nil {
		err = fmt.Errorf("%w: %s is a %s, which is not spoken of", ErrName, name, t.Kind)
	}
	return t, err
}

// AddName gives something another name. Errors wrap ErrName or device.ErrTaken, or are the store's.
func (p *Phrases) AddName(ctx context.Context, name string, of run.Target, by grant.By) (Called, error) {
	name, err := clean(name)
	if err != nil {
		return Called{}, err
	}
	err = p.names.change(ctx, by, func(all []Name) ([]Name, error) {
		for _, other := range all {
			switch now := p.target(other.Of); {
			case other.Name == name && now.Was != "" && other.Of == (Of{of.Kind, of.ID}):
				return nil, fmt.Errorf("%w: %s is called %q already", device.ErrTaken, now.Was, name)
			case other.Name == name && now.Was != "":
				return nil, fmt.Errorf("%w: %q is a name of %s: remove it there first (urbo name remove)",
					device.ErrTaken,
					name, now.Was)
			}
		}
		all = slices.DeleteFunc(all, func(o Name) bool { return o.Name == name }) // of something that is gone
		if len(all) >= mostNames {
			return nil, fmt.Errorf("%w: there are %d, which is the most", ErrName, mostNames)
		}
		return append(all, Name{name, Of{of.Kind, of.ID}}), nil
	})
	return Called{name, of}, err
}

// RemoveName takes another name away. may says whether that of this thing may be taken. The error wraps ErrUnknownName.
func (p *Phrases) RemoveName(ctx context.Context, name string, may func(run.Target) error, by grant.By) error {
	name, err := clean(name)
	if err != nil {
		return err
	}
	return p.names.change(ctx, by, func(all []Name) ([]Name, error) {
		i := slices.IndexFunc(all, func(o Name) bool { return o.Name == name })
		if i < 0 {
			known := slices.Sorted(maps.Keys(func() map[string]bool {
				out := map[string]bool{}
				for _, o := range all {
					out[o.Name] = true
				}
				return out
			}()))
			return nil, fmt.Errorf("%w %.40q: there are %s", ErrUnknownName, name, device.Nearest(name, known))
		}
		if err := may(p.target(all[i].Of)); err != nil {
			return nil, err
		}
		return slices.Delete(all, i, i+1), nil
	})
}
