// Package store keeps what must last in one SQLite file: models, migrations, and the few shared ways to read and
// write. One connection writes, several read.
package store

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"

	"github.com/rs/xid"
	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
	lite "modernc.org/sqlite"
	codes "modernc.org/sqlite/lib"
)

// File is the name of the database inside the data directory.
const File = "urbo.db"

// Errors that callers ask for.
var (
	ErrNotFound  = errors.New("not there")
	ErrDuplicate = errors.New("already there")
)

// Store is an open database.
type Store struct {
	write *gorm.DB
	read  *gorm.DB
}

// Open opens, or makes, the database in a directory and brings its tables up to date.
func Open(dir string) (*Store, error) {
	path := filepath.Join(dir, File)
	// Only the user that runs the service may read it: it holds hashes and habits.
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("open database: %w", err)
	}
	if err := f.Close(); err != nil {
		return nil, fmt.Errorf("open database: %w", err)
	}
	write, err := connect(path, 1)
	if err != nil {
		return nil, err
	}
	if err := migrate(write); err != nil {
		_ = closeDB(write)
		return nil, fmt.Errorf("open database %s: %w", path, err)
	}
	read, err := connect(path, max(2, runtime.NumCPU()))
	if err != nil {
		_ = closeDB(write)
		return nil, err
	}
	return &Store{write: write, read: read}, nil
}

func connect(path string, connections int) (*gorm.DB, error) {
	pragmas := []string{"journal_mode(WAL)", "synchronous(FULL)", "foreign_keys(ON)", "busy_timeout(5000)"}
	dsn := "file:" + strings.NewReplacer("?", "%3f", "#", "%23", "%", "%25").Replace(path) + "?_txlock=immediate&_pragma=" + strings.Join(pragmas, "&_pragma=")
	db, err := gorm.Open(sqlite.Dialector{DriverName: "sqlite", DSN: dsn}, &gorm.Config{
		Logger:                 logger.Discard, // every error is returned, and said by whoever asked
		SkipDefaultTransaction: true,
	})
	if err != nil {
		return nil, fmt.Errorf("open database %s: %w", path, err)
	}
	raw, err := db.DB()
	if err != nil {
		return nil, fmt.Errorf("open database %s: %w", path, err)
	}
	raw.SetMaxOpenConns(connections)
	raw.SetMaxIdleConns(connections)
	return db, nil
}

// Close flushes and closes the database.
func (s *Store) Close() error {
	return errors.Join(closeDB(s.read), closeDB(s.write))
}

func closeDB(db *gorm.DB) error {
	raw, err := db.DB()
	if err != nil {
		return err
	}
	return raw.Close()
}

// Read runs queries on a reading connection.
func (s *Store) Read(ctx context.Context) *gorm.DB { return s.read.WithContext(ctx) }

// Change runs f in one transaction on the writing connection. Errors come back as ErrNotFound or ErrDuplicate where
// they are that.
func (s *Store) Change(ctx context.Context, f func(tx *gorm.DB) error) error {
	return Explain(s.write.WithContext(ctx).Transaction(f))
}

// Explain turns the database's errors into this package's.
func Explain(err error) error {
	var e *lite.Error
	switch {
	case err == nil:
		return nil
	case errors.Is(err, gorm.ErrRecordNotFound):
		return fmt.Errorf("%w: %w", ErrNotFound, err)
	case errors.As(err, &e) && (e.Code() == codes.SQLITE_CONSTRAINT_UNIQUE || e.Code() == codes.SQLITE_CONSTRAINT_PRIMARYKEY):
		return fmt.Errorf("%w: %w", ErrDuplicate, err)
	}
	return err
}

// NewID makes an opaque id that sorts by time.
func NewID() string { return xid.New().String() }
