package store

import (
	"context"

	"gorm.io/gorm"
)

// groupTables are what migration 0018 adds: named lists of devices and groups.
var groupTables = []string{`CREATE TABLE groups (id TEXT PRIMARY KEY, slug TEXT NOT NULL UNIQUE, name TEXT NOT NULL,
	document TEXT NOT NULL)`}

// groups is migration 0018.
func groups(tx *gorm.DB) error { return execute(tx, groupTables) }

// Groups reads all groups by slug.
func (s *Store) Groups(ctx context.Context) ([]Named, error) { return s.named(ctx, "groups") }

// PutGroup adds or changes a group. The error wraps ErrDuplicate where its slug is taken.
func (s *Store) PutGroup(ctx context.Context, n Named) error { return s.putNamed(ctx, "groups", n) }

// RemoveGroup removes a group.
func (s *Store) RemoveGroup(ctx context.Context, id string) error {
	return s.removeRow(ctx, "groups", id)
}
