package service

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"urbo/core/device"
	"urbo/service/access"
	"urbo/service/library"
	"urbo/service/stations"
	"urbo/station"
)

// AddStation makes a station known before it says hello; secret is the token of one that dials in. Errors are those of
// stations.Add and access.AddToken.
func (h *House) AddStation(ctx context.Context, name string, from station.Origin, room, by string) (stations.State,
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
		token, text, err := h.Access.AddToken(ctx, access.StationToken(name), access.Station, by)
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
			_, text, err := h.Access.AddToken(ctx, access.StationToken(from.Address), access.Station, by)
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

// AlterStation changes a station's name or room. Devices that prefer one of its transmitters go on doing so.
func (h *House) AlterStation(ctx context.Context, name string, c stations.Change, by string) (stations.State, error) {
	if err := h.Stations.Alter(ctx, name, c, by); err != nil {
		return stations.State{}, err
	}
	if c.Name == nil || *c.Name == name {
		return h.Stations.Find(name)
	}
	for _, d := range h.Library.Lines("") {
		_, err := h.Library.ChangeBySlug(ctx, d.Slug, library.Note{By: by, Quiet: true}, func(d *device.Device) error {
			moved := func(place string) string {
				if port, ok := strings.CutPrefix(place, name+"/"); ok {
					return *c.Name + "/" + port
				}
				return place
			}
			d.Transmitter = moved(d.Transmitter)
			for i, place := range d.Also {
				d.Also[i] = moved(place)
			}
			return nil
		})
		if err != nil && !errors.Is(err, library.ErrUnknownDevice) {
			return stations.State{}, fmt.Errorf("the station is %s now, but %s still names %s: set its transmitter: %w",
				*c.Name, d.Slug, name, err)
		}
	}
	return h.Stations.Find(*c.Name)
}

// RemoveStation takes a station out of the house, with the token that let it in. The error wraps
// stations.ErrUnknownStation.
func (h *House) RemoveStation(ctx context.Context, name, by string) error {
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
