package library

import (
	"cmp"
	"context"
	"fmt"
	"reflect"
	"slices"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/store"
)

// Link lets another device set a control of one. Errors wrap control.ErrForm or ErrUnknownDevice.
func (l *Library) Link(ctx context.Context, slug string, link control.Link, note Note) (device.Device, error) {
	id, err := l.ID(link.Device)
	if err != nil {
		return device.Device{}, err
	}
	link.Device, link.DeviceID = "", id
	return l.ChangeBySlug(ctx, slug, note, func(d *device.Device) error {
		d.PutLink(link)
		return nil
	})
}

// Unlink takes back that another device sets a control of one. The error wraps control.ErrForm where it does not.
func (l *Library) Unlink(ctx context.Context, slug string, link control.Link, note Note) (device.Device, error) {
	id, err := l.ID(link.Device)
	if err != nil {
		return device.Device{}, err
	}
	link.Device, link.DeviceID = "", id
	return l.ChangeBySlug(ctx, slug, note, func(d *device.Device) error {
		if !d.DropLink(link) {
			return fmt.Errorf("%w %s: %s of that device does not set it", control.ErrForm, link.Sets, link.Control)
		}
		return nil
	})
}

// Feed lets the power of another device feed one; without a device, none does. Errors wrap control.ErrForm or
// ErrUnknownDevice.
func (l *Library) Feed(ctx context.Context, slug string, feed control.Feed, note Note) (device.Device, error) {
	var fed *control.Feed
	if feed.Device != "" {
		id, err := l.ID(feed.Device)
		if err != nil {
			return device.Device{}, err
		}
		fed = &control.Feed{DeviceID: id, Control: cmp.Or(feed.Control, "power")}
	}
	return l.ChangeBySlug(ctx, slug, note, func(d *device.Device) error {
		if fed != nil && d.Fed != nil && *d.Fed != *fed {
			return fmt.Errorf("%w: %s of %s feeds it already: a device has one master; take that back first",
				control.ErrForm, d.Fed.Control, cmp.Or(l.Slug(d.Fed.DeviceID), "a device that was removed"))
		}
		d.Fed = fed
		return nil
	})
}

// checkLinks says what is wrong with what a device follows, where that was changed. The caller holds writer.
func (l *Library) checkLinks(c store.Edit) error {
	d := c.After
	if len(d.Links) == 0 && d.Fed == nil || c.Before != nil && reflect.DeepEqual(d.Links, c.Before.Links) &&
		reflect.DeepEqual(d.Fed, c.Before.Fed) {
		return nil
	}
	for _, link := range d.Links {
		if err := l.checkLeader(d, link.DeviceID, link.Control, link.Value); err != nil {
			return err
		}
	}
	if d.Fed != nil {
		if err := l.checkLeader(d, d.Fed.DeviceID, d.Fed.Control, ""); err != nil {
			return err
		}
	}
	return l.checkCircle(d)
}

// checkLeader says why a device cannot follow a value of another one's control. Without a value it has to be a power.
func (l *Library) checkLeader(d *device.Device, id, name, value string) error {
	if id == d.ID {
		return fmt.Errorf("%w: %s cannot follow itself: name another device", control.ErrForm, d.Slug)
	}
	leader, err := l.ByID(id)
	if err != nil { // it was removed, and may be brought back
		return nil
	}
	i := slices.IndexFunc(leader.Controls, func(c control.Control) bool { return c.Name == name })
	switch {
	case i < 0:
		return fmt.Errorf("%w: %s has no control %.40q: urbo device control list %s", control.ErrForm, leader.Slug,
			name, leader.Slug)
	case value == "" && leader.Controls[i].Kind != control.Power:
		return fmt.Errorf("%w: %s of %s is a %s: only a power feeds another device", control.ErrForm, name, leader.Slug,
			leader.Controls[i].Kind)
	case value == "":
		return nil
	case leader.Controls[i].Kind != control.Power && leader.Controls[i].Kind != control.Selector:
		return fmt.Errorf("%w: %s of %s is a %s: a power or selector can be followed", control.ErrForm, name,
			leader.Slug, leader.Controls[i].Kind)
	}
	if !slices.Contains(leader.Controls[i].Choices(), value) && value != "on" {
		return fmt.Errorf("%w: %s of %s has no value %.40q: there are %s", control.ErrForm, name, leader.Slug, value,
			leader.Controls[i].Range())
	}
	return nil
}

// node is a control of a device at a value; of what feeds others it has none.
type node struct{ id, control, value string }

// checkCircle says where links, from a device on, lead back to what began them with another value, or feeds to the
// device itself. Two that switch each other on are no circle: the second one is on by then. The caller holds writer.
func (l *Library) checkCircle(d *device.Device) error {
	all := []device.Device{*d}
	for _, row := range l.Lines("") {
		if other, err := l.ByID(row.ID); err == nil && row.ID != d.ID && (len(other.Links) > 0 || other.Fed != nil) {
			all = append(all, other)
		}
	}
	leads := map[node][]node{}
	for _, other := range all {
		for _, link := range other.Links {
			from := node{link.DeviceID, link.Control, link.Value}
			leads[from] = append(leads[from], node{other.ID, link.Sets, link.To})
		}
		if other.Fed != nil {
			from := node{id: other.Fed.DeviceID}
			leads[from] = append(leads[from], node{id: other.ID})
		}
	}
	for start := range leads {
		if start.id != d.ID && !slices.ContainsFunc(leads[start], func(n node) bool { return n.id == d.ID }) {
			continue
		}
		queue, seen := slices.Clone(leads[start]), map[node]bool{}
		for len(queue) > 0 {
			at := queue[0]
			queue = queue[1:]
			switch {
			case at.id == start.id && at.control == start.control && (at.value != start.value || at.value == ""):
				if at.value == "" {
					return fmt.Errorf("%w: what feeds %s would be fed by it: that leads in a circle", control.ErrForm,
						d.Slug)
				}
				return fmt.Errorf("%w: where %s comes to %s, links would set it to %s: they lead in a circle; "+
					"leave one out", control.ErrForm, start.control, start.value, at.value)
			case seen[at]:
				continue
			}
			seen[at] = true
			queue = append(queue, leads[at]...)
			if at.value != "" && at.value != "off" {
				queue = append(queue, leads[node{at.id, at.control, "on"}]...)
			}
		}
	}
	return nil
}

// Followed are the links and feed of a device with what the devices are called now that it follows.
func (l *Library) Followed(d device.Device) ([]control.Link, *control.Feed) {
	links := slices.Clone(d.Links)
	for i := range links {
		links[i].Device = l.Slug(links[i].DeviceID)
	}
	if d.Fed == nil {
		return links, nil
	}
	fed := *d.Fed
	fed.Device = l.Slug(fed.DeviceID)
	return links, &fed
}
