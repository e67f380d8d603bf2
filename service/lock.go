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

// dirLock holds a data directory for one process. The kernel lets it go when the process ends, however it ends; what is
// written in the file tells how.
type dirLock struct {
	file   *os.File
	killed bool // whoever held it before did not let it go by itself
}

// underWay stands in the file beside the process until that lets the directory go.
const underWay = " running"

func lockDir(dir string) (*dirLock, error) {
	path := filepath.Join(dir, "urbo.lock")
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("open data directory: %w", err)
	}
	if err := unix.Flock(int(f.Fd()), unix.LOCK_EX|unix.LOCK_NB); err != nil {
		holder := "another process"
		if process, _, _ := strings.Cut(said(f), " "); process != "" {
			holder = "process " + process
		}
		_ = f.Close()
		return nil, fmt.Errorf("%w: %s is held by %s: stop that one, or name another directory with --data", ErrLocked,
			dir, holder)
	}
	l := &dirLock{f, strings.HasSuffix(said(f), underWay)}
	if err := l.write(underWay); err != nil {
		_ = f.Close()
		return nil, fmt.Errorf("lock data directory: %w", err)
	}
	return l, nil
}

// said is what stands in the file.
func said(f *os.File) string {
	text, _ := io.ReadAll(io.NewSectionReader(f, 0, 40))
	return strings.TrimSpace(string(text))
}

func (l *dirLock) write(end string) error {
	if err := l.file.Truncate(0); err != nil {
		return err
	}
	_, err := l.file.WriteAt([]byte(strconv.Itoa(os.Getpid())+end+"\n"), 0)
	return err
}

// release lets the directory go. What was not written is said by whoever opens it next, unless all was.
func (l *dirLock) release(written bool) error {
	var err error
	if written {
		err = l.write("")
	}
	return errors.Join(err, l.file.Close())
}
