// Package home keeps what the house says of itself.
package home

import (
	"context"
	"slices"
	"strings"

	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/home"
	"urbo/service/kept"
	"urbo/service/stream"
)

// version of the document.
const version = 1

// Keeper keeps it.
type Keeper struct {
	doc    *kept.Document[home.Home]
	stream *stream.Stream
}

// Open reads what the house says of itself. What cannot be read stays as it is until it is said anew, and is told in
// the journal; until then the house says nothing.
func Open(ctx context.Context, s kept.Store, events *stream.Stream) (*Keeper, error) {
	doc, err := kept.Open[home.Home](ctx, s, kept.Kind{Row: "home", Version: version,
		What: "the house's name, place and units"}, events)
	return &Keeper{doc, events}, err
}

// Home is what the house says of itself.
func (k *Keeper) Home() home.Home { return k.doc.Get() }

// Change changes it: f gets it as it is. Errors are those of home.Clean, or the store's.
func (k *Keeper) Change(ctx context.Context, by grant.By, f func(*home.Home)) (home.Home, error) {
	was, is, err := k.doc.Change(ctx, func(h home.Home) (home.Home, error) {
		f(&h)
		return h.Clean()
	})
	if err != nil {
		return was, err
	}
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
