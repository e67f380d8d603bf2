package store

import (
	"context"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// errandTables are what migration 0024 adds: errands, and how far each of them is.
var errandTables = []string{
	`CREATE TABLE errands (id TEXT PRIMARY KEY, slug TEXT NOT NULL UNIQUE, name TEXT NOT NULL, document TEXT NOT NULL)`,
	`CREATE TABLE errand_states (id TEXT PRIMARY KEY, document TEXT NOT NULL)`,
}

// errands is migration 0024.
func errands(tx *gorm.DB) error { return execute(tx, errandTables) }

// Errands are the errands of the house.
func (s *Store) Errands() NamedTable { return NamedTable{s, "errands"} }

// ErrandState is how far an errand is, as a document.
type ErrandState struct{ ID, Document string }

// ErrandStates reads how far all errands are.
func (s *Store) ErrandStates(ctx context.Context) ([]ErrandState, error) {
	var out []ErrandState
	err := s.read.WithContext(ctx).Table("errand_states").Find(&out).Error
	return out, Explain(err)
}

// PutErrandState keeps how far an errand is.
func (s *Store) PutErrandState(ctx context.Context, e ErrandState) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		return tx.Table("errand_states").Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "id"}},
			UpdateAll: true}).Create(&e).Error
	})
}

// RemoveErrandState forgets how far an errand is.
func (s *Store) RemoveErrandState(ctx context.Context, id string) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		return tx.Exec("DELETE FROM errand_states WHERE id = ?", id).Error
	})
}
