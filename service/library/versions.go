package library

import (
	"context"
	"fmt"
	"slices"

	"urbo/wire"
)

// Versions lists what a key sent and sends, the newest first. Errors wrap ErrUnknownDevice or ErrUnknownKey.
func (l *Library) Versions(ref wire.KeyRef) ([]wire.KeyVersion, error) {
	l.mu.RLock()
	defer l.mu.RUnlock()
	d, err := l.find(ref.Device)
	if err != nil {
		return nil, err
	}
	k, err := findKey(d, ref.Key)
	if err != nil {
		return nil, err
	}
	out := []wire.KeyVersion{}
	for _, c := range k.Codes {
		i := slices.IndexFunc(out, func(v wire.KeyVersion) bool { return v.Version == c.Version })
		if i < 0 {
			i = len(out)
			out = append(out, wire.KeyVersion{Version: c.Version, At: c.CreatedAt})
		}
		out[i].Codes = append(out[i].Codes, CodeToWire(c))
	}
	slices.SortFunc(out, func(a, b wire.KeyVersion) int { return b.Version - a.Version })
	return out, nil
}

// Restore makes an earlier version of a key's codes its newest; version 0 is the one before the newest, which undoes
// the last change. Nothing is lost: the versions between stay. Errors wrap ErrCode where there is no such version.
func (l *Library) Restore(ctx context.Context, ref wire.KeyRef, number int) (wire.Device, error) {
	versions, err := l.Versions(ref)
	if err != nil {
		return wire.Device{}, err
	}
	i := slices.IndexFunc(versions, func(v wire.KeyVersion) bool { return v.Version == number })
	if number == 0 && len(versions) > 1 {
		i = 1
	}
	if i < 0 && number == 0 {
		return wire.Device{}, fmt.Errorf("undo %s: %w: nothing to undo: what it sends was never changed", ref, ErrCode)
	}
	if i < 0 {
		return wire.Device{}, fmt.Errorf("restore %s: %w: there is no earlier version %d: it has %d, list them to see which", ref, ErrCode, number, len(versions))
	}
	return l.SetCodes(ctx, ref, versions[i].Codes)
}
