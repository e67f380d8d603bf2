// Package named keeps things that have an id, a short name of their own, a name, and a document: groups, sequences.
package named

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"iter"
	"maps"
	"slices"
	"strings"
	"sync"

	"urbo/core/device"
	"urbo/store"
)

// version of the documents.
const version = 1

// Thing is one of them.
type Thing[D any] struct {
	ID, Slug, Name string
	Doc            D

	unread string // the document, where it cannot be read
}

// Readable says whether its document could be read.
func (t Thing[D]) Readable() bool { return t.unread == "" }

// Rows keeps things of a kind.
type Rows interface {
	All(ctx context.Context) ([]store.Named, error)
	Put(ctx context.Context, n store.Named) error
	Remove(ctx context.Context, id string) error
}

// Store sets aside what could not be read.
type Store interface {
	PutAside(ctx context.Context, a store.Aside) error
}

// Kind is what there is to say of one kind of things.
type Kind struct {
	Name    string // group
	Most    int    // of a house
	Unknown error  // wrapped where there is none of a name
	Limit   error  // wrapped where there are too many
}

// List is all things of a kind.
type List[D any] struct {
	Kind
	rows  Rows
	store Store

	writer sync.Mutex // held for a whole change

	mu     sync.RWMutex
	all    map[string]Thing[D] // by id
	sorted []Thing[D]          // by name; nil has to be sorted anew, and it is never changed
}

// Open reads the things of a kind. trouble is called for each whose document cannot be read, which stays as it is.
func Open[D any](ctx context.Context, k Kind, rows Rows, s Store, trouble func(t Thing[D], err error)) (*List[D],
	error) {
	all, err := rows.All(ctx)
	if err != nil {
		return nil, fmt.Errorf("read the %ss: %w", k.Name, err)
	}
	l := &List[D]{Kind: k, rows: rows, store: s, all: map[string]Thing[D]{}}
	for _, row := range all {
		t := Thing[D]{ID: row.ID, Slug: row.Slug, Name: row.Name}
		if err := store.ReadDocument(row.Document, version, &t.Doc); err != nil {
			var nothing D
			t.Doc, t.unread = nothing, row.Document
			trouble(t, err)
		}
		l.all[t.ID] = t
	}
	return l, nil
}

// List lists them by name.
func (l *List[D]) List() []Thing[D] { return slices.Clone(l.snapshot()) }

// Each goes through them by name, as they are when it begins.
func (l *List[D]) Each() iter.Seq[Thing[D]] { return slices.Values(l.snapshot()) }

// snapshot is all of them by name. Nobody changes it.
func (l *List[D]) snapshot() []Thing[D] {
	l.mu.RLock()
	sorted := l.sorted
	l.mu.RUnlock()
	if sorted != nil {
		return sorted
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.sorted == nil {
		l.sorted = slices.SortedFunc(maps.Values(l.all), func(a, b Thing[D]) int {
			return cmp.Or(strings.Compare(a.Name, b.Name), strings.Compare(a.ID, b.ID))
		})
	}
	return l.sorted
}

// Find finds one by its short name or id. The error wraps the kind's Unknown and names the nearest.
func (l *List[D]) Find(slug string) (Thing[D], error) {
	l.mu.RLock()
	defer l.mu.RUnlock()
	if t, is := l.all[slug]; is {
		return t, nil
	}
	for _, t := range l.all {
		if t.Slug == slug {
			return t, nil
		}
	}
	names := make([]string, 0, len(l.all))
	for _, t := range l.all {
		names = append(names, t.Slug)
	}
	if len(names) == 0 {
		return Thing[D]{}, fmt.Errorf("%w %.60q: there are no %ss yet: urbo %s add", l.Unknown, slug, l.Name, l.Name)
	}
	slices.Sort(names)
	return Thing[D]{}, fmt.Errorf("%w %.60q: nearest are %s", l.Unknown, slug, device.Nearest(slug, names))
}

// Change is what is to be different about a thing; nil leaves it as it is. Doc gets the thing with its new names.
type Change[D any] struct {
	Slug, Name *string
	Doc        func(t Thing[D]) (D, error)
}

// Keep is how a row is written: put writes it, and what stands around it may refuse that.
type Keep func(t, was string, put func() error) error

// Plainly writes a row as it is.
func Plainly(_, _ string, put func() error) error { return put() }

// Add makes a thing. Errors wrap device.ErrName, device.ErrTaken or the kind's Limit, or are those of the document or
// the store.
func (l *List[D]) Add(ctx context.Context, slug, name string, doc func(Thing[D]) (D, error), keep Keep) (Thing[D],
	error) {
	l.writer.Lock()
	defer l.writer.Unlock()
	slug, name = cmp.Or(slug, device.Slug(name)), cmp.Or(name, slug)
	if len(l.snapshot()) >= l.Most {
		return Thing[D]{}, fmt.Errorf("%w: there are %d, which is the most: remove one", l.Limit, l.Most)
	}
	return l.put(ctx, Thing[D]{ID: store.NewID()}, Change[D]{Slug: &slug, Name: &name, Doc: doc}, keep)
}

// Alter changes a thing. Errors are those of Add, or wrap the kind's Unknown.
func (l *List[D]) Alter(ctx context.Context, slug string, c Change[D], keep Keep) (Thing[D], error) {
	l.writer.Lock()
	defer l.writer.Unlock()
	t, err := l.Find(slug)
	if err != nil {
		return t, err
	}
	return l.put(ctx, t, c, keep)
}

// put checks and keeps a thing. A document that could not be read stays until it is given anew. The caller holds
// writer.
func (l *List[D]) put(ctx context.Context, t Thing[D], c Change[D], keep Keep) (Thing[D], error) {
	was := t
	var err error
	if c.Name != nil {
		if t.Name, err = device.CleanName("the "+l.Kind.Name+"'s name", *c.Name); err != nil {
			return was, err
		}
	}
	if c.Slug != nil {
		t.Slug = *c.Slug
		if err := device.CheckSlug(l.Kind.Name, t.Slug); err != nil {
			return was, err
		}
	}
	if c.Doc != nil {
		if t.Doc, err = c.Doc(t); err != nil {
			return was, err
		}
		t.unread = ""
	}
	text := t.unread
	if t.Readable() {
		if text, err = store.WriteDocument(version, t.Doc); err != nil {
			return was, err
		}
		if !was.Readable() {
			aside := store.Aside{Kind: l.Kind.Name, Owner: was.ID, Document: was.unread}
			if err := l.store.PutAside(ctx, aside); err != nil {
				return was, err
			}
		}
	}
	err = keep(t.Slug, was.Slug, func() error {
		return l.rows.Put(ctx, store.Named{ID: t.ID, Slug: t.Slug, Name: t.Name, Document: text})
	})
	if errors.Is(err, store.ErrDuplicate) {
		err = fmt.Errorf("%w: another %s is called %q: choose another short name", device.ErrTaken, l.Kind.Name,
			t.Slug)
	}
	if err != nil {
		return was, err
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	l.all[t.ID], l.sorted = t, nil
	return t, nil
}

// Remove removes a thing, unless check says no. The error wraps the kind's Unknown, or is that of check or the store.
func (l *List[D]) Remove(ctx context.Context, slug string, check func(Thing[D]) error, keep Keep) (Thing[D], error) {
	l.writer.Lock()
	defer l.writer.Unlock()
	t, err := l.Find(slug)
	if err == nil {
		err = check(t)
	}
	if err != nil {
		return t, err
	}
	if err := keep("", t.Slug, func() error { return l.rows.Remove(ctx, t.ID) }); err != nil {
		return t, fmt.Errorf("remove %s %s: %w", l.Kind.Name, t.Slug, err)
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	delete(l.all, t.ID)
	l.sorted = nil
	return t, nil
}
