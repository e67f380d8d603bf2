package transmit

import (
	"context"
	"log/slog"
	"sync"

	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/line"
)

// Bits remembers the frame that each device saw last, of line codes with a bit that changes with each push: a device
// passes over a frame that it saw last, from whichever handset that came.
type Bits struct {
	store  Turns
	book   *line.Book
	roomOf func(deviceID string) string

	mu   sync.Mutex
	last map[string]string // by device id
	// unknown are the frames that were heard last of codes that are nobody's, by their identity: a key that is being
	// learned is heard before it is known, and its device saw that, too.
	unknown map[string]string
}

// mostUnknown is how many codes that are nobody's are remembered.
const mostUnknown = 500

// NewBits makes the memory of what devices saw.
func NewBits(store Turns, book *line.Book, roomOf func(deviceID string) string) *Bits {
	return &Bits{store: store, book: book, roomOf: roomOf, last: map[string]string{}, unknown: map[string]string{}}
}

// sent notes what goes out to a device.
func (b *Bits) sent(deviceID string, c device.Code) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.last[deviceID] = c.Sheet + " " + c.Fields.String()
}

// Heard notes what a handset was heard to send to the devices of a capture. Where one of them saw the same frame last,
// its key says so; what Urbo sends next has the other value.
func (b *Bits) Heard(c *happening.Capture) {
	if len(c.Readings) == 0 || c.PressID != "" || c.Late {
		return
	}
	r := c.Readings[0]
	sheet, err := b.book.Sheet(r.Sheet)
	if err != nil {
		return
	}
	b.noteUnknown(c, sheet)
	for name, turn := range sheet.Turns() {
		value, ok := r.Fields[name].Int()
		if turn.Counts || !ok {
			continue
		}
		frame := r.Sheet + " " + r.Fields.String()
		for i := range c.Keys {
			k := &c.Keys[i]
			if room := b.roomOf(k.DeviceID); c.Medium == line.Infrared && c.RoomID != "" && room != "" &&
				room != c.RoomID {
				continue
			}
			b.mu.Lock()
			k.Again = b.last[k.DeviceID] == frame
			b.last[k.DeviceID] = frame
			b.mu.Unlock()
			if k.Again {
				continue
			}
			next := (value + 1) % turn.Values
			if err := b.store.PutTurn(context.Background(), k.DeviceID, r.Sheet, name, next); err != nil {
				slog.Error("note what a device saw last", "error", err)
			}
		}
	}
}

// noteUnknown notes what was heard of a code that is nobody's, and forgets it once it is somebody's.
func (b *Bits) noteUnknown(c *happening.Capture, sheet *line.Sheet) {
	r := c.Readings[0]
	identity := sheet.Identity(r.Fields)
	b.mu.Lock()
	defer b.mu.Unlock()
	if len(c.Keys) > 0 || sheet.Counts() || len(sheet.Turns()) == 0 {
		delete(b.unknown, identity)
		return
	}
	if len(b.unknown) >= mostUnknown {
		clear(b.unknown)
	}
	b.unknown[identity] = r.Sheet + " " + r.Fields.String()
}

// sawUnknown says, once, whether a frame was the last that was heard of its code before that was anybody's.
func (b *Bits) sawUnknown(sheet *line.Sheet, c device.Code) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	identity := sheet.Identity(c.Fields)
	frame, heard := b.unknown[identity]
	delete(b.unknown, identity)
	return heard && frame == c.Sheet+" "+c.Fields.String()
}
