package store

import (
	"context"
	"fmt"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// TakeTurn gives the next value of a field that changes with every press, from 0 up to but without limit, and then
// from 0 again. The value after it is on disk when TakeTurn returns, so that none is ever given twice, whatever
// happens afterwards.
func (s *Store) TakeTurn(ctx context.Context, deviceID, sheet, field string, limit int64) (int64, error) {
	var value int64
	err := s.Change(ctx, func(tx *gorm.DB) error {
		row := Turn{DeviceID: deviceID, Sheet: sheet, Field: field}
		if err := tx.Where(&row).FirstOrInit(&row).Error; err != nil {
			return err
		}
		value = row.Next % limit
		row.Next = (value + 1) % limit
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error
	})
	if err != nil {
		return 0, fmt.Errorf("take the next %s of %s: %w", field, sheet, err)
	}
	return value, nil
}
