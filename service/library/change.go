package library

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"slices"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/store"
)

// Note is what the journal gets to know of a change beside what changed.
type Note struct {
	By    grant.By // who asked
	Cause string   // id of what led to it, or ""
	Quiet bool     // something else tells of it
}

// Change is the one way to change a device: f gets a copy of it, and what f makes of it is checked, written, and told
// to everybody, all under one lock. Once it is written it counts, also where ctx ends. A key whose codes f changed gets
// its next version. Errors are those of f, of device.Check, or wrap ErrUnknownDevice, device.ErrTaken, device.ErrCode
// or the store's errors; then nothing was changed.
func (l *Library) Change(ctx context.Context, id string, note Note, f func(*device.Device) error) (device.Device,
	error) {
	l.writer.Lock()
	defer l.writer.Unlock()
	before, err := l.ByID(id)
	if err != nil {
		return before, err
	}
	after := before.Clone()
	if err := f(&after); err != nil {
		return before, err
	}
	return l.put(ctx, note, store.Edit{Before: &before, After: &after})
}

// ChangeBySlug is Change for a caller who knows the device by its slug.
func (l *Library) ChangeBySlug(ctx context.Context, slug string, note Note,
	f func(*device.Device) error) (device.Device, error) {
	id, err := l.ID(slug)
	if err != nil {
		return device.Device{}, err
	}
	return l.Change(ctx, id, note, f)
}

// Add puts a device into the library. Without a slug it is made from the name; without a kind it is "other"; without
// keys it has the usual ones of its kind. Errors are those of Change.
func (l *Library) Add(ctx context.Context, d device.Device, note Note) (device.Device, error) {
	l.writer.Lock()
	defer l.writer.Unlock()
	d = d.Clone()
	if d.Slug == "" {
		d.Slug = device.Slug(d.Name)
	}
	if d.Kind == "" {
		d.Kind = "other"
	}
	if len(d.Keys) == 0 {
		for _, key := range device.UsualKeys(d.Kind) {
			if _, err := d.Add(key); err != nil {
				return d, err
			}
		}
	}
	return l.put(ctx, note, store.Edit{After: &d})
}

// put checks and writes one change. The caller holds writer.
func (l *Library) put(ctx context.Context, note Note, c store.Edit) (device.Device, error) {
	if err := l.complete(c); err != nil {
		return *c.After, err
	}
	if err := l.place(ctx, note, c); err != nil {
		return *c.After, err
	}
	batch := store.Batch{Devices: []store.Edit{c}, Identify: l.Identity, At: l.now()}
	if err := l.devices.Apply(ctx, batch); err != nil {
		return *c.After, l.refused(err, c)
	}
	l.changed(note, c)
	return *c.After, nil
}

// place finds the room that a change puts a device into, in whatever spelling, or makes it.
func (l *Library) place(ctx context.Context, note Note, c store.Edit) error {
	d := c.After
	if c.Before != nil && c.Before.Room == d.Room {
		d.RoomID = c.Before.RoomID
		return nil
	}
	room, err := l.rooms.Ensure(ctx, d.Room, note.By)
	if err != nil {
		return err
	}
	d.RoomID, d.Room = room.ID, room.Name
	return nil
}

// refused says what the store's refusal of a change means.
func (l *Library) refused(err error, c store.Edit) error {
	if errors.Is(err, store.ErrDuplicate) {
		return fmt.Errorf("%w: a device %q is there already: choose another short name", device.ErrTaken, c.After.Slug)
	}
	return fmt.Errorf("keep device %s: %w", c.After.Slug, err)
}

// complete checks what a change makes of a device, and completes its names and codes. The caller holds writer.
func (l *Library) complete(c store.Edit) error {
	d := c.After
	var err error
	if d.Name, err = device.CleanName("the device's name", d.Name); err != nil {
		return err
	}
	if d.Room != "" {
		if d.Room, err = device.CleanRoom(d.Room); err != nil {
			return err
		}
	}
	if err := d.Check(); err != nil {
		return err
	}
	if d.Whole != nil && (c.Before == nil || !reflect.DeepEqual(d.Whole, c.Before.Whole)) {
		if err := l.checkFrames(d); err != nil {
			return err
		}
	}
	if err := l.checkLinks(c); err != nil {
		return err
	}
	l.mu.RLock()
	taken, group := l.ids[d.Slug], l.groups[d.Slug]
	l.mu.RUnlock()
	if group {
		return fmt.Errorf("%w: a group %q is there already: choose another short name", device.ErrTaken, d.Slug)
	}
	if taken != "" && taken != d.ID {
		return fmt.Errorf("%w: a device %q is there already: choose another short name", device.ErrTaken, d.Slug)
	}
	for i := range d.Keys {
		k := &d.Keys[i]
		had := keyByID(c.Before, k.ID)
		if k.Codes == nil {
			k.Codes = []device.Code{}
		}
		for j, code := range k.Codes {
			if had != nil && j < len(had.Codes) && reflect.DeepEqual(had.Codes[j], code) {
				continue // a code that was there may be of a sheet that is not any more
			}
			if k.Codes[j], err = code.Complete(l.book); err != nil {
				return fmt.Errorf("keep %s/%s: %w", d.Slug, k.Name, err)
			}
		}
		for j, code := range k.Follows {
			if had != nil && j < len(had.Follows) && reflect.DeepEqual(had.Follows[j], code) {
				continue
			}
			if k.Follows[j], err = code.CompleteHeard(l.book); err != nil {
				return fmt.Errorf("follow %s/%s: %w", d.Slug, k.Name, err)
			}
		}
	}
	return nil
}

// checkFrames says why a device's frames cannot be sent: an unknown field, or a number that does not fit. A sheet that
// is not known may come later: advice says so.
func (l *Library) checkFrames(d *device.Device) error {
	if _, err := l.book.Sheet(d.Whole.Sheet); err != nil {
		return nil
	}
	spec, err := d.Compile()
	if err != nil {
		return err
	}
	for _, frame := range spec.Corners() {
		if err := device.FrameCode(spec, frame).Check(l.book); err != nil {
			return fmt.Errorf("%w: frames: %w", control.ErrForm, err)
		}
	}
	return nil
}

func keyByID(d *device.Device, id string) *device.Key {
	if d == nil || id == "" {
		return nil
	}
	for i := range d.Keys {
		if d.Keys[i].ID == id {
			return &d.Keys[i]
		}
	}
	return nil
}

// changed puts what was written into memory, and tells it. The caller holds writer.
func (l *Library) changed(note Note, c store.Edit) {
	l.remember(c)
	d := c.After
	what := happening.DeviceChanged{DeviceID: d.ID, Device: d.Slug, Title: d.Name, Added: c.Before == nil,
		Quiet: note.Quiet}
	if c.Before != nil {
		if what.Changes = differences(*c.Before, *d); len(what.Changes) == 0 && reflect.DeepEqual(*c.Before, *d) {
			return
		}
		if c.Before.Slug != d.Slug {
			what.Was = c.Before.Slug
		}
	}
	l.stream.Publish(happening.Happening{By: note.By, Cause: note.Cause, What: what})
}

// remember puts a device as it was written into memory.
func (l *Library) remember(c store.Edit) {
	d := c.After.Clone()
	e := &entry{full: &d, line: Line{ID: d.ID, Slug: d.Slug, Name: d.Name, RoomID: d.RoomID, Kind: d.Kind,
		Maker: d.Maker, Model: d.Model, Keys: len(d.Keys), Learned: d.Learned(), Followed: d.Followed()}}
	l.mu.Lock()
	defer l.mu.Unlock()
	if c.Before != nil && c.Before.Slug != d.Slug {
		delete(l.ids, c.Before.Slug)
		l.former[c.Before.Slug] = d.ID
	}
	delete(l.former, d.Slug)
	l.entries[d.ID], l.ids[d.Slug] = e, d.ID
}

// differences names what changed of a device.
func differences(a, b device.Device) []string {
	var out []string
	for _, p := range []struct {
		name    string
		changed bool
	}{
		{"name", a.Name != b.Name}, {"short name", a.Slug != b.Slug}, {"room", a.RoomID != b.RoomID},
		{"kind", a.Kind != b.Kind}, {"maker", a.Maker != b.Maker},
		{"model", a.Model != b.Model}, {"transmitter", a.Transmitter != b.Transmitter},
		{"further transmitters", !slices.Equal(a.Also, b.Also)}, {"verifying", a.Verify != b.Verify},
		{"controls", !reflect.DeepEqual(a.Forms, b.Forms)}, {"sensors", !slices.Equal(a.Sensors, b.Sensors)},
		{"picture", a.Picture != b.Picture},
		{"settings", !reflect.DeepEqual(withoutFace(a.Traits), withoutFace(b.Traits))},
		{"face", !reflect.DeepEqual(a.Face, b.Face)},
	} {
		if p.changed {
			out = append(out, p.name)
		}
	}
	for _, k := range b.Keys {
		switch was := keyByID(&a, k.ID); {
		case was == nil:
			out = append(out, "new key "+k.Name)
		case was.Name != k.Name:
			out = append(out, was.Name+" is "+k.Name+" now")
		case was.Version != k.Version:
			out = append(out, "what "+k.Name+" sends")
		case was.Transmitter != k.Transmitter:
			out = append(out, "the transmitter of "+k.Name)
		case was.Hold != k.Hold:
			out = append(out, "holding "+k.Name)
		case !reflect.DeepEqual(was.Follows, k.Follows):
			out = append(out, "what counts as "+k.Name+" when it is heard")
		}
	}
	for _, k := range a.Keys {
		if keyByID(&b, k.ID) == nil {
			out = append(out, "without "+k.Name)
		}
	}
	return out
}

func withoutFace(t device.Traits) device.Traits {
	t.Face, t.Forms = nil, control.Forms{}
	return t
}

// Versions lists what a key sent and sends, the newest first. Errors wrap ErrUnknownDevice or device.ErrUnknownKey.
func (l *Library) Versions(ctx context.Context, ref device.Ref) ([]store.Version, error) {
	d, err := l.Device(ref.Device)
	if err != nil {
		return nil, err
	}
	k, err := d.Key(ref.Key)
	if err != nil {
		return nil, err
	}
	return l.devices.Versions(ctx, k.ID)
}

// Restore puts an earlier version of a key's codes in force again; version 0 is the one before the one in force, so
// that undoing once more goes further back. Nothing is lost: all versions stay. Errors wrap device.ErrCode where there
// is no such version.
func (l *Library) Restore(ctx context.Context, ref device.Ref, number int, note Note) (device.Device, error) {
	return l.ChangeBySlug(ctx, ref.Device, note, func(d *device.Device) error {
		k, err := d.Key(ref.Key)
		if err != nil {
			return err
		}
		versions, err := l.devices.Versions(ctx, k.ID)
		if err != nil {
			return err
		}
		wanted := number
		for _, v := range versions {
			if number == 0 && v.Number == k.Version {
				wanted = v.Replaces
			}
		}
		for _, v := range versions {
			if v.Number == wanted {
				k.Version, k.Codes = v.Number, v.Codes
				return nil
			}
		}
		if number == 0 {
			return fmt.Errorf("undo %s: %w: nothing to undo: there is nothing that it sent before", ref, device.ErrCode)
		}
		return fmt.Errorf("restore %s: %w: there is no version %d: it has %d, list them to see which", ref,
			device.ErrCode, number, len(versions))
	})
}
