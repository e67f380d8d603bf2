package belief

import (
	"fmt"
	"slices"
	"time"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service/rooms"
)

// ErrNoControls is wrapped where nothing can be set on a device.
var ErrNoControls = fault.New(fault.Conflict, "no controls")

// States are what is believed of a device now, with its controls' histories. The error wraps ErrNoControls or
// library.ErrUnknownDevice.
func (b *Beliefs) States(slug string) ([]control.State, map[string][]Was, error) {
	m, err := b.mind(slug)
	if err != nil {
		return nil, nil, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	history := make(map[string][]Was, len(m.history))
	for name, h := range m.history {
		history[name] = append([]Was{}, h...)
	}
	return m.spec.States(m.now, b.Now()), history, nil
}

// StatesOf are what is believed of the controls of a device now, by its id. Errors are those of Spec.
func (b *Beliefs) StatesOf(id string) ([]control.State, error) {
	m, err := b.mindOf(id)
	if err != nil {
		return nil, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	return m.spec.States(m.now, b.Now()), nil
}

// mind finds what is believed of a device, once all that has happened so far is in it.
func (b *Beliefs) mind(slug string) (*mind, error) {
	id, err := b.Library.ID(slug)
	if err != nil {
		return nil, err
	}
	return b.mindOf(id)
}

// mindOf is mind for a device that is known by its id.
func (b *Beliefs) mindOf(id string) (*mind, error) {
	d, err := b.Library.ByID(id)
	if err != nil {
		return nil, err
	}
	if len(d.Controls) == 0 {
		return nil, fmt.Errorf("%w: nothing can be set on %s yet: urbo device control propose %s", ErrNoControls,
			d.Slug,
			d.Slug)
	}
	b.catchUp()
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.minds[d.ID] == nil {
		b.refresh(d.ID)
	}
	if m := b.minds[d.ID]; m != nil {
		for _, l := range m.spec.Leads() { // what it follows may have gone off by itself
			if leader := b.minds[l.DeviceID]; leader != nil {
				b.leads(leader)
			}
		}
		return m, nil
	}
	return nil, fmt.Errorf("%w: those of %s cannot be used", ErrNoControls, d.Slug)
}

// Failed takes what a person says: the mains failed in a room, or in all of them, and are back. It tells how many
// devices with controls that concerns.
func (b *Beliefs) Failed(room rooms.Room, by grant.By) int {
	b.catchUp()
	now := b.Now()
	told := b.Stream.Publish(happening.Happening{At: now, By: by, What: happening.MainsFailed{RoomID: room.ID,
		Room: room.Name}})
	b.mu.Lock()
	defer b.mu.Unlock()
	n := 0
	for id, m := range b.minds {
		d, err := b.Library.ByID(id)
		if err != nil || len(d.Controls) == 0 || room.ID != "" && d.RoomID != room.ID {
			continue
		}
		n++
		m.add(entry{Mains: &now, ID: told.ID})
		b.changed(m, told.ID)
	}
	b.wakeWatch()
	return n
}

// Tell takes what a person says that a control is at. Errors wrap control.ErrForm, ErrNoControls or
// library.ErrUnknownDevice.
func (b *Beliefs) Tell(slug, name, value string, by grant.By) ([]control.State, error) {
	m, err := b.mind(slug)
	if err != nil {
		return nil, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	meant := m.spec.Meant(control.Want{Control: name, Value: value})
	name, value = meant.Control, meant.Value
	if err := m.spec.Check(name, value); err != nil {
		return nil, err
	}
	h := b.Stream.Publish(happening.Happening{By: by,
		What: happening.ToldBelief{DeviceID: m.id, Device: m.slug, Control: name, Value: value}})
	b.learn(m, told{name, value, control.Told, b.Now()}, h.ID)
	b.wakeWatch()
	return m.spec.States(m.now, b.Now()), nil
}

// Plan makes the plan of what is wanted of a device, by its id. Errors wrap ErrNoControls, library.ErrUnknownDevice,
// control.ErrForm or control.ErrPlan.
func (b *Beliefs) Plan(id string, ask control.Request) (control.Plan, error) {
	m, err := b.mindOf(id)
	if err != nil {
		return control.Plan{}, err
	}
	d, err := b.Library.ByID(id)
	if err != nil {
		return control.Plan{}, err
	}
	ask.Moves = b.moves(d)
	b.mu.Lock()
	defer b.mu.Unlock()
	ask.Wants = m.spec.AllMeant(ask.Wants)
	ask.Gap, ask.Holds = time.Duration(d.GapMS)*time.Millisecond, b.holds(d)
	p, err := m.spec.Plan(m.now, ask, b.Now())
	if err == nil && len(p.Steps) > 0 {
		for _, other := range b.movedBy(id, ask.Wants) {
			if !slices.Contains(p.Also, other) {
				p.Also = append(p.Also, other)
			}
		}
	}
	return p, err
}

// moves are the devices that obey keys of a device as well, by key. They are looked up once, until a device
// changes.
func (b *Beliefs) moves(d device.Device) map[string][]string {
	b.mu.Lock()
	known, ok := b.moved[d.ID]
	seen := b.seen
	b.mu.Unlock()
	if ok {
		return known
	}
	out := map[string][]string{}
	for _, k := range d.Keys {
		on, ok := b.channelOf(device.Device{Keys: []device.Key{k}})
		if !ok {
			continue
		}
		for _, other := range b.Library.SameCode(d.ID, k) {
			if b.inEarshot(other.DeviceID, d.RoomID, on.Medium) && !slices.Contains(out[k.Name], other.Device) {
				out[k.Name] = append(out[k.Name], other.Device)
			}
		}
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.seen == seen { // else what was looked up may be another's by now
		b.moved[d.ID] = out
	}
	return out
}

// Holds says whether all that is wanted of a device is believed to be so.
func (b *Beliefs) Holds(id string, wants []control.Want) bool {
	m, err := b.mindOf(id)
	if err != nil {
		return false
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	return m.spec.Holds(m.now, wants, b.Now())
}

// Reached says whether a control of a device is believed to be at a value, as exactly as anything is known.
func (b *Beliefs) Reached(id string, want control.Want) bool {
	m, err := b.mindOf(id)
	if err != nil {
		return false
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	return m.spec.Reached(m.now, want, b.Now())
}

// Settled is wants as values, where they lead on from where a travel stands. Errors are those of Plan.
func (b *Beliefs) Settled(id string, wants []control.Want) ([]control.Want, error) {
	m, err := b.mindOf(id)
	if err != nil {
		return nil, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	out := m.spec.AllMeant(wants)
	for i, w := range out {
		if out[i], err = m.spec.Settled(m.now, w, b.Now()); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Doubts says whether what any wanted control is at is doubtful.
func (b *Beliefs) Doubts(id string, wants []control.Want) bool {
	states, err := b.StatesOf(id)
	return err != nil || slices.ContainsFunc(states, func(s control.State) bool {
		return s.Word == control.Doubtful &&
			slices.ContainsFunc(wants, func(w control.Want) bool { return w.Control == s.Control })
	})
}

// Value is what a control of a device is believed to be at, "" where it may be at several.
func (b *Beliefs) Value(id, name string) string {
	m, err := b.mindOf(id)
	if err != nil {
		return ""
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, st := range m.spec.States(m.now, b.Now()) {
		if st.Control == name {
			return st.Value
		}
	}
	return ""
}

// Spec is what the keys of a device do to its controls. Errors wrap ErrNoControls or library.ErrUnknownDevice.
func (b *Beliefs) Spec(id string) (*control.Spec, error) {
	m, err := b.mindOf(id)
	if err != nil {
		return nil, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	return m.spec, nil
}

// Others counts what moved the belief about a device and was not sent: presses of handsets, words and sensors.
func (b *Beliefs) Others(id string) int {
	b.catchUp()
	b.mu.Lock()
	defer b.mu.Unlock()
	if m := b.minds[id]; m != nil {
		return m.others
	}
	return 0
}

// Settles is how long the sensors of what is wanted need to show it, 0 where there are none.
func (b *Beliefs) Settles(id string, wants []control.Want) (longest time.Duration) {
	b.mu.Lock()
	defer b.mu.Unlock()
	m := b.minds[id]
	if m == nil {
		return 0
	}
	for _, s := range m.sensors {
		for _, w := range wants {
			if w.Control == s.Control {
				longest = max(longest, s.Settle())
			}
		}
	}
	return longest
}

// Due is a device that is on for as long as it may be.
type Due struct{ Device, Control string }

// Overdue lists the devices that are on for as long as they may be.
func (b *Beliefs) Overdue(now time.Time) (out []Due) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for id, m := range b.minds {
		for _, c := range m.forms.Controls {
			if c.Kind != control.Power || c.LongestS == 0 {
				continue
			}
			i := slices.IndexFunc(m.spec.States(m.now, now),
				func(st control.State) bool { return st.Control == c.Name })
			if i < 0 {
				continue
			}
			value, since := m.spec.States(m.now, now)[i].Value, m.since(c.Name)
			if value != "" && value != "off" && !since.IsZero() &&
				now.Sub(since) >= time.Duration(c.LongestS)*time.Second {
				out = append(out, Due{Device: id, Control: c.Name})
			}
		}
	}
	return out
}

// holds lists the keys of a device that can be held down, where any of its dials says what that does.
func (b *Beliefs) holds(d device.Device) (out []string) {
	if !slices.ContainsFunc(d.Controls, func(c control.Control) bool { return c.Rate > 0 }) {
		return nil
	}
	for _, k := range d.Keys {
		if !k.Learned() || k.Hold == device.HoldOnce {
			continue
		}
		if burst, err := k.Codes[len(k.Codes)-1].Burst(b.Book); err == nil && len(burst.Repeat) > 0 {
			out = append(out, k.Name)
		}
	}
	return out
}
