// Package library keeps the devices, their keys and what each key sends, and the code sets. It has one writer: a change
// is read, checked, written and published under one lock, and what is in memory is always what is on disk.
package library

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"time"

	"urbo/core/bench"
	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/core/plain"
	"urbo/core/signal"
	"urbo/service/rooms"
	"urbo/service/stream"
	"urbo/store"
)

// Errors that callers ask for.
var (
	ErrUnknownDevice = fault.New(fault.NotFound, "unknown device")
	ErrNotLearned    = fault.New(fault.Conflict, "key is not learned yet")
)

// Line is a device as it stands in a list.
type Line = store.DeviceLine

// Rooms tells which rooms there are.
type Rooms interface {
	Name(id string) string
	Ensure(ctx context.Context, name string, by grant.By) (rooms.Room, error)
}

// Library is the devices of the house.
type Library struct {
	devices store.Devices
	stream  *stream.Stream
	book    *line.Book
	rooms   Rooms
	now     func() time.Time

	writer sync.Mutex // held for a whole change

	mu      sync.RWMutex      // held for moments
	entries map[string]*entry // by id
	ids     map[string]string // by slug
	former  map[string]string // ids by slugs that devices had
	shelf   *shelf
	groups  map[string]bool // slugs of groups, which no device may have

	pairing  sync.Mutex
	handsets map[string]pendingHandset // that wait to be paired, by device id
}

// entry is a device in memory. Its keys and codes are read when they are first asked for: a large library would take
// long to read, and most of it is never used.
type entry struct {
	line Line

	mu   sync.Mutex
	full *device.Device // never changed: a change puts another in its place
}

// Open reads the library: lists and code sets. What cannot be read is left out, and said in the journal.
func Open(ctx context.Context, s *store.Store, in Rooms, events *stream.Stream, book *line.Book,
	now func() time.Time) (*Library, error) {
	l := &Library{devices: s.Devices(), rooms: in, stream: events, book: book, now: now, entries: map[string]*entry{},
		handsets: map[string]pendingHandset{},
		ids:      map[string]string{}, groups: map[string]bool{}}
	if err := l.reindex(ctx); err != nil {
		return nil, fmt.Errorf("index the library: %w", err)
	}
	if err := l.purge(ctx); err != nil { // reading goes on where writing does not
		slog.Warn("forget what was removed long ago; it is tried again", "error", err)
	}
	lines, err := l.devices.Lines(ctx)
	if err == nil {
		l.former, err = l.devices.FormerSlugs(ctx)
	}
	if err != nil {
		return nil, fmt.Errorf("read the library: %w", err)
	}
	for _, row := range lines {
		l.entries[row.ID] = &entry{line: row}
		l.ids[row.Slug] = row.ID
	}
	sets, troubles, err := l.devices.Sets(ctx)
	if err != nil {
		return nil, fmt.Errorf("read the code sets: %w", err)
	}
	l.say(troubles)
	l.shelf = newShelf(sets, book)
	return l, nil
}

// say tells the journal what cannot be read.
func (l *Library) say(troubles []error) {
	for _, t := range troubles {
		l.stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "error", Text: t.Error()}})
	}
}

// Lines lists the devices by room and name: those that have all words of search in their name, room, kind, maker or
// model.
func (l *Library) Lines(search string) []Line {
	words := strings.Fields(strings.ToLower(search))
	l.mu.RLock()
	defer l.mu.RUnlock()
	out := make([]Line, 0, len(l.entries))
	for _, e := range l.entries {
		d := l.named(e.line)
		text := strings.ToLower(strings.Join([]string{d.Name, d.Room, d.Kind, d.Maker, d.Model, d.Slug}, "\n"))
		if !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, w) }) {
			out = append(out, d)
		}
	}
	slices.SortFunc(out, func(a, b Line) int {
		return cmp.Or(plain.Compare(a.Room, b.Room), plain.Compare(a.Name, b.Name), strings.Compare(a.Slug, b.Slug))
	})
	return out
}

// named is a line with what its room is called now.
func (l *Library) named(line Line) Line {
	line.Room = l.rooms.Name(line.RoomID)
	return line
}

// Reserve keeps a slug for a group, in the place of the one that it had ("" is none of either), where f succeeds; no
// device is added or renamed meanwhile. The error wraps device.ErrTaken, or is that of f.
func (l *Library) Reserve(_ context.Context, slug, was string, f func() error) error {
	l.writer.Lock()
	defer l.writer.Unlock()
	l.mu.RLock()
	taken := slug != "" && l.ids[slug] != ""
	l.mu.RUnlock()
	if taken {
		return fmt.Errorf("%w: a device %q is there already: choose another short name", device.ErrTaken, slug)
	}
	if err := f(); err != nil {
		return err
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	delete(l.groups, was)
	if slug != "" {
		l.groups[slug] = true
	}
	return nil
}

// RoomOf is the id of the room that a device stands in, "" where it stands in none or is gone.
func (l *Library) RoomOf(id string) string {
	l.mu.RLock()
	defer l.mu.RUnlock()
	if e := l.entries[id]; e != nil {
		return e.line.RoomID
	}
	return ""
}

// InRoom is the name of a device that stands in a room, "" where none does.
func (l *Library) InRoom(id string) string {
	l.mu.RLock()
	defer l.mu.RUnlock()
	for _, e := range l.entries {
		if e.line.RoomID == id {
			return e.line.Name
		}
	}
	return ""
}

// Device finds a device by its slug, or by one that it had. It is not to be changed. The error wraps ErrUnknownDevice
// and names the nearest.
func (l *Library) Device(slug string) (device.Device, error) {
	id, err := l.ID(slug)
	if err != nil {
		return device.Device{}, err
	}
	return l.ByID(id)
}

// called is the one device that is called so, as a slug; "" where none is, or several are. The caller holds mu.
func (l *Library) called(slug string) (id string) {
	if id := cmp.Or(l.ids[slug], l.former[slug]); slug == "" || l.entries[id] != nil {
		return id
	}
	for _, e := range l.entries {
		if device.Slug(e.line.Name) != slug {
			continue
		}
		if id != "" {
			return ""
		}
		id = e.line.ID
	}
	return id
}

// ID finds the id of a device by its slug, or by one that it had; where there is none, by what it is called, without
// regard to case. The error wraps ErrUnknownDevice.
func (l *Library) ID(slug string) (string, error) {
	l.mu.RLock()
	defer l.mu.RUnlock()
	if id := cmp.Or(l.ids[slug], l.former[slug]); l.entries[id] != nil {
		return id, nil
	}
	if id := l.called(device.Slug(slug)); id != "" {
		return id, nil
	}
	names := make([]string, 0, len(l.ids))
	for s := range l.ids {
		names = append(names, s)
	}
	slices.Sort(names)
	if len(names) == 0 {
		return "", fmt.Errorf("%w %.60q: there are no devices yet: add one first", ErrUnknownDevice, slug)
	}
	return "", fmt.Errorf("%w %.60q: nearest are %s", ErrUnknownDevice, slug, device.Nearest(slug, names))
}

// ByID finds a device by its id. It is not to be changed. The error wraps ErrUnknownDevice.
func (l *Library) ByID(id string) (device.Device, error) {
	l.mu.RLock()
	e := l.entries[id]
	l.mu.RUnlock()
	if e == nil {
		return device.Device{}, fmt.Errorf("%w: it was removed", ErrUnknownDevice)
	}
	d, err := l.load(e)
	d.Room = l.rooms.Name(d.RoomID)
	return d, err
}

// load reads the keys and codes of a device, once.
func (l *Library) load(e *entry) (device.Device, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.full != nil {
		return *e.full, nil
	}
	d, troubles, err := l.devices.Load(context.Background(), e.line.ID)
	if errors.Is(err, store.ErrNotFound) {
		return d, fmt.Errorf("%w %q: it was removed", ErrUnknownDevice, e.line.Slug)
	}
	if err != nil {
		return d, fmt.Errorf("read device %s: %w", e.line.Slug, err)
	}
	l.say(troubles)
	e.full = &d
	return d, nil
}

// Key finds a learned key of a device by their slugs. Errors wrap ErrUnknownDevice, device.ErrUnknownKey or
// ErrNotLearned.
func (l *Library) Key(ref device.Ref) (device.Device, device.Key, error) {
	d, err := l.Device(ref.Device)
	if err != nil {
		return d, device.Key{}, err
	}
	k, err := d.Key(ref.Key)
	if err != nil {
		return d, device.Key{}, err
	}
	if !k.Learned() && k.Followed() {
		return d, *k, fmt.Errorf("%w: %s is only followed where a handset sends it: pair a handset of Urbo's own "+
			"(urbo device pair %s), or learn one whose codes can be sent", ErrNotLearned, ref, ref.Device)
	}
	if !k.Learned() {
		return d, *k, fmt.Errorf("%w: %s: start a lesson for it (urbo learn %s %s)", ErrNotLearned, ref, ref.Device,
			ref.Key)
	}
	return d, *k, nil
}

// Identity is the text by which a code is found.
func (l *Library) Identity(c device.Code) string { return c.Identity(l.book) }

// reindex works these texts out anew where a line sheet's fields change in another way than when they were made: after
// an update, or after a sheet of one's own was edited.
func (l *Library) reindex(ctx context.Context) error {
	done, err := l.devices.Indexed(ctx)
	if err != nil {
		return err
	}
	fresh := map[string]string{}
	for _, s := range l.book.Sheets() {
		changing := strings.Join(s.Changing(), " ")
		if had, is := done[s.Name]; !is || had != changing {
			fresh[s.Name] = changing
		}
	}
	if done[""] != bench.Prints {
		fresh[""] = bench.Prints
	}
	if len(fresh) == 0 {
		return nil
	}
	return l.devices.Reindex(ctx, fresh, l.anew, l.Identity)
}

// anew is a code without a line code as it would be found today, where that sends the same: what was found out about it
// by an earlier Urbo is not what will be heard.
func (l *Library) anew(c device.Code) device.Code {
	if c.Inline == "" {
		return c
	}
	b, err := c.Burst(l.book)
	if err != nil {
		return c
	}
	s, err := bench.Describe(signal.Split(b.Durations(), signal.UnknownGap))
	if err != nil || device.Fingerprint(s.Print) == l.Identity(c) || !bench.Alike(s.Frame, c.Train) {
		return c
	}
	now, err := l.Suggest(c.Channel, nil, &s)
	if err != nil || now.Inline == "" {
		return c
	}
	c.Inline, c.Fields, c.Train = now.Inline, now.Fields, now.Train
	return c
}

// Slug tells what a device is called now, "" where it is gone.
func (l *Library) Slug(id string) string {
	l.mu.RLock()
	defer l.mu.RUnlock()
	if e := l.entries[id]; e != nil {
		return e.line.Slug
	}
	return ""
}

// Name is the name of a device, "" where it is gone.
func (l *Library) Name(id string) string {
	l.mu.RLock()
	defer l.mu.RUnlock()
	if e := l.entries[id]; e != nil {
		return e.line.Name
	}
	return ""
}
