package transmit

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/line"
	"urbo/core/signal"
	"urbo/service/stations"
	"urbo/station"
)

// ErrTooLong is wrapped where a code does not fit into a transmitter.
var ErrTooLong = fault.New(fault.Conflict, "code is too long for the transmitter")

// part is what is sent for one code of a key, with what its echo will look like.
type part struct {
	station.Send
	echo echo
}

// encode turns a code into what is sent.
func (t *Transmit) encode(c device.Code) (part, device.Channel, error) {
	on, err := c.On(t.book)
	if err != nil {
		return part{}, on, err
	}
	b, err := c.Burst(t.book)
	if err != nil {
		return part{}, on, err
	}
	p := part{echo: echo{medium: on.Medium, train: c.Train}}
	p.Once, p.Repeat, p.Last, p.Repeats, p.GapUS = b.Once, b.Repeat, b.Last, b.Repeats, c.GapUS
	if c.Sheet != "" {
		p.echo.identity, p.echo.fields = c.Identity(t.book), c.Fields
	}
	if on.Medium == line.Radio {
		p.FrequencyHz = on.Hz
		return p, on, nil
	}
	p.CarrierHz, p.Duty = on.Hz, 1.0/3
	p.Once, p.Repeat, p.Last = line.ToCarrier(p.Once, on.Hz), line.ToCarrier(p.Repeat, on.Hz),
		line.ToCarrier(p.Last, on.Hz)
	return p, on, nil
}

// leg is one transmitter that a press goes through.
type leg struct {
	through stations.Transmitter
	instead string // why it is not the preferred one, or what it does otherwise; "" where it is as was meant
}

// prepare encodes an order's codes and finds the transmitters for all of them. missing says which of the device's
// further transmitters cannot send now, and why.
func (t *Transmit) prepare(o Order) (out []part, legs []leg, missing []string, err error) {
	for i, c := range o.Key.Codes {
		p, on, err := t.encode(c)
		if err != nil {
			return nil, nil, nil, err
		}
		if i == 0 {
			if legs, missing, err = t.legs(o, on); err != nil {
				return nil, nil, nil, err
			}
		}
		for _, l := range legs {
			if err := l.fits(p, on); err != nil {
				return nil, nil, nil, err
			}
		}
		p.WithinMS = int(startWithin / time.Millisecond)
		out = append(out, p)
	}
	if o.Key.Hold != device.HoldOnce {
		hold(out, o.Hold)
	}
	return out, legs, missing, nil
}

// legs finds the transmitters of an order: one, and those that the device's owner wants to send as well.
func (t *Transmit) legs(o Order, on device.Channel) (out []leg, missing []string, err error) {
	wants := []stations.Want{o.want(on)}
	if o.Transmitter.IsZero() && o.Key.Transmitter.IsZero() {
		for _, place := range o.Device.Also {
			wants = append(wants, stations.Want{On: on, Preferred: place, Only: true, Anyway: o.Anyway})
		}
	}
	for _, w := range wants {
		through, instead, e := t.stations.Transmitter(w)
		switch {
		case e != nil && len(wants) == 1:
			return nil, nil, e
		case e != nil:
			err = cmp.Or(err, e)
			missing = append(missing, e.Error())
			continue
		case slices.ContainsFunc(out, func(l leg) bool { return l.through.Key() == through.Key() }):
			continue // it stands in for another one, and sends once all the same
		}
		if through.Hz != on.Hz {
			instead = strings.TrimSpace(instead + fmt.Sprintf(" it sends on %s, and the device listens on %s",
				device.Hertz(through.Hz), device.Hertz(on.Hz)))
		}
		out = append(out, leg{through, instead})
	}
	if len(out) == 0 {
		return nil, nil, err
	}
	return out, missing, nil
}

// fits says why a part cannot go through a transmitter.
func (l leg) fits(p part, on device.Channel) error {
	if line.Medium(l.through.Port.Medium) != on.Medium {
		return fmt.Errorf("%w: its codes need two media, %s and %s: learn them as two keys", device.ErrCode,
			l.through.Port.Medium, on.Medium)
	}
	if n := len(p.Once) + len(p.Repeat) + len(p.Last); n > l.through.Port.Longest {
		return fmt.Errorf("%w %s: %d durations, the most is %d", ErrTooLong, l.through.Place(), n,
			l.through.Port.Longest)
	}
	if data, err := station.Marshal(p.Send); err == nil && l.through.Message > 0 &&
		len(data)+headBytes > l.through.Message {
		return fmt.Errorf("%w %s: a message of %d bytes, and the most that its station takes is %d", ErrTooLong,
			l.through.Place(), len(data), l.through.Message)
	}
	return nil
}

// headBytes is what an id, a limit of time and a check sum add to a message.
const headBytes = 64

// over is a part as it goes through a transmitter.
func (p part) over(through stations.Transmitter) part {
	p.Port = through.Port.ID
	if p.CarrierHz > 0 {
		p.CarrierHz = through.Hz
	} else {
		p.FrequencyHz = through.Hz
	}
	return p
}

// want is what an order asks of a transmitter: the one that was named for this press and no other, or that of the key
// or the device, which another may stand in for.
func (o Order) want(on device.Channel) stations.Want {
	if !o.Transmitter.IsZero() {
		return stations.Want{On: on, Preferred: o.Transmitter, Only: true, Anyway: o.Anyway}
	}
	return stations.Want{On: on, Preferred: cmp.Or(o.Key.Transmitter, o.Device.Transmitter), Room: o.Device.RoomID,
		Anyway: o.Anyway}
}

// hold makes the repeating part of the last code go on for as long as the key is held.
func hold(parts []part, d time.Duration) {
	last := &parts[len(parts)-1]
	length := signal.Sum(last.Repeat)
	if d <= 0 || length == 0 {
		return
	}
	us := int(d / time.Microsecond)
	last.Repeats = max(last.Repeats, (us-signal.Sum(last.Once)+length-1)/length)
}

// takeTurns encodes anew what has to change from press to press. The next value is on disk before this one goes out;
// codes without such a field cost nothing here.
func (t *Transmit) takeTurns(o Order, parts []part) error {
	for i, c := range o.Key.Codes {
		sheet, err := c.SheetIn(t.book)
		if err != nil {
			return err
		}
		if sheet == nil {
			continue
		}
		next, err := t.nextTurns(o, c, sheet)
		if err != nil {
			return err
		}
		if len(next) == 0 {
			continue
		}
		turned := c.Turn(next)
		if t.bits.sawUnknown(sheet, turned) {
			if next, err = t.nextTurns(o, c, sheet); err != nil {
				return err
			}
			turned = c.Turn(next)
		}
		p, _, err := t.encode(turned)
		if err != nil {
			return err
		}
		t.bits.sent(o.owner(), turned)
		p.Repeats, p.GapUS, p.WithinMS = parts[i].Repeats, parts[i].GapUS, parts[i].WithinMS
		parts[i] = p
	}
	return nil
}

// nextTurns takes the next values of the fields that change from press to press.
func (t *Transmit) nextTurns(o Order, c device.Code, sheet *line.Sheet) (line.Fields, error) {
	next := line.Fields{}
	for name, turn := range sheet.Turns() {
		v, err := t.store.TakeTurn(context.Background(), o.owner(), c.Sheet, name, turn.Values)
		if err != nil {
			return nil, err
		}
		if base, _ := c.Fields[name].Int(); turn.Counts {
			v = (base + v) % turn.Values
		}
		next[name] = line.Number(v)
	}
	return next, nil
}

// Wave is what a code sends, as marks and spaces in µs with the silence after it, and its channel. Line codes that look
// alike are told apart by how they repeat: as many frames are there as it takes to read the code again.
func (t *Transmit) Wave(c device.Code) ([]int, device.Channel, error) {
	p, on, err := t.encode(c)
	if err != nil {
		return nil, on, err
	}
	wave := func(repeats int) []int {
		out := line.Burst{Once: p.Once, Repeat: p.Repeat, Last: p.Last, Repeats: repeats}.Durations()
		out[len(out)-1] = max(out[len(out)-1], p.GapUS)
		return out
	}
	for more := range moreFrames {
		out := wave(p.Repeats + more)
		r := t.book.Decode(signal.Split(out, signal.UnknownGap)).Readings
		if len(r) > 0 && r[0].Sheet == c.Sheet || c.Sheet == "" || len(p.Repeat) == 0 {
			return out, on, nil
		}
	}
	return wave(p.Repeats), on, nil
}

// moreFrames is how many frames more may be written.
const moreFrames = 4
