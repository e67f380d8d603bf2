package service

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"

	"urbo/core/fault"
)

// ErrLocked is wrapped where another process holds the data directory.
var ErrLocked = fault.New(fault.Conflict, "data directory is in use")

// dirLock holds a data directory for one process. The kernel lets it go when the process ends, however it ends.
type dirLock struct{ file *os.File }

func lockDir(dir string) (*dirLock, error) {
	path := filepath.Join(dir, "urbo.lock")
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("open data directory: %w", err)
	}
	if err := unix.Flock(int(f.Fd()), unix.LOCK_EX|unix.LOCK_NB); err != nil {
		holder := "another process"
		if text, _ := io.ReadAll(io.LimitReader(f, 20)); len(text) > 0 {
			holder = "process " + strings.TrimSpace(string(text))
		}
		_ = f.Close()
		return nil, fmt.Errorf("%w: %s is held by %s: stop that one, or name another directory with --data", ErrLocked,
			dir, holder)
	}
	if err := errors.Join(f.Truncate(0), write(f, strconv.Itoa(os.Getpid())+"\n")); err != nil {
		_ = f.Close()
		return nil, fmt.Errorf("lock data directory: %w", err)
	}
	return &dirLock{f}, nil
}

func write(f *os.File, text string) error {
	_, err := f.WriteAt([]byte(text), 0)
	return err
}

func (l *dirLock) release() error { return l.file.Close() }
