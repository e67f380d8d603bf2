package library

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"urbo/core/bench"
	"urbo/core/device"
	"urbo/core/line"
	"urbo/store"
	"urbo/wire"
)

// maxKeys is the most keys of a device.
const maxKeys = 200

// Add makes a device with keys that wait to be learned. Errors wrap ErrName or ErrTaken.
func (l *Library) Add(ctx context.Context, n wire.NewDevice) (wire.Device, error) {
	name, err := CleanName("the device's name", n.Name)
	if err != nil {
		return wire.Device{}, err
	}
	slug := n.Slug
	if slug == "" {
		slug = Slug(name)
	}
	if err := CheckSlug("device", slug); err != nil {
		return wire.Device{}, err
	}
	d := store.Device{ID: store.NewID(), Slug: slug, Name: name, Kind: n.Kind, Maker: n.Maker, Model: n.Model, CreatedAt: l.now(), UpdatedAt: l.now()}
	if d.Kind == "" {
		d.Kind = "other"
	}
	if err := errors.Join(checkKind(d.Kind), checkText("maker", d.Maker), checkText("model", d.Model)); err != nil {
		return wire.Device{}, err
	}
	keys := n.Keys
	if len(keys) == 0 {
		keys = UsualKeys(d.Kind)
	}
	for _, key := range keys {
		if err := l.appendKey(&d, key); err != nil {
			return wire.Device{}, err
		}
	}
	err = l.change(ctx, slug, func(tx *gorm.DB) error {
		if d.RoomID, err = room(tx, n.Room); err != nil {
			return err
		}
		return tx.Create(&d).Error
	})
	if errors.Is(err, store.ErrDuplicate) {
		return wire.Device{}, fmt.Errorf("%w: a device %q is there already: choose another slug", ErrTaken, slug)
	}
	if err != nil {
		return wire.Device{}, fmt.Errorf("add device %s: %w", slug, err)
	}
	return l.Device(slug)
}

func checkKind(kind string) error {
	if slices.ContainsFunc(kinds, func(k wire.Kind) bool { return k.Name == kind }) {
		return nil
	}
	names := make([]string, len(kinds))
	for i, k := range kinds {
		names[i] = k.Name
	}
	return fmt.Errorf("%w: kind %.40q: nearest are %s", ErrName, kind, nearest(kind, names))
}

// appendKey adds a key that waits to be learned.
func (l *Library) appendKey(d *store.Device, name string) error {
	if err := CheckSlug("key", name); err != nil {
		return err
	}
	if slices.ContainsFunc(d.Keys, func(k store.Key) bool { return k.Name == name }) {
		return fmt.Errorf("%w: %s has a key %q already", ErrTaken, d.Slug, name)
	}
	if len(d.Keys) >= maxKeys {
		return fmt.Errorf("%w: %s has %d keys, which is the most", ErrName, d.Slug, maxKeys)
	}
	d.Keys = append(d.Keys, store.Key{ID: store.NewID(), DeviceID: d.ID, Name: name, Position: len(d.Keys), UpdatedAt: l.now()})
	return nil
}

// room finds or makes a room by name; an empty name is no room.
func room(tx *gorm.DB, name string) (*string, error) {
	if name == "" {
		return nil, nil
	}
	name, err := CleanName("the room's name", name)
	if err != nil {
		return nil, err
	}
	slug := Slug(name)
	if slug == "" {
		return nil, fmt.Errorf("%w: room %.40q: use at least one letter a-z or a digit", ErrName, name)
	}
	var r store.Room
	if err := tx.Where(store.Room{Slug: slug}).Attrs(store.Room{ID: store.NewID(), Name: name}).FirstOrCreate(&r).Error; err != nil {
		return nil, err
	}
	return &r.ID, nil
}

// Update changes what is given of a device.
func (l *Library) Update(ctx context.Context, slug string, c wire.DeviceChange) (wire.Device, error) {
	before, err := l.Device(slug)
	if err != nil {
		return wire.Device{}, err
	}
	slug = before.Slug
	set := map[string]any{"updated_at": l.now()}
	after := slug
	if c.Slug != nil && *c.Slug != slug {
		if err := CheckSlug("device", *c.Slug); err != nil {
			return wire.Device{}, err
		}
		after = *c.Slug
		set["slug"] = after
	}
	if c.Name != nil {
		name, err := CleanName("the device's name", *c.Name)
		if err != nil {
			return wire.Device{}, err
		}
		set["name"] = name
	}
	for column, text := range map[string]*string{"maker": c.Maker, "model": c.Model, "transmitter": c.Transmitter} {
		if text == nil {
			continue
		}
		if err := checkText(column, *text); err != nil {
			return wire.Device{}, err
		}
		set[column] = *text
	}
	if c.Kind != nil {
		if err := checkKind(*c.Kind); err != nil {
			return wire.Device{}, err
		}
		set["kind"] = *c.Kind
	}
	traits, err := changed(before, c)
	if err != nil {
		return wire.Device{}, err
	}
	err = l.changeFrom(ctx, after, slug, func(tx *gorm.DB) error {
		if err := putTraits(tx, slug, traits); err != nil {
			return err
		}
		if after != slug {
			if err := renamed(tx, slug, after); err != nil {
				return err
			}
		}
		if c.Room != nil {
			id, err := room(tx, *c.Room)
			if err != nil {
				return err
			}
			set["room_id"] = id
		}
		return tx.Model(&store.Device{}).Where("slug = ?", slug).Updates(set).Error
	})
	if errors.Is(err, store.ErrDuplicate) {
		return wire.Device{}, fmt.Errorf("%w: a device %q is there already: choose another slug", ErrTaken, after)
	}
	if err != nil {
		return wire.Device{}, fmt.Errorf("change device %s: %w", slug, err)
	}
	if after != slug {
		l.events.Publish(wire.Device{Slug: slug, Keys: []wire.Key{}}) // the old one is gone from lists
	}
	return l.Device(after)
}

func putTraits(tx *gorm.DB, slug string, t device.Traits) error {
	columns := []string{"Plate", "PlateHz", "Notes", "Power", "Inputs", "WarmUpMS", "GapMS", "Face"}
	return tx.Model(&store.Device{}).Where("slug = ?", slug).Select(columns).Updates(store.Device{Traits: t}).Error
}

// changed is a device's traits with what is given changed.
func changed(d wire.Device, c wire.DeviceChange) (device.Traits, error) {
	t := d.Traits
	give(&t.Plate, c.Plate)
	give(&t.PlateHz, c.PlateHz)
	give(&t.Notes, c.Notes)
	give(&t.Power, c.Power)
	give(&t.Inputs, c.Inputs)
	give(&t.WarmUpMS, c.WarmUpMS)
	give(&t.GapMS, c.GapMS)
	give(&t.Face, c.Face)
	for _, row := range t.Face {
		for _, key := range row {
			if key != "" && c.Face != nil && !slices.ContainsFunc(d.Keys, func(k wire.Key) bool { return k.Name == key }) {
				return t, fmt.Errorf("%w %.60q of %s: it cannot stand on the face", ErrUnknownKey, key, d.Slug)
			}
		}
	}
	return t, t.Check()
}

func give[T any](to *T, from *T) {
	if from != nil {
		*to = *from
	}
}

// renamed keeps the slug that a device had, and frees the one that it takes.
func renamed(tx *gorm.DB, from, to string) error {
	var d store.Device
	if err := tx.Where("slug = ?", from).First(&d).Error; err != nil {
		return err
	}
	if err := tx.Where("slug = ?", to).Delete(&store.OldSlug{}).Error; err != nil {
		return err
	}
	return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&store.OldSlug{Slug: from, DeviceID: d.ID}).Error
}

// Remove takes a device with its keys and codes out of the library.
func (l *Library) Remove(ctx context.Context, slug string) error {
	d, err := l.Device(slug)
	if err != nil {
		return err
	}
	slug = d.Slug
	err = l.change(ctx, slug, func(tx *gorm.DB) error {
		return tx.Where("slug = ?", slug).Delete(&store.Device{}).Error
	})
	if err != nil {
		return fmt.Errorf("remove device %s: %w", slug, err)
	}
	return nil
}

// SetCodes gives a key new codes as its next version, keeping the earlier ones. A key that the device does not have
// is added. It is on disk when SetCodes returns.
func (l *Library) SetCodes(ctx context.Context, ref wire.KeyRef, codes []wire.Code) (wire.Device, error) {
	rows := make([]store.Code, len(codes))
	for i, c := range codes {
		row, err := l.Row(c)
		if err != nil {
			return wire.Device{}, fmt.Errorf("keep %s: %w", ref, err)
		}
		row.Position = i
		rows[i] = row
	}
	if len(rows) == 0 {
		return wire.Device{}, fmt.Errorf("keep %s: %w: none given", ref, ErrCode)
	}
	l.mu.RLock()
	found, err := l.find(ref.Device)
	if err != nil {
		l.mu.RUnlock()
		return wire.Device{}, err
	}
	d := *found
	ref.Device = d.Slug
	d.Keys = slices.Clone(found.Keys)
	l.mu.RUnlock()

	key, err := findKey(&d, ref.Key)
	added := errors.Is(err, ErrUnknownKey)
	if added {
		if err := l.appendKey(&d, ref.Key); err != nil {
			return wire.Device{}, err
		}
		key = &d.Keys[len(d.Keys)-1]
	}
	for i := range rows {
		rows[i].KeyID, rows[i].Version = key.ID, version(key)+1
	}
	err = l.change(ctx, ref.Device, func(tx *gorm.DB) error {
		if added {
			k := *key
			k.Codes = nil
			if err := tx.Create(&k).Error; err != nil {
				return err
			}
		} else if err := tx.Model(&store.Key{}).Where("id = ?", key.ID).Update("updated_at", l.now()).Error; err != nil {
			return err
		}
		return tx.Create(&rows).Error
	})
	if err != nil {
		return wire.Device{}, fmt.Errorf("keep %s: %w", ref, err)
	}
	return l.Device(ref.Device)
}

// Row checks a code and turns it into what is stored. Errors wrap ErrCode.
func (l *Library) Row(c wire.Code) (store.Code, error) {
	row, err := l.row(c)
	if err == nil {
		l.identify(&row)
	}
	return row, err
}

func (l *Library) row(c wire.Code) (store.Code, error) {
	row := store.Code{ID: store.NewID(), Sheet: c.Sheet, Inline: c.Inline, UnitUS: c.Unit, GapUS: c.GapUS, CarrierHz: c.CarrierHz,
		FrequencyHz: c.FrequencyHz, Repeats: c.Repeats, Source: c.Source, Takes: c.Takes, Agreed: c.Agreed, CreatedAt: l.now()}
	if c.Sheet == "" && c.CarrierHz == 0 && c.FrequencyHz == 0 {
		return row, fmt.Errorf("%w: without a line code it needs a carrier (infrared) or a frequency (radio) in Hz", ErrCode)
	}
	if c.Inline != "" {
		return l.inlineRow(row, c)
	}
	if c.Sheet == "" {
		if err := c.Train.CheckKey(); err != nil {
			return row, fmt.Errorf("%w: %w", ErrCode, err)
		}
		row.Train, row.Print = c.Train, bench.FingerprintOf(c.Train).String()
		return row, nil
	}
	s, err := l.book.Sheet(c.Sheet)
	if err != nil {
		return row, fmt.Errorf("%w: %w", ErrCode, err)
	}
	fields, err := FieldsFromWire(c.Fields)
	if err != nil {
		return row, fmt.Errorf("%w: %w", ErrCode, err)
	}
	if row.Fields, err = s.Complete(fields); err != nil {
		return row, fmt.Errorf("%w: %w", ErrCode, err)
	}
	if _, err := s.EncodeUnit(row.Fields, row.UnitUS); err != nil {
		return row, fmt.Errorf("%w: %w", ErrCode, err)
	}
	return row, nil
}

// FieldsFromWire reads fields as JSON brings them: whole numbers or texts.
func FieldsFromWire(in map[string]any) (line.Fields, error) {
	out := line.Fields{}
	for name, v := range in {
		switch v := v.(type) {
		case string:
			out[name] = line.Text(v)
		case float64:
			if v != float64(int64(v)) {
				return nil, fmt.Errorf("field %s is %g: write a whole number", name, v)
			}
			out[name] = line.Number(int64(v))
		case int64:
			out[name] = line.Number(v)
		case int:
			out[name] = line.Number(int64(v))
		default:
			return nil, fmt.Errorf("field %s: write a whole number or a text", name)
		}
	}
	return out, nil
}

// change runs a transaction, reads the device anew and tells everybody about it.
func (l *Library) change(ctx context.Context, slug string, f func(tx *gorm.DB) error) error {
	return l.changeFrom(ctx, slug, slug, f)
}

// changeFrom is change for a device that had another slug before.
func (l *Library) changeFrom(ctx context.Context, slug, before string, f func(tx *gorm.DB) error) error {
	if err := l.store.Change(ctx, f); err != nil {
		return err
	}
	if err := l.refresh(ctx, slug, before); err != nil {
		return err
	}
	d, err := l.Device(slug)
	if err != nil {
		d = wire.Device{Slug: slug, Keys: []wire.Key{}}
	}
	l.events.Publish(d)
	return nil
}
