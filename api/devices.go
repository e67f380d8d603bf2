package api

import (
	"context"
	"net/http"
	"time"

	"urbo/service/access"
	"urbo/service/air"
	"urbo/service/library"
	"urbo/wire"
)

// DeviceIn names a device in a path.
type DeviceIn struct {
	Device string `path:"device" maxLength:"60"`
}

// KeyIn names a key in a path.
type KeyIn struct {
	Device string `path:"device" maxLength:"60"`
	Key    string `path:"key" maxLength:"60"`
}

// devices registers the library, and pressing its keys.
func (a *API) devices() {
	call(a, operation{"GET", "/kinds", "list-kinds", "Kinds of devices, with their usual keys", access.Watch, 0}, func(context.Context, *nothing) ([]wire.Kind, error) {
		return library.Kinds(), nil
	})
	call(a, operation{"GET", "/devices", "list-devices", "List devices by room and name", access.Watch, 0}, func(_ context.Context, in *struct {
		Search string `query:"search" maxLength:"100" doc:"Words that name, room, kind, maker or model have to have"`
	}) ([]wire.DeviceLine, error) {
		return a.house.Library.Devices(in.Search), nil
	})
	call(a, operation{"POST", "/devices", "add-device", "Add a device", access.Owner, http.StatusCreated}, func(ctx context.Context, in *struct{ Body wire.NewDevice }) (wire.Device, error) {
		return a.house.Library.Add(ctx, in.Body)
	})
	call(a, operation{"GET", "/devices/{device}", "get-device", "One device with its keys and codes", access.Watch, 0}, func(_ context.Context, in *DeviceIn) (wire.Device, error) {
		return a.house.Library.Device(in.Device)
	})
	call(a, operation{"PATCH", "/devices/{device}", "change-device", "Change what is given", access.Owner, 0}, func(ctx context.Context, in *struct {
		DeviceIn
		Body wire.DeviceChange
	}) (wire.Device, error) {
		return a.house.Library.Update(ctx, in.Device, in.Body)
	})
	remove(a, operation{method: "DELETE", path: "/devices/{device}", id: "remove-device", summary: "Remove a device with its keys and codes", scope: access.Owner}, func(ctx context.Context, in *DeviceIn) error {
		return a.house.Library.Remove(ctx, in.Device)
	})
	call(a, operation{"PUT", "/devices/{device}/keys/{key}", "set-key", "Give a key codes by hand; earlier ones are kept", access.Owner, 0}, func(ctx context.Context, in *struct {
		KeyIn
		Body []wire.Code `minItems:"1" maxItems:"8"`
	}) (wire.Device, error) {
		for i := range in.Body {
			in.Body[i].Source = "hand"
		}
		return a.house.Library.SetCodes(ctx, wire.KeyRef{Device: in.Device, Key: in.Key}, in.Body)
	})
	call(a, operation{"POST", "/devices/{device}/keys/{key}/code", "write-key", "Give a key codes as somebody writes them; earlier ones are kept", access.Owner, 0}, func(ctx context.Context, in *struct {
		KeyIn
		Body wire.HandCode
	}) (wire.Device, error) {
		return a.house.Library.Write(ctx, wire.KeyRef{Device: in.Device, Key: in.Key}, in.Body)
	})
	call(a, operation{"PATCH", "/devices/{device}/keys/{key}", "change-key", "Rename a key, or say what holding it does", access.Owner, 0}, func(ctx context.Context, in *struct {
		KeyIn
		Body wire.KeyChange
	}) (wire.Device, error) {
		return a.house.Library.ChangeKey(ctx, wire.KeyRef{Device: in.Device, Key: in.Key}, in.Body)
	})
	call(a, operation{"DELETE", "/devices/{device}/keys/{key}", "remove-key", "Remove a key with its codes", access.Owner, 0}, func(ctx context.Context, in *KeyIn) (wire.Device, error) {
		return a.house.Library.RemoveKey(ctx, wire.KeyRef{Device: in.Device, Key: in.Key})
	})
	a.pictures()
	call(a, operation{"GET", "/devices/{device}/keys/{key}/versions", "list-key-versions", "What a key sends and sent, the newest first", access.Watch, 0}, func(_ context.Context, in *KeyIn) ([]wire.KeyVersion, error) {
		return a.house.Library.Versions(wire.KeyRef{Device: in.Device, Key: in.Key})
	})
	call(a, operation{"POST", "/devices/{device}/keys/{key}/restore", "restore-key", "Make an earlier version of a key's codes its newest", access.Owner, 0}, func(ctx context.Context, in *struct {
		KeyIn
		Body wire.Restore
	}) (wire.Device, error) {
		return a.house.Library.Restore(ctx, wire.KeyRef{Device: in.Device, Key: in.Key}, in.Body.Version)
	})
	call(a, operation{"GET", "/devices/{device}/advice", "get-advice", "What is odd about a device", access.Watch, 0}, func(_ context.Context, in *DeviceIn) ([]wire.Advice, error) {
		return a.house.Advice(in.Device)
	})
	call(a, operation{"POST", "/devices/{device}/keys/{key}/press", "press-key", "Press a key and wait for the receipt", access.Press, 0}, func(ctx context.Context, in *struct {
		KeyIn
		Body *wire.PressRequest `required:"false"`
	}) (wire.Press, error) {
		press := wire.PressRequest{Times: 1}
		if in.Body != nil {
			press = *in.Body
		}
		return a.house.Air.Press(ctx, air.Request{Key: wire.KeyRef{Device: in.Device, Key: in.Key}, Times: press.Times, Hold: time.Duration(press.HoldMS) * time.Millisecond, By: Caller(ctx).Name})
	})
}
