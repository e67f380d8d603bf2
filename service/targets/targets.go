// Package targets finds what steps, boards and texts name: devices, groups, rooms and measurements, and which devices
// that is now.
package targets

import (
	"fmt"
	"slices"
	"strings"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/occasion"
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
	// Held says who has which rein now; nil where there are none.
	Held func() map[occasion.Rein]run.Path
}

// reins is the name of what has the volume, arrows, digits and play keys now.
const reins = "reins"

// ErrReins is wrapped where nobody has a rein now.
var ErrReins = fault.New(fault.Conflict, "nobody has the reins")

// Resolve is a control of something, and what it is called there: of the reins, that of whoever has them now. The error
// wraps ErrReins.
func (t *Targets) Resolve(of run.Target, name string) (run.Target, string, error) {
	if of.Kind != run.Reins {
		return of, name, nil
	}
	if path, held := t.held()[occasion.Rein(name)]; held && path.Name != "" {
		return path.On, path.Name, nil
	}
	return of, name, fmt.Errorf("%w of %.20s: start an occasion that gives them", ErrReins, name)
}

// ResolveKey is a key of something: of the reins, the key of whoever has them now that does the same. Errors wrap
// ErrReins or occasion.ErrOccasion.
func (t *Targets) ResolveKey(of run.Target, key string) (run.Target, string, error) {
	if of.Kind != run.Reins {
		return of, key, nil
	}
	rein, err := occasion.ReinOf(key)
	if err != nil {
		return of, key, err
	}
	path, held := t.held()[rein]
	if !held {
		return of, key, fmt.Errorf("%w of %s: start an occasion that gives them", ErrReins, rein)
	}
	if rein != occasion.Volume {
		return path.On, key, nil
	}
	if spec, err := t.Beliefs.Spec(path.On.ID); err == nil {
		for _, c := range spec.Controls() {
			switch {
			case c.Name != path.Name:
			case key == "volume-up" && c.Up != "":
				key = c.Up
			case key == "volume-down" && c.Down != "":
				key = c.Down
			}
		}
	}
	return path.On, key, nil
}

func (t *Targets) held() map[occasion.Rein]run.Path {
	if t.Held == nil {
		return nil
	}
	return t.Held()
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
		_, err := t.Measure.Find(name)
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
	if name == reins {
		return run.Target{Kind: run.Reins, ID: reins, Was: reins}, nil
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
	case run.Reins:
		return reins
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
	case run.Reins:
		for _, path := range t.held() {
			if !slices.Contains(out, path.On.ID) {
				out = append(out, path.On.ID)
			}
		}
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
	if of.Kind == run.Reins {
		if of, name, err = t.Resolve(of, name); err != nil {
			return nil, err
		}
	}
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
	if of.Kind == run.Reins {
		_, err := occasion.ReinOf(key)
		return err
	}
	d, err := t.Library.ByID(of.ID)
	if err != nil {
		return err
	}
	_, err = d.Key(key)
	return err
}

// Control says whether something has a control, and whether it may be at a value, on any of its devices.
func (t *Targets) Control(of run.Target, name, value string) error {
	if of.Kind == run.Reins { // whose they are is known when it is set
		if name != string(occasion.Volume) {
			return fmt.Errorf("%w %.40q: of the reins, volume is set, and the others are keys", control.ErrForm, name)
		}
		return nil
	}
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
		if err != nil || m.Silent {
			return nil
		}
		return run.Reading{fmt.Sprint(m.Value)}
	}
	on, name, err := t.Resolve(test.On, test.Control)
	if err != nil {
		return nil
	}
	test.Control = name
	ids, err := t.With(on, name)
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
