// Package library keeps the devices, their keys and what each key sends. It holds them all in memory for look-ups
// while a press is on its way, and writes every change to the store before it counts.
package library

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"
	"unique"

	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"

	"urbo/core/bench"
	"urbo/core/line"
	"urbo/core/signal"
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

	mu      sync.RWMutex
	devices map[string]*store.Device // by slug
	old     map[string]string        // slugs that devices had, and have
	known   map[string][]wire.KeyRef // by what is on the air
	unnamed map[string][]unnamedKey  // by fingerprint: signals without a line code
	places  map[string][]place       // by device: where its keys stand in the two above
	inline  map[string]*line.Sheet   // compiled, by their text
	shelf   shelf
}

// unnamedKey is a key that sends a signal without a line code.
type unnamedKey struct {
	frame signal.Train
	ref   wire.KeyRef
}

// Open reads the library.
func Open(ctx context.Context, s *store.Store, events *event.Hub, book *line.Book, now func() time.Time) (*Library, error) {
	l := &Library{store: s, events: events, book: book, now: now, inline: map[string]*line.Sheet{}}
	return l, l.reload(ctx)
}

// devicesOf asks for devices with all that belongs to them.
func devicesOf(tx *gorm.DB) *gorm.DB {
	return tx.Preload("Room").Preload("Keys", func(tx *gorm.DB) *gorm.DB { return tx.Order("position") }).
		Preload("Keys.Codes", func(tx *gorm.DB) *gorm.DB { return tx.Order("version, position") })
}

// reload reads everything anew and builds the look-up of codes.
func (l *Library) reload(ctx context.Context) error {
	rows, err := l.everything(ctx)
	if err != nil {
		return fmt.Errorf("read the library: %w", err)
	}
	shelf, err := l.readShelf(ctx)
	if err != nil {
		return fmt.Errorf("read the code sets: %w", err)
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	l.shelf = shelf
	l.devices = make(map[string]*store.Device, len(rows))
	l.known, l.unnamed, l.places = map[string][]wire.KeyRef{}, map[string][]unnamedKey{}, map[string][]place{}
	for _, d := range rows {
		l.devices[d.Slug] = d
		l.enter(d)
	}
	return l.readOld(ctx)
}

// everything reads all devices, table by table and both long ones at once: asking for the keys of so many devices by
// their ids would be more than a statement can hold, and GORM's mapping would take most of the time. What few codes
// have comes in one column, as every column of every row takes time.
func (l *Library) everything(ctx context.Context) ([]*store.Device, error) {
	var devices []*store.Device
	var keys []store.Key
	var codes []store.Code
	tx := l.store.Read(ctx)
	var both errgroup.Group
	both.Go(func() error {
		err := tx.Joins("Room").Find(&devices).Error
		return errors.Join(err, each(tx, "SELECT id, device_id, name, position, CAST(updated_at AS TEXT), hold, extra FROM keys", func(rows *sql.Rows) error {
			var k store.Key
			var at sql.RawBytes
			if err := rows.Scan(&k.ID, &k.DeviceID, &k.Name, &k.Position, &at, &k.Hold, &k.Extra); err != nil {
				return err
			}
			k.UpdatedAt = moment(at)
			keys = append(keys, k)
			return nil
		}))
	})
	both.Go(func() error {
		seldom := "CASE WHEN sheet='' OR unit_us<>0 OR gap_us<>0 OR carrier_hz<>0 OR frequency_hz<>0 OR repeats<>0 OR takes<>0 OR extra<>'' THEN " +
			"json_object('Inline', inline, 'Print', print, 'UnitUS', unit_us, 'Train', json(CAST(train AS TEXT)), 'GapUS', gap_us, 'CarrierHz', carrier_hz, 'FrequencyHz', frequency_hz, 'Repeats', repeats, 'Takes', takes, 'Agreed', agreed, 'Extra', extra) END"
		return each(tx, "SELECT key_id, version, position, sheet, fields, source, CAST(created_at AS TEXT), "+seldom+" FROM codes", func(rows *sql.Rows) error {
			var c store.Code
			var sheet, source, fields, at, rest sql.RawBytes
			if err := rows.Scan(&c.KeyID, &c.Version, &c.Position, &sheet, &fields, &source, &at, &rest); err != nil {
				return err
			}
			if err := errors.Join(decode(rest, &c), decode(fields, &c.Fields)); err != nil {
				return fmt.Errorf("a code of key %s: %w", c.KeyID, err)
			}
			c.Sheet, c.Source, c.CreatedAt = intern(sheet), intern(source), moment(at)
			codes = append(codes, c)
			return nil
		})
	})
	if err := both.Wait(); err != nil {
		return nil, err
	}
	return joined(devices, keys, codes), nil
}

// each runs a query and calls f with each of its rows.
func each(tx *gorm.DB, query string, f func(*sql.Rows) error) error {
	rows, err := tx.Raw(query).Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		if err := f(rows); err != nil {
			return err
		}
	}
	return rows.Err()
}

// decode reads a column of JSON, which may be empty.
func decode(data []byte, out any) error {
	if len(data) == 0 || string(data) == "null" {
		return nil
	}
	return json.Unmarshal(data, out)
}

// joined puts codes into their keys, and keys into their devices, in order.
func joined(devices []*store.Device, keys []store.Key, codes []store.Code) []*store.Device {
	slices.SortFunc(codes, func(a, b store.Code) int {
		return cmp.Or(strings.Compare(a.KeyID, b.KeyID), a.Version-b.Version, a.Position-b.Position)
	})
	slices.SortFunc(keys, func(a, b store.Key) int {
		return cmp.Or(strings.Compare(a.DeviceID, b.DeviceID), a.Position-b.Position)
	})
	codesOf := make(map[string][]store.Code, len(keys))
	for from, to := 0, 0; from < len(codes); from = to { // codes of one key stand together now
		for to = from + 1; to < len(codes) && codes[to].KeyID == codes[from].KeyID; {
			to++
		}
		codesOf[codes[from].KeyID] = codes[from:to:to]
	}
	byID := make(map[string]*store.Device, len(devices))
	for _, d := range devices {
		byID[d.ID] = d
	}
	for from, to := 0, 0; from < len(keys); from = to {
		for to = from; to < len(keys) && keys[to].DeviceID == keys[from].DeviceID; to++ {
			keys[to].Codes = codesOf[keys[to].ID]
		}
		if d := byID[keys[from].DeviceID]; d != nil {
			d.Keys = keys[from:to:to]
		}
	}
	return devices
}

// moment reads a time as SQLite holds it; the zero time where it is none.
func moment(text []byte) time.Time {
	t, err := time.Parse("2006-01-02 15:04:05.999999999-07:00", string(text))
	if err != nil {
		return time.Time{}
	}
	return t
}

// intern is the one copy of a text that many codes have.
func intern(text []byte) string { return unique.Make(string(text)).Value() }

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
		l.leave(slug)
		delete(l.devices, slug)
	}
	for _, d := range rows {
		l.devices[d.Slug] = d
		l.enter(d)
	}
	if now == before && len(rows) > 0 {
		return nil
	}
	return l.readOld(ctx)
}

// place is where a key of a device stands in the look-up: under an identity, or under a fingerprint.
type place struct{ known, unnamed string }

// enter puts a device's keys into the look-up from what is on the air to keys. The caller holds mu.
func (l *Library) enter(d *store.Device) {
	for i := range d.Keys {
		ref := wire.KeyRef{Device: d.Slug, Key: d.Keys[i].Name}
		for _, c := range InForce(&d.Keys[i]) {
			if c.Sheet == "" {
				l.unnamed[c.Print] = append(l.unnamed[c.Print], unnamedKey{c.Train, ref})
				l.places[d.Slug] = append(l.places[d.Slug], place{unnamed: c.Print})
			} else if s, err := l.book.Sheet(c.Sheet); err == nil {
				id := s.Identity(c.Fields)
				refs := append(l.known[id], ref)
				slices.SortFunc(refs, func(a, b wire.KeyRef) int { return strings.Compare(a.String(), b.String()) })
				l.known[id] = refs
				l.places[d.Slug] = append(l.places[d.Slug], place{known: id})
			}
		}
	}
}

// leave takes a device's keys out of the look-up. The caller holds mu.
func (l *Library) leave(slug string) {
	for _, p := range l.places[slug] {
		if p.known != "" {
			l.known[p.known] = slices.DeleteFunc(slices.Clone(l.known[p.known]), func(r wire.KeyRef) bool { return r.Device == slug })
			continue
		}
		l.unnamed[p.unnamed] = slices.DeleteFunc(slices.Clone(l.unnamed[p.unnamed]), func(k unnamedKey) bool { return k.ref.Device == slug })
	}
	delete(l.places, slug)
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

// Match lists the keys that send what was heard: by the most trusted reading that any key has, else by the structure
// of the signal, nil where it has none.
func (l *Library) Match(readings []line.Reading, structure *bench.Structure) []wire.KeyRef {
	l.mu.RLock()
	defer l.mu.RUnlock()
	for _, r := range readings {
		s, err := l.book.Sheet(r.Sheet)
		if err != nil {
			continue
		}
		if refs := l.known[s.Identity(r.Fields)]; len(refs) > 0 {
			return slices.Clone(refs)
		}
	}
	if structure == nil {
		return nil
	}
	var out []wire.KeyRef
	for _, k := range l.unnamed[structure.Print.String()] {
		if bench.Alike(k.frame, structure.Frame) && !slices.Contains(out, k.ref) {
			out = append(out, k.ref)
		}
	}
	return out
}

// Devices lists all devices by room and name.
func (l *Library) Devices() []wire.Device {
	l.mu.RLock()
	defer l.mu.RUnlock()
	out := make([]wire.Device, 0, len(l.devices))
	for _, d := range l.devices {
		out = append(out, toWire(d))
	}
	slices.SortFunc(out, func(a, b wire.Device) int {
		return strings.Compare(a.Room+"\x00"+a.Name+"\x00"+a.Slug, b.Room+"\x00"+b.Name+"\x00"+b.Slug)
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

func (l *Library) find(slug string) (*store.Device, error) {
	if d := l.devices[slug]; d != nil {
		return d, nil
	}
	if d := l.devices[l.old[slug]]; d != nil {
		return d, nil
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
