package service

import (
	"context"
	"errors"
	"fmt"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/service/access"
	"urbo/service/rooms"
	"urbo/service/stations"
	"urbo/station"
)

// AddStation makes a station known before it says hello; secret is the token of one that dials in. Errors are those of
// stations.Add and access.AddToken.
func (h *House) AddStation(ctx context.Context, name string, from station.Origin, room string,
	by grant.By) (stations.State,
	string, error) {
	secret := ""
	switch from.Over {
	case station.WebSocket:
		if from.Address != "" {
			return stations.State{}, "", fmt.Errorf("%w: a station that dials in has no address: leave it out",
				device.ErrName)
		}
		if err := h.Stations.CheckName(name); err != nil { // before there is a token
			return stations.State{}, "", err
		}
		token, text, err := h.Access.AddToken(ctx, access.NewToken{Name: access.StationToken(name), Station: true}, by)
		if err != nil {
			return stations.State{}, "", err
		}
		from.Address, secret = token.ID, text
	case station.Serial, station.Kernel:
		if from.Address == "" {
			return stations.State{}, "", fmt.Errorf("%w: say which device it is", device.ErrName)
		}
		if h.lasting != nil {
			from = h.lasting(from)
		}
	default: // it is known by what it calls itself
		if from.Address == "" {
			from.Address = name
		}
		if from.Over == station.MQTT && h.ownBroker {
			if err := h.Stations.CheckName(name); err != nil {
				return stations.State{}, "", err
			}
			_, text, err := h.Access.AddToken(ctx,
				access.NewToken{Name: access.StationToken(from.Address), Station: true}, by)
			if err != nil {
				return stations.State{}, "", err
			}
			secret = text
		}
	}
	if err := h.Stations.Add(ctx, name, from, room, by); err != nil {
		if secret != "" {
			err = errors.Join(err, h.Access.RemoveToken(ctx, access.StationToken(name), by))
		}
		return stations.State{}, "", err
	}
	s, err := h.Stations.Find(name)
	return s, secret, err
}

// AlterStation changes a station's name or room. Devices that prefer one of its transmitters go on doing so: they know
// it by its id.
func (h *House) AlterStation(ctx context.Context, name string, c stations.Change, by grant.By) (stations.State, error) {
	if err := h.Stations.Alter(ctx, name, c, by); err != nil {
		return stations.State{}, err
	}
	if c.Name != nil {
		name = *c.Name
	}
	return h.Stations.Find(name)
}

// RemoveRoom removes a room that nothing is in. Errors are those of rooms.Remove.
func (h *House) RemoveRoom(ctx context.Context, name string, by grant.By) error {
	return h.Rooms.Remove(ctx, name, func(id string) string {
		if device := h.Library.InRoom(id); device != "" {
			return device
		}
		return h.Stations.InRoom(id)
	}, by)
}

// MainsFailed takes what a person says: the mains failed in a room, or in all of them (""), and are back. It tells how
// many devices with controls that concerns. The error wraps rooms.ErrUnknown.
func (h *House) MainsFailed(room string, by grant.By) (int, error) {
	if room == "" {
		return h.Beliefs.Failed(rooms.Room{}, by), nil
	}
	in, err := h.Rooms.Find(room)
	if err != nil {
		return 0, err
	}
	return h.Beliefs.Failed(in, by), nil
}

// RemoveStation takes a station out of the house, with the token that let it in. The error wraps
// stations.ErrUnknownStation.
func (h *House) RemoveStation(ctx context.Context, name string, by grant.By) error {
	from, err := h.Stations.Remove(ctx, name, by)
	switch {
	case err != nil:
		return err
	case from.Over == station.WebSocket:
		err = h.Access.RemoveTokenByID(ctx, from.Address, by)
	case from.Over == station.MQTT:
		err = h.Access.RemoveToken(ctx, access.StationToken(from.Address), by)
	}
	if errors.Is(err, access.ErrUnknown) { // it had none, or it is gone already
		return nil
	}
	return err
}
