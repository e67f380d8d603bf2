package belief

import (
	"slices"
	"time"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/line"
)

// heard takes what a receiver heard: a handset's press, or an echo of Urbo's own, which settles one that was unknown.
func (b *Beliefs) heard(c happening.Capture) {
	if c.PressID != "" {
		b.echo(c)
		return
	}
	if c.Station == "recording" || b.idle() {
		return
	}
	if b.heardWhole(c); len(c.Keys) == 0 {
		return
	}
	missed := b.missed(c)
	for _, k := range c.Keys {
		if !b.inEarshot(k.DeviceID, c.RoomID, c.Medium) {
			continue
		}
		b.miss(k, c, missed)
		p := control.Press{Key: k.Key, At: c.At, Held: c.Length(), Outcome: control.Sent, Source: control.ByHandset,
			Cause: c.ID}
		if k.Again || c.Maybe { // the device may have passed over it
			p.Outcome = control.Unknown
		}
		b.push(k.DeviceID, entry{Press: &p, ID: c.ID, Place: placeOf(c), Late: c.Late})
	}
}

// mostMissed is how many missed presses are told one by one: after more, nothing is known.
const mostMissed = 3

// missed is how many presses of a handset with rolling codes were heard by nobody since the last that was, from what it
// counts.
func (b *Beliefs) missed(c happening.Capture) int {
	if len(c.Readings) == 0 || !c.Readings[0].Rolling || c.Late {
		return 0
	}
	r := c.Readings[0]
	sheet, err := b.Book.Sheet(r.Sheet)
	if err != nil {
		return 0
	}
	handset := r.Sheet
	for _, name := range []string{"handset", "serial", "id", "address"} {
		if v, ok := r.Fields[name]; ok {
			handset += " " + v.String()
		}
	}
	for name, turn := range sheet.Turns() {
		now, ok := r.Fields[name].Int()
		if !turn.Counts || !ok {
			continue
		}
		b.mu.Lock()
		before, known := b.counts[handset]
		b.counts[handset] = now
		b.mu.Unlock()
		if n := (now - before - 1 + turn.Values) % turn.Values; known && n > 0 && n < turn.Values/2 {
			return int(min(n, mostMissed+1))
		}
	}
	return 0
}

// miss folds presses of a handset that nobody heard: each may have been any of its keys.
func (b *Beliefs) miss(k happening.KeyMatch, c happening.Capture, missed int) {
	if missed == 0 {
		return
	}
	d, err := b.Library.ByID(k.DeviceID)
	if err != nil {
		return
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	m := b.minds[k.DeviceID]
	if m == nil {
		return
	}
	at := c.At.Add(-time.Millisecond)
	travels := slices.ContainsFunc(d.Controls, func(c control.Control) bool { return c.Kind == control.Travel })
	if missed > mostMissed || travels { // nobody knows for how long it moved
		m.deafen(at)
		return
	}
	for range missed {
		for _, key := range d.KeyNames() {
			if m.spec.Does(key) {
				m.add(entry{Press: &control.Press{Key: key, At: at, Outcome: control.Unknown, Source: control.ByHandset,
					Cause: c.ID}})
			}
		}
	}
}

// heardWhole takes a frame of a handset that carries several controls of a device.
func (b *Beliefs) heardWhole(c happening.Capture) {
	if len(c.Readings) == 0 {
		return
	}
	reading := c.Readings[0]
	fields := map[string]int64{}
	for name, v := range reading.Fields {
		if n, ok := v.Int(); ok {
			fields[name] = n
		}
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	for id, m := range b.minds {
		frame, mine := m.spec.Frame(reading.Sheet, fields)
		if !mine || !b.inEarshot(id, c.RoomID, c.Medium) {
			continue
		}
		p := control.Press{Frame: frame, At: c.At, Outcome: control.Sent, Source: control.ByHandset, Cause: c.ID}
		if m.add(entry{Press: &p, ID: c.ID, Place: placeOf(c), Late: c.Late}) {
			b.changed(m, c.ID)
			b.wakeWatch()
		}
	}
}

// placeOf is the receiver of a capture, whatever its station's name becomes.
func placeOf(c happening.Capture) string { return c.StationID + "/" + c.Port }

// echo is how a press of Urbo's own was heard.
type echo struct {
	span control.Span
	// as it was sent: else a handset was pressed at the same moment, and the device may have understood neither
	whole bool
}

// aside is by how much the time of a press may be off from that of its echo.
const aside = 150 * time.Millisecond

// echo takes an echo: what it belongs to went out, or was disturbed.
func (b *Beliefs) echo(c happening.Capture) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for id, all := range b.echoed {
		if c.At.Sub(all[len(all)-1].span.From) > time.Minute {
			delete(b.echoed, id)
		}
	}
	e := echo{control.Span{From: c.At.Add(-aside), To: c.At.Add(c.Length() + aside)}, !c.Disturbed}
	b.echoed[c.PressID] = append(b.echoed[c.PressID], e)
	for _, m := range b.minds {
		if e.whole && m.settle(c.PressID) || b.disturb(m, c.PressID, e) {
			b.changed(m, c.PressID)
			b.wakeWatch()
		}
	}
}

// disturb makes a press doubtful whose echo was not heard as it was sent, unless another receiver heard it so. The
// caller holds mu.
func (b *Beliefs) disturb(m *mind, pressID string, e echo) bool {
	if e.whole || slices.ContainsFunc(b.echoed[pressID], func(o echo) bool {
		return o.whole && o.span.From.Before(e.span.To.Add(-2*aside)) && e.span.From.Add(2*aside).Before(o.span.To)
	}) {
		return false
	}
	if b.turns(m.id) { // a device that missed one passes over the next, whose bit is the one that it saw last
		e.span.To = e.span.To.Add(nextTurn)
	}
	return m.doubt(pressID, e.span)
}

// nextTurn is by when the next press of one order has begun.
const nextTurn = 350 * time.Millisecond

// turns says whether a device obeys codes with a bit that changes with each push.
func (b *Beliefs) turns(deviceID string) bool {
	d, err := b.Library.ByID(deviceID)
	if err != nil {
		return false
	}
	for _, k := range d.Keys {
		for _, c := range k.Codes {
			if s, err := b.Book.Sheet(c.Sheet); err == nil {
				for _, turn := range s.Turns() {
					return !turn.Counts
				}
			}
		}
	}
	return false
}

// wasEchoed says whether a press was heard as it was sent. The caller holds mu.
func (b *Beliefs) wasEchoed(pressID string) bool {
	return slices.ContainsFunc(b.echoed[pressID], func(e echo) bool { return e.whole })
}

// push folds a push of a handset into what is believed of a device.
func (b *Beliefs) push(deviceID string, e entry) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if m := b.minds[deviceID]; m != nil && m.add(e) {
		b.changed(m, e.ID)
		b.wakeWatch()
	}
}

// channelOf is what carries the codes of a device's keys; false where none is known.
func (b *Beliefs) channelOf(d device.Device) (device.Channel, bool) {
	if d.Whole != nil {
		if on, err := (device.Code{Sheet: d.Whole.Sheet}).On(b.Book); err == nil {
			return on, true
		}
	}
	for _, k := range d.Keys {
		for _, c := range slices.Concat(k.Codes, k.Follows) {
			if on, err := c.On(b.Book); err == nil {
				return on, true
			}
		}
	}
	return device.Channel{}, false
}

// inEarshot says whether a device hears what is sent or heard in a room, by its id: infrared stays in it, where both
// are known.
func (b *Beliefs) inEarshot(deviceID, room string, medium line.Medium) bool {
	if medium == line.Radio || room == "" {
		return true
	}
	in := b.Library.RoomOf(deviceID)
	return in == "" || in == room
}

// away makes doubtful what nobody listens to any more.
func (b *Beliefs) away() {
	b.mu.Lock()
	minds := make([]*mind, 0, len(b.minds))
	for _, m := range b.minds {
		if b.ending.IsZero() {
			minds = append(minds, m)
		}
	}
	b.mu.Unlock()
	for _, m := range minds {
		d, err := b.Library.ByID(m.id)
		if err != nil {
			continue
		}
		on, ok := b.channelOf(d)
		if !ok || b.Stations.Listens(on, d.RoomID) {
			continue
		}
		b.mu.Lock()
		m.deafen(b.Now())
		b.changed(m, "")
		b.mu.Unlock()
	}
}
