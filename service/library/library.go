// Package library keeps the devices, their keys and what each key sends. It holds them all in memory for look-ups
// while a press is on its way, and writes every change to the store before it counts.
package library

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"gorm.io/gorm"

	"urbo/core/line"
	"urbo/service/event"
	"urbo/store"
	"urbo/wire"
)

// Errors that callers ask for.
var (
	ErrUnknownDevice = errors.New("unknown device")
	ErrUnknownKey    = errors.New("unknown key")
	ErrNotLearned    = errors.New("key is not learned yet")
	ErrCode          = errors.New("code")
	ErrTaken         = errors.New("name is taken")
)

// Library is the devices of the house.
type Library struct {
	store  *store.Store
	events *event.Hub
	book   *line.Book
	now    func() time.Time
	found  *sql.Stmt // lookUp

	mu      sync.RWMutex
	devices map[string]*entry      // by slug
	old     map[string]string      // slugs that devices had, and have
	inline  map[string]*line.Sheet // compiled, by their text
	shelf   shelf
}

// Open reads the library.
func Open(ctx context.Context, s *store.Store, events *event.Hub, book *line.Book, now func() time.Time) (*Library, error) {
	l := &Library{store: s, events: events, book: book, now: now, inline: map[string]*line.Sheet{}}
	if err := l.reindex(ctx); err != nil {
		return nil, fmt.Errorf("index the library: %w", err)
	}
	db, err := s.Read(ctx).DB()
	if err == nil {
		l.found, err = db.PrepareContext(ctx, lookUp)
	}
	if err != nil {
		return nil, fmt.Errorf("open the library: %w", err)
	}
	return l, l.reload(ctx)
}

// devicesOf asks for devices with all that belongs to them.
func devicesOf(tx *gorm.DB) *gorm.DB {
	return tx.Preload("Room").Preload("Keys", func(tx *gorm.DB) *gorm.DB { return tx.Order("position") }).
		Preload("Keys.Codes", func(tx *gorm.DB) *gorm.DB { return tx.Order("version, position") })
}

// reload reads the devices by name anew, and the code sets. What else belongs to a device is read when it is asked for.
func (l *Library) reload(ctx context.Context) error {
	var rows []store.Device
	if err := l.store.Read(ctx).Joins("Room").Find(&rows).Error; err != nil {
		return fmt.Errorf("read the library: %w", err)
	}
	devices, byID := make(map[string]*entry, len(rows)), make(map[string]*entry, len(rows))
	for i := range rows {
		e := &entry{row: &rows[i]}
		devices[rows[i].Slug], byID[rows[i].ID] = e, e
	}
	if err := l.count(ctx, byID); err != nil {
		return fmt.Errorf("read the library: %w", err)
	}
	shelf, err := l.readShelf(ctx)
	if err != nil {
		return fmt.Errorf("read the code sets: %w", err)
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	l.devices, l.shelf = devices, shelf
	return l.readOld(ctx)
}

// readOld reads the slugs that devices had. The caller holds mu.
func (l *Library) readOld(ctx context.Context) error {
	var olds []store.OldSlug
	if err := l.store.Read(ctx).Preload("Device").Find(&olds).Error; err != nil {
		return fmt.Errorf("read the library: %w", err)
	}
	l.old = make(map[string]string, len(olds))
	for _, o := range olds {
		l.old[o.Slug] = o.Device.Slug
	}
	return nil
}

// refresh reads one device anew, by its slug now and before a change.
func (l *Library) refresh(ctx context.Context, now, before string) error {
	var rows []*store.Device
	if err := devicesOf(l.store.Read(ctx).Where("slug = ?", now)).Find(&rows).Error; err != nil {
		return fmt.Errorf("read the library: %w", err)
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, slug := range []string{now, before} {
		delete(l.devices, slug)
	}
	for _, d := range rows {
		l.devices[d.Slug] = newEntry(d)
	}
	if now == before && len(rows) > 0 {
		return nil
	}
	return l.readOld(ctx)
}

// InForce lists the codes of a key's newest version, in the order they are sent.
func InForce(k *store.Key) []store.Code {
	newest := version(k)
	var out []store.Code
	for _, c := range k.Codes {
		if c.Version == newest {
			out = append(out, c)
		}
	}
	return out
}

func version(k *store.Key) int {
	newest := 0
	for _, c := range k.Codes {
		newest = max(newest, c.Version)
	}
	return newest
}

// Devices lists the devices by room and name: those that have all words of search in their name, room, kind, maker or
// model.
func (l *Library) Devices(search string) []wire.DeviceLine {
	words := strings.Fields(strings.ToLower(search))
	l.mu.RLock()
	defer l.mu.RUnlock()
	out := make([]wire.DeviceLine, 0, len(l.devices))
	for _, e := range l.devices {
		d := e.line()
		text := strings.ToLower(strings.Join([]string{d.Name, d.Room, d.Kind, d.Maker, d.Model, d.Slug}, "\n"))
		if !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, w) }) {
			out = append(out, d)
		}
	}
	slices.SortFunc(out, func(a, b wire.DeviceLine) int {
		return cmp.Or(strings.Compare(a.Room, b.Room), strings.Compare(a.Name, b.Name), strings.Compare(a.Slug, b.Slug))
	})
	return out
}

// Device finds a device. Its error wraps ErrUnknownDevice and names the nearest.
func (l *Library) Device(slug string) (wire.Device, error) {
	l.mu.RLock()
	defer l.mu.RUnlock()
	d, err := l.find(slug)
	if err != nil {
		return wire.Device{}, err
	}
	return toWire(d), nil
}

// find finds a device with all that belongs to it. The caller holds mu.
func (l *Library) find(slug string) (*store.Device, error) {
	e := l.devices[slug]
	if e == nil {
		e = l.devices[l.old[slug]]
	}
	if e != nil {
		return e.load(l.store)
	}
	var names []string
	for s := range l.devices {
		names = append(names, s)
	}
	slices.Sort(names)
	if len(names) == 0 {
		return nil, fmt.Errorf("%w %.60q: there are no devices yet: add one first", ErrUnknownDevice, slug)
	}
	return nil, fmt.Errorf("%w %.60q: nearest are %s", ErrUnknownDevice, slug, nearest(slug, names))
}

func findKey(d *store.Device, name string) (*store.Key, error) {
	var names []string
	for i := range d.Keys {
		if d.Keys[i].Name == name {
			return &d.Keys[i], nil
		}
		names = append(names, d.Keys[i].Name)
	}
	if len(names) == 0 {
		return nil, fmt.Errorf("%w %.60q: %s has no keys yet: start a lesson", ErrUnknownKey, name, d.Slug)
	}
	return nil, fmt.Errorf("%w %.60q of %s: nearest are %s", ErrUnknownKey, name, d.Slug, nearest(name, names))
}

// Sendable is what the air needs to know to press a key.
type Sendable struct {
	Ref         wire.KeyRef
	DeviceID    string
	Codes       []store.Code
	Transmitter string // STATION/PORT, empty for the first that fits
	Hold        string
	Gap, WarmUp time.Duration // that the device needs between presses, and after it was switched on
}

// Sendable finds the codes of a key. Errors wrap ErrUnknownDevice, ErrUnknownKey or ErrNotLearned.
func (l *Library) Sendable(ref wire.KeyRef) (Sendable, error) {
	l.mu.RLock()
	defer l.mu.RUnlock()
	d, err := l.find(ref.Device)
	if err != nil {
		return Sendable{}, err
	}
	k, err := findKey(d, ref.Key)
	if err != nil {
		return Sendable{}, err
	}
	codes := InForce(k)
	if len(codes) == 0 {
		return Sendable{}, fmt.Errorf("%w: %s: start a lesson for it (urbo learn %s %s)", ErrNotLearned, ref, ref.Device, ref.Key)
	}
	ref.Device = d.Slug
	return Sendable{Ref: ref, DeviceID: d.ID, Codes: codes, Transmitter: d.Transmitter, Hold: k.Hold,
		Gap: time.Duration(d.GapMS) * time.Millisecond, WarmUp: time.Duration(d.WarmUpMS) * time.Millisecond}, nil
}

func toWire(d *store.Device) wire.Device {
	out := wire.Device{Slug: d.Slug, Name: d.Name, Kind: d.Kind, Maker: d.Maker, Model: d.Model, Transmitter: d.Transmitter, Traits: d.Traits, Picture: d.Picture, Keys: []wire.Key{}}
	if d.Room != nil {
		out.Room = d.Room.Name
	}
	for i := range d.Keys {
		k := wire.Key{Name: d.Keys[i].Name, Hold: d.Keys[i].Hold, Version: version(&d.Keys[i]), Changed: d.Keys[i].UpdatedAt, Codes: []wire.Code{}}
		for _, c := range InForce(&d.Keys[i]) {
			k.Codes = append(k.Codes, CodeToWire(c))
		}
		out.Keys = append(out.Keys, k)
	}
	return out
}

// CodeToWire translates a stored code.
func CodeToWire(c store.Code) wire.Code {
	return wire.Code{Sheet: c.Sheet, Inline: c.Inline, Fields: wire.Fields(c.Fields), Unit: c.UnitUS, Train: c.Train, GapUS: c.GapUS,
		CarrierHz: c.CarrierHz, FrequencyHz: c.FrequencyHz, Repeats: c.Repeats, Source: c.Source, Takes: c.Takes, Agreed: c.Agreed}
}
