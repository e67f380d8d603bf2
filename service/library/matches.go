package library

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/plain"
)

// leastMatch is how many keys a device and a code set must have in common to be called the same: single codes are
// alike by chance.
const leastMatch = 2

// MatchKey is a key of a device that sends what a key of something else sends.
type MatchKey struct {
	Key string // of the device
	Is  string // the other's name for it
}

// SetCommon is a code set that has keys of a device.
type SetCommon struct {
	Slug, Name string
	Keys       []MatchKey
	More       []string // keys of the set that the device has not learned
	Text       string   // in words
}

// Twin is another device that obeys the same codes.
type Twin struct {
	Device string // slug
	Keys   []MatchKey
}

// Matches is what has keys in common with a device.
type Matches struct {
	Sets  []SetCommon
	Twins []Twin
}

// Matches lists the code sets and the other devices that send what a device's keys send. Errors wrap ErrUnknownDevice.
func (l *Library) Matches(slug string) (Matches, error) {
	out := Matches{Sets: []SetCommon{}, Twins: []Twin{}}
	d, err := l.Device(slug)
	if err != nil {
		return out, err
	}
	shelf := l.onShelf()
	sets, twins := map[string][]MatchKey{}, map[string][]MatchKey{}
	note := func(to map[string][]MatchKey, of, key, is string) {
		if m := (MatchKey{Key: key, Is: is}); !slices.Contains(to[of], m) {
			to[of] = append(to[of], m)
		}
	}
	for _, k := range d.Keys {
		for _, c := range k.Codes {
			for _, s := range shelf.having(l.book, c) {
				note(sets, s.Set, k.Name, s.Key)
			}
			for _, m := range l.sendersOf(c) {
				if m.DeviceID != d.ID {
					note(twins, m.Device, k.Name, m.Key)
				}
			}
		}
	}
	for name, keys := range sets {
		if len(keys) >= leastMatch {
			out.Sets = append(out.Sets, common(d, shelf.sets[name], keys))
		}
	}
	for name, keys := range twins {
		out.Twins = append(out.Twins, Twin{Device: name, Keys: keys})
	}
	slices.SortFunc(out.Sets, func(a, b SetCommon) int {
		return cmp.Or(len(b.Keys)-len(a.Keys), len(a.More)-len(b.More), strings.Compare(a.Slug, b.Slug))
	})
	slices.SortFunc(out.Twins, func(a, b Twin) int { return strings.Compare(a.Device, b.Device) })
	return out, nil
}

func common(d, set device.Device, keys []MatchKey) SetCommon {
	m := SetCommon{Slug: set.Slug, Name: set.Name, Keys: keys, More: []string{}}
	for _, k := range missing(d, set, nil) {
		if !slices.ContainsFunc(keys, func(m MatchKey) bool { return m.Is == k.Name }) {
			m.More = append(m.More, k.Name)
		}
	}
	these := fmt.Sprintf("These %s are", plain.Count(len(keys), "key", "keys"))
	m.Text = fmt.Sprintf("%s the code set %s.", these, set.Name)
	switch n := len(m.More); {
	case n == 1:
		m.Text = fmt.Sprintf("%s the code set %s, which has one more: %s.", these, set.Name, m.More[0])
	case n > 1:
		m.Text = fmt.Sprintf("%s the code set %s, which has %d more: %s.", these, set.Name, n,
			strings.Join(m.More, ", "))
	}
	return m
}

// missing lists the keys of a set that a device has not learned; names are the wanted ones, all where there are none.
func missing(d, set device.Device, names []string) []device.Key {
	var out []device.Key
	for _, k := range set.Keys {
		learned := slices.ContainsFunc(d.Keys, func(h device.Key) bool { return h.Name == k.Name && h.Learned() })
		if k.Learned() && (slices.Contains(names, k.Name) || len(names) == 0 && !learned) {
			out = append(out, k)
		}
	}
	return out
}

// Adopt gives a device keys of a code set: the ones named, or every one that it has not learned and that is not there
// under another name; a device without controls gets those of the set as well. It is all of them or none.
func (l *Library) Adopt(ctx context.Context, slug, set string, names []string, note Note) (device.Device, error) {
	return l.ChangeBySlug(ctx, slug, note, func(d *device.Device) error {
		shelf := l.onShelf()
		from, err := shelf.find(set)
		if err != nil {
			return err
		}
		for _, name := range names {
			if !from.Has(name) {
				return fmt.Errorf("%w %.60q of the code set %s: nearest are %s", device.ErrUnknownKey, name, from.Slug,
					device.Nearest(name, from.KeyNames()))
			}
		}
		keys := missing(*d, from, names)
		if len(names) == 0 { // not those that it has under another name
			keys = slices.DeleteFunc(keys, func(k device.Key) bool { return hasCodes(*d, shelf, l, from.Slug, k.Name) })
		}
		controls := len(names) == 0 && len(d.Controls) == 0 && len(from.Controls) > 0
		if len(keys) == 0 && !controls {
			return fmt.Errorf("%w: %s has every key of the code set %s already", device.ErrTaken, d.Slug, from.Slug)
		}
		if err := GiveKeys(d, keys, "set "+from.Slug); err != nil {
			return err
		}
		if _, err := control.Compile(d.KeyNames(), from.Forms); controls && err == nil {
			d.Forms = from.Portable()
		}
		return nil
	})
}

// hasCodes says whether any key of a device sends what a key of a set sends.
func hasCodes(d device.Device, shelf *shelf, l *Library, set, key string) bool {
	for _, k := range d.Keys {
		for _, c := range k.Codes {
			if slices.ContainsFunc(shelf.having(l.book, c), func(s happening.SetMatch) bool {
				return s.Set == set &&
					s.Key == key
			}) {
				return true
			}
		}
	}
	return false
}

// GiveFrames puts the controls that a code set's frames carry into a device, in the place of those of the same names.
func GiveFrames(d *device.Device, set device.Device) {
	for _, c := range set.Controls {
		d.PutControl(c.Name, c)
	}
	d.Whole = set.Whole
}

// GiveKeys puts the codes of keys into a device's keys of the same names; those that it does not have are added.
func GiveKeys(d *device.Device, keys []device.Key, source string) error {
	for _, k := range keys {
		if !d.Has(k.Name) {
			if _, err := d.Add(k.Name); err != nil {
				return err
			}
		}
		to, err := d.Key(k.Name)
		if err != nil {
			return err
		}
		if k.Hold != "" {
			to.Hold = k.Hold
		}
		if len(k.Extra) > 0 {
			to.Extra = k.Extra
		}
		if device.SameCodes(to.Codes, k.Codes) || !k.Learned() {
			continue
		}
		to.Codes = slices.Clone(k.Codes)
		for i := range to.Codes {
			to.Codes[i].Source = source
		}
	}
	return nil
}
