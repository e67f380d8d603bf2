package library

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"image"
	_ "image/jpeg" // the two formats that pictures may have
	_ "image/png"
	"io"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"urbo/store"
	"urbo/wire"
)

// ErrPicture is wrapped where a picture cannot be taken.
var ErrPicture = errors.New("picture")

// Bounds of a picture: enough for a photograph of a phone, scaled down.
const (
	maxPicture = 2 << 20 // bytes
	maxSide    = 6000    // pixels
)

// Picture reads a device's picture. The error wraps ErrPicture where it has none.
func (l *Library) Picture(ctx context.Context, slug string) (contentType string, data []byte, err error) {
	l.mu.RLock()
	d, err := l.find(slug)
	id := ""
	if err == nil {
		id = d.ID
	}
	l.mu.RUnlock()
	if err != nil {
		return "", nil, err
	}
	var p store.Picture
	if err := l.store.Read(ctx).Where("device_id = ?", id).Take(&p).Error; err != nil {
		return "", nil, fmt.Errorf("%w of %s: %w", ErrPicture, slug, store.Explain(err))
	}
	return p.Type, p.Data, nil
}

// SetPicture takes a device's picture: PNG or JPEG. Errors wrap ErrPicture and say what is wrong.
func (l *Library) SetPicture(ctx context.Context, slug string, in io.Reader) (wire.Device, error) {
	d, err := l.Device(slug)
	if err != nil {
		return d, err
	}
	data, err := io.ReadAll(io.LimitReader(in, maxPicture+1))
	if err != nil {
		return d, fmt.Errorf("%w: %w", ErrPicture, err)
	}
	if len(data) > maxPicture {
		return d, fmt.Errorf("%w: it has more than %d MB: make it smaller first", ErrPicture, maxPicture>>20)
	}
	about, format, err := image.DecodeConfig(bytes.NewReader(data))
	switch {
	case err != nil:
		return d, fmt.Errorf("%w: this is neither PNG nor JPEG: save it as one of these", ErrPicture)
	case max(about.Width, about.Height) > maxSide:
		return d, fmt.Errorf("%w: %d by %d pixels: the most is %d each way: make it smaller first", ErrPicture, about.Width, about.Height, maxSide)
	}
	sum := sha256.Sum256(data)
	return l.putPicture(ctx, d.Slug, hex.EncodeToString(sum[:8]), &store.Picture{Type: "image/" + format, Data: data})
}

// RemovePicture takes a device's picture away.
func (l *Library) RemovePicture(ctx context.Context, slug string) (wire.Device, error) {
	d, err := l.Device(slug)
	if err != nil {
		return d, err
	}
	return l.putPicture(ctx, d.Slug, "", nil)
}

func (l *Library) putPicture(ctx context.Context, slug, tag string, p *store.Picture) (wire.Device, error) {
	err := l.change(ctx, slug, func(tx *gorm.DB) error {
		var d store.Device
		if err := tx.Where("slug = ?", slug).Take(&d).Error; err != nil {
			return err
		}
		if err := tx.Model(&d).Update("picture", tag).Error; err != nil {
			return err
		}
		if p == nil {
			return tx.Where("device_id = ?", d.ID).Delete(&store.Picture{}).Error
		}
		p.DeviceID = d.ID
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(p).Error
	})
	if err != nil {
		return wire.Device{}, fmt.Errorf("picture of %s: %w", slug, err)
	}
	return l.Device(slug)
}
