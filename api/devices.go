package api

import (
	"context"
	"net/http"
	"slices"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/service/library"
	"urbo/store"
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

func (in KeyIn) ref() device.Ref { return device.Ref{Device: in.Device, Key: in.Key} }

// note is what the journal gets to know of a change.
// asking is who asks in a request.
func asking(ctx context.Context) grant.By { return Caller(ctx).By }

func note(ctx context.Context) library.Note { return library.Note{By: asking(ctx)} }

// lines lists the devices that the caller sees.
func (a *API) lines(ctx context.Context, search string) []library.Line {
	return slices.DeleteFunc(a.house.Library.Lines(search), func(l library.Line) bool { return !a.sees(ctx, l.ID) })
}

// giveTransmitters gives a device the transmitters that are named. Which to use is for those who may use all of them.
func (a *API) giveTransmitters(ctx context.Context, d *device.Device, c wire.DeviceChange) (err error) {
	if c.Transmitter == nil && c.Also == nil {
		return nil
	}
	if err := Caller(ctx).Grant.May(grant.Teach); err != nil {
		return err
	}
	if t := c.Transmitter; t != nil {
		if d.Transmitter, err = a.house.Stations.PlaceFor(*t, d.Media(a.house.Book)); err != nil {
			return err
		}
	}
	if c.Also == nil {
		return nil
	}
	d.Also = nil
	for _, t := range *c.Also {
		place, err := a.house.Stations.PlaceFor(t, d.Media(a.house.Book))
		if err != nil {
			return err
		}
		d.Also = append(d.Also, place)
	}
	return nil
}

// giveKeyTransmitter gives a key the transmitter that is named, "" being the device's.
func (a *API) giveKeyTransmitter(ctx context.Context, d *device.Device, key string, named *string) error {
	if named == nil {
		return nil
	}
	if err := Caller(ctx).Grant.May(grant.Teach); err != nil {
		return err
	}
	k, err := d.Key(key)
	if err != nil {
		return err
	}
	k.Transmitter, err = a.house.Stations.PlaceFor(*named, k.Media(a.house.Book))
	return err
}

// deviceFor translates a device for a caller, without the devices that it follows and he does not see.
func (a *API) deviceFor(ctx context.Context) func(device.Device) wire.Device {
	return func(d device.Device) wire.Device {
		w := wire.DeviceOf(d, a.house.Stations.PlaceName)
		w.Faces = list(d.Controls, faceOf(d.Fixed()))
		w.Links, w.Fed = a.house.Library.Followed(d)
		w.Links = slices.DeleteFunc(w.Links, func(l control.Link) bool { return !a.sees(ctx, l.DeviceID) })
		if w.Fed != nil && !a.sees(ctx, w.Fed.DeviceID) {
			w.Fed = nil
		}
		return w
	}
}

// changeDevice changes a device by its slug.
func (a *API) changeDevice(ctx context.Context, slug string, f func(*device.Device) error) (wire.Device, error) {
	return as(a.deviceFor(ctx))(a.house.Library.ChangeBySlug(ctx, slug, note(ctx), f))
}

// devices registers the library.
func (a *API) devices() {
	call(a, operation{"GET", "/kinds", "list-kinds", "Kinds of devices, with their usual keys", grant.See, anywhere, 0},
		func(context.Context, *nothing) ([]wire.Kind, error) {
			return list(device.Kinds(), func(k device.Kind) wire.Kind { return wire.Kind{Name: k.Name, Keys: k.Keys} }),
				nil
		})
	call(a, operation{"GET", "/devices", "list-devices", "List devices by room and name", grant.See, filtered, 0},
		func(ctx context.Context, in *struct {
			Search string `query:"search" maxLength:"100" doc:"Words that name, room, kind, maker or model have to have"`
		}) ([]wire.DeviceLine, error) {
			return list(a.lines(ctx, in.Search), a.lineOf), nil
		})
	a.removed()
	call(a, operation{"POST", "/devices", "add-device", "Add a device", grant.Teach, filtered, http.StatusCreated},
		func(ctx context.Context, in *struct{ Body wire.NewDevice }) (wire.Device, error) {
			if err := a.mayIn(ctx, grant.Teach, in.Body.Room); err != nil {
				return wire.Device{}, err
			}
			d, err := in.Body.Core()
			if err != nil {
				return wire.Device{}, err
			}
			return as(a.deviceFor(ctx))(a.house.Library.Add(ctx, d, note(ctx)))
		})
	call(a, operation{"GET", "/devices/{device}", "get-device", "One device with its keys and codes", grant.See,
		ofDevice, 0},
		func(ctx context.Context, in *DeviceIn) (wire.Device, error) {
			return as(a.deviceFor(ctx))(a.house.Library.Device(in.Device))
		})
	call(a, operation{"PATCH", "/devices/{device}", "change-device", "Change what is given", grant.Teach, ofDevice, 0},
		func(ctx context.Context, in *struct {
			DeviceIn
			Body wire.DeviceChange
		}) (wire.Device, error) {
			if room := in.Body.Room; room != nil {
				if err := a.mayIn(ctx, grant.Teach, *room); err != nil {
					return wire.Device{}, err
				}
			}
			return a.changeDevice(ctx, in.Device, func(d *device.Device) error {
				in.Body.Apply(d)
				return a.giveTransmitters(ctx, d, in.Body)
			})
		})
	remove(a, operation{method: "DELETE", path: "/devices/{device}", id: "remove-device",
		summary: "Remove a device with its keys and codes", right: grant.Teach, where: ofDevice},
		func(ctx context.Context, in *DeviceIn) error {
			return a.house.Library.Remove(ctx, in.Device, note(ctx))
		})
	a.pictures()
	a.keys()
	a.presses()
	call(a, operation{"GET", "/devices/{device}/advice", "get-advice", "What is odd about a device", grant.See,
		ofDevice, 0},
		func(_ context.Context, in *DeviceIn) ([]wire.Advice, error) {
			advice, err := a.house.Advice(in.Device)
			return list(advice, func(v library.Advice) wire.Advice { return wire.Advice(v) }), err
		})
}

func hand(w wire.HandCode) library.Hand {
	return library.Hand{Text: w.Text, Hz: w.Hz, Repeats: w.Repeats, GapUS: w.GapUS}
}

// keys registers single keys of devices.
func (a *API) keys() {
	call(a, operation{"PUT", "/devices/{device}/keys/{key}", "set-key",
		"Give a key codes by hand; earlier ones are kept", grant.Teach, ofDevice, 0}, func(ctx context.Context,
		in *struct {
			KeyIn
			Body []wire.Code `minItems:"1" maxItems:"8"`
		}) (wire.Device, error) {
		var codes []device.Code
		for _, w := range in.Body {
			c, err := w.Core()
			if err != nil {
				return wire.Device{}, err
			}
			c.Source = "hand"
			codes = append(codes, c)
		}
		return a.changeDevice(ctx, in.Device, func(d *device.Device) error { return d.SetCodes(in.Key, codes) })
	})
	call(a, operation{"POST", "/devices/{device}/keys/{key}/code", "write-key",
		"Give a key codes as somebody writes them; earlier ones are kept", grant.Teach, ofDevice, 0},
		func(ctx context.Context, in *struct {
			KeyIn
			Body wire.HandCode
		}) (wire.Device, error) {
			return a.remarked(ctx)(a.house.Library.Write(ctx, in.ref(), hand(in.Body), note(ctx)))
		})
	call(a, operation{"POST", "/devices/{device}/codes", "write-keys",
		"Give keys of a device what a text has of them: lines of NAME: CODE, or presses with names before them",
		grant.Teach, ofDevice, 0}, func(ctx context.Context, in *struct {
		DeviceIn
		Body wire.HandCode
	}) (wire.Device, error) {
		return a.remarked(ctx)(a.house.Library.WriteAll(ctx, in.Device, hand(in.Body), note(ctx)))
	})
	call(a, operation{"POST", "/devices/{device}/keys/{key}/heard", "follow-key",
		"Let codes of another handset count as presses of a key when they are heard; they are never sent",
		grant.Teach, ofDevice, 0}, func(ctx context.Context, in *struct {
		KeyIn
		Body wire.HeardCode
	}) (wire.Device, error) {
		return a.remarked(ctx)(a.house.Library.FollowText(ctx, in.ref(),
			library.Hand{Text: in.Body.Text, Hz: in.Body.Hz}, note(ctx)))
	})
	call(a, operation{"DELETE", "/devices/{device}/keys/{key}/heard", "unfollow-key",
		"Let only its own codes count as presses of a key", grant.Teach, ofDevice, 0},
		func(ctx context.Context, in *KeyIn) (wire.Device, error) {
			return as(a.deviceFor(ctx))(a.house.Library.Unfollow(ctx, in.ref(), note(ctx)))
		})
	call(a, operation{"PATCH", "/devices/{device}/keys/{key}", "change-key",
		"Rename a key, or say what holding it does", grant.Teach, ofDevice, 0}, func(ctx context.Context, in *struct {
		KeyIn
		Body wire.KeyChange
	}) (wire.Device, error) {
		return a.changeDevice(ctx, in.Device, func(d *device.Device) error {
			if err := a.giveKeyTransmitter(ctx, d, in.Key, in.Body.Transmitter); err != nil {
				return err
			}
			return in.Body.Apply(d, in.Key)
		})
	})
	call(a, operation{"DELETE", "/devices/{device}/keys/{key}", "remove-key", "Remove a key with its codes",
		grant.Teach, ofDevice, 0}, func(ctx context.Context, in *KeyIn) (wire.Device, error) {
		return a.changeDevice(ctx, in.Device, func(d *device.Device) error { return d.Remove(in.Key) })
	})
	call(a, operation{"GET", "/devices/{device}/keys/{key}/versions", "list-key-versions",
		"What a key sends and sent, the newest first", grant.See, ofDevice, 0},
		func(ctx context.Context, in *KeyIn) ([]wire.KeyVersion, error) {
			versions, err := a.house.Library.Versions(ctx, in.ref())
			return list(versions, func(v store.Version) wire.KeyVersion {
				return wire.KeyVersion{Version: v.Number, At: v.At, Codes: wire.CodesOf(v.Codes)}
			}), err
		})
	call(a, operation{"POST", "/devices/{device}/keys/{key}/restore", "restore-key",
		"Put an earlier version of a key's codes in force again", grant.Teach, ofDevice, 0},
		func(ctx context.Context, in *struct {
			KeyIn
			Body wire.Restore
		}) (wire.Device, error) {
			return as(a.deviceFor(ctx))(a.house.Library.Restore(ctx, in.ref(), in.Body.Version, note(ctx)))
		})
}

// remarked is a device with how what somebody wrote was understood.
func (a *API) remarked(ctx context.Context) func(device.Device, []string, error) (wire.Device, error) {
	return func(d device.Device, remarks []string, err error) (wire.Device, error) {
		if err != nil {
			return wire.Device{}, err
		}
		w := a.deviceFor(ctx)(d)
		w.Remarks = remarks
		return w, nil
	}
}

func (a *API) lineOf(l library.Line) wire.DeviceLine {
	main, whole := "", false
	if d, err := a.house.Library.ByID(l.ID); err == nil {
		main, whole = d.MainKey(), d.Whole != nil
	}
	return wire.DeviceLine{Slug: l.Slug, Name: l.Name, Room: l.Room, Kind: l.Kind, Maker: l.Maker, Model: l.Model,
		KeysTotal: l.Keys, KeysLearned: l.Learned, KeysHeard: l.Followed, Whole: whole, MainKey: main}
}

// removed registers bringing devices back.
func (a *API) removed() {
	call(a, operation{"GET", "/removed-devices", "list-removed-devices",
		"List the devices that were removed in the last 30 days", grant.Teach, wholeHouse, 0},
		func(ctx context.Context, _ *nothing) ([]wire.RemovedDevice, error) {
			all, err := a.house.Library.Removed(ctx)
			return list(all, func(r library.Removed) wire.RemovedDevice {
				return wire.RemovedDevice{ID: r.ID, Slug: r.Slug, Name: r.Name, Room: a.house.Rooms.Name(r.RoomID),
					Kind:    r.Kind,
					Keys:    r.Keys,
					Removed: r.At, Expires: r.At.Add(library.RemovedFor)}
			}), err
		})
	call(a, operation{"POST", "/removed-devices/{device}/restore", "restore-device",
		"Bring a removed device back, by its id or by the slug that it had", grant.Teach, wholeHouse, 0},
		func(ctx context.Context, in *DeviceIn) (wire.Device, error) {
			return as(a.deviceFor(ctx))(a.house.Library.BringBack(ctx, in.Device, note(ctx)))
		})
}
