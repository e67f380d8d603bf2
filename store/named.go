package store

import (
	"context"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Named is a thing that is kept as a document, under a slug of its own.
type Named struct{ ID, Slug, Name, Document string }

// named reads all rows of a table of named things, by slug.
func (s *Store) named(ctx context.Context, table string) ([]Named, error) {
	var out []Named
	err := s.read.WithContext(ctx).Table(table).Order("slug").Find(&out).Error
	return out, Explain(err)
}

// putNamed adds or changes a row. The error wraps ErrDuplicate where its slug is taken.
func (s *Store) putNamed(ctx context.Context, table string, n Named) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		return tx.Table(table).Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "id"}},
			UpdateAll: true}).Create(&n).Error
	})
}

// removeRow removes a row by its id.
func (s *Store) removeRow(ctx context.Context, table, id string) error {
	return s.change(ctx, func(tx *gorm.DB) error { return tx.Exec("DELETE FROM "+table+" WHERE id = ?", id).Error })
}
