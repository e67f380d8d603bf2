package library

import (
	"context"
	"crypto/rand"
	"encoding/binary"
	"fmt"
	"slices"

	"urbo/core/device"
	"urbo/core/pairing"
)

// Pair gives a device a handset of Urbo's own: keys with an id that nobody in the library has. What the keys sent
// before is kept, and followed: the handset that it was learned from goes on working. Errors wrap pairing.ErrWay or
// ErrUnknownDevice.
func (l *Library) Pair(ctx context.Context, slug, way string, note Note) (device.Device, pairing.Way, error) {
	w, err := pairing.Find(way)
	if err != nil {
		return device.Device{}, w, err
	}
	keys, err := l.freshHandset(w)
	if err != nil {
		return device.Device{}, w, err
	}
	d, err := l.ChangeBySlug(ctx, slug, note, func(d *device.Device) error {
		for _, k := range keys {
			var before []device.Code
			if had, err := d.Key(k.Name); err == nil {
				before = slices.DeleteFunc(slices.Clone(had.Codes),
					func(c device.Code) bool { return c.Source == "own" })
			}
			if err := d.SetCodes(k.Name, k.Codes); err != nil {
				return err
			}
			if err := d.Follow(k.Name, before, l.Identity); err != nil {
				return err
			}
		}
		return nil
	})
	return d, w, err
}

// freshHandset makes a handset with an id that no key of the library has.
func (l *Library) freshHandset(w pairing.Way) ([]device.Key, error) {
	for range 100 {
		var random [8]byte
		_, _ = rand.Read(random[:]) // it never fails
		keys := w.Handset(binary.LittleEndian.Uint64(random[:]))
		taken := false
		for _, k := range keys {
			taken = taken || len(l.sendersOf(k.Codes[0])) > 0
		}
		if !taken {
			return keys, nil
		}
	}
	return nil, fmt.Errorf("%w %s: no id is free", pairing.ErrWay, w.Name)
}
