package store

import (
	"context"
	"strings"
	"time"

	"gorm.io/gorm"
)

// A removed device keeps its rows, with all versions of what its keys sent, until it is purged. Its slug is free for
// others: the row has the id behind it.

// RemovedDevice is a device that can still be brought back.
type RemovedDevice struct {
	ID, Slug, Name, RoomID, Kind string
	Keys                         int
	At                           time.Time
}

// putAside takes a device out of the library.
func (b Batch) putAside(tx *gorm.DB, id string) error {
	return tx.Exec("UPDATE devices SET slug = slug || ' ' || id, removed_ms = ? WHERE id = ?", millis(b.At), id).Error
}

// Removed lists the devices that can be brought back, the last removed first.
func (r Devices) Removed(ctx context.Context) ([]RemovedDevice, error) {
	var rows []struct {
		ID, Slug, Name, RoomID, Kind string
		Keys                         int
		RemovedMS                    int64 `gorm:"column:removed_ms"`
	}
	err := r.store.read.WithContext(ctx).Raw(`SELECT d.id, d.slug, d.name, coalesce(d.room_id, '') AS room_id, d.kind,
		d.removed_ms,
		(SELECT count(*) FROM keys k WHERE k.device_id = d.id) AS keys
		FROM devices d WHERE d.removed_ms IS NOT NULL ORDER BY d.removed_ms DESC, d.id DESC`).Scan(&rows).Error
	out := make([]RemovedDevice, len(rows))
	for i, row := range rows {
		slug, _, _ := strings.Cut(row.Slug, " ")
		out[i] = RemovedDevice{row.ID, slug, row.Name, row.RoomID, row.Kind, row.Keys, fromMillis(row.RemovedMS)}
	}
	return out, Explain(err)
}

// BringBack puts a removed device into the library again, under a slug that is free. Errors wrap ErrNotFound or
// ErrDuplicate.
func (r Devices) BringBack(ctx context.Context, id, slug string) error {
	return r.store.change(ctx, func(tx *gorm.DB) error {
		result := tx.Exec("UPDATE devices SET slug = ?, removed_ms = NULL WHERE id = ? AND removed_ms IS NOT NULL",
			slug, id)
		if result.Error == nil && result.RowsAffected == 0 {
			return gorm.ErrRecordNotFound
		}
		return result.Error
	})
}

// Purge forgets the devices that were removed before a time.
func (r Devices) Purge(ctx context.Context, before time.Time) error {
	var old int64
	if err := r.store.read.WithContext(ctx).Raw("SELECT count(*) FROM devices WHERE removed_ms < ?",
		millis(before)).Scan(&old).Error; err != nil || old == 0 {
		return Explain(err)
	}
	return r.store.change(ctx, func(tx *gorm.DB) error {
		return tx.Exec("DELETE FROM devices WHERE removed_ms < ?", millis(before)).Error
	})
}
