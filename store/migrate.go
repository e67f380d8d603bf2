package store

import (
	"fmt"
	"os"
	"slices"

	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/gorm"

	v8 "urbo/store/v8"
)

// migrations only ever go forward, and one that has been released is never changed: add another.
var migrations = []*gormigrate.Migration{
	{ID: "0001-first", Migrate: func(tx *gorm.DB) error {
		return tx.AutoMigrate(&v8.Room{}, &v8.Device{}, &v8.Key{}, &v8.Code{}, &v8.Capture{}, &v8.Press{}, &v8.Entry{},
			&v8.Token{}, &v8.Session{})
	}},
	{ID: "0002-turns", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&v8.Turn{}) }},
	// New columns only, each with a default: where the first migration made them already, nothing is left to do.
	{ID: "0003-signals", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&v8.Code{}, &v8.Capture{}) }},
	{ID: "0004-lessons", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&v8.Lesson{}, &v8.OldSlug{}) }},
	{ID: "0005-packs", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&v8.Device{}, &v8.Key{}, &v8.Code{}) }},
	{ID: "0006-shelf", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&v8.CodeSet{}, &v8.Audition{}) }},
	{ID: "0007-traits", Migrate: func(tx *gorm.DB) error {
		return tx.AutoMigrate(&v8.Device{}, &v8.Key{}, &v8.Code{}, &v8.Picture{})
	}},
	{ID: "0008-identity", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&v8.Code{}, &v8.Indexed{}) }},
	{ID: "0009-floor", Migrate: floor},
	{ID: "0010-doors", Migrate: doors},
	{ID: "0011-stations", Migrate: stations},
	{ID: "0012-sending", Migrate: sending},
	{ID: "0013-beliefs", Migrate: beliefs},
	{ID: "0014-heard", Migrate: heard},
	{ID: "0015-ids", Migrate: ids},
	{ID: "0016-people", Migrate: people},
	{ID: "0017-log", Migrate: beliefLog},
	{ID: "0018-groups", Migrate: groups},
	{ID: "0019-runs", Migrate: runs},
	{ID: "0020-history", Migrate: history},
	{ID: "0021-words", Migrate: words},
	{ID: "0022-users", Migrate: users},
	{ID: "0023-occasions", Migrate: occasions},
	{ID: "0024-errands", Migrate: errands},
	{ID: "0025-measurements", Migrate: measurements},
}

const migrationTable = "migrations"

func migrate(db *gorm.DB) error {
	m := gormigrate.New(db, &gormigrate.Options{TableName: migrationTable, IDColumnName: "id", IDColumnSize: 80,
		UseTransaction: true}, migrations)
	// a new database has nothing to go through
	m.InitSchema(func(tx *gorm.DB) error {
		err := execute(tx,
			slices.Concat(floorTables, doorTables, stationTables, sendingColumns, beliefTables, heardTables, idTables,
				dropRoomNames, peopleTables, beliefLogTables,
				groupTables, runTables, historyTables, wordTables, userColumns, occasionTables,
				errandTables, measurementTables))
		if err != nil {
			return err
		}
		return firstOwner(tx)
	})
	return m.Migrate()
}

// checkVersion refuses a database that a newer version has written to: what it does not know it would spoil.
func checkVersion(db *gorm.DB) error {
	if !db.Migrator().HasTable(migrationTable) {
		return nil
	}
	var done []string
	if err := db.Table(migrationTable).Pluck("id", &done).Error; err != nil {
		return err
	}
	for _, id := range done {
		known := id == "SCHEMA_INIT" || slices.ContainsFunc(migrations,
			func(m *gormigrate.Migration) bool { return m.ID == id })
		if !known {
			return fmt.Errorf("%w: it has %q: update Urbo, or name another directory with --data", ErrNewer, id)
		}
	}
	return nil
}

// keepCopy copies a database that is about to be moved over: "urbo.db.before-0009-floor". An older version can go on
// with the copy.
func keepCopy(db *gorm.DB, path string) error {
	var done int64
	if !db.Migrator().HasTable(migrationTable) {
		return nil
	}
	newest := migrations[len(migrations)-1].ID
	if err := db.Table(migrationTable).Where("id = ?", newest).Count(&done).Error; err != nil || done > 0 {
		return err
	}
	copied := path + ".before-" + newest
	f, err := os.OpenFile(copied, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return fmt.Errorf("copy the database before it is moved over: %w", err)
	}
	if err := f.Close(); err != nil {
		return fmt.Errorf("copy the database before it is moved over: %w", err)
	}
	if err := db.Exec("VACUUM INTO ?", copied).Error; err != nil {
		return fmt.Errorf("copy the database before it is moved over: %w", err)
	}
	return nil
}

func execute(tx *gorm.DB, statements []string) error {
	for _, s := range statements {
		if err := tx.Exec(s).Error; err != nil {
			return fmt.Errorf("%w, in: %.60s", err, s)
		}
	}
	return nil
}
