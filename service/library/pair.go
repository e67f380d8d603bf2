package library

import (
	"context"
	"crypto/rand"
	"encoding/binary"
	"fmt"
	"slices"
	"time"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/pairing"
)

// ErrNoPairing is wrapped where no handset of a device waits to be confirmed.
var ErrNoPairing = fault.New(fault.Conflict, "no handset waits to be paired")

// pendingHandset is a handset of Urbo's own that a device has not been seen to take yet. It is nowhere but here: what
// nobody confirms leaves nothing.
type pendingHandset struct {
	way  pairing.Way
	keys []device.Key
	at   time.Time
}

// pairingLasts is how long a handset waits to be confirmed.
const pairingLasts = time.Hour

// Pair makes a handset of Urbo's own for a device: keys with an id that nobody in the library has. Until it is
// confirmed it sends nothing but what asks to be paired. One that was made before, and not confirmed, is forgotten.
// Errors wrap pairing.ErrWay or ErrUnknownDevice.
func (l *Library) Pair(slug, way string) (pairing.Way, error) {
	w, err := pairing.Find(way)
	if err != nil {
		return w, err
	}
	d, err := l.Device(slug)
	if err != nil {
		return w, err
	}
	keys, err := l.freshHandset(w)
	if err != nil {
		return w, err
	}
	now := l.now()
	l.pairing.Lock()
	defer l.pairing.Unlock()
	for id, p := range l.handsets {
		if now.Sub(p.at) > pairingLasts {
			delete(l.handsets, id)
		}
	}
	l.handsets[d.ID] = pendingHandset{w, keys, now}
	return w, nil
}

// pendingOf is the handset that waits for a device. The error wraps ErrNoPairing or ErrUnknownDevice.
func (l *Library) pendingOf(slug string) (device.Device, pendingHandset, error) {
	d, err := l.Device(slug)
	if err != nil {
		return d, pendingHandset{}, err
	}
	l.pairing.Lock()
	defer l.pairing.Unlock()
	p, ok := l.handsets[d.ID]
	if !ok || l.now().Sub(p.at) > pairingLasts {
		return d, p, fmt.Errorf("%w with %s: begin again (urbo device pair %s)", ErrNoPairing, slug, slug)
	}
	return d, p, nil
}

// AsksToPair is the key of the handset that waits, which asks the device to be paired. The error wraps ErrNoPairing or
// ErrUnknownDevice.
func (l *Library) AsksToPair(slug string) (device.Device, device.Key, error) {
	d, p, err := l.pendingOf(slug)
	if err != nil {
		return d, device.Key{}, err
	}
	i := slices.IndexFunc(p.keys, func(k device.Key) bool { return k.Name == p.way.Pair })
	return d, p.keys[i], nil
}

// Unpair forgets the handset that waits for a device. The error wraps ErrUnknownDevice.
func (l *Library) Unpair(slug string) error {
	d, err := l.Device(slug)
	if err != nil {
		return err
	}
	l.pairing.Lock()
	defer l.pairing.Unlock()
	delete(l.handsets, d.ID)
	return nil
}

// Paired gives a device the handset that waits, once it took that. What the keys sent before is kept, and followed: the
// handset that it was learned from goes on working. Errors wrap ErrNoPairing, or are those of Change.
func (l *Library) Paired(ctx context.Context, slug string, note Note) (device.Device, error) {
	d, p, err := l.pendingOf(slug)
	if err != nil {
		return d, err
	}
	d, err = l.Change(ctx, d.ID, note, func(d *device.Device) error {
		for _, k := range p.keys {
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
	if err == nil {
		l.pairing.Lock()
		delete(l.handsets, d.ID)
		l.pairing.Unlock()
	}
	return d, err
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
