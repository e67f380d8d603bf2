package api

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"urbo/core/grant"
	"urbo/wire"
)

// picture answers with a picture. Its address changes with it, so that it may be kept for good.
type picture struct {
	ContentType  string `header:"Content-Type"`
	CacheControl string `header:"Cache-Control"`
	Body         []byte
}

// pictures registers what devices look like.
func (a *API) pictures() {
	huma.Register(a.huma, operation{"GET", "/devices/{device}/picture", "get-picture", "A device's picture",
		grant.See, ofDevice, 0}.describe(a), func(ctx context.Context, in *struct {
		DeviceIn
		Tag string `query:"tag" maxLength:"40" doc:"The device's picture tag: another picture has another address"`
	}) (*picture, error) {
		p, err := a.house.Library.Picture(ctx, in.Device)
		if err != nil {
			return nil, problem(err)
		}
		return &picture{p.Type, "private, max-age=31536000, immutable", p.Data}, nil
	})
	path := "/devices/{device}/picture"
	call(a, operation{"POST", path, "set-picture", "Give a device a picture: PNG or JPEG, at most 2 MB", grant.Teach,
		ofDevice,
		0}, func(ctx context.Context, in *struct {
		DeviceIn
		Stream
	}) (wire.Device, error) {
		return as(a.deviceFor(ctx))(a.house.Library.SetPicture(ctx, in.Device, in.body, note(ctx)))
	})
	a.takes(path, "application/octet-stream", "The picture as it is on disk")
	call(a, operation{"DELETE", path, "remove-picture", "Take a device's picture away", grant.Teach, ofDevice, 0},
		func(ctx context.Context, in *DeviceIn) (wire.Device, error) {
			return as(a.deviceFor(ctx))(a.house.Library.RemovePicture(ctx, in.Device, note(ctx)))
		})
}
