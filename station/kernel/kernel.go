// Package kernel is the transport of the Linux kernel's own raw pulse devices for infrared. One that drives a bare
// 433 MHz module, with the carrier off, is a radio port.
package kernel

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"urbo/core/signal"
	"urbo/station"
)

// trainSilence is the silence that ends a train, in µs.
const trainSilence = 20_000

// again is how long after the end of a link a device is opened anew.
const again = time.Second

// Device is one of the kernel's devices as a transport.
type Device struct {
	address string
	path    string
	hz      int // of the radio module that it drives; 0 is infrared
	open    func(path string) (device, error)
	found   func() []string
}

// New makes the transport of a device: its name in /sys/class/rc, such as rc0, or its path; with @HZ behind it where it
// drives a bare radio module that sends on HZ. The error says what is wrong with the address.
func New(address string) (*Device, error) {
	d := &Device{address: address, open: openFile, found: Found}
	name, hz, radio := strings.Cut(address, "@")
	d.path = name
	if radio {
		n, err := strconv.Atoi(hz)
		if err != nil || n < 300_000_000 || n > 1_000_000_000 {
			return nil, fmt.Errorf("%.80q: after the @ stands the module's frequency in Hz, such as 433920000", address)
		}
		d.hz = n
	}
	if !filepath.IsAbs(name) && !nameRule.MatchString(name) {
		return nil, fmt.Errorf("%.80q: write the name of a device, such as rc0: there are %s", address, list(Found()))
	}
	return d, nil
}

func list(all []string) string {
	if len(all) == 0 {
		return "none here"
	}
	return strings.Join(all, ", ")
}

// nameRule is how the kernel names infrared devices.
var nameRule = regexp.MustCompile(`^rc\d+$`)

// Found lists the devices of this machine.
func Found() []string { return find(os.DirFS(class)) }

// class is where the kernel lists its infrared devices, each with the files that belong to it.
const class = "/sys/class/rc"

// find lists the devices that have a file to read and write pulses by.
func find(sys fs.FS) (names []string) {
	files, err := fs.Glob(sys, "rc*/*/dev")
	if err != nil {
		return nil
	}
	for _, f := range files {
		if name, _, _ := strings.Cut(f, "/"); !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}

// fileOf is the path of a device: its own, or the one that the kernel made for a name. The error wraps fs.ErrNotExist
// while there is none.
func fileOf(sys fs.FS, name string) (string, error) {
	if filepath.IsAbs(name) {
		return name, nil
	}
	files, err := fs.Glob(sys, name+"/*/dev")
	if err != nil || len(files) == 0 {
		return "", fmt.Errorf("%s: %w", name, fs.ErrNotExist)
	}
	return "/dev/" + path.Base(path.Dir(files[0])), nil
}

// Run opens the device and joins its link, again and again until the context ends. One that is not there is waited for.
func (d *Device) Run(ctx context.Context, join func(context.Context, station.Link) error) error {
	for {
		dev, err := d.attach()
		switch {
		case err == nil:
			l, err := d.link(dev)
			if err != nil {
				return errors.Join(err, dev.Close())
			}
			err = join(ctx, l)
			_ = l.Close()
			l.group.Wait()
			if err != nil && ctx.Err() == nil && !errors.Is(err, station.ErrAway) {
				return err
			}
		case errors.Is(err, fs.ErrPermission):
			return fmt.Errorf("open %s: no permission: add the user that runs Urbo to the group that owns it "+
				"(often video), "+
				"and start Urbo again", d.path)
		case errors.Is(err, fs.ErrNotExist):
		default:
			return fmt.Errorf("open %s: %w", d.path, err)
		}
		if !station.Pause(ctx, again) {
			return nil
		}
	}
}

// attach finds the file of the device, and opens it.
func (d *Device) attach() (device, error) {
	path, err := fileOf(os.DirFS(class), d.path)
	if err != nil {
		return nil, err
	}
	return d.open(path)
}

// link is the device as a station: it speaks the link's messages itself.
type link struct {
	device   *Device
	dev      device
	features uint32
	hello    station.Hello
	began    time.Time
	said     chan station.Message
	ended    chan struct{}
	close    func() error
	group    sync.WaitGroup
	answers  station.Answers

	mu        sync.Mutex
	playing   *playing
	measuring *time.Timer // ends the measuring of carriers
}

// link sets a device up.
func (d *Device) link(dev device) (*link, error) {
	features, err := dev.Get(getFeatures)
	if err != nil {
		return nil, fmt.Errorf("%s is no raw pulse device: %w", d.path, err)
	}
	l := &link{device: d, dev: dev, features: features, began: time.Now(), said: make(chan station.Message, 256),
		ended: make(chan struct{})}
	l.close = sync.OnceValue(func() error {
		close(l.ended)
		return dev.Close()
	})
	if err := l.setUp(); err != nil {
		return nil, fmt.Errorf("set %s up: %w", d.path, err)
	}
	l.hello = station.Hello{Link: station.Version, Station: name(d.path), Model: "Linux kernel device",
		Ports: l.ports()}
	if len(l.hello.Ports) == 0 {
		return nil, fmt.Errorf("%s can neither receive nor send pulses", d.path)
	}
	l.said <- l.hello
	if l.can(canReceive) {
		l.group.Go(l.listen)
	}
	return l, nil
}

func name(path string) string { return strings.ToLower(filepath.Base(path)) }

func (l *link) can(feature uint32) bool { return l.features&feature == feature }

// setUp chooses the modes, and a time-out as short as a train's end.
func (l *link) setUp() error {
	var wrong error
	set := func(feature uint32, request uint, value uint32) {
		if l.can(feature) {
			wrong = errors.Join(wrong, l.dev.Set(request, value))
		}
	}
	set(canSend, setSendMode, modePulse)
	set(canReceive, setReceiveMode, modeDuration)
	set(canReceive|canMeasure, setMeasureCarrier, 0) // that takes another receiver, which hears less far
	if l.can(canReceive | canSetTimeout) {
		value := uint32(trainSilence)
		if least, err := l.dev.Get(getMinTimeout); err == nil {
			value = max(value, least)
		}
		if most, err := l.dev.Get(getMaxTimeout); err == nil {
			value = min(value, most)
		}
		set(canSetTimeout, setReceiveTimeout, value)
		_ = l.dev.Set(setTimeoutReports, 1) // newer kernels always report them, and refuse this
	}
	return wrong
}

func (l *link) ports() (ports []station.Port) {
	medium, from, to := "infrared", 38_000, 38_000
	prefix := "ir"
	if l.can(canSetCarrier) {
		from, to = 30_000, 60_000
	}
	receive := [2]int{36_000, 40_000}
	if hz := l.device.hz; hz > 0 {
		medium, prefix, from, to, receive = "radio", "radio", hz, hz, [2]int{hz, hz}
	}
	if l.can(canReceive) {
		ports = append(ports, station.Port{ID: prefix + "-in", Direction: station.Receiver, Medium: medium,
			FromHz: receive[0], ToHz: receive[1], Longest: signal.MaxDurations, Frequency: l.can(canMeasure)})
	}
	if l.can(canSend) {
		ports = append(ports, station.Port{ID: prefix + "-out", Direction: station.Transmitter, Medium: medium,
			FromHz: from, ToHz: to, Longest: mostWritten})
	}
	return ports
}

// Origin is the device's address.
func (l *link) Origin() station.Origin {
	return station.Origin{Over: station.Kernel, Address: l.device.address}
}

// Receive waits for the next message.
func (l *link) Receive(ctx context.Context) (station.Message, error) {
	select {
	case <-ctx.Done():
		return nil, ctx.Err()
	case m := <-l.said:
		return m, nil
	case <-l.ended:
		return nil, fmt.Errorf("%w: %s is gone", station.ErrAway, l.device.path)
	}
}

// Close ends the link.
func (l *link) Close() error { return l.close() }

// measure lets the receiver measure carriers for a lease.
func (l *link) measure(lease time.Duration) {
	if !l.can(canReceive | canMeasure) {
		return
	}
	turn := func(on uint32) {
		if err := l.dev.Set(setMeasureCarrier, on); err != nil {
			l.say(station.Note{Severity: "warning", Text: "Measuring carriers cannot be switched: " + err.Error()})
		}
	}
	l.mu.Lock()
	if l.measuring != nil {
		l.measuring.Stop()
	}
	l.measuring = time.AfterFunc(max(lease, 0), func() { turn(0) })
	l.mu.Unlock()
	if lease > 0 {
		turn(1)
	}
}

// say tells a message, unless the link has ended.
func (l *link) say(m station.Message) {
	select {
	case l.said <- m:
	case <-l.ended:
	}
}

func (l *link) micros() int64 { return time.Since(l.began).Microseconds() + 1 }

// listen turns samples into trains.
func (l *link) listen() {
	samples := make([]uint32, 256)
	var e ear
	for {
		n, err := l.dev.Read(samples)
		for _, s := range samples[:n] {
			if m := e.take(s, l.micros()); m != nil {
				m.Port = l.hello.Ports[0].ID
				l.say(*m)
			}
		}
		if err != nil {
			_ = l.close()
			return
		}
	}
}

// Tell obeys one message.
func (l *link) Tell(_ context.Context, m station.Message) error {
	select {
	case <-l.ended:
		return fmt.Errorf("%w: %s is gone", station.ErrAway, l.device.path)
	default:
	}
	switch m := m.(type) {
	case station.Send:
		l.send(m)
	case station.Hold:
		l.change(m.ID, func(p *playing) { p.until = time.Now().Add(time.Duration(m.Lease) * time.Millisecond) })
	case station.Cancel:
		l.change(m.ID, func(p *playing) { p.ending = true })
	case station.Measure:
		l.measure(time.Duration(m.Lease) * time.Millisecond)
	case station.Ping:
		l.say(station.Pong{})
	case station.Who:
		l.say(l.hello)
	}
	return nil
}
