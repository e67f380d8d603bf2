package library

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/core/signal"
	"urbo/store"
)

// ErrUnknownSet is wrapped where a code set is asked for that is not on the shelf.
var ErrUnknownSet = fault.New(fault.NotFound, "unknown code set")

// listedSets is how many code sets are all named where another is asked for.
const listedSets = 40

// shelf is the code sets, by slug and by what is on the air. A shelf is never changed: another takes its place.
type shelf struct {
	sets  map[string]device.Device
	known map[string][]setKey // by the identity of a code
}

// setKey is a key of a set.
type setKey struct {
	happening.SetMatch
	frame signal.Train // where it has no line code
}

func newShelf(sets []device.Device, book *line.Book) *shelf {
	s := &shelf{sets: make(map[string]device.Device, len(sets)), known: map[string][]setKey{}}
	for _, d := range sets {
		s.sets[d.Slug] = d
		for _, k := range d.Keys {
			for _, c := range k.Codes {
				if c, err := c.Complete(book); err == nil { // one whose sheet is not there (any more) waits for it
					id := c.Identity(book)
					s.known[id] = append(s.known[id], setKey{happening.SetMatch{Set: d.Slug, Name: d.Name, Key: k.Name},
						c.Train})
				}
			}
		}
	}
	return s
}

// with is the shelf with some sets put on it and others taken off.
func (s *shelf) with(put []device.Device, removed []string, book *line.Book) *shelf {
	sets := maps.Clone(s.sets)
	for _, d := range put {
		sets[d.Slug] = d
	}
	for _, slug := range removed {
		delete(sets, slug)
	}
	return newShelf(slices.Collect(maps.Values(sets)), book)
}

// senders lists the keys of sets that are found by one of some identities; those with another frame are left out.
func (s *shelf) senders(sends func(signal.Train) bool, identities ...string) []happening.SetMatch {
	var out []happening.SetMatch
	for _, identity := range identities {
		for _, k := range s.known[identity] {
			if (sends == nil || sends(k.frame)) && !slices.Contains(out, k.SetMatch) {
				out = append(out, k.SetMatch)
			}
		}
	}
	return out
}

// having lists the keys of sets that send what a code sends.
func (s *shelf) having(book *line.Book, c device.Code) []happening.SetMatch {
	if c.Sheet != "" {
		return s.senders(nil, c.Identity(book))
	}
	return s.senders(sendsAs(c.Train), c.Identity(book))
}

// find finds a code set. The error wraps ErrUnknownSet and names those that there are, or the nearest.
func (s *shelf) find(slug string) (device.Device, error) {
	if d, ok := s.sets[slug]; ok {
		return d, nil
	}
	names := slices.Sorted(maps.Keys(s.sets))
	if len(names) == 0 {
		return device.Device{}, fmt.Errorf("%w %.60q: the shelf is empty: import a pack of code sets", ErrUnknownSet,
			slug)
	}
	if len(names) <= listedSets {
		return device.Device{}, fmt.Errorf("%w %.60q: there are %s", ErrUnknownSet, slug, strings.Join(names, ", "))
	}
	return device.Device{}, fmt.Errorf("%w %.60q: nearest of %d are %s", ErrUnknownSet, slug, len(names),
		device.Nearest(slug, names))
}

func (l *Library) onShelf() *shelf {
	l.mu.RLock()
	defer l.mu.RUnlock()
	return l.shelf
}

// Sets lists the code sets by kind and name.
func (l *Library) Sets() []device.Device {
	return slices.SortedFunc(maps.Values(l.onShelf().sets), func(a, b device.Device) int {
		return strings.Compare(a.Kind+"\x00"+a.Name+"\x00"+a.Slug, b.Kind+"\x00"+b.Name+"\x00"+b.Slug)
	})
}

// Set finds a code set. The error wraps ErrUnknownSet.
func (l *Library) Set(slug string) (device.Device, error) { return l.onShelf().find(slug) }

// KeepSet puts a copy of a device's learned keys on the shelf. Without a slug it has the device's, without a name its
// maker and model.
func (l *Library) KeepSet(ctx context.Context, of, slug, name string, note Note) (device.Device, error) {
	l.writer.Lock()
	defer l.writer.Unlock()
	d, err := l.Device(of)
	if err != nil {
		return d, err
	}
	set := device.Device{Slug: d.Slug, Name: d.Name, Kind: d.Kind, Maker: d.Maker, Model: d.Model, Traits: d.Traits,
		Extra: d.Extra}
	set.Forms = set.Portable()
	for _, k := range d.Keys {
		if k.Learned() {
			set.Keys = append(set.Keys, device.Key{Name: k.Name, Hold: k.Hold, Codes: k.Codes, Extra: k.Extra})
		}
	}
	if len(set.Keys) == 0 && set.Whole == nil {
		return set, fmt.Errorf("%w: no key of %s: start a lesson for it", ErrNotLearned, d.Slug)
	}
	switch {
	case name != "":
		set.Name = name
	case d.Maker+d.Model != "":
		set.Name = strings.TrimSpace(d.Maker + " " + d.Model)
	}
	if set.Name, err = device.CleanName("the set's name", set.Name); err != nil {
		return set, err
	}
	if slug != "" {
		set.Slug = slug
	}
	if err := device.CheckSlug("code set", set.Slug); err != nil {
		return set, err
	}
	if _, err := l.Set(set.Slug); err == nil {
		return set, fmt.Errorf("%w: a code set %q is there already: choose another short name", device.ErrTaken,
			set.Slug)
	}
	return set, l.changeShelf(ctx, note, []device.Device{set}, nil)
}

// RemoveSet takes a code set off the shelf. What devices adopted of it stays.
func (l *Library) RemoveSet(ctx context.Context, slug string, note Note) error {
	l.writer.Lock()
	defer l.writer.Unlock()
	set, err := l.Set(slug)
	if err != nil {
		return err
	}
	return l.changeShelf(ctx, note, nil, []device.Device{set})
}

// changeShelf writes and tells a change of the shelf. The caller holds writer.
func (l *Library) changeShelf(ctx context.Context, note Note, put, removed []device.Device) error {
	batch := store.Batch{Sets: put, At: l.now()}
	for _, d := range removed {
		batch.Removed = append(batch.Removed, d.Slug)
	}
	if err := l.devices.Apply(ctx, batch); err != nil {
		return fmt.Errorf("keep the code sets: %w", err)
	}
	l.putShelf(put, batch.Removed)
	for i, d := range slices.Concat(put, removed) {
		l.stream.Publish(happening.Happening{By: note.By, What: happening.SetChanged{Set: d.Slug, Title: d.Name,
			Removed: i >= len(put)}})
	}
	return nil
}

func (l *Library) putShelf(put []device.Device, removed []string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.shelf = l.shelf.with(put, removed, l.book)
}
