// Package store keeps what must last in one SQLite file. It alone knows tables, SQL and GORM: one repository for each
// thing takes and gives the types of core. One connection writes, several read.
package store

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"time"

	"github.com/libtnb/sqlite"
	"github.com/rs/xid"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
	lite "modernc.org/sqlite"
	codes "modernc.org/sqlite/lib"

	"urbo/core/fault"
)

// File is the name of the database inside the data directory.
const File = "urbo.db"

// Errors that callers ask for.
var (
	ErrNotFound  = fault.New(fault.NotFound, "not there")
	ErrDuplicate = fault.New(fault.Conflict, "already there")
	ErrNewer     = fault.New(fault.Invalid, "the database was written by a newer version of Urbo")
	ErrFull      = fault.New(fault.Full, "the disk is full: make room, nothing was changed")
	ErrBusy      = fault.New(fault.Later, "another program has the database locked: try again when it has ended")
	ErrDisk      = fault.New(fault.Broken, "the database cannot be used")
)

// patience is how long a writer waits in all for its turn and for a database that another program has locked.
const patience = 5 * time.Second

// Store is an open database.
type Store struct {
	path  string
	write *gorm.DB
	read  *gorm.DB
	turn  chan struct{} // the writer's

	findKeys *sql.Stmt
}

// Size is how large the database's file is, in bytes; 0 where it cannot be seen.
func (s *Store) Size() int64 {
	info, err := os.Stat(s.path)
	if err != nil {
		return 0
	}
	return info.Size()
}

// Open opens, or makes, the database in a directory and brings its tables up to date. A database from a newer version
// is refused with ErrNewer, and not written to.
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
	s := &Store{path: path, turn: make(chan struct{}, 1)}
	if err := s.open(path); err != nil {
		return nil, errors.Join(fmt.Errorf("open database %s: %w", path, Explain(err)), s.Close())
	}
	return s, nil
}

func (s *Store) open(path string) error {
	looking, err := connect(path, 1, "mode=ro")
	if err != nil {
		return err
	}
	if err := errors.Join(checkVersion(looking), closeDB(looking)); err != nil {
		return err
	}
	// Foreign keys are checked from the first change on; while the tables are made, they are not there yet.
	if s.write, err = connect(path, 1, "_txlock=immediate&"+pragmas("foreign_keys(OFF)",
		"legacy_alter_table(ON)")); err != nil {
		return err
	}
	if err := keepCopy(s.write, path); err != nil {
		return err
	}
	if err := migrate(s.write); err != nil {
		return err
	}
	if err := execute(s.write, []string{"PRAGMA legacy_alter_table = OFF", "PRAGMA foreign_keys = ON"}); err != nil {
		return err
	}
	if s.read, err = connect(path, max(2, runtime.NumCPU()), pragmas("foreign_keys(ON)",
		"query_only(ON)")); err != nil {
		return err
	}
	db, err := s.read.DB()
	if err != nil {
		return err
	}
	s.findKeys, err = db.Prepare(findKeys)
	return err
}

func pragmas(more ...string) string {
	all := append([]string{"journal_mode(WAL)", "synchronous(FULL)", fmt.Sprintf("busy_timeout(%d)",
		patience.Milliseconds())}, more...)
	return "_pragma=" + strings.Join(all, "&_pragma=")
}

func connect(path string, connections int, options string) (*gorm.DB, error) {
	raw, err := sql.Open("sqlite", "file:"+strings.NewReplacer("?", "%3f", "#", "%23", "%",
		"%25").Replace(path)+"?"+options)
	if err != nil {
		return nil, err
	}
	raw.SetMaxOpenConns(connections)
	raw.SetMaxIdleConns(connections)
	db, err := gorm.Open(sqlite.New(sqlite.Config{Conn: raw}), &gorm.Config{
		Logger:                 logger.Discard, // every error is returned, and said by whoever asked
		SkipDefaultTransaction: true,
		TranslateError:         true,
	})
	if err != nil {
		return nil, errors.Join(err, raw.Close())
	}
	return db, nil
}

// Close flushes and closes the database.
func (s *Store) Close() error {
	var out error
	if s.findKeys != nil {
		out = s.findKeys.Close()
	}
	for _, db := range []*gorm.DB{s.read, s.write} {
		if db != nil {
			out = errors.Join(out, closeDB(db))
		}
	}
	return out
}

func closeDB(db *gorm.DB) error {
	raw, err := db.DB()
	if err != nil {
		return err
	}
	return raw.Close()
}

// change runs f in one transaction on the writing connection. Whoever gives up before its turn changes nothing; once it
// has begun, it is finished. A writer waits once, for its turn and for other programs together.
func (s *Store) change(ctx context.Context, f func(tx *gorm.DB) error) error {
	patient, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	select {
	case s.turn <- struct{}{}:
		defer func() { <-s.turn }()
	case <-patient.Done():
		return cmp.Or(ctx.Err(), ErrBusy)
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	end, _ := patient.Deadline()
	db := s.write.WithContext(context.WithoutCancel(ctx))
	if err := db.Exec(fmt.Sprintf("PRAGMA busy_timeout = %d", max(time.Until(end).Milliseconds(),
		1))).Error; err != nil {
		return Explain(err)
	}
	return Explain(db.Transaction(f))
}

// Explain turns the database's errors into this package's.
func Explain(err error) error {
	var e *lite.Error
	switch {
	case err == nil:
		return nil
	case errors.Is(err, gorm.ErrRecordNotFound):
		return ErrNotFound
	case errors.Is(err, gorm.ErrDuplicatedKey):
		return ErrDuplicate
	case errors.Is(err, gorm.ErrForeignKeyViolated):
		return ErrNotFound // what it belongs to is gone
	case !errors.As(err, &e):
		return err
	}
	switch e.Code() & 0xff {
	case codes.SQLITE_FULL:
		return fmt.Errorf("%w (%w)", ErrFull, err)
	case codes.SQLITE_BUSY, codes.SQLITE_LOCKED:
		return fmt.Errorf("%w (%w)", ErrBusy, err)
	}
	return fmt.Errorf("%w: %w", ErrDisk, err)
}

// NewID makes an opaque id.
func NewID() string { return xid.New().String() }
