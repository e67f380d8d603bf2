// Package backup copies a whole data directory into one file while the house runs, and puts such a copy in its place
// again: devices, code sets, pictures, lessons, tokens and sessions, the journal, and line sheets of the user's own.
package backup

import (
	"archive/tar"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"

	"urbo/core/fault"
	"urbo/core/line"
	"urbo/service/library"
	"urbo/store"
)

// Format and version of the file: a gzipped tar archive whose first entry is the manifest.
const (
	Format   = "urbo backup"
	Version  = 1
	manifest = "manifest.json"
)

// Bounds of what is read back.
const (
	maxManifest = 1 << 20
	maxDatabase = 2 << 30
	maxSheets   = 2000
)

// ErrBackup is wrapped by every error about a file that is no backup, or a damaged or newer one.
var ErrBackup = fault.New(fault.Invalid, "backup")

// Manifest says what is in a backup.
type Manifest struct {
	Format  string    `json:"format"`
	Version int       `json:"version"`
	Made    time.Time `json:"made"`
	By      string    `json:"by"` // version of Urbo
	Files   []File    `json:"files"`
}

// File is one file of a backup.
type File struct {
	Name   string `json:"name"`
	Size   int64  `json:"size"`
	SHA256 string `json:"sha256"`
}

// Maker makes backups of a house.
type Maker struct {
	Store   *store.Store
	Dir     string // the data directory
	Version string
	Now     func() time.Time
}

// Write writes a backup. The copy of the database is made, and checked, before the first byte goes out.
func (m Maker) Write(ctx context.Context, out io.Writer) error {
	scratch, err := os.MkdirTemp(m.Dir, ".backup-")
	if err != nil {
		return fmt.Errorf("make room for a copy of the database: %w", err)
	}
	defer os.RemoveAll(scratch)
	database := filepath.Join(scratch, store.File)
	if err := m.Store.Snapshot(ctx, database); err != nil {
		return fmt.Errorf("copy the database: %w", err)
	}
	if err := store.Check(database); err != nil {
		return fmt.Errorf("check the copy of the database: %w", err)
	}
	from := map[string]string{store.File: database}
	names := []string{store.File}
	sheets, err := filepath.Glob(filepath.Join(m.Dir, library.SheetDir, "*.yaml"))
	if err != nil {
		return err
	}
	for _, s := range sheets {
		if info, err := os.Stat(s); err == nil && info.Mode().IsRegular() && info.Size() <= line.MaxSheet {
			name := library.SheetDir + "/" + filepath.Base(s)
			from[name], names = s, append(names, name)
		}
	}
	all := Manifest{Format: Format, Version: Version, Made: m.Now().UTC(), By: m.Version}
	for _, name := range names {
		f, err := describe(name, from[name])
		if err != nil {
			return err
		}
		all.Files = append(all.Files, f)
	}
	return write(out, all, from)
}

func describe(name, path string) (File, error) {
	f, err := os.Open(path)
	if err != nil {
		return File{}, err
	}
	defer f.Close()
	sum := sha256.New()
	n, err := io.Copy(sum, f)
	return File{name, n, hex.EncodeToString(sum.Sum(nil))}, err
}

func write(out io.Writer, all Manifest, from map[string]string) error {
	zip := gzip.NewWriter(out)
	t := tar.NewWriter(zip)
	head, err := json.MarshalIndent(all, "", "  ")
	if err != nil {
		return err
	}
	add := func(name string, size int64, r io.Reader) error {
		if err := t.WriteHeader(&tar.Header{Name: name, Mode: 0o600, Size: size, ModTime: all.Made}); err != nil {
			return err
		}
		_, err := io.CopyN(t, r, size)
		return err
	}
	if err := add(manifest, int64(len(head)), strings.NewReader(string(head))); err != nil {
		return err
	}
	for _, f := range all.Files {
		in, err := os.Open(from[f.Name])
		if err != nil {
			return err
		}
		err = errors.Join(add(f.Name, f.Size, in), in.Close())
		if err != nil {
			return err
		}
	}
	return errors.Join(t.Close(), zip.Close())
}

// Staged is a backup that was unpacked beside the data that it is to replace, and checked.
type Staged struct {
	Manifest
	Guests bool // links and pages of guests go on
	dir    string
}

// Stage unpacks a backup in a data directory and checks it: nothing of what is there changes. Errors wrap ErrBackup,
// store.ErrDamaged or store.ErrNewer.
func Stage(in io.Reader, dataDir string) (*Staged, error) {
	dir, err := os.MkdirTemp(dataDir, ".restore-")
	if err != nil {
		return nil, fmt.Errorf("make room for a backup: %w", err)
	}
	s := &Staged{dir: dir}
	if err := s.unpack(in); err != nil {
		return nil, errors.Join(err, s.Drop())
	}
	return s, nil
}

// Drop forgets what was unpacked.
func (s *Staged) Drop() error { return os.RemoveAll(s.dir) }

func (s *Staged) unpack(in io.Reader) error {
	packed := &counted{Reader: in}
	zip, err := gzip.NewReader(packed)
	if err != nil {
		return fmt.Errorf("%w: this is no backup of Urbo's", ErrBackup)
	}
	room, err := freeRoom(s.dir)
	if err != nil {
		return err
	}
	t := tar.NewReader(&unpacking{in: zip, packed: packed, left: room})
	h, err := t.Next()
	if err != nil || h.Name != manifest || h.Size > maxManifest {
		return fmt.Errorf("%w: this is no backup of Urbo's", ErrBackup)
	}
	if err := json.NewDecoder(t).Decode(&s.Manifest); err != nil || s.Format != Format {
		return fmt.Errorf("%w: this is no backup of Urbo's", ErrBackup)
	}
	if s.Manifest.Version != Version {
		return fmt.Errorf("%w: version %d, and this Urbo (which reads %d) is older: update it", ErrBackup,
			s.Manifest.Version, Version)
	}
	if len(s.Files) == 0 || len(s.Files) > maxSheets || s.Files[0].Name != store.File {
		return fmt.Errorf("%w: the database is not in it", ErrBackup)
	}
	for _, f := range s.Files {
		if f.Size > room {
			return fmt.Errorf("%w: %s takes %d MB, and there is room for %d MB: make room on the disk", ErrBackup,
				f.Name,
				f.Size>>20, room>>20)
		}
		if err := s.take(t, f); err != nil {
			return fmt.Errorf("%w: %w", ErrBackup, err)
		}
	}
	if _, err := io.Copy(io.Discard, io.LimitReader(zip, 1<<20)); err != nil { // to its end, for the check sum
		return fmt.Errorf("%w: it is damaged: %w", ErrBackup, err)
	}
	if err := store.Check(filepath.Join(s.dir, store.File)); err != nil {
		return fmt.Errorf("%w: %w; take another backup", ErrBackup, err)
	}
	if err := store.CheckWhole(s.dir); err != nil {
		return fmt.Errorf("%w: %w; take another backup", ErrBackup, err)
	}
	return nil
}

// Dir is where it was unpacked.
func (s *Staged) Dir() string { return s.dir }

// take unpacks the next file, which must be the one that the manifest names.
func (s *Staged) take(t *tar.Reader, f File) error {
	most := int64(line.MaxSheet)
	if f.Name == store.File {
		most = maxDatabase
	} else if path.Dir(f.Name) != library.SheetDir || filepath.Base(f.Name) != path.Base(f.Name) ||
		!strings.HasSuffix(f.Name, ".yaml") || strings.ContainsAny(f.Name, "\\\x00") {
		return fmt.Errorf("%.60q does not belong into it", f.Name)
	}
	h, err := t.Next()
	if err != nil || h.Name != f.Name || h.Size != f.Size || f.Size > most {
		return fmt.Errorf("it is damaged: %s is not as its manifest says", f.Name)
	}
	to := filepath.Join(s.dir, filepath.FromSlash(f.Name))
	if err := os.MkdirAll(filepath.Dir(to), 0o700); err != nil {
		return err
	}
	out, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	sum := sha256.New()
	_, err = io.Copy(io.MultiWriter(out, sum), t)
	if err := errors.Join(err, out.Sync(), out.Close()); err != nil {
		return fmt.Errorf("it is damaged: %s: %w", f.Name, err)
	}
	if hex.EncodeToString(sum.Sum(nil)) != f.SHA256 {
		return fmt.Errorf("it is damaged: the check sum of %s is another", f.Name)
	}
	return nil
}

// before is the end of the names under which what was there before is kept.
const before = ".before-restore"

// Install puts a staged backup in the place of the data, while no house uses it. What was there is kept beside it. A
// crash in between leaves either the one or the other.
func (s *Staged) Install(ctx context.Context, dataDir string, now time.Time) error {
	defer func() { _ = s.Drop() }()
	if err := s.skip(ctx, now, store.Turns(dataDir)); err != nil {
		return fmt.Errorf("restore: %w", err)
	}
	database := filepath.Join(dataDir, store.File)
	if err := keep(database); err != nil {
		return fmt.Errorf("keep the database that is there: %w", err)
	}
	for _, end := range []string{"-wal", "-shm"} { // of the one before: it was closed, and they are empty
		if err := os.Remove(database + end); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
	}
	if err := os.Rename(filepath.Join(s.dir, store.File), database); err != nil {
		return fmt.Errorf("restore the database: %w", err)
	}
	sheets := filepath.Join(dataDir, library.SheetDir)
	if err := os.RemoveAll(sheets + before); err != nil {
		return err
	}
	if err := os.Rename(sheets, sheets+before); err != nil && !errors.Is(err, os.ErrNotExist) {
		return fmt.Errorf("keep the line sheets that are there: %w", err)
	}
	err := os.Rename(filepath.Join(s.dir, library.SheetDir), sheets)
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return fmt.Errorf("restore the line sheets: %w", err)
	}
	return nil
}

// skip brings the copy up to date and moves counters on, beyond those of the house that was there before.
func (s *Staged) skip(ctx context.Context, now time.Time, before []store.Turn) error {
	db, err := store.Open(s.dir)
	if err != nil {
		return err
	}
	return errors.Join(db.CameBack(ctx, now.Sub(s.Made), before, s.Guests), db.Close())
}

// keep gives a file a second name.
func keep(path string) error {
	if err := os.Remove(path + before); err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	if err := os.Link(path, path+before); err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	return nil
}
