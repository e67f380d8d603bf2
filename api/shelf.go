package api

import (
	"context"
	"net/http"

	"urbo/service/access"
	"urbo/wire"
)

// SetIn names a code set in a path.
type SetIn struct {
	Set string `path:"set" maxLength:"60"`
}

// shelf registers the code sets, and what a device has in common with them.
func (a *API) shelf() {
	call(a, operation{"GET", "/sets", "list-sets", "The code sets on the shelf", access.Watch, 0}, func(context.Context, *nothing) ([]wire.CodeSet, error) {
		return a.house.Library.Sets(), nil
	})
	call(a, operation{"POST", "/sets", "keep-set", "Put a copy of a device's learned keys on the shelf", access.Owner, http.StatusCreated}, func(ctx context.Context, in *struct{ Body wire.NewSet }) (wire.CodeSet, error) {
		return a.house.Library.KeepSet(ctx, in.Body)
	})
	call(a, operation{"GET", "/sets/{set}", "get-set", "One code set", access.Watch, 0}, func(_ context.Context, in *SetIn) (wire.CodeSet, error) {
		return a.house.Library.Set(in.Set)
	})
	remove(a, operation{method: "DELETE", path: "/sets/{set}", id: "remove-set", summary: "Take a code set off the shelf", scope: access.Owner}, func(ctx context.Context, in *SetIn) error {
		return a.house.Library.RemoveSet(ctx, in.Set)
	})
	call(a, operation{"GET", "/devices/{device}/matches", "get-matches", "Code sets and devices that send what a device's keys send", access.Watch, 0}, func(_ context.Context, in *DeviceIn) (wire.Matches, error) {
		return a.house.Library.Matches(in.Device)
	})
	call(a, operation{"POST", "/devices/{device}/adopt", "adopt-set", "Give a device keys of a code set", access.Owner, 0}, func(ctx context.Context, in *struct {
		DeviceIn
		Body wire.Adopt
	}) (wire.Device, error) {
		return a.house.Library.Adopt(ctx, in.Device, in.Body)
	})
}
