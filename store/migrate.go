package store

import (
	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/gorm"
)

// migrations only ever go forward, and one that has been released is never changed: add another.
var migrations = []*gormigrate.Migration{
	{ID: "0001-first", Migrate: func(tx *gorm.DB) error {
		return tx.AutoMigrate(&Room{}, &Device{}, &Key{}, &Code{}, &Capture{}, &Press{}, &Entry{}, &Token{}, &Session{})
	}},
	{ID: "0002-turns", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&Turn{}) }},
	// New columns only, each with a default: where the first migration made them already, nothing is left to do.
	{ID: "0003-signals", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&Code{}, &Capture{}) }},
	{ID: "0004-lessons", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&Lesson{}, &OldSlug{}) }},
	{ID: "0005-packs", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&Device{}, &Key{}, &Code{}) }},
	{ID: "0006-shelf", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&CodeSet{}, &Audition{}) }},
	{ID: "0007-traits", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&Device{}, &Key{}, &Code{}, &Picture{}) }},
	{ID: "0008-identity", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&Code{}, &Indexed{}) }},
}

// models are all tables as they are now.
var models = []any{&Room{}, &Device{}, &OldSlug{}, &Picture{}, &Key{}, &Code{}, &Indexed{}, &CodeSet{}, &Capture{}, &Press{}, &Entry{}, &Token{}, &Session{},
	&Turn{}, &Lesson{}, &Audition{}}

func migrate(db *gorm.DB) error {
	m := gormigrate.New(db, &gormigrate.Options{TableName: "migrations", IDColumnName: "id", IDColumnSize: 80, UseTransaction: true}, migrations)
	m.InitSchema(func(tx *gorm.DB) error { return tx.AutoMigrate(models...) }) // a new database has nothing to go through
	return m.Migrate()
}
