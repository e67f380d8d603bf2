// Package kept keeps one document of the house: read at the start, changed one at a time, and on disk before it counts.
package kept

import (
	"context"
	"fmt"
	"sync"

	"urbo/core/happening"
	"urbo/service/stream"
	"urbo/store"
)

// Store keeps texts of the house by name.
type Store interface {
	HouseText(ctx context.Context, name string) (string, error)
	PutHouseText(ctx context.Context, name, text string) error
	PutAside(ctx context.Context, a store.Aside) error
}

// Kind is what there is to say of a document.
type Kind struct {
	Row     string // its name in the store
	Version int
	What    string // in words, for errors: the hooks
	Until   string // what is so while it cannot be read, for the journal; "" is nothing more
}

// Document is one document.
type Document[D any] struct {
	Kind
	store Store

	writer sync.Mutex // held for a whole change

	mu     sync.Mutex
	now    D
	unread string // as it is on disk, where it cannot be read
}

// Open reads a document. What cannot be read stays as it is until it is given anew, and is told in the journal.
func Open[D any](ctx context.Context, s Store, k Kind, events *stream.Stream) (*Document[D], error) {
	d := &Document[D]{Kind: k, store: s}
	text, err := s.HouseText(ctx, k.Row)
	if err != nil {
		return nil, fmt.Errorf("read %s: %w", k.What, err)
	}
	var now D
	if err := store.ReadDocument(text, k.Version, &now); err != nil {
		d.unread = text
		events.Publish(happening.Happening{What: happening.HouseNote{Severity: "error",
			Text: fmt.Sprintf("What is kept of %s %v%s", k.What, err, k.Until)}})
		return d, nil
	}
	d.now = now
	return d, nil
}

// Get is the document. What it holds is not to be changed.
func (d *Document[D]) Get() D {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.now
}

// Readable says whether it could be read, or was given anew since.
func (d *Document[D]) Readable() bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.unread == ""
}

// Change makes another document of it: do gets it as it is, and must not change what that holds. Errors are those of
// do, or the store's.
func (d *Document[D]) Change(ctx context.Context, do func(D) (D, error)) (was, is D, err error) {
	d.writer.Lock()
	defer d.writer.Unlock()
	d.mu.Lock()
	was, unread := d.now, d.unread
	d.mu.Unlock()
	if is, err = do(was); err != nil {
		return was, is, err
	}
	text, err := store.WriteDocument(d.Version, is)
	if err != nil {
		return was, is, err
	}
	if unread != "" {
		if err := d.store.PutAside(ctx, store.Aside{Kind: d.Row, Document: unread}); err != nil {
			return was, is, err
		}
	}
	if err := d.store.PutHouseText(ctx, d.Row, text); err != nil {
		return was, is, fmt.Errorf("keep %s: %w", d.What, err)
	}
	d.mu.Lock()
	d.now, d.unread = is, ""
	d.mu.Unlock()
	return was, is, nil
}
