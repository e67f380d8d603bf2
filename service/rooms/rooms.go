// Package rooms keeps the rooms of the house. Devices and stations point to a room by its id; people name it, in
// whatever spelling.
package rooms

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/plain"
	"urbo/service/stream"
	"urbo/store"
)

// Errors that callers ask for.
var (
	ErrUnknown = fault.New(fault.NotFound, "unknown room")
	ErrInUse   = fault.New(fault.Conflict, "something is in the room")
	ErrMany    = fault.New(fault.Conflict, "too many rooms")
)

// Most is the most rooms of a house.
const Most = 500

// Room is a place in the home.
type Room = store.Room

// Store keeps rooms.
type Store interface {
	Rooms(ctx context.Context) ([]Room, error)
	PutRoom(ctx context.Context, r Room) error
	RemoveRoom(ctx context.Context, id string) error
}

// Rooms is the rooms of the house.
type Rooms struct {
	store  Store
	stream *stream.Stream

	writer sync.Mutex // held for a whole change; taken before mu

	mu  sync.RWMutex
	all map[string]Room // by id
}

// Open reads the rooms.
func Open(ctx context.Context, s Store, events *stream.Stream) (*Rooms, error) {
	rows, err := s.Rooms(ctx)
	if err != nil {
		return nil, fmt.Errorf("read the rooms: %w", err)
	}
	r := &Rooms{store: s, stream: events, all: make(map[string]Room, len(rows))}
	for _, row := range rows {
		r.all[row.ID] = row
	}
	return r, nil
}

// List lists the rooms by name.
func (r *Rooms) List() []Room {
	r.mu.RLock()
	defer r.mu.RUnlock()
	out := make([]Room, 0, len(r.all))
	for _, room := range r.all {
		out = append(out, room)
	}
	slices.SortFunc(out, func(a, b Room) int {
		return cmp.Or(plain.Compare(a.Name, b.Name), strings.Compare(a.ID, b.ID))
	})
	return out
}

// Name is what a room is called now, "" for none.
func (r *Rooms) Name(id string) string {
	r.mu.RLock()
	defer r.mu.RUnlock()
	return r.all[id].Name
}

// Find finds a room by its name, in any spelling, or by its id. The error wraps ErrUnknown and names the nearest.
func (r *Rooms) Find(name string) (Room, error) {
	r.mu.RLock()
	defer r.mu.RUnlock()
	if room, ok := r.find(name); ok {
		return room, nil
	}
	names := make([]string, 0, len(r.all))
	for _, room := range r.all {
		names = append(names, room.Name)
	}
	if len(names) == 0 {
		return Room{}, fmt.Errorf("%w %.60q: there are no rooms yet: urbo room add", ErrUnknown, name)
	}
	slices.Sort(names)
	return Room{}, fmt.Errorf("%w %.60q: nearest are %s", ErrUnknown, name, device.Nearest(name, names))
}

// find finds a room by its id, its name or its spelling. The caller holds mu.
func (r *Rooms) find(name string) (Room, bool) {
	if room, ok := r.all[name]; ok {
		return room, true
	}
	slug := slugOf(name)
	for _, room := range r.all {
		if room.Slug == slug {
			return room, true
		}
	}
	return Room{}, false
}

// slugOf tells spellings apart: letters and digits count, in any case. A name without any of a to z counts as it is.
func slugOf(name string) string {
	if slug := device.Slug(name); slug != "" {
		return slug
	}
	return strings.ToLower(strings.TrimSpace(name))
}

// Ensure finds a room by its name in any spelling, or makes it; "" is none. Errors wrap device.ErrName, ErrMany or the
// store's.
func (r *Rooms) Ensure(ctx context.Context, name string, by grant.By) (Room, error) {
	if strings.TrimSpace(name) == "" {
		return Room{}, nil
	}
	r.mu.RLock()
	room, there := r.find(name)
	r.mu.RUnlock()
	if there {
		return room, nil
	}
	room, err := r.add(ctx, name, by, true)
	if errors.Is(err, device.ErrTaken) { // somebody made it just now
		return r.Find(name)
	}
	return room, err
}

// Add makes a room. Errors wrap device.ErrName, device.ErrTaken, ErrMany or the store's.
func (r *Rooms) Add(ctx context.Context, name string, by grant.By) (Room, error) {
	return r.add(ctx, name, by, false)
}

func (r *Rooms) add(ctx context.Context, name string, by grant.By, quiet bool) (Room, error) {
	r.writer.Lock()
	defer r.writer.Unlock()
	room := Room{ID: store.NewID()}
	if err := r.name(&room, name); err != nil {
		return Room{}, err
	}
	r.mu.RLock()
	n := len(r.all)
	r.mu.RUnlock()
	if n >= Most {
		return Room{}, fmt.Errorf("%w: %d, which is the most: remove one", ErrMany, Most)
	}
	return room, r.put(ctx, room, happening.RoomChanged{RoomID: room.ID, Room: room.Name, Quiet: quiet}, by)
}

// Rename gives a room another name. What is in it stays there. Errors wrap ErrUnknown, device.ErrName, device.ErrTaken
// or the store's.
func (r *Rooms) Rename(ctx context.Context, name, to string, by grant.By) (Room, error) {
	r.writer.Lock()
	defer r.writer.Unlock()
	room, err := r.Find(name)
	if err != nil {
		return room, err
	}
	was := room.Name
	if err := r.name(&room, to); err != nil {
		return room, err
	}
	if room.Name == was {
		return room, nil
	}
	return room, r.put(ctx, room, happening.RoomChanged{RoomID: room.ID, Room: room.Name, Was: was}, by)
}

// name checks a name and gives it to a room. The caller holds writer.
func (r *Rooms) name(room *Room, name string) (err error) {
	if room.Name, err = device.CleanRoom(name); err != nil {
		return err
	}
	room.Slug = slugOf(room.Name)
	r.mu.RLock()
	defer r.mu.RUnlock()
	if other, there := r.find(room.Name); there && other.ID != room.ID {
		return fmt.Errorf("%w: there is a room %q already: choose another name", device.ErrTaken, other.Name)
	}
	return nil
}

func (r *Rooms) put(ctx context.Context, room Room, what happening.RoomChanged, by grant.By) error {
	if err := r.store.PutRoom(ctx, room); err != nil {
		return err
	}
	r.mu.Lock()
	r.all[room.ID] = room
	r.mu.Unlock()
	r.stream.Publish(happening.Happening{By: by, What: what})
	return nil
}

// Remove removes a room that nothing is in. used says what is in it, "" where nothing is. Errors wrap ErrUnknown,
// ErrInUse or the store's.
func (r *Rooms) Remove(ctx context.Context, name string, used func(id string) string, by grant.By) error {
	r.writer.Lock()
	defer r.writer.Unlock()
	room, err := r.Find(name)
	if err != nil {
		return err
	}
	if what := used(room.ID); what != "" {
		return fmt.Errorf("%w: %s stands in %s: move it first", ErrInUse, what, room.Name)
	}
	if err := r.store.RemoveRoom(ctx, room.ID); err != nil {
		return fmt.Errorf("remove room %s: %w", room.Name, err)
	}
	r.mu.Lock()
	delete(r.all, room.ID)
	r.mu.Unlock()
	r.stream.Publish(happening.Happening{By: by,
		What: happening.RoomChanged{RoomID: room.ID, Room: room.Name, Removed: true}})
	return nil
}
