// Package pty makes serial lines that are not there, out of pseudo terminals.
package pty

import (
	"errors"
	"fmt"
	"os"
	"strconv"
	"time"

	"golang.org/x/sys/unix"
)

// Line is a serial line that is not there: the board's end of it. The other end is opened by its path, as a serial port
// is. What nobody reads there is lost, as on a real line.
type Line struct {
	Path string // of the other end

	near *os.File
	far  *os.File // open all the time, so that the line lasts when whoever opened it goes away
}

// patience is how long a write waits for somebody who reads.
const patience = 100 * time.Millisecond

// Open makes a line.
func Open() (*Line, error) {
	l, err := open()
	if err != nil {
		return nil, fmt.Errorf("make a pseudo terminal: %w", err)
	}
	return l, nil
}

func open() (*Line, error) {
	fd, err := unix.Open("/dev/ptmx", unix.O_RDWR|unix.O_NOCTTY|unix.O_CLOEXEC|unix.O_NONBLOCK, 0)
	if err != nil {
		return nil, err
	}
	l := &Line{near: os.NewFile(uintptr(fd), "/dev/ptmx")}
	if err := unix.IoctlSetPointerInt(fd, unix.TIOCSPTLCK, 0); err != nil {
		return nil, errors.Join(err, l.Close())
	}
	n, err := unix.IoctlGetInt(fd, unix.TIOCGPTN)
	if err != nil {
		return nil, errors.Join(err, l.Close())
	}
	l.Path = "/dev/pts/" + strconv.Itoa(n)
	if l.far, err = os.OpenFile(l.Path, os.O_RDWR|unix.O_NOCTTY, 0); err != nil {
		return nil, errors.Join(err, l.Close())
	}
	if err := raw(fd); err != nil {
		return nil, errors.Join(err, l.Close())
	}
	return l, nil
}

// raw passes every byte as it is.
func raw(fd int) error {
	t, err := unix.IoctlGetTermios(fd, unix.TCGETS)
	if err != nil {
		return err
	}
	t.Iflag &^= unix.IGNBRK | unix.BRKINT | unix.PARMRK | unix.ISTRIP | unix.INLCR | unix.IGNCR | unix.ICRNL | unix.IXON
	t.Oflag &^= unix.OPOST
	t.Lflag &^= unix.ECHO | unix.ECHONL | unix.ICANON | unix.ISIG | unix.IEXTEN
	t.Cflag = t.Cflag&^(unix.CSIZE|unix.PARENB) | unix.CS8
	return unix.IoctlSetTermios(fd, unix.TCSETS, t)
}

// Read waits for what comes over the line.
func (l *Line) Read(p []byte) (int, error) { return l.near.Read(p) }

// Write puts bytes on the line; those that nobody reads in time are lost.
func (l *Line) Write(p []byte) (int, error) {
	if err := l.near.SetWriteDeadline(time.Now().Add(patience)); err != nil {
		return 0, err
	}
	_, err := l.near.Write(p)
	if errors.Is(err, os.ErrDeadlineExceeded) {
		err = nil
	}
	return len(p), err
}

// Close takes the line away: at the other end it is as if the board was unplugged.
func (l *Line) Close() error {
	err := l.near.Close()
	if l.far != nil {
		err = errors.Join(err, l.far.Close())
	}
	return err
}
