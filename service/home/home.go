// Package home keeps what the house says of itself.
package home

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"

	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/home"
	"urbo/service/stream"
	"urbo/store"
)

// version of the document.
const version = 1

// Store keeps texts of the house by name.
type Store interface {
	HouseText(ctx context.Context, name string) (string, error)
	PutHouseText(ctx context.Context, name, text string) error
	PutAside(ctx context.Context, a store.Aside) error
}

// row is the name of the document in the store.
const row = "home"

// Keeper keeps it.
type Keeper struct {
	store  Store
	stream *stream.Stream

	writer sync.Mutex // held for a whole change

	mu   sync.Mutex
	now  home.Home
	text string // as it is on disk, where it cannot be read
}

// Open reads what the house says of itself. What cannot be read stays as it is until it is said anew, and is told in
// the journal; until then the house says nothing.
func Open(ctx context.Context, s Store, events *stream.Stream) (*Keeper, error) {
	k := &Keeper{store: s, stream: events}
	text, err := s.HouseText(ctx, row)
	if err != nil {
		return nil, fmt.Errorf("read what the house says of itself: %w", err)
	}
	var h home.Home
	if err := store.ReadDocument(text, version, &h); err != nil {
		k.text = text
		events.Publish(happening.Happening{What: happening.HouseNote{Severity: "error",
			Text: fmt.Sprintf("The house's name, place and units %v", err)}})
		return k, nil
	}
	k.now = h
	return k, nil
}

// Home is what the house says of itself.
func (k *Keeper) Home() home.Home {
	k.mu.Lock()
	defer k.mu.Unlock()
	return k.now
}

// Change changes it: f gets it as it is. Errors are those of home.Clean, or the store's.
func (k *Keeper) Change(ctx context.Context, by grant.By, f func(*home.Home)) (home.Home, error) {
	k.writer.Lock()
	defer k.writer.Unlock()
	k.mu.Lock()
	was, unread := k.now, k.text
	k.mu.Unlock()
	is := was
	f(&is)
	is, err := is.Clean()
	if err != nil {
		return was, err
	}
	text, err := store.WriteDocument(version, is)
	if err != nil {
		return was, err
	}
	if unread != "" {
		if err := k.store.PutAside(ctx, store.Aside{Kind: row, Document: unread}); err != nil {
			return was, err
		}
	}
	if err := k.store.PutHouseText(ctx, row, text); err != nil {
		return was, fmt.Errorf("keep what the house says of itself: %w", err)
	}
	k.mu.Lock()
	k.now, k.text = is, ""
	k.mu.Unlock()
	if said := differences(was, is); len(said) > 0 {
		k.stream.Publish(happening.Happening{By: by, What: happening.HouseChanged{Changes: said}})
	}
	return is, nil
}

func differences(a, b home.Home) (out []string) {
	samePlace := a.Place == b.Place || a.Place != nil && b.Place != nil && *a.Place == *b.Place
	for _, d := range []struct {
		name    string
		differs bool
	}{{"name", a.Name != b.Name}, {"place", !samePlace}, {"zone", !strings.EqualFold(a.Zone, b.Zone)},
		{"units", a.Fahrenheit != b.Fahrenheit || a.TwelveHours != b.TwelveHours}} {
		if d.differs {
			out = append(out, d.name)
		}
	}
	return slices.Clip(out)
}
