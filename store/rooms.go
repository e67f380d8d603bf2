package store

import (
	"context"
	"fmt"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Room is a place in the home. Devices and stations point to it by its id, so that renaming it costs one row.
type Room struct {
	ID   string
	Slug string // by which spellings are told apart
	Name string
}

// Rooms lists the rooms by name.
func (s *Store) Rooms(ctx context.Context) ([]Room, error) {
	var rows []roomRow
	err := s.read.WithContext(ctx).Table("rooms").Order("name, id").Find(&rows).Error
	out := make([]Room, len(rows))
	for i, r := range rows {
		out[i] = Room(r)
	}
	return out, Explain(err)
}

// PutRoom adds a room or changes its name. The error wraps ErrDuplicate where another one is spelled like it.
func (s *Store) PutRoom(ctx context.Context, r Room) error {
	row := roomRow(r)
	err := s.change(ctx, func(tx *gorm.DB) error {
		return tx.Table("rooms").Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "id"}},
			UpdateAll: true}).Create(&row).Error
	})
	if err != nil {
		return fmt.Errorf("keep room %s: %w", r.Name, err)
	}
	return nil
}

// RemoveRoom removes a room that nothing is in. Devices and stations that were removed are in no room then.
func (s *Store) RemoveRoom(ctx context.Context, id string) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		for _, table := range []string{"devices", "stations"} {
			if err := tx.Exec("UPDATE "+table+" SET room_id = NULL WHERE room_id = ? AND removed_ms IS NOT NULL",
				id).Error; err != nil {
				return err
			}
		}
		return tx.Exec("DELETE FROM rooms WHERE id = ?", id).Error
	})
}
