package store

import (
	"context"
	"fmt"

	"gorm.io/gorm"
)

// TakeTurn tells the next value of a field that changes with every press, from 0 up to but without limit, and then from
// 0 again. The value after it is on disk when TakeTurn returns, so that none is ever told twice, whatever happens
// afterwards.
func (s *Store) TakeTurn(ctx context.Context, deviceID, sheet, field string, limit int64) (int64, error) {
	var value int64
	err := s.change(ctx, func(tx *gorm.DB) error {
		var next []int64
		if err := tx.Raw("SELECT next FROM turns WHERE device_id = ? AND sheet = ? AND field = ?", deviceID, sheet,
			field).Scan(&next).Error; err != nil {
			return err
		}
		if len(next) > 0 {
			value = next[0] % limit
		}
		return tx.Exec("INSERT INTO turns VALUES (?, ?, ?, ?) ON CONFLICT DO UPDATE SET next = excluded.next", deviceID,
			sheet, field, (value+1)%limit).Error
	})
	if err != nil {
		return 0, fmt.Errorf("take the next %s of %s: %w", field, sheet, err)
	}
	return value, nil
}

// PutTurn says which value of a field comes next: a handset was heard to send the one before.
func (s *Store) PutTurn(ctx context.Context, deviceID, sheet, field string, next int64) error {
	err := s.change(ctx, func(tx *gorm.DB) error {
		return tx.Exec("INSERT INTO turns VALUES (?, ?, ?, ?) ON CONFLICT DO UPDATE SET next = excluded.next "+
			"WHERE next <> excluded.next", deviceID, sheet, field, next).Error
	})
	if err != nil {
		return fmt.Errorf("note the next %s of %s: %w", field, sheet, err)
	}
	return nil
}
