package kernel

import (
	"encoding/binary"
	"errors"
	"os"

	"golang.org/x/sys/unix"
)

// device is the few calls that a raw pulse device of the kernel takes. Their numbers are the public ones of the
// kernel's user-space headers.
type device interface {
	// Get reads a number, such as the features.
	Get(request uint) (uint32, error)
	// Set sets one.
	Set(request uint, value uint32) error
	// Read waits for samples: a kind in the highest byte, and a duration in µs below. It ends with an error when the
	// device is closed.
	Read(samples []uint32) (int, error)
	// Write sends marks and spaces in µs: an odd number, 500 ms in all at most. It returns when they are out.
	Write(durations []uint32) error
	Close() error
}

// Requests.
const (
	getFeatures       = 0x80046900
	getMinTimeout     = 0x80046908
	getMaxTimeout     = 0x80046909
	setSendMode       = 0x40046911
	setReceiveMode    = 0x40046912
	setSendCarrier    = 0x40046913
	setSendDuty       = 0x40046915
	setReceiveTimeout = 0x40046918
	setTimeoutReports = 0x40046919
	setMeasureCarrier = 0x4004691d
)

// Modes and features.
const (
	modePulse    = 0x2
	modeDuration = 0x4

	canSend       = modePulse
	canSetCarrier = 0x100
	canSetDuty    = 0x200
	canReceive    = modeDuration << 16
	canMeasure    = 0x02000000
	canSetTimeout = 0x10000000
)

// Kinds of samples.
const (
	kindMask  = 0xff000000
	valueMask = 0x00ffffff
	space     = 0x00000000
	pulse     = 0x01000000
	frequency = 0x02000000
	timeout   = 0x03000000
	overflow  = 0x04000000
)

// mostSent is the longest that one write may take, and mostWritten its most durations.
const (
	mostSent    = 500_000 // µs
	mostWritten = 1000
)

// file is a device of this machine.
type file struct{ *os.File }

func openFile(path string) (device, error) {
	f, err := os.OpenFile(path, os.O_RDWR|unix.O_NONBLOCK|unix.O_CLOEXEC, 0)
	if err != nil {
		return nil, err
	}
	return file{f}, nil
}

func (f file) control(do func(fd int) error) error {
	raw, err := f.SyscallConn()
	if err != nil {
		return err
	}
	var inner error
	err = raw.Control(func(fd uintptr) { inner = do(int(fd)) })
	return errors.Join(err, inner)
}

func (f file) Get(request uint) (value uint32, err error) {
	err = f.control(func(fd int) error {
		value, err = unix.IoctlGetUint32(fd, request)
		return err
	})
	return value, err
}

func (f file) Set(request uint, value uint32) error {
	return f.control(func(fd int) error { return unix.IoctlSetPointerInt(fd, request, int(value)) })
}

func (f file) Read(samples []uint32) (int, error) {
	data := make([]byte, 4*len(samples))
	n, err := f.File.Read(data)
	for i := range n / 4 {
		samples[i] = binary.NativeEndian.Uint32(data[4*i:])
	}
	return n / 4, err
}

func (f file) Write(durations []uint32) error {
	data := make([]byte, 0, 4*len(durations))
	for _, d := range durations {
		data = binary.NativeEndian.AppendUint32(data, d)
	}
	_, err := f.File.Write(data)
	return err
}
