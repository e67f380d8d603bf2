package phrases

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/phrase"
	"urbo/core/run"
	"urbo/service/kept"
	"urbo/service/stream"
)

// Errors that callers ask for.
var (
	ErrName        = fault.New(fault.Invalid, "name")
	ErrUnknownName = fault.New(fault.NotFound, "unknown name")
)

const (
	// namesVersion is the version of the document.
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

// nameList is what is kept.
type nameList struct {
	Names []Name `json:"names"`
}

// names are the other names of things.
type names struct {
	*kept.Document[nameList]
	stream *stream.Stream
}

func openNames(ctx context.Context, s kept.Store, events *stream.Stream) (*names, error) {
	doc, err := kept.Open[nameList](ctx, s, kept.Kind{Row: "names", Version: namesVersion, What: "other names"}, events)
	return &names{doc, events}, err
}

// all are the other names by what they are of.
func (n *names) all() map[Of][]string {
	out := map[Of][]string{}
	for _, one := range n.Get().Names {
		out[one.Of] = append(out[one.Of], one.Name)
	}
	return out
}

// change changes the list, which f gets as a copy.
func (n *names) change(ctx context.Context, by grant.By, f func([]Name) ([]Name, error)) error {
	_, _, err := n.Change(ctx, func(l nameList) (nameList, error) {
		all, err := f(slices.Clone(l.Names))
		return nameList{all}, err
	})
	if err == nil {
		n.stream.Publish(happening.Happening{By: by, What: happening.HouseChanged{Changes: []string{"other names"}}})
	}
	return err
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
			var known []string
			for _, o := range all {
				known = append(known, o.Name)
			}
			return nil, fmt.Errorf("%w %.40q: there are %s", ErrUnknownName, name, device.Nearest(name, known))
		}
		if err := may(p.target(all[i].Of)); err != nil {
			return nil, err
		}
		return slices.Delete(all, i, i+1), nil
	})
}
