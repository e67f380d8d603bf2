package store

import (
	"context"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// runTables are what migration 0019 adds: sequences, the runs that are under way, and the controls that are held.
var runTables = []string{`CREATE TABLE sequences (id TEXT PRIMARY KEY, slug TEXT NOT NULL UNIQUE, name TEXT NOT NULL,
	document TEXT NOT NULL)`,
	`CREATE TABLE runs (id TEXT PRIMARY KEY, document TEXT NOT NULL, state TEXT NOT NULL)`,
	`CREATE TABLE holds (id TEXT PRIMARY KEY, document TEXT NOT NULL)`}

// runs is migration 0019.
func runs(tx *gorm.DB) error { return execute(tx, runTables) }

// Run is a run that is under way: what it runs, and how far it is.
type Run struct{ ID, Document, State string }

// HeldControl is a control that is held.
type HeldControl struct{ ID, Document string }

// Runs reads the runs that are under way, the oldest first.
func (s *Store) Runs(ctx context.Context) ([]Run, error) {
	var out []Run
	err := s.read.WithContext(ctx).Table("runs").Order("rowid").Find(&out).Error
	return out, Explain(err)
}

// PutRun adds a run.
func (s *Store) PutRun(ctx context.Context, r Run) error {
	return s.change(ctx, func(tx *gorm.DB) error { return tx.Table("runs").Create(&r).Error })
}

// PutRunState keeps how far a run is.
func (s *Store) PutRunState(ctx context.Context, id, state string) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		return tx.Exec("UPDATE runs SET state = ? WHERE id = ?", state, id).Error
	})
}

// RemoveRun removes a run that is over.
func (s *Store) RemoveRun(ctx context.Context, id string) error {
	return s.change(ctx, func(tx *gorm.DB) error { return tx.Exec("DELETE FROM runs WHERE id = ?", id).Error })
}

// Holds reads the controls that are held, the oldest first.
func (s *Store) Holds(ctx context.Context) ([]HeldControl, error) {
	var out []HeldControl
	err := s.read.WithContext(ctx).Table("holds").Order("rowid").Find(&out).Error
	return out, Explain(err)
}

// PutHolds adds or changes holds, and removes those that are over, in one transaction.
func (s *Store) PutHolds(ctx context.Context, put []HeldControl, over []string) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		if len(put) > 0 {
			err := tx.Table("holds").Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "id"}},
				UpdateAll: true}).Create(&put).Error
			if err != nil {
				return err
			}
		}
		if len(over) == 0 {
			return nil
		}
		return tx.Exec("DELETE FROM holds WHERE id IN ?", over).Error
	})
}
