package api

import (
	"context"
	"fmt"
	"net/http"

	"urbo/core/grant"
	"urbo/core/run"
	"urbo/service/rooms"
	"urbo/wire"
)

// RoomIn names a room in a path, in any spelling.
type RoomIn struct {
	Room string `path:"room" maxLength:"80"`
}

// rooms registers the rooms of the house.
func (a *API) rooms() {
	call(a, operation{"GET", "/rooms", "list-rooms", "The rooms, and how much is in each", grant.See, filtered, 0},
		func(ctx context.Context, _ *nothing) ([]wire.Room, error) {
			out := []wire.Room{}
			for _, r := range a.house.Rooms.List() {
				if Caller(ctx).Grant.May(grant.See, grant.Target{Room: r.ID}) == nil {
					out = append(out, a.roomOf(r))
				}
			}
			return out, nil
		})
	call(a, operation{"POST", "/rooms", "add-room", "Add a room", grant.Keep, wholeHouse, http.StatusCreated},
		func(ctx context.Context, in *struct{ Body wire.NewRoom }) (wire.Room, error) {
			return as(a.roomOf)(a.house.Rooms.Add(ctx, in.Body.Name, asking(ctx)))
		})
	call(a, operation{"PATCH", "/rooms/{room}", "rename-room", "Give a room another name; what is in it stays there",
		grant.Keep, wholeHouse, 0}, func(ctx context.Context, in *struct {
		RoomIn
		Body wire.NewRoom
	}) (wire.Room, error) {
		return as(a.roomOf)(a.house.Rooms.Rename(ctx, in.Room, in.Body.Name, asking(ctx)))
	})
	remove(a, operation{method: "DELETE", path: "/rooms/{room}", id: "remove-room",
		summary: "Remove a room that nothing is in", right: grant.Keep, where: wholeHouse},
		func(ctx context.Context, in *RoomIn) error { return a.house.RemoveRoom(ctx, in.Room, asking(ctx)) })
	a.roomState()
}

// roomState registers what a room's devices are at, and setting them: a room is a group by itself.
func (a *API) roomState() {
	call(a, operation{"GET", "/rooms/{room}/state", "get-room-state",
		"What the devices of a room are believed to be at",
		grant.See, filtered, 0}, func(ctx context.Context, in *RoomIn) ([]wire.GroupControl, error) {
		of, err := a.findRoom(ctx, grant.See, in.Room)
		if err != nil {
			return nil, err
		}
		return a.stateOfAll(of)
	})
	call(a, operation{"POST", "/rooms/{room}/set", "set-room", "Set controls of all devices of a room that have them",
		grant.Use, filtered, 0}, func(ctx context.Context, in *struct {
		RoomIn
		Body wire.SetRequest
	}) (wire.GroupAnswer, error) {
		of, err := a.findRoom(ctx, grant.Use, in.Room)
		if err != nil {
			return wire.GroupAnswer{}, err
		}
		return a.setAll(ctx, of, in.Body)
	})
}

// findRoom finds a room that the caller has a right on. One that they do not see is as unknown as one that is not
// there.
func (a *API) findRoom(ctx context.Context, r grant.Right, name string) (run.Target, error) {
	who := Caller(ctx).Grant
	room, err := a.house.Rooms.Find(name)
	if err != nil && who.Where.House {
		return run.Target{}, err
	}
	if err != nil || who.May(grant.See, grant.Target{Room: room.ID}) != nil {
		return run.Target{}, fmt.Errorf("%w %.60q", rooms.ErrUnknown, name)
	}
	return run.Target{Kind: run.Room, ID: room.ID, Was: room.Name}, who.May(r, grant.Target{Room: room.ID})
}

func (a *API) roomOf(r rooms.Room) wire.Room {
	w := wire.Room{ID: r.ID, Name: r.Name}
	for _, l := range a.house.Library.Lines("") {
		if l.RoomID == r.ID {
			w.Devices++
		}
	}
	for _, s := range a.house.Stations.List() {
		if s.RoomID == r.ID {
			w.Stations++
		}
	}
	return w
}
