package library

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"urbo/core/bench"
	"urbo/core/line"
	"urbo/core/pack"
	"urbo/store"
	"urbo/wire"
)

// ErrUnknownSet is wrapped where a code set is asked for that is not on the shelf.
var ErrUnknownSet = errors.New("unknown code set")

// shelf is the code sets, by slug and by what is on the air. A shelf is never changed: it is read anew.
type shelf struct {
	sets    map[string]pack.Device
	known   map[string][]wire.SetKey
	unnamed map[string][]unnamedSetKey
}

// unnamedSetKey is a key of a set that sends a signal without a line code.
type unnamedSetKey struct {
	frame []int
	key   wire.SetKey
}

// readShelf reads all code sets.
func (l *Library) readShelf(ctx context.Context) (shelf, error) {
	out := shelf{sets: map[string]pack.Device{}, known: map[string][]wire.SetKey{}, unnamed: map[string][]unnamedSetKey{}}
	var rows []store.CodeSet
	if err := l.store.Read(ctx).Order("slug").Find(&rows).Error; err != nil {
		return out, err
	}
	for _, r := range rows {
		d := pack.Device{Slug: r.Slug, Name: r.Name, Kind: r.Kind, Maker: r.Maker, Model: r.Model, Extra: unpacked(r.Extra)}
		if err := json.Unmarshal([]byte(r.Keys), &d.Keys); err != nil {
			return out, fmt.Errorf("code set %s: %w", r.Slug, err)
		}
		out.sets[r.Slug] = d
		for _, k := range d.Keys {
			key := wire.SetKey{Set: d.Slug, Name: d.Name, Key: k.Name}
			for _, c := range k.Codes {
				l.enterSet(out, key, c)
			}
		}
	}
	return out, nil
}

// enterSet puts a code of a set into the shelf's look-up. One whose sheet is not there (any more) waits for it.
func (l *Library) enterSet(s shelf, key wire.SetKey, c pack.Code) {
	if c.Sheet != "" {
		sheet, err := l.book.Sheet(c.Sheet)
		if err != nil {
			return
		}
		if fields, err := sheet.Complete(c.Fields); err == nil {
			id := sheet.Identity(fields)
			s.known[id] = append(s.known[id], key)
		}
		return
	}
	if row, err := l.Row(CodeOf(c)); err == nil {
		s.unnamed[row.Print] = append(s.unnamed[row.Print], unnamedSetKey{row.Train, key})
	}
}

// refreshShelf reads the code sets anew after a change.
func (l *Library) refreshShelf(ctx context.Context) error {
	s, err := l.readShelf(ctx)
	if err != nil {
		return fmt.Errorf("read the code sets: %w", err)
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	l.shelf = s
	return nil
}

// having lists the keys of sets that send what a code sends.
func (s shelf) having(book *line.Book, c store.Code) []wire.SetKey {
	if sheet, err := book.Sheet(c.Sheet); err == nil && c.Sheet != "" {
		return s.known[sheet.Identity(c.Fields)]
	}
	var out []wire.SetKey
	for _, k := range s.unnamed[c.Print] {
		if bench.Alike(k.frame, c.Train) {
			out = append(out, k.key)
		}
	}
	return out
}

// MatchSets lists the keys of code sets that send what was heard.
func (l *Library) MatchSets(readings []line.Reading, structure *bench.Structure) []wire.SetKey {
	l.mu.RLock()
	defer l.mu.RUnlock()
	for _, r := range readings {
		if sheet, err := l.book.Sheet(r.Sheet); err == nil {
			if keys := l.shelf.known[sheet.Identity(r.Fields)]; len(keys) > 0 {
				return slices.Clone(keys)
			}
		}
	}
	if structure == nil {
		return nil
	}
	return l.shelf.having(l.book, store.Code{Print: structure.Print.String(), Train: structure.Frame})
}

// Sets lists the code sets by kind and name.
func (l *Library) Sets() []wire.CodeSet {
	sets := l.PackSets()
	out := make([]wire.CodeSet, len(sets))
	for i, d := range sets {
		out[i] = setToWire(d)
	}
	return out
}

// PackSets is Sets as in a pack.
func (l *Library) PackSets() []pack.Device {
	l.mu.RLock()
	defer l.mu.RUnlock()
	out := make([]pack.Device, 0, len(l.shelf.sets))
	for _, d := range l.shelf.sets {
		out = append(out, d)
	}
	slices.SortFunc(out, func(a, b pack.Device) int {
		return strings.Compare(a.Kind+"\x00"+a.Name+"\x00"+a.Slug, b.Kind+"\x00"+b.Name+"\x00"+b.Slug)
	})
	return out
}

// Set finds a code set. The error wraps ErrUnknownSet.
func (l *Library) Set(slug string) (wire.CodeSet, error) {
	d, err := l.PackSet(slug)
	if err != nil {
		return wire.CodeSet{}, err
	}
	return setToWire(d), nil
}

// PackSet is Set as in a pack.
func (l *Library) PackSet(slug string) (pack.Device, error) {
	l.mu.RLock()
	defer l.mu.RUnlock()
	return l.findSet(slug)
}

// findSet is PackSet for a caller who holds mu.
func (l *Library) findSet(slug string) (pack.Device, error) {
	if d, ok := l.shelf.sets[slug]; ok {
		return d, nil
	}
	var names []string
	for s := range l.shelf.sets {
		names = append(names, s)
	}
	slices.Sort(names)
	if len(names) == 0 {
		return pack.Device{}, fmt.Errorf("%w %.60q: the shelf is empty: import a pack of code sets", ErrUnknownSet, slug)
	}
	return pack.Device{}, fmt.Errorf("%w %.60q: nearest are %s", ErrUnknownSet, slug, nearest(slug, names))
}

func setToWire(d pack.Device) wire.CodeSet {
	out := wire.CodeSet{Slug: d.Slug, Name: d.Name, Kind: d.Kind, Maker: d.Maker, Model: d.Model, Keys: []wire.SetKey{}}
	for _, k := range d.Keys {
		key := wire.SetKey{Set: d.Slug, Name: d.Name, Key: k.Name}
		for _, c := range k.Codes {
			key.Codes = append(key.Codes, CodeOf(c))
		}
		out.Keys = append(out.Keys, key)
	}
	return out
}

// KeepSet puts a copy of a device's learned keys on the shelf.
func (l *Library) KeepSet(ctx context.Context, n wire.NewSet) (wire.CodeSet, error) {
	l.mu.RLock()
	found, err := l.find(n.Device)
	if err != nil {
		l.mu.RUnlock()
		return wire.CodeSet{}, err
	}
	d := toPack(found)
	taken := l.shelf.sets
	l.mu.RUnlock()
	d.Room = ""
	d.Keys = slices.DeleteFunc(d.Keys, func(k pack.Key) bool { return len(k.Codes) == 0 })
	if len(d.Keys) == 0 {
		return wire.CodeSet{}, fmt.Errorf("%w: no key of %s: start a lesson for it", ErrNotLearned, d.Slug)
	}
	switch {
	case n.Name != "":
		d.Name = n.Name
	case d.Maker+d.Model != "":
		d.Name = strings.TrimSpace(d.Maker + " " + d.Model)
	}
	if d.Name, err = CleanName("the set's name", d.Name); err != nil {
		return wire.CodeSet{}, err
	}
	if n.Slug != "" {
		d.Slug = n.Slug
	}
	if err := CheckSlug("code set", d.Slug); err != nil {
		return wire.CodeSet{}, err
	}
	if _, there := taken[d.Slug]; there {
		return wire.CodeSet{}, fmt.Errorf("%w: a code set %q is there already: choose another slug", ErrTaken, d.Slug)
	}
	err = l.store.Change(ctx, func(tx *gorm.DB) error { return putSet(tx, d, l.now()) })
	if err == nil {
		err = l.refreshShelf(ctx)
	}
	if err != nil {
		return wire.CodeSet{}, fmt.Errorf("keep the code set %s: %w", d.Slug, err)
	}
	return l.Set(d.Slug)
}

// putSet writes a code set, over one of the same slug.
func putSet(tx *gorm.DB, d pack.Device, now time.Time) error {
	keys, err := json.Marshal(d.Keys)
	if err != nil {
		return err
	}
	row := store.CodeSet{Slug: d.Slug, Name: d.Name, Kind: d.Kind, Maker: d.Maker, Model: d.Model, Keys: string(keys), Extra: packed(d.Extra), AddedAt: now}
	return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error
}

// RemoveSet takes a code set off the shelf. What devices adopted of it stays.
func (l *Library) RemoveSet(ctx context.Context, slug string) error {
	if _, err := l.PackSet(slug); err != nil {
		return err
	}
	err := l.store.Change(ctx, func(tx *gorm.DB) error { return tx.Delete(&store.CodeSet{Slug: slug}).Error })
	if err != nil {
		return fmt.Errorf("remove the code set %s: %w", slug, err)
	}
	return l.refreshShelf(ctx)
}
