package library

import (
	"context"
	"fmt"
	"sync"

	"urbo/store"
	"urbo/wire"
)

// entry is a device of the library. Its keys and codes are read when they are first asked for: a large library would
// take long to read, and most of it is never used.
type entry struct {
	row           *store.Device // without keys
	keys, learned int

	mu   sync.Mutex
	full *store.Device
}

// newEntry makes an entry of a device with its keys.
func newEntry(d *store.Device) *entry {
	e := &entry{row: d, keys: len(d.Keys), full: d}
	for i := range d.Keys {
		if len(d.Keys[i].Codes) > 0 {
			e.learned++
		}
	}
	return e
}

// load reads the keys and codes, once.
func (e *entry) load(s *store.Store) (*store.Device, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.full != nil {
		return e.full, nil
	}
	var d store.Device
	if err := devicesOf(s.Read(context.Background())).Where("devices.id = ?", e.row.ID).Take(&d).Error; err != nil {
		return nil, fmt.Errorf("read device %s: %w", e.row.Slug, err)
	}
	e.full = &d
	return e.full, nil
}

func (e *entry) line() wire.DeviceLine {
	d := wire.DeviceLine{Slug: e.row.Slug, Name: e.row.Name, Kind: e.row.Kind, Maker: e.row.Maker, Model: e.row.Model, KeysTotal: e.keys, KeysLearned: e.learned}
	if e.row.Room != nil {
		d.Room = e.row.Room.Name
	}
	return d
}
