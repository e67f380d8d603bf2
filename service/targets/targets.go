// Package targets finds what steps, boards and texts name: devices, groups, rooms and measurements, and which devices
// that is now.
package targets

import (
	"fmt"
	"slices"
	"strings"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/run"
	"urbo/service/groups"
	"urbo/service/library"
	"urbo/service/measure"
	"urbo/service/rooms"
)

// Library finds devices.
type Library interface {
	ID(slug string) (string, error)
	Slug(id string) string
	ByID(id string) (device.Device, error)
	Lines(search string) []library.Line
}

// Beliefs says what devices can be set to, and what they are believed to be at.
type Beliefs interface {
	Spec(id string) (*control.Spec, error)
	StatesOf(id string) ([]control.State, error)
}

// Targets finds things.
type Targets struct {
	Library Library
	Groups  *groups.Groups
	Rooms   *rooms.Rooms
	Measure *measure.Measure
	Beliefs Beliefs
}

// roomPath begins the path of a room: a device may have the same name.
const roomPath = "room/"

// Target finds a device, a group, "room/ROOM" or a measurement. Errors are those of the library or the rooms, and name
// the nearest.
func (t *Targets) Target(name string) (run.Target, error) {
	if room, is := strings.CutPrefix(name, roomPath); is {
		r, err := t.Rooms.Find(room)
		return run.Target{Kind: run.Room, ID: r.ID, Was: roomPath + r.Slug}, err
	}
	if strings.Contains(name, "/") {
		_, err := t.Measure.Get(name)
		if err != nil && slices.ContainsFunc(t.sensors(), func(m string) bool { return m == name }) {
			err = nil
		}
		return run.Target{Kind: run.Measurement, ID: name, Was: name}, err
	}
	id, err := t.Library.ID(name)
	if err == nil {
		return run.Target{Kind: run.Device, ID: id, Was: t.Library.Slug(id)}, nil
	}
	if g, none := t.Groups.Find(name); none == nil {
		return run.Target{Kind: run.Group, ID: g.ID, Was: g.Slug}, nil
	}
	return run.Target{}, err
}

// sensors are the measurements that devices are sensed by.
func (t *Targets) sensors() (out []string) {
	for _, l := range t.Library.Lines("") {
		if d, err := t.Library.ByID(l.ID); err == nil {
			for _, s := range d.Sensors {
				out = append(out, s.Measurement)
			}
		}
	}
	return out
}

// Name is what something is called now, "" where it is gone.
func (t *Targets) Name(of run.Target) string {
	switch of.Kind {
	case run.Device:
		return t.Library.Slug(of.ID)
	case run.Group:
		g, _ := t.Groups.Find(of.ID)
		return g.Slug
	case run.Room:
		if r, err := t.Rooms.Find(of.ID); err == nil {
			return roomPath + r.Slug
		}
	}
	return ""
}

// Devices are the ids of the devices that something is now.
func (t *Targets) Devices(of run.Target) (out []string) {
	switch of.Kind {
	case run.Device:
		if t.Library.Slug(of.ID) != "" {
			out = []string{of.ID}
		}
	case run.Group:
		out = t.Groups.Devices(of.ID)
	case run.Room:
		for _, l := range t.Library.Lines("") {
			if l.RoomID == of.ID {
				out = append(out, l.ID)
			}
		}
	}
	return out
}

// AllDevices are the ids of the devices that several things are now, each once.
func (t *Targets) AllDevices(of []run.Target) []string {
	var out []string
	for _, one := range of {
		for _, id := range t.Devices(one) {
			if !slices.Contains(out, id) {
				out = append(out, id)
			}
		}
	}
	return out
}

// With are the ids of those of its devices that have a control. The error says that none has, or why the one device
// has not.
func (t *Targets) With(of run.Target, name string) (out []string, err error) {
	all := t.Devices(of)
	for _, id := range all {
		spec, none := t.Beliefs.Spec(id)
		if none == nil {
			none = spec.Has(name)
		}
		if none != nil {
			err = none
			continue
		}
		out = append(out, id)
	}
	switch {
	case len(out) > 0:
		return out, nil
	case of.Kind == run.Device && err != nil:
		return nil, err
	case of.Kind == run.Device:
		return nil, fmt.Errorf("%w %.40q: it was removed", library.ErrUnknownDevice, of.Was)
	}
	return nil, fmt.Errorf("%w %.40q: no device of %s has it", control.ErrForm, name, of.Was)
}

// Key says whether a device has a key. The error names the nearest.
func (t *Targets) Key(of run.Target, key string) error {
	d, err := t.Library.ByID(of.ID)
	if err != nil {
		return err
	}
	_, err = d.Key(key)
	return err
}

// Control says whether something has a control, and whether it may be at a value, on any of its devices.
func (t *Targets) Control(of run.Target, name, value string) error {
	ids, err := t.With(of, name)
	if err != nil || value == "" {
		return err
	}
	for _, id := range ids {
		spec, none := t.Beliefs.Spec(id)
		if none != nil {
			return none
		}
		if _, steps := spec.Steps(control.Want{Control: name, Value: value}); steps {
			return nil
		}
		if err = spec.Check(name, value); err == nil {
			return nil
		}
	}
	return err
}

// Reading is what is known of the control or measurement of a test. A group or room is at a value where all its devices
// are; where they differ, it may be at each.
func (t *Targets) Reading(test run.Test) run.Reading {
	if test.On.Kind == run.Measurement {
		m, err := t.Measure.Get(test.On.ID)
		if err != nil {
			return nil
		}
		return run.Reading{fmt.Sprint(m.Value)}
	}
	ids, err := t.With(test.On, test.Control)
	if err != nil {
		return nil
	}
	var out run.Reading
	for _, id := range ids {
		states, err := t.Beliefs.StatesOf(id)
		if err != nil {
			return nil
		}
		i := slices.IndexFunc(states, func(s control.State) bool { return s.Control == test.Control })
		if i < 0 {
			return nil
		}
		may := states[i].May
		switch {
		case states[i].About:
			may = []string{states[i].Near}
		case states[i].Value != "":
			may = []string{states[i].Value}
		}
		if len(may) == 0 {
			return nil
		}
		out = append(out, may...)
	}
	return out
}
