package store

import (
	"context"

	"gorm.io/gorm"
)

// doorTables are what migration 0010 adds: sessions that can be listed and ended, devices that can be brought back, and
// the house's own id.
var doorTables = []string{
	`ALTER TABLE sessions ADD COLUMN id TEXT NOT NULL DEFAULT ''`,
	`ALTER TABLE sessions ADD COLUMN agent TEXT NOT NULL DEFAULT ''`,
	`ALTER TABLE sessions ADD COLUMN created_ms INTEGER NOT NULL DEFAULT 0`,
	`ALTER TABLE sessions ADD COLUMN used_ms INTEGER`,
	`ALTER TABLE sessions ADD COLUMN used_from TEXT NOT NULL DEFAULT ''`,
	`UPDATE sessions SET id = lower(hex(randomblob(4)))`,
	`CREATE UNIQUE INDEX session_id ON sessions (id)`,
	`ALTER TABLE tokens ADD COLUMN used_from TEXT NOT NULL DEFAULT ''`,
	`ALTER TABLE devices ADD COLUMN removed_ms INTEGER`, // NULL for those that are there
	`CREATE TABLE house (name TEXT PRIMARY KEY, value TEXT NOT NULL)`,
}

// doors makes the tables of 0010.
func doors(tx *gorm.DB) error { return execute(tx, doorTables) }

// HouseText reads a text of the house, "" where there is none of a name.
func (s *Store) HouseText(ctx context.Context, name string) (text string, err error) {
	err = s.read.WithContext(ctx).Raw("SELECT value FROM house WHERE name = ?", name).Scan(&text).Error
	return text, Explain(err)
}

// PutHouseText keeps a text of the house.
func (s *Store) PutHouseText(ctx context.Context, name, text string) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		return tx.Exec("INSERT INTO house VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value", name,
			text).Error
	})
}

// HouseID is a short id that this database alone has. It is made when it is first asked for.
func (s *Store) HouseID(ctx context.Context) (string, error) {
	find := func(db *gorm.DB) (id string, err error) {
		err = db.Raw("SELECT value FROM house WHERE name = 'id'").Scan(&id).Error
		return id, err
	}
	id, err := find(s.read.WithContext(ctx))
	if err != nil || id != "" {
		return id, Explain(err)
	}
	err = s.change(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("INSERT INTO house VALUES ('id', lower(hex(randomblob(4)))) ON CONFLICT DO " +
			"NOTHING").Error; err != nil {
			return err
		}
		id, err = find(tx)
		return err
	})
	return id, err
}
