package store

import (
	"context"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// groupTables are what migration 0018 adds: named lists of devices and groups.
var groupTables = []string{`CREATE TABLE groups (id TEXT PRIMARY KEY, slug TEXT NOT NULL UNIQUE, name TEXT NOT NULL,
	document TEXT NOT NULL)`}

// groups is migration 0018.
func groups(tx *gorm.DB) error { return execute(tx, groupTables) }

// Named is a thing that is kept as a document, under a slug of its own.
type Named struct{ ID, Slug, Name, Document string }

// Groups reads all groups by slug.
func (s *Store) Groups(ctx context.Context) ([]Named, error) {
	var out []Named
	err := s.read.WithContext(ctx).Table("groups").Order("slug").Find(&out).Error
	return out, Explain(err)
}

// PutGroup adds or changes a group. The error wraps ErrDuplicate where its slug is taken.
func (s *Store) PutGroup(ctx context.Context, n Named) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		return tx.Table("groups").Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "id"}},
			UpdateAll: true}).Create(&n).Error
	})
}

// RemoveGroup removes a group.
func (s *Store) RemoveGroup(ctx context.Context, id string) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		return tx.Exec("DELETE FROM groups WHERE id = ?", id).Error
	})
}
