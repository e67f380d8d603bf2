package library

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"gorm.io/gorm"

	"urbo/core/notation"
	"urbo/store"
	"urbo/wire"
)

// Write gives a key the codes that somebody wrote by hand. Errors wrap notation.ErrNotation, line.ErrSheet, ErrCode or
// those of SetCodes.
func (l *Library) Write(ctx context.Context, ref wire.KeyRef, h wire.HandCode) (wire.Device, error) {
	parsed, err := notation.Parse(h.Text, h.Hz, l.book)
	if err != nil {
		return wire.Device{}, fmt.Errorf("keep %s: %w", ref, err)
	}
	codes := make([]wire.Code, len(parsed))
	for i, c := range parsed {
		codes[i] = CodeOf(c)
		codes[i].Source, codes[i].Repeats, codes[i].GapUS = "hand", h.Repeats, max(c.GapUS, h.GapUS)
	}
	return l.SetCodes(ctx, ref, codes)
}

// ChangeKey changes what is given of a key. It keeps its place on the face and all its versions. Errors wrap
// ErrUnknownDevice, ErrUnknownKey, ErrName or ErrTaken.
func (l *Library) ChangeKey(ctx context.Context, ref wire.KeyRef, c wire.KeyChange) (wire.Device, error) {
	d, err := l.Device(ref.Device)
	if err != nil {
		return d, err
	}
	set := map[string]any{"updated_at": l.now()}
	traits := d.Traits
	if c.Name != nil && *c.Name != ref.Key {
		if err := CheckSlug("key", *c.Name); err != nil {
			return d, err
		}
		set["name"] = *c.Name
		traits.RenameKey(ref.Key, *c.Name)
	}
	if c.Hold != nil {
		if !slices.Contains([]string{"", "once", "repeat"}, *c.Hold) {
			return d, fmt.Errorf("%w: hold %.20q: once, repeat, or nothing", ErrName, *c.Hold)
		}
		set["hold"] = *c.Hold
	}
	err = l.changeKey(ctx, d.Slug, ref.Key, func(tx *gorm.DB, row *gorm.DB) error {
		if err := row.Updates(set).Error; err != nil {
			return err
		}
		return putTraits(tx, d.Slug, traits)
	})
	if errors.Is(err, store.ErrDuplicate) {
		return d, fmt.Errorf("%w: %s has a key %q already", ErrTaken, d.Slug, *c.Name)
	}
	if err != nil {
		return d, fmt.Errorf("change %s: %w", ref, err)
	}
	return l.Device(d.Slug)
}

// RemoveKey takes a key with its codes out of a device.
func (l *Library) RemoveKey(ctx context.Context, ref wire.KeyRef) (wire.Device, error) {
	d, err := l.Device(ref.Device)
	if err != nil {
		return d, err
	}
	traits := d.Traits
	traits.RenameKey(ref.Key, "")
	err = l.changeKey(ctx, d.Slug, ref.Key, func(tx *gorm.DB, row *gorm.DB) error {
		if err := row.Delete(&store.Key{}).Error; err != nil {
			return err
		}
		return putTraits(tx, d.Slug, traits)
	})
	if err != nil {
		return d, fmt.Errorf("remove %s: %w", ref, err)
	}
	return l.Device(d.Slug)
}

// changeKey runs f in a transaction with the row of a key.
func (l *Library) changeKey(ctx context.Context, slug, name string, f func(tx, row *gorm.DB) error) error {
	l.mu.RLock()
	d, err := l.find(slug)
	if err != nil {
		l.mu.RUnlock()
		return err
	}
	k, err := findKey(d, name)
	if err != nil {
		l.mu.RUnlock()
		return err
	}
	id := k.ID
	l.mu.RUnlock()
	return l.change(ctx, slug, func(tx *gorm.DB) error { return f(tx, tx.Model(&store.Key{}).Where("id = ?", id)) })
}
