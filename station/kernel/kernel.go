// Package kernel is the transport of the Linux kernel's own raw pulse devices for infrared. One that drives a bare
// 433 MHz module, with the carrier off, is a radio port.
package kernel

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
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

// New makes the transport of a device: its path, such as /dev/lirc0, or PATH@HZ where it drives a bare radio module
// that sends on HZ. The error says what is wrong with the address.
func New(address string) (*Device, error) {
	d := &Device{address: address, open: openFile, found: Found}
	path, hz, radio := strings.Cut(address, "@")
	d.path = path
	if radio {
		n, err := strconv.Atoi(hz)
		if err != nil || n < 300_000_000 || n > 1_000_000_000 {
			return nil, fmt.Errorf("%.80q: after the @ stands the module's frequency in Hz, such as 433920000", address)
		}
		d.hz = n
	}
	if !filepath.IsAbs(path) {
		return nil, fmt.Errorf("%.80q: write the whole path of a device, such as /dev/lirc0: there are %s", address,
			list(Found()))
	}
	return d, nil
}

func list(all []string) string {
	if len(all) == 0 {
		return "none here"
	}
	return strings.Join(all, ", ")
}

// Found lists the devices of this machine.
func Found() []string { return find(os.DirFS("/sys/class/rc")) }

func find(sys fs.FS) []string {
	paths, err := fs.Glob(sys, "rc*/lirc*")
	if err != nil {
		return nil
	}
	for i, p := range paths {
		paths[i] = "/dev/" + filepath.Base(p)
	}
	slices.Sort(paths)
	return paths
}

// Run opens the device and joins its link, again and again until the context ends. One that is not there is waited for.
func (d *Device) Run(ctx context.Context, join func(context.Context, station.Link) error) error {
	for {
		dev, err := d.open(d.path)
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

	mu      sync.Mutex
	playing *playing
}

// playing is a send on the air.
type playing struct {
	id       string
	until    time.Time // it is held so long
	ending   bool
	schedule time.Time // when what is out ends
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
	set(canReceive|canMeasure, setMeasureCarrier, 1)
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

// ear gathers samples into trains.
type ear struct {
	train   signal.Train
	spare   int // a space that no mark has come after yet, µs
	carrier int
	end     int64 // of what was told last, on the station's clock
}

// take takes a sample at a time, and returns a train where one is over.
func (e *ear) take(s uint32, now int64) *station.Heard {
	value := int(s & valueMask)
	switch s & kindMask {
	case pulse:
		switch n := len(e.train); {
		case e.spare > 0 && n > 0:
			e.train = append(e.train, e.spare, value)
		case n > 0:
			e.train[n-1] += value
		default:
			e.train = append(e.train, value)
		}
		e.spare = 0
		if len(e.train) >= signal.MaxDurations-2 {
			return e.over(now, 0, true)
		}
	case space:
		e.spare += value
		if e.spare >= trainSilence {
			return e.over(now, e.spare, false)
		}
	case timeout:
		return e.over(now, max(e.spare, value), false)
	case frequency:
		e.carrier = value
	case overflow:
		*e = ear{end: e.end}
	}
	return nil
}

// over is the train that has ended, nil where there is none.
func (e *ear) over(now int64, gap int, more bool) *station.Heard {
	train, carrier := e.train, e.carrier
	e.train, e.spare, e.carrier = nil, 0, 0
	if len(train) == 0 {
		return nil
	}
	at := max(now-int64(train.Length())-int64(gap), e.end)
	e.end = at + int64(train.Length())
	return &station.Heard{At: at, Train: train, Gap: gap, CarrierHz: carrier, More: more}
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
	case station.Ping:
		l.say(station.Pong{})
	case station.Who:
		l.say(l.hello)
	}
	return nil
}

func (l *link) change(id string, f func(*playing)) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.playing != nil && l.playing.id == id {
		f(l.playing)
	}
}

func (l *link) send(m station.Send) {
	if answer, known := l.answers.Known(m.ID); known {
		if answer != nil {
			l.say(answer)
		}
		return
	}
	refuse := func(reason string) { l.say(station.Failed{ID: m.ID, Reason: reason}) }
	i := slices.IndexFunc(l.hello.Ports, func(p station.Port) bool {
		return p.ID == m.Port && p.Direction == station.Transmitter
	})
	if i < 0 {
		refuse(fmt.Sprintf("no transmitter %.40q here", m.Port))
		return
	}
	if err := m.Check(l.hello.Ports[i]); err != nil {
		refuse(err.Error())
		return
	}
	l.mu.Lock()
	if l.playing != nil {
		l.mu.Unlock()
		refuse("still sending something else")
		return
	}
	p := &playing{id: m.ID, schedule: time.Now()}
	l.playing = p
	l.mu.Unlock()
	if err := l.tune(m); err != nil {
		l.mu.Lock()
		l.playing = nil
		l.mu.Unlock()
		refuse(err.Error())
		return
	}
	l.answers.Begin(m.ID)
	l.group.Go(func() { l.play(m, p) })
}

// tune sets the carrier: off for a bare radio module.
func (l *link) tune(m station.Send) error {
	hz := uint32(m.CarrierHz)
	if l.device.hz > 0 {
		hz = 0
	}
	if l.can(canSetCarrier) {
		if err := l.dev.Set(setSendCarrier, hz); err != nil {
			return fmt.Errorf("set the carrier to %d Hz: %w", hz, err)
		}
	}
	if l.can(canSetDuty) && m.Duty > 0 && hz > 0 {
		if err := l.dev.Set(setSendDuty, uint32(100*m.Duty+0.5)); err != nil {
			return fmt.Errorf("set the duty cycle: %w", err)
		}
	}
	return nil
}

// play sends all parts, and answers.
func (l *link) play(m station.Send, p *playing) {
	began := p.schedule
	err := l.part(p, m.Once)
	for err == nil && len(m.Repeat) > 0 && l.goesOn(p, &m.Repeats) {
		err = l.part(p, m.Repeat)
	}
	if err == nil {
		err = l.part(p, m.Last)
	}
	trailing := 0
	for _, part := range [][]int{m.Last, m.Repeat, m.Once} {
		if len(part) > 0 {
			trailing = part[len(part)-1]
			break
		}
	}
	p.schedule = p.schedule.Add(time.Duration(max(m.GapUS-trailing, 0)) * time.Microsecond)
	l.until(p.schedule)
	l.mu.Lock()
	l.playing = nil
	l.mu.Unlock()
	if err != nil { // some of it may be out: whether, nobody knows
		l.say(station.Note{Severity: "error", Text: "Could not send all of a press: " + err.Error()})
		_ = l.close()
		return
	}
	sent := station.Sent{ID: m.ID, Started: began.Sub(l.began).Microseconds(),
		Took: time.Since(began).Microseconds()}
	l.answers.Put(m.ID, sent)
	l.say(sent)
}

// goesOn says whether the repeating part is sent once more.
func (l *link) goesOn(p *playing, repeats *int) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if p.ending || *repeats <= 0 && !time.Now().Before(p.until) {
		return false
	}
	*repeats--
	return true
}

// part sends one part, in pieces that one write may have, each at its time.
func (l *link) part(p *playing, part []int) error {
	for len(part) > 0 {
		n, us := piece(part)
		out := make([]uint32, n)
		for i, d := range part[:n] {
			out[i] = uint32(d)
		}
		if !l.until(p.schedule) {
			return station.ErrAway
		}
		if err := l.dev.Write(out); err != nil {
			return err
		}
		p.schedule = p.schedule.Add(time.Duration(us+part[n]) * time.Microsecond)
		part = part[n+1:]
	}
	l.until(p.schedule)
	return nil
}

// piece is how many durations of a part one write takes, odd, and how long they last: up to a space after which the
// next piece would be too long, or to the end.
func piece(part []int) (n, us int) {
	n, us = 1, part[0]
	for n+1 < len(part)-1 && us+part[n]+part[n+1] <= mostSent && n+2 <= mostWritten {
		us += part[n] + part[n+1]
		n += 2
	}
	return n, us
}

// until waits for a time, and says whether the link is still there then.
func (l *link) until(at time.Time) bool {
	timer := time.NewTimer(time.Until(at))
	defer timer.Stop()
	select {
	case <-timer.C:
		return true
	case <-l.ended:
		return false
	}
}
