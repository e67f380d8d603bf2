package api

import (
	"context"
	"net/http"

	"urbo/core/grant"
	"urbo/service/library"
	"urbo/wire"
)

// SetIn names a code set in a path.
type SetIn struct {
	Set string `path:"set" maxLength:"60"`
}

// shelf registers the code sets, and what a device has in common with them.
func (a *API) shelf() {
	call(a, operation{"GET", "/sets", "list-sets", "The code sets on the shelf", grant.See, wholeHouse, 0},
		func(context.Context, *nothing) ([]wire.CodeSet, error) {
			return list(a.house.Library.Sets(), wire.SetOf), nil
		})
	call(a, operation{"POST", "/sets", "keep-set", "Put a copy of a device's learned keys on the shelf", grant.Teach,
		wholeHouse,
		http.StatusCreated}, func(ctx context.Context, in *struct{ Body wire.NewSet }) (wire.CodeSet, error) {
		return as(wire.SetOf)(a.house.Library.KeepSet(ctx, in.Body.Device, in.Body.Slug, in.Body.Name, note(ctx)))
	})
	call(a, operation{"GET", "/sets/{set}", "get-set", "One code set", grant.See, wholeHouse, 0},
		func(_ context.Context, in *SetIn) (wire.CodeSet, error) {
			return as(wire.SetOf)(a.house.Library.Set(in.Set))
		})
	remove(a, operation{method: "DELETE", path: "/sets/{set}", id: "remove-set",
		summary: "Take a code set off the shelf", right: grant.Teach, where: wholeHouse}, func(ctx context.Context,
		in *SetIn) error {
		return a.house.Library.RemoveSet(ctx, in.Set, note(ctx))
	})
	call(a, operation{"GET", "/devices/{device}/matches", "get-matches",
		"Code sets and devices that send what a device's keys send", grant.See, ofDevice, 0},
		func(_ context.Context, in *DeviceIn) (wire.Matches, error) {
			return as(matchesOf)(a.house.Library.Matches(in.Device))
		})
	call(a, operation{"POST", "/devices/{device}/adopt", "adopt-set", "Give a device keys of a code set", grant.Teach,
		ofDevice,
		0}, func(ctx context.Context, in *struct {
		DeviceIn
		Body wire.Adopt
	}) (wire.Device, error) {
		return as(a.deviceFor(ctx))(a.house.Library.Adopt(ctx, in.Device, in.Body.Set, in.Body.Keys, note(ctx)))
	})
}

func matchesOf(m library.Matches) wire.Matches {
	keys := func(in []library.MatchKey) []wire.MatchKey {
		return list(in, func(k library.MatchKey) wire.MatchKey { return wire.MatchKey(k) })
	}
	return wire.Matches{
		Sets: list(m.Sets, func(s library.SetCommon) wire.SetMatch {
			return wire.SetMatch{Slug: s.Slug, Name: s.Name, Keys: keys(s.Keys), More: s.More, Text: s.Text}
		}),
		Devices: list(m.Twins, func(t library.Twin) wire.TwinDevice {
			return wire.TwinDevice{Device: t.Device,
				Keys: keys(t.Keys)}
		}),
	}
}
