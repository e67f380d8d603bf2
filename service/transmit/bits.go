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
}

// NewBits makes the memory of what devices saw.
func NewBits(store Turns, book *line.Book, roomOf func(deviceID string) string) *Bits {
	return &Bits{store: store, book: book, roomOf: roomOf, last: map[string]string{}}
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
	if len(c.Keys) == 0 || len(c.Readings) == 0 || c.PressID != "" || c.Late {
		return
	}
	r := c.Readings[0]
	sheet, err := b.book.Sheet(r.Sheet)
	if err != nil {
		return
	}
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
