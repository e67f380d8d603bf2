package library

import (
	"cmp"
	"context"
	"fmt"
	"log/slog"
	"time"

	"urbo/core/device"
	"urbo/core/happening"
	"urbo/store"
)

// RemovedFor is how long a removed device can be brought back.
const RemovedFor = 30 * 24 * time.Hour

// Remove takes a device with its keys and codes out of the library; for RemovedFor it can be brought back. The error
// wraps ErrUnknownDevice.
func (l *Library) Remove(ctx context.Context, slug string, note Note) error {
	l.writer.Lock()
	defer l.writer.Unlock()
	d, err := l.Device(slug)
	if err != nil {
		return err
	}
	if err := l.devices.Apply(ctx, store.Batch{Devices: []store.Edit{{Before: &d}}, At: l.now()}); err != nil {
		return fmt.Errorf("remove device %s: %w", d.Slug, err)
	}
	l.mu.Lock()
	delete(l.entries, d.ID)
	delete(l.ids, d.Slug)
	for s, id := range l.former {
		if id == d.ID {
			delete(l.former, s)
		}
	}
	l.mu.Unlock()
	if err := l.purge(ctx); err != nil {
		slog.Warn("forget what was removed long ago; it is tried again", "error", err)
	}
	l.stream.Publish(happening.Happening{By: note.By, Cause: note.Cause,
		What: happening.DeviceRemoved{DeviceID: d.ID, Device: d.Slug, Title: d.Name, Keys: len(d.Keys)}})
	return nil
}

// purge forgets what was removed long ago.
func (l *Library) purge(ctx context.Context) error {
	return l.devices.Purge(ctx, l.now().Add(-RemovedFor))
}

// Removed is a device that can be brought back.
type Removed = store.RemovedDevice

// Removed lists the devices that can be brought back, the last removed first.
func (l *Library) Removed(ctx context.Context) ([]Removed, error) {
	all, err := l.devices.Removed(ctx)
	if err != nil {
		return nil, fmt.Errorf("list removed devices: %w", err)
	}
	out := all[:0]
	for _, r := range all {
		if r.At.After(l.now().Add(-RemovedFor)) {
			out = append(out, r)
		}
	}
	return out, nil
}

// IDEver finds the id of a device by its slug, one that it had, or the one of a removed device. The error wraps
// ErrUnknownDevice.
func (l *Library) IDEver(ctx context.Context, slug string) (string, error) {
	id, err := l.ID(slug)
	if err == nil {
		return id, nil
	}
	all, trouble := l.devices.Removed(ctx)
	for _, r := range all {
		if r.Slug == slug || r.ID == slug {
			return r.ID, nil
		}
	}
	return "", cmp.Or(trouble, err)
}

// BringBack puts a removed device into the library again, by its id, or by the slug that it had: the last one removed.
// Where another device has that slug now it gets one that is free. The error wraps ErrUnknownDevice.
func (l *Library) BringBack(ctx context.Context, which string, note Note) (device.Device, error) {
	l.writer.Lock()
	defer l.writer.Unlock()
	all, err := l.Removed(ctx)
	if err != nil {
		return device.Device{}, err
	}
	var names []string
	for _, r := range all {
		if r.ID == which || r.Slug == which {
			return l.bringBack(ctx, r, note)
		}
		names = append(names, r.Slug)
	}
	if len(names) == 0 {
		return device.Device{},
			fmt.Errorf("%w %.60q: no device was removed in the last 30 days", ErrUnknownDevice, which)
	}
	return device.Device{}, fmt.Errorf("%w %.60q: of those that were removed, nearest are %s", ErrUnknownDevice, which,
		device.Nearest(which, names))
}

func (l *Library) bringBack(ctx context.Context, r Removed, note Note) (device.Device, error) {
	l.mu.RLock()
	free := func(slug string) bool { return l.ids[slug] == "" && !l.groups[slug] }
	slug := r.Slug
	if !free(slug) {
		slug = device.FreeSlug(slug, free)
	}
	l.mu.RUnlock()
	if err := l.devices.BringBack(ctx, r.ID, slug); err != nil {
		return device.Device{}, fmt.Errorf("bring back %s: %w", r.Slug, err)
	}
	d, troubles, err := l.devices.Load(context.WithoutCancel(ctx), r.ID)
	if err != nil {
		return d, fmt.Errorf("read device %s: %w", slug, err)
	}
	l.say(troubles)
	l.remember(store.Edit{After: &d})
	if former, err := l.devices.FormerSlugs(context.WithoutCancel(ctx)); err == nil {
		l.mu.Lock()
		for s, id := range former {
			if id == d.ID {
				l.former[s] = id
			}
		}
		l.mu.Unlock()
	}
	l.stream.Publish(happening.Happening{By: note.By, Cause: note.Cause, What: happening.DeviceChanged{DeviceID: d.ID,
		Device: d.Slug, Title: d.Name, Back: true}})
	return l.ByID(d.ID)
}
