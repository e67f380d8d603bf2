package store

import (
	"context"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Named is a thing that is kept as a document, under a slug of its own.
type Named struct{ ID, Slug, Name, Document string }

// NamedTable is the named things of one kind.
type NamedTable struct {
	store *Store
	table string
}

// Groups are the groups of the house.
func (s *Store) Groups() NamedTable { return NamedTable{s, "groups"} }

// Sequences are the sequences of the house.
func (s *Store) Sequences() NamedTable { return NamedTable{s, "sequences"} }

// Occasions are the occasions of the house.
func (s *Store) Occasions() NamedTable { return NamedTable{s, "occasions"} }

// Boards are the boards of the house.
func (s *Store) Boards() NamedTable { return NamedTable{s, "boards"} }

// All reads them, by slug.
func (t NamedTable) All(ctx context.Context) ([]Named, error) {
	var out []Named
	err := t.store.read.WithContext(ctx).Table(t.table).Order("slug").Find(&out).Error
	return out, Explain(err)
}

// Put adds or changes one. The error wraps ErrDuplicate where its slug is taken.
func (t NamedTable) Put(ctx context.Context, n Named) error {
	return t.store.change(ctx, func(tx *gorm.DB) error {
		return tx.Table(t.table).Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "id"}},
			UpdateAll: true}).Create(&n).Error
	})
}

// Remove removes one.
func (t NamedTable) Remove(ctx context.Context, id string) error {
	return t.store.change(ctx, func(tx *gorm.DB) error {
		return tx.Exec("DELETE FROM "+t.table+" WHERE id = ?", id).Error
	})
}
