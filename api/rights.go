package api

import (
	"context"
	"fmt"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service/library"
	"urbo/store"
)

// where is how an operation finds what part of the house it is about.
type where string

// The ways. An operation that declares none is refused when it is registered.
const (
	wholeHouse    where = "the whole house"
	anywhere      where = "any part of the house"      // it tells nothing about one in particular
	filtered      where = "what the caller may reach"  // the operation itself leaves out the rest
	ofDevice      where = "the device"                 // {device} in its path
	ofMeasurement where = "the measurement"            // {name}, or {place}/{name}
	ofPress       where = "the device of the press"    // {press}
	ofLesson      where = "the device of the lesson"   // {lesson}
	ofAudition    where = "the device of the audition" // {audition}
	// theirBoards is filtered, and open to guests.
	theirBoards where = "what the caller may reach, or the boards of a guest"
)

// allowed says whether a caller may do what an operation does, where its path says. It is the one question that every
// operation is asked by.
func (a *API) allowed(ctx huma.Context, o operation) error {
	c := Caller(ctx.Context())
	if c.err != nil {
		return c.err
	}
	if c.Role == grant.Guest && o.where != theirBoards {
		return errGuest
	}
	if !c.Grant.Has(o.right) {
		return c.Grant.May(o.right)
	}
	switch o.where {
	case wholeHouse:
		return c.Grant.May(o.right)
	case ofDevice:
		return a.mayOn(ctx.Context(), o.right, ctx.Param("device"))
	case ofMeasurement:
		name := ctx.Param("name")
		if place := ctx.Param("place"); place != "" {
			name = place + "/" + name
		}
		return c.Grant.May(o.right, grant.Target{Measurement: name})
	case ofPress:
		if k, err := a.house.Transmit.Ticket(ctx.Param("press")); err == nil {
			return a.mayOnID(ctx.Context(), o.right, k.DeviceID())
		}
	case ofLesson:
		if w, err := a.house.Lessons.One(ctx.Param("lesson")); err == nil {
			return a.mayOnID(ctx.Context(), o.right, w.(happening.LessonChanged).DeviceID)
		}
	case ofAudition:
		if w, err := a.house.Auditions.One(ctx.Param("audition")); err == nil {
			return a.mayOnID(ctx.Context(), o.right, w.(happening.AuditionChanged).DeviceID)
		}
	}
	return nil // there is nothing of that name, which the operation says
}

// mayOn says whether the caller may do something to a device. To somebody who does not see the whole house, one that is
// out of reach is as unknown as one that is not there.
func (a *API) mayOn(ctx context.Context, r grant.Right, slug string) error {
	g := Caller(ctx).Grant
	if g.Where.House {
		return g.May(r)
	}
	id, err := a.house.Library.ID(slug)
	t := a.target(id)
	if err != nil || g.May(grant.See, t) != nil {
		return fmt.Errorf("%w %.60q", library.ErrUnknownDevice, slug)
	}
	return g.May(r, t)
}

// mayOnID is mayOn for a device that is known by its id; "" is the whole house.
func (a *API) mayOnID(ctx context.Context, r grant.Right, id string) error {
	g := Caller(ctx).Grant
	if g.Where.House || id == "" {
		return g.May(r)
	}
	t := a.target(id)
	if g.May(grant.See, t) != nil {
		return errOutOfReach
	}
	return g.May(r, t)
}

// errGuest is what a guest hears of all but their boards, whether it is there or not.
var errGuest = fault.New(fault.Refused, "a guest link reaches its boards only")

var errOutOfReach = fault.New(fault.NotFound, "there is no such thing")

// target is a device where it stands now.
func (a *API) target(id string) grant.Target { return a.house.Place(id) }

// mayIn says whether the caller may do something in a room, "" being the whole house.
func (a *API) mayIn(ctx context.Context, r grant.Right, room string) error {
	g := Caller(ctx).Grant
	if g.Where.House {
		return g.May(r)
	}
	in, err := a.house.Rooms.Find(room)
	if err != nil {
		return g.May(r)
	}
	return g.May(r, grant.Target{Room: in.ID})
}

// sees says whether the caller sees a device.
func (a *API) sees(ctx context.Context, id string) bool {
	return Caller(ctx).Grant.May(grant.See, a.target(id)) == nil
}

// within is what a caller may see of the journal; nil is the whole house.
func within(g grant.Grant) *store.Within {
	if g.Where.House {
		return nil
	}
	return &store.Within{Rooms: g.Where.Rooms, Devices: g.Where.Devices}
}

// shows says whether a caller hears of something that happened. What is about nothing in particular is for those who
// see the whole house; who came in and who may is for those who look after that.
func (a *API) shows(g grant.Grant, h happening.Happening) bool {
	if _, is := h.What.(happening.AccessChanged); is && !g.Has(grant.Keep) {
		return false
	}
	if g.Where.House {
		return g.Has(grant.See)
	}
	switch what := h.What.(type) {
	case happening.Heard, happening.KeyDown, happening.Stored, happening.StationUsed, happening.StageChanged:
		return false
	case happening.Measured:
		return g.May(grant.See, grant.Target{Measurement: what.Measurement}) == nil
	case happening.FellSilent:
		return g.May(grant.See, grant.Target{Measurement: what.Measurement}) == nil
	case happening.MeasurementChanged:
		return g.May(grant.See, grant.Target{Measurement: what.Measurement}) == nil
	case happening.RoomChanged:
		return g.May(grant.See, grant.Target{Room: what.RoomID}) == nil
	case happening.Believed:
		return g.May(grant.See, a.target(what.DeviceID)) == nil
	case happening.RunChanged:
		return len(what.Devices) > 0 && g.May(grant.See, list(what.Devices, a.target)...) == nil
	case happening.OccasionInForce:
		return len(what.Devices) > 0 && g.May(grant.See, list(what.Devices, a.target)...) == nil
	case happening.QuestionChanged:
		return len(what.Devices) > 0 && g.May(grant.See, list(what.Devices, a.target)...) == nil
	case happening.BoardChanged:
		return slices.ContainsFunc(what.Devices, func(id string) bool { return g.May(grant.See, a.target(id)) == nil })
	case happening.OccasionDiffers:
		return slices.ContainsFunc(what.Devices, func(id string) bool { return g.May(grant.See, a.target(id)) == nil })
	case happening.DeviceRemoved:
		return g.May(grant.See, grant.Target{Device: what.DeviceID, Room: h.RoomID}) == nil
	}
	device, room := h.About()
	if device == "" {
		return room != "" && g.May(grant.See, grant.Target{Room: room}) == nil
	}
	if now := a.house.Library.RoomOf(device); now != "" {
		room = now
	}
	return g.May(grant.See, grant.Target{Device: device, Room: room}) == nil
}
