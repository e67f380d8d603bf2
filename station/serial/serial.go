// Package serial is the transport of a board on a serial port: 115,200 baud, 8 data bits, no parity, one stop bit, and
// one message of the link on each line. A board that is unplugged is found again when it is back, also where its port
// has another name then.
package serial

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"go.bug.st/serial"
	"go.bug.st/serial/enumerator"
	"golang.org/x/sys/unix"

	"urbo/station"
)

// Baud is the speed of the line.
const Baud = 115_200

// byUSB begins an address that names a board by its USB ids instead of its port.
const byUSB = "usb:"

// again is how long after the end of a link the port is opened anew; a port that is not there is looked for as often.
const again = time.Second

// Port is a serial port as a transport.
type Port struct {
	address string
	waits   func(error) // nil tells nobody
}

// Waits lets somebody know why the port is waited for. It is called before Run.
func (p *Port) Waits(say func(error)) { p.waits = say }

// New makes the transport of a port: its path, or usb:VENDOR:PRODUCT or usb:VENDOR:PRODUCT:SERIAL-NUMBER. The error
// says what is wrong with the address.
func New(address string) (*Port, error) {
	if rest, ok := strings.CutPrefix(address, byUSB); ok {
		if n := strings.Count(rest, ":"); n != 1 && n != 2 {
			return nil, fmt.Errorf("%.80q: write usb:VENDOR:PRODUCT or usb:VENDOR:PRODUCT:SERIAL-NUMBER", address)
		}
		return &Port{address: address}, nil
	}
	if !filepath.IsAbs(address) {
		return nil, fmt.Errorf("%.80q: write the whole path of a serial port, such as /dev/ttyUSB0, or "+
			"usb:VENDOR:PRODUCT",
			address)
	}
	return &Port{address: address}, nil
}

// Lasting is the address that finds a port's board again wherever it is plugged in: its USB ids, where it is the only
// board with them. It is the address itself for all others.
func Lasting(address string) string {
	all, err := enumerator.GetDetailedPortsList()
	if err != nil {
		return address
	}
	target := address
	if real, err := filepath.EvalSymlinks(address); err == nil {
		target = real
	}
	i := slices.IndexFunc(all, func(p *enumerator.PortDetails) bool { return p.Name == target && p.IsUSB })
	if i < 0 {
		return address
	}
	ids := idsOf(all[i])
	twins := 0
	for _, p := range all {
		if p.IsUSB && idsOf(p) == ids {
			twins++
		}
	}
	if twins > 1 {
		return address
	}
	return ids
}

func idsOf(p *enumerator.PortDetails) string {
	ids := byUSB + strings.ToLower(p.VID+":"+p.PID)
	if p.SerialNumber != "" {
		ids += ":" + p.SerialNumber
	}
	return ids
}

// Found lists the serial ports of this machine.
func Found() []string {
	names, err := serial.GetPortsList()
	if err != nil {
		return nil
	}
	slices.Sort(names)
	return names
}

// Run opens the port and joins its link, again and again until the context ends. A port that is not there is waited
// for.
func (p *Port) Run(ctx context.Context, join func(context.Context, station.Link) error) error {
	for {
		stream, err := p.open()
		switch {
		case err == nil:
			if err := join(ctx, station.NewLines(station.Origin{Over: station.Serial, Address: p.address},
				stream)); err != nil && ctx.Err() == nil && !errors.Is(err, station.ErrAway) {
				return err
			}
		case !errors.Is(err, errNotThere):
			return err
		case p.waits != nil:
			p.waits(err)
		}
		if !station.Pause(ctx, again) {
			return nil
		}
	}
}

// errNotThere is wrapped where a port is not plugged in.
var errNotThere = errors.New("not plugged in")

// owned is a port that no other Urbo opens at the same time.
type owned struct {
	serial.Port
	lock *os.File
}

func (o owned) Close() error { return errors.Join(o.Port.Close(), o.lock.Close()) }

func (p *Port) open() (io.ReadWriteCloser, error) {
	name, err := p.name()
	if err != nil {
		return nil, err
	}
	lock, err := os.OpenFile(name, os.O_RDONLY|unix.O_NOCTTY|unix.O_NONBLOCK, 0)
	if err == nil {
		err = unix.Flock(int(lock.Fd()), unix.LOCK_EX|unix.LOCK_NB)
		var port serial.Port
		if err == nil {
			port, err = serial.Open(name, &serial.Mode{BaudRate: Baud})
		}
		if err == nil {
			return owned{port, lock}, nil
		}
		_ = lock.Close()
	}
	return nil, refused(name, err)
}

// refused says why a port cannot be opened, and what to do.
func refused(name string, err error) error {
	var failed *serial.PortError
	switch {
	case errors.Is(err, fs.ErrPermission), errors.As(err, &failed) && failed.Code() == serial.PermissionDenied:
		return fmt.Errorf("open %s: no permission: add the user that runs Urbo to the group that owns it (often "+
			"dialout), and start Urbo again", name)
	case errors.Is(err, unix.EWOULDBLOCK), errors.Is(err, unix.EBUSY),
		errors.As(err, &failed) && failed.Code() == serial.PortBusy:
		return fmt.Errorf("open %s: another program uses it: end that one", name)
	case errors.As(err, &failed) && failed.Code() == serial.InvalidSerialPort:
		there := "this machine has none"
		if found := Found(); len(found) > 0 {
			there = "there are " + strings.Join(found, ", ")
		}
		return fmt.Errorf("open %s: it is no serial port: %s", name, there)
	}
	return fmt.Errorf("open %s: %w", name, err)
}

// name is the port's name now.
func (p *Port) name() (string, error) {
	ids, byID := strings.CutPrefix(p.address, byUSB)
	if !byID {
		if _, err := os.Stat(p.address); errors.Is(err, fs.ErrNotExist) {
			return "", fmt.Errorf("%s: %w", p.address, errNotThere)
		}
		return p.address, nil
	}
	all, err := enumerator.GetDetailedPortsList()
	if err != nil {
		return "", fmt.Errorf("look for %s: %w", p.address, err)
	}
	for _, d := range all {
		if d.IsUSB && (idsOf(d) == byUSB+ids || strings.EqualFold(d.VID+":"+d.PID, ids)) {
			return d.Name, nil
		}
	}
	return "", fmt.Errorf("%s: %w", p.address, errNotThere)
}
