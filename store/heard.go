package store

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"gorm.io/gorm"

	"urbo/core/device"
)

// heard is migration 0014: codes of other handsets that count as presses of a key, and are never sent. counter and
// at_ms are what a rolling one said last, and when.
func heard(tx *gorm.DB) error { return execute(tx, heardTables) }

var heardTables = []string{
	`CREATE TABLE heard (key_id TEXT NOT NULL REFERENCES keys(id) ON DELETE CASCADE, position INTEGER NOT NULL,
		sheet TEXT NOT NULL, identity TEXT NOT NULL, train TEXT NOT NULL, code TEXT NOT NULL,
		counter INTEGER NOT NULL DEFAULT -1, at_ms INTEGER NOT NULL DEFAULT 0, PRIMARY KEY (key_id, position))`,
	`CREATE INDEX heard_identity ON heard (identity)`,
}

type heardRow struct {
	KeyID    string `gorm:"primaryKey"`
	Position int    `gorm:"primaryKey;autoIncrement:false"`
	Sheet    string
	Identity string
	Train    string
	Code     string
	Counter  int64
	AtMS     int64 `gorm:"column:at_ms"`
}

// readHeard reads what the keys of a device follow, by their ids.
func readHeard(tx *gorm.DB, deviceID string, trouble func(string, error)) (map[string][]device.Code, error) {
	var rows []heardRow
	err := tx.Raw("SELECT h.* FROM heard h JOIN keys k ON k.id = h.key_id WHERE k.device_id = ? ORDER BY h.position",
		deviceID).Scan(&rows).Error
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	out := map[string][]device.Code{}
	for _, row := range rows {
		var c device.Code
		err := errors.Join(json.Unmarshal([]byte(row.Code), &c), json.Unmarshal([]byte(row.Train), &c.Train))
		if trouble("a code that is followed", err); err == nil {
			out[row.KeyID] = append(out[row.KeyID], c)
		}
	}
	return out, nil
}

// putHeard writes what a key follows. What a handset counted last stays known.
func (b Batch) putHeard(tx *gorm.DB, k device.Key) error {
	var were []heardRow
	if err := tx.Table("heard").Where("key_id = ?", k.ID).Find(&were).Error; err != nil {
		return err
	}
	if err := tx.Exec("DELETE FROM heard WHERE key_id = ?", k.ID).Error; err != nil {
		return err
	}
	for i, c := range k.Follows {
		code, err := json.Marshal(c)
		if err != nil {
			return err
		}
		train, err := json.Marshal(c.Train)
		if err != nil {
			return err
		}
		row := heardRow{KeyID: k.ID, Position: i, Sheet: c.Sheet, Identity: b.Identify(c), Train: string(train),
			Code: string(code), Counter: -1}
		for _, was := range were {
			if was.Identity == row.Identity {
				row.Counter, row.AtMS = was.Counter, was.AtMS
			}
		}
		if err := tx.Table("heard").Create(&row).Error; err != nil {
			return err
		}
	}
	return nil
}

// reindexHeard works the identities of what is followed out anew.
func reindexHeard(tx *gorm.DB, sheet string, identify func(device.Code) string) error {
	var rows []heardRow
	if err := tx.Table("heard").Where("sheet = ?", sheet).Find(&rows).Error; err != nil {
		return err
	}
	for _, row := range rows {
		var c device.Code
		if json.Unmarshal([]byte(row.Code), &c) != nil {
			continue // it is set aside where it is read
		}
		if err := tx.Exec("UPDATE heard SET identity = ? WHERE key_id = ? AND position = ?", identify(c), row.KeyID,
			row.Position).Error; err != nil {
			return err
		}
	}
	return nil
}

// Count notes what a followed handset counted in a press that began at a time. It tells what it had counted before,
// −1 where that is not known or the press is older than what is known.
func (r Devices) Count(ctx context.Context, identity string, counter int64, at time.Time) (before int64, err error) {
	err = r.store.change(ctx, func(tx *gorm.DB) error {
		before = -1
		var rows []heardRow
		if err := tx.Table("heard").Where("identity = ?", identity).Find(&rows).Error; err != nil {
			return err
		}
		if slices.ContainsFunc(rows, func(r heardRow) bool { return r.AtMS > millis(at) }) {
			return nil
		}
		for _, row := range rows {
			before = max(before, row.Counter)
		}
		return tx.Exec("UPDATE heard SET counter = ?, at_ms = ? WHERE identity = ?", counter, millis(at),
			identity).Error
	})
	return before, err
}
