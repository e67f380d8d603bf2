package library

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"image"
	_ "image/jpeg" // the two formats that pictures may have
	_ "image/png"
	"io"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/store"
)

// ErrPicture is wrapped where a picture cannot be taken.
var ErrPicture = fault.New(fault.Invalid, "picture")

// Bounds of a picture: enough for a photograph of a phone, scaled down.
const (
	maxPicture = 2 << 20 // bytes
	maxSide    = 6000    // pixels
)

// Picture reads a device's picture. The error wraps store.ErrNotFound where it has none.
func (l *Library) Picture(ctx context.Context, slug string) (store.Picture, error) {
	id, err := l.ID(slug)
	if err != nil {
		return store.Picture{}, err
	}
	p, err := l.devices.Picture(ctx, id)
	if err != nil {
		return p, fmt.Errorf("picture of %s: %w", slug, err)
	}
	return p, nil
}

// SetPicture takes a device's picture: PNG or JPEG. Errors wrap ErrPicture and say what is wrong.
func (l *Library) SetPicture(ctx context.Context, slug string, in io.Reader, note Note) (device.Device, error) {
	data, err := io.ReadAll(io.LimitReader(in, maxPicture+1))
	if err != nil {
		return device.Device{}, fmt.Errorf("%w: %w", ErrPicture, err)
	}
	if len(data) > maxPicture {
		return device.Device{}, fmt.Errorf("%w: it has more than %d MB: make it smaller first", ErrPicture,
			maxPicture>>20)
	}
	about, format, err := image.DecodeConfig(bytes.NewReader(data))
	switch {
	case err != nil || format != "png" && format != "jpeg": // others may be known to the program for other reasons
		return device.Device{}, fmt.Errorf("%w: this is neither PNG nor JPEG: save it as one of these", ErrPicture)
	case max(about.Width, about.Height) > maxSide:
		return device.Device{}, fmt.Errorf("%w: %d by %d pixels: the most is %d each way: make it smaller first",
			ErrPicture, about.Width, about.Height, maxSide)
	}
	sum := sha256.Sum256(data)
	return l.putPicture(ctx, slug, note, hex.EncodeToString(sum[:8]), &store.Picture{Type: "image/" + format,
		Data: data})
}

// RemovePicture takes a device's picture away.
func (l *Library) RemovePicture(ctx context.Context, slug string, note Note) (device.Device, error) {
	return l.putPicture(ctx, slug, note, "", nil)
}

func (l *Library) putPicture(ctx context.Context, slug string, note Note, tag string, p *store.Picture) (device.Device,
	error) {
	l.writer.Lock()
	defer l.writer.Unlock()
	before, err := l.Device(slug)
	if err != nil {
		return before, err
	}
	after := before.Clone()
	after.Picture = tag
	return l.put(ctx, note, store.Edit{Before: &before, After: &after, Picture: p})
}
