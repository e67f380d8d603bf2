package backup

import (
	"fmt"
	"io"

	"golang.org/x/sys/unix"
)

const (
	// spare is what stays free on the disk.
	spare = 64 << 20
	// A file is unpacked to no more than so many times its own size, beyond the first bytes: a database is packed to a
	// tenth, and what is made to fill disks to a thousandth.
	mostTimes, firstBytes = 150, 64 << 20
)

// freeRoom is how many bytes may be unpacked into a directory: a third of what is free, since the copy is moved on to
// this version, and what was there before stays beside it.
func freeRoom(dir string) (int64, error) {
	var disk unix.Statfs_t
	if err := unix.Statfs(dir, &disk); err != nil {
		return 0, fmt.Errorf("see how much room there is: %w", err)
	}
	size := int64(disk.Bsize) //nolint:unconvert // its type differs between machines
	return max((int64(disk.Bavail)*size-spare)/3, 0), nil
}

// counted counts what is read.
type counted struct {
	io.Reader
	n int64
}

// Read reads.
func (c *counted) Read(p []byte) (int, error) {
	n, err := c.Reader.Read(p)
	c.n += int64(n)
	return n, err
}

// unpacking bounds what a packed stream becomes.
type unpacking struct {
	in     io.Reader
	packed *counted
	left   int64 // bytes that there is room for
	n      int64
}

// Read reads what is unpacked, and fails where it is too much.
func (u *unpacking) Read(p []byte) (int, error) {
	n, err := u.in.Read(p)
	u.n += int64(n)
	u.left -= int64(n)
	switch {
	case u.left < 0:
		return 0, fmt.Errorf("%w: there is no room for what is in it: make room on the disk", ErrBackup)
	case u.n > firstBytes && u.n > mostTimes*u.packed.n:
		return 0, fmt.Errorf("%w: it is packed as no backup of Urbo's is: take another one", ErrBackup)
	}
	return n, err
}
