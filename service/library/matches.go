package library

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"urbo/core/pack"
	"urbo/store"
	"urbo/wire"
)

// leastMatch is how many keys a device and a code set must have in common to be called the same: single codes are
// alike by chance.
const leastMatch = 2

// Matches lists the code sets and the other devices that send what a device's keys send. Errors wrap ErrUnknownDevice.
func (l *Library) Matches(slug string) (wire.Matches, error) {
	l.mu.RLock()
	defer l.mu.RUnlock()
	out := wire.Matches{Sets: []wire.SetMatch{}, Devices: []wire.TwinDevice{}}
	d, err := l.find(slug)
	if err != nil {
		return out, err
	}
	sets, twins := map[string][]wire.MatchKey{}, map[string][]wire.MatchKey{}
	note := func(to map[string][]wire.MatchKey, of, key, is string) {
		if m := (wire.MatchKey{Key: key, Is: is}); !slices.Contains(to[of], m) {
			to[of] = append(to[of], m)
		}
	}
	for i := range d.Keys {
		key := d.Keys[i].Name
		for _, c := range InForce(&d.Keys[i]) {
			for _, s := range l.shelf.having(l.book, c) {
				note(sets, s.Set, key, s.Key)
			}
			for _, ref := range l.senders(c) {
				if ref.Device != d.Slug {
					note(twins, ref.Device, key, ref.Key)
				}
			}
		}
	}
	for name, keys := range sets {
		if len(keys) >= leastMatch {
			out.Sets = append(out.Sets, setMatch(d, l.shelf.sets[name], keys))
		}
	}
	for name, keys := range twins {
		out.Devices = append(out.Devices, wire.TwinDevice{Device: name, Keys: keys})
	}
	slices.SortFunc(out.Sets, func(a, b wire.SetMatch) int {
		return cmp.Or(len(b.Keys)-len(a.Keys), len(a.More)-len(b.More), strings.Compare(a.Slug, b.Slug))
	})
	slices.SortFunc(out.Devices, func(a, b wire.TwinDevice) int { return strings.Compare(a.Device, b.Device) })
	return out, nil
}

func setMatch(d *store.Device, set pack.Device, keys []wire.MatchKey) wire.SetMatch {
	m := wire.SetMatch{Slug: set.Slug, Name: set.Name, Keys: keys, More: []string{}}
	for _, k := range missing(d, set, nil) {
		if !slices.ContainsFunc(keys, func(m wire.MatchKey) bool { return m.Is == k.Name }) {
			m.More = append(m.More, k.Name)
		}
	}
	these := fmt.Sprintf("These %d keys are", len(keys))
	m.Text = fmt.Sprintf("%s the code set %s.", these, set.Name)
	switch n := len(m.More); {
	case n == 1:
		m.Text = fmt.Sprintf("%s the code set %s, which has one more: %s.", these, set.Name, m.More[0])
	case n > 1:
		m.Text = fmt.Sprintf("%s the code set %s, which has %d more: %s.", these, set.Name, n, strings.Join(m.More, ", "))
	}
	return m
}

// missing lists the keys of a set that a device has not learned; names are the wanted ones, all where there are none.
func missing(d *store.Device, set pack.Device, names []string) []pack.Key {
	var out []pack.Key
	for _, k := range set.Keys {
		learned := slices.ContainsFunc(d.Keys, func(h store.Key) bool { return h.Name == k.Name && len(h.Codes) > 0 })
		if len(k.Codes) > 0 && (slices.Contains(names, k.Name) || len(names) == 0 && !learned) {
			out = append(out, k)
		}
	}
	return out
}

// Adopt gives a device keys of a code set: the ones named, or every one that it has not learned and that is not there
// under another name. It is all of them or none.
func (l *Library) Adopt(ctx context.Context, slug string, a wire.Adopt) (wire.Device, error) {
	l.mu.RLock()
	d, err := l.find(slug)
	var set pack.Device
	if err == nil {
		set, err = l.findSet(a.Set)
	}
	if err != nil {
		l.mu.RUnlock()
		return wire.Device{}, err
	}
	for _, name := range a.Keys {
		if !slices.ContainsFunc(set.Keys, func(k pack.Key) bool { return k.Name == name }) {
			l.mu.RUnlock()
			var names []string
			for _, k := range set.Keys {
				names = append(names, k.Name)
			}
			return wire.Device{}, fmt.Errorf("%w %.60q of the code set %s: nearest are %s", ErrUnknownKey, name, set.Slug, nearest(name, names))
		}
	}
	keys := missing(d, set, a.Keys)
	if len(a.Keys) == 0 { // not those that it has under another name
		keys = slices.DeleteFunc(keys, func(k pack.Key) bool { return l.hasCodes(d, k) })
	}
	l.mu.RUnlock()
	if len(keys) == 0 {
		return wire.Device{}, fmt.Errorf("%w: %s has every key of the code set %s already", ErrTaken, slug, set.Slug)
	}
	return l.SetKeys(ctx, slug, keys, "set "+set.Slug)
}

// hasCodes says whether any key of a device sends what a key of a set sends. The caller holds mu.
func (l *Library) hasCodes(d *store.Device, k pack.Key) bool {
	for i := range d.Keys {
		for _, c := range InForce(&d.Keys[i]) {
			if slices.ContainsFunc(l.shelf.having(l.book, c), func(s wire.SetKey) bool { return s.Key == k.Name }) {
				return true
			}
		}
	}
	return false
}

// SetKeys gives several keys of a device their codes in one transaction, each as its next version; keys that the
// device does not have are added.
func (l *Library) SetKeys(ctx context.Context, slug string, keys []pack.Key, source string) (wire.Device, error) {
	d, err := l.Device(slug)
	if err != nil {
		return wire.Device{}, err
	}
	row := store.Device{Slug: d.Slug}
	for _, k := range keys {
		if err := l.appendKey(&row, k.Name); err != nil {
			return wire.Device{}, err
		}
		key := &row.Keys[len(row.Keys)-1]
		if key.Codes, err = l.codeRows(k, key.ID, source); err != nil {
			return wire.Device{}, fmt.Errorf("key %s: %w", k.Name, err)
		}
	}
	err = l.change(ctx, d.Slug, func(tx *gorm.DB) error { return bringKeys(tx, &row) })
	if err != nil {
		return wire.Device{}, fmt.Errorf("keep keys of %s: %w", d.Slug, err)
	}
	return l.Device(d.Slug)
}
