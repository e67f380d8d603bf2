package store

import (
	"context"
	"maps"
	"reflect"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"urbo/core/device"
)

// Edit is one change of one device: Before is what it was (nil: it is new), After what it becomes (nil: it is
// removed). A key whose codes differ gets its next version; one that only names another version goes back to that.
// After is completed with ids and versions.
type Edit struct {
	Before, After *device.Device
	Picture       *Picture // a new picture; its tag is in After
}

// Picture is what a device looks like.
type Picture struct {
	Type string // image/png or image/jpeg
	Data []byte
}

// Batch is changes that take effect together, or not at all.
type Batch struct {
	Devices  []Edit
	Sets     []device.Device // put on the shelf, over those of the same slug
	Removed  []string        // slugs of sets that are taken off it
	Identify func(device.Code) string
	At       time.Time
}

// Apply makes changes. Errors wrap ErrDuplicate, ErrFull, ErrBusy or ErrDisk; then nothing was changed.
func (r Devices) Apply(ctx context.Context, b Batch) error {
	return r.store.change(ctx, func(tx *gorm.DB) error {
		for _, c := range b.Devices {
			if err := b.apply(tx, c); err != nil {
				return err
			}
		}
		for _, set := range b.Sets {
			if err := putSet(tx, set, b.At); err != nil {
				return err
			}
		}
		if len(b.Removed) == 0 {
			return nil
		}
		return tx.Exec("DELETE FROM code_sets WHERE slug IN ?", b.Removed).Error
	})
}

func (b Batch) apply(tx *gorm.DB, c Edit) error {
	if c.After == nil {
		return b.putAside(tx, c.Before.ID)
	}
	d := c.After
	if d.ID == "" {
		d.ID = NewID()
	}
	for i := range d.Keys { // before the device, which names them
		if d.Keys[i].ID == "" {
			d.Keys[i].ID = NewID()
		}
	}
	if err := b.putDevice(tx, c); err != nil {
		return err
	}
	if c.Before != nil && c.Before.Slug != d.Slug {
		if err := tx.Exec("INSERT INTO old_slugs (slug, device_id) VALUES (?, ?) ON CONFLICT DO UPDATE SET device_id "+
			"= excluded.device_id", c.Before.Slug, d.ID).Error; err != nil {
			return err
		}
	}
	if err := tx.Exec("DELETE FROM old_slugs WHERE slug = ?", d.Slug).Error; err != nil {
		return err
	}
	if err := b.putPicture(tx, c); err != nil {
		return err
	}
	before := []device.Key{}
	if c.Before != nil {
		before = c.Before.Keys
	}
	return b.putKeys(tx, d, before)
}

func (b Batch) putPicture(tx *gorm.DB, c Edit) error {
	switch {
	case c.Picture != nil:
		return tx.Exec("INSERT INTO pictures VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET type = excluded.type, data = "+
			"excluded.data", c.After.ID, c.Picture.Type, c.Picture.Data).Error
	case c.Before != nil && c.Before.Picture != "" && c.After.Picture == "":
		return tx.Exec("DELETE FROM pictures WHERE device_id = ?", c.After.ID).Error
	}
	return nil
}

func (b Batch) putDevice(tx *gorm.DB, c Edit) error {
	d := c.After
	row := deviceRow{ID: d.ID, Slug: d.Slug, Name: d.Name, Kind: d.Kind, Maker: d.Maker, Model: d.Model,
		Transmitter: d.Transmitter.String(), RoomID: orNull(d.RoomID), Picture: d.Picture,
		CreatedMS: millis(b.At), ChangedMS: millis(b.At)}
	var err error
	if row.Traits, err = WriteDocument(traitsVersion, d.Traits); err != nil {
		return err
	}
	if row.Sending, err = writeSending(d); err != nil {
		return err
	}
	if row.Extra, err = writeText(d.Extra, len(d.Extra) == 0); err != nil {
		return err
	}
	if err := b.keepUnread(tx, c, &row); err != nil {
		return err
	}
	return tx.Table("devices").Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "id"}},
		UpdateAll: true}).Create(&row).Error
}

// traitsVersion of the document of a device's traits.
const traitsVersion = 1

// keepUnread leaves the parts of a device that cannot be read as they are. One that is given anew is set aside.
func (b Batch) keepUnread(tx *gorm.DB, c Edit, row *deviceRow) error {
	if c.Before == nil {
		return nil
	}
	was, is := c.Before, c.After
	for part, text := range was.Unread {
		anew, column := false, (*string)(nil)
		switch part {
		case device.PartTraits:
			anew, column = !reflect.DeepEqual(was.Traits, is.Traits), &row.Traits
		case device.PartSending:
			anew = !slices.Equal(was.Also, is.Also) || was.Verify != is.Verify ||
				!slices.Equal(was.Sensors, is.Sensors) || !maps.Equal(keySending(was), keySending(is))
			column = &row.Sending
		case device.PartExtra:
			anew, column = !reflect.DeepEqual(was.Extra, is.Extra), &row.Extra
		}
		if !anew {
			*column = text
			continue
		}
		if err := putAside(tx, Aside{Kind: string(part), Owner: is.ID, Document: text, At: b.At}); err != nil {
			return err
		}
		is.Unread = maps.Clone(is.Unread)
		delete(is.Unread, part)
	}
	return nil
}

func (b Batch) putKeys(tx *gorm.DB, d *device.Device, before []device.Key) error {
	at := func(id string) int {
		return slices.IndexFunc(before, func(k device.Key) bool { return k.ID == id })
	}
	for _, k := range before {
		if !slices.ContainsFunc(d.Keys, func(n device.Key) bool { return n.ID == k.ID }) {
			if err := tx.Exec("DELETE FROM keys WHERE id = ?", k.ID).Error; err != nil {
				return err
			}
		}
	}
	for _, k := range d.Keys { // out of each other's way: names may be swapped
		if i := at(k.ID); i >= 0 && before[i].Name != k.Name {
			if err := tx.Exec("UPDATE keys SET name = 'moving ' || id WHERE id = ?", k.ID).Error; err != nil {
				return err
			}
		}
	}
	for place := range d.Keys {
		var old *device.Key
		i := at(d.Keys[place].ID)
		if i >= 0 {
			old = &before[i]
		}
		if i == place && reflect.DeepEqual(*old, d.Keys[place]) {
			continue
		}
		if err := b.putKey(tx, d, place, old); err != nil {
			return err
		}
	}
	return nil
}

// putKey writes the key at a place of a device, and the codes that it did not have before.
func (b Batch) putKey(tx *gorm.DB, d *device.Device, place int, old *device.Key) error {
	k := &d.Keys[place]
	replaces := 0
	if old != nil {
		replaces = old.Version
	}
	fresh := k.Version == replaces && len(k.Codes) > 0 && (old == nil || !reflect.DeepEqual(old.Codes, k.Codes))
	if fresh {
		if err := tx.Raw("SELECT coalesce(max(version), 0) + 1 FROM codes WHERE key_id = ?",
			k.ID).Scan(&k.Version).Error; err != nil {
			return err
		}
	}
	if old == nil || fresh || k.Version != old.Version {
		k.Changed = fromMillis(millis(b.At))
	}
	row := keyRow{ID: k.ID, DeviceID: d.ID, Name: k.Name, Position: place, Hold: string(k.Hold), Version: k.Version,
		ChangedMS: millis(k.Changed)}
	var err error
	if row.Extra, err = writeText(k.Extra, len(k.Extra) == 0); err != nil {
		return err
	}
	if err := tx.Table("keys").Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "id"}},
		UpdateAll: true}).Create(&row).Error; err != nil {
		return err
	}
	if old == nil && len(k.Follows) > 0 || old != nil && !reflect.DeepEqual(old.Follows, k.Follows) {
		if err := b.putHeard(tx, *k); err != nil {
			return err
		}
	}
	if !fresh {
		return nil
	}
	for i, c := range k.Codes {
		row, err := newCodeRow(c, b.Identify(c), b.At)
		if err != nil {
			return err
		}
		row.KeyID, row.Version, row.Position, row.Replaces = k.ID, k.Version, i, replaces
		if err := tx.Table("codes").Create(&row).Error; err != nil {
			return err
		}
	}
	return nil
}
