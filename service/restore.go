package service

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/service/backup"
)

// ErrReplacing is wrapped where a backup is being put in this house's place already.
var ErrReplacing = fault.New(fault.Later, "another backup is being restored: try again in a moment")

// Backup writes a backup of the house while it runs.
func (h *House) Backup(ctx context.Context, out io.Writer) error {
	return backup.Maker{Store: h.store, Dir: h.dir, Version: h.Version, Now: time.Now}.Write(ctx, out)
}

// Stage unpacks a backup beside the data of a directory, and opens the house that is in it once: what cannot be opened
// takes nobody's place. Errors wrap backup.ErrBackup, store.ErrDamaged or store.ErrNewer.
func Stage(ctx context.Context, in io.Reader, dir string) (*backup.Staged, error) {
	s, err := backup.Stage(in, dir)
	if err != nil {
		return nil, err
	}
	h, err := Open(ctx, Config{Dir: s.Dir(), Version: "restored"})
	if err == nil {
		err = h.Close()
	}
	if err != nil {
		return nil, errors.Join(fmt.Errorf("%w: the house that is in it cannot be opened: %w", backup.ErrBackup, err),
			s.Drop())
	}
	return s, nil
}

// Replace checks a backup and says that it is to take this house's place: whoever runs the house ends it (Replaced),
// puts the backup there (Restore), and opens the house that is in it. With guests their links go on. Errors wrap
// backup.ErrBackup or ErrReplacing.
func (h *House) Replace(ctx context.Context, in io.Reader, guests bool, by grant.By) (backup.Manifest, error) {
	s, err := Stage(ctx, in, h.dir)
	if err != nil {
		return backup.Manifest{}, err
	}
	h.replaceMu.Lock()
	defer h.replaceMu.Unlock()
	if h.staged != nil {
		return backup.Manifest{}, errors.Join(ErrReplacing, s.Drop())
	}
	s.Guests = guests
	h.staged = s
	h.say("", "A backup of "+s.Made.Local().Format(
		time.DateTime)+" takes the place of this house, asked by "+by.String())
	close(h.replaced)
	return s.Manifest, nil
}

// Replaced is closed when a backup is to take the house's place.
func (h *House) Replaced() <-chan struct{} { return h.replaced }

// Staged is the backup that is to take the house's place, nil where there is none.
func (h *House) Staged() *backup.Staged {
	h.replaceMu.Lock()
	defer h.replaceMu.Unlock()
	return h.staged
}

// Restore puts a backup in the place of a data directory that no house uses.
func Restore(ctx context.Context, dir string, s *backup.Staged) error {
	lock, err := lockDir(dir)
	if err != nil {
		return err
	}
	return errors.Join(s.Install(ctx, dir, time.Now()), lock.release(true))
}

// sweep removes what a copy that was interrupted left in the data directory.
func sweep(dir string) error {
	for _, pattern := range []string{".backup-*", ".restore-*"} {
		left, err := filepath.Glob(filepath.Join(dir, pattern))
		if err != nil {
			return err
		}
		for _, path := range left {
			if err := os.RemoveAll(path); err != nil {
				return fmt.Errorf("remove what an interrupted copy left: %w", err)
			}
		}
	}
	return nil
}
