package library

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"

	"urbo/core/device"
	"urbo/core/happening"
	"urbo/service/stream"
)

// Follow lets codes of another handset count as presses of a key when they are heard. They are never sent. Errors are
// those of Change.
func (l *Library) Follow(ctx context.Context, ref device.Ref, codes []device.Code, note Note) (device.Device, error) {
	return l.ChangeBySlug(ctx, ref.Device, note, func(d *device.Device) error {
		return d.Follow(ref.Key, codes, l.Identity)
	})
}

// FollowText is Follow for codes as somebody writes them. remarks say how they were understood. Errors are those of
// Change and of notation.Parse.
func (l *Library) FollowText(ctx context.Context, ref device.Ref, h Hand, note Note) (d device.Device,
	remarks []string, err error) {
	codes, remarks, err := l.Read(h)
	if err != nil {
		return d, nil, fmt.Errorf("follow %s: %w", ref, err)
	}
	d, err = l.Follow(ctx, ref, codes, note)
	return d, remarks, err
}

// Unfollow lets only its own codes count as presses of a key. Errors are those of Change.
func (l *Library) Unfollow(ctx context.Context, ref device.Ref, note Note) (device.Device, error) {
	return l.ChangeBySlug(ctx, ref.Device, note, func(d *device.Device) error {
		k, err := d.Key(ref.Key)
		if err != nil {
			return err
		}
		if len(k.Follows) == 0 {
			return fmt.Errorf("%w: %s follows no other handset", device.ErrCode, ref)
		}
		k.Follows = nil
		return nil
	})
}

// Counters follows what rolling handsets count, and says in the journal where one goes back.
type Counters struct {
	library *Library
	queue   *stream.Queue
}

// NewCounters begins to follow.
func NewCounters(l *Library) *Counters { return &Counters{l, l.stream.Subscribe()} }

// Run follows the stream until it ends.
func (c *Counters) Run(ctx context.Context) error {
	for {
		batch, err := c.queue.Next(ctx)
		if err != nil {
			if errors.Is(err, io.EOF) || ctx.Err() != nil {
				return nil
			}
			return err
		}
		for _, h := range batch {
			if heard, ok := h.What.(happening.Heard); ok && !heard.Echo {
				c.heard(ctx, heard.Capture, h.ID)
			}
		}
	}
}

// heard notes what a handset counts that is followed.
func (c *Counters) heard(ctx context.Context, capture happening.Capture, id string) {
	if len(capture.Keys) == 0 || len(capture.Readings) == 0 || !capture.Readings[0].Rolling || capture.PressID != "" {
		return
	}
	r := capture.Readings[0]
	sheet, err := c.library.book.Sheet(r.Sheet)
	if err != nil {
		return
	}
	for name, turn := range sheet.Turns() {
		now, ok := r.Fields[name].Int()
		if !turn.Counts || !ok {
			continue
		}
		before, err := c.library.devices.Count(context.WithoutCancel(ctx), sheet.Identity(r.Fields), now, capture.At)
		switch {
		case err != nil:
			slog.Error("note what a handset counts", "error", err)
		case before > now && before-now < turn.Values/2: // it begins anew after its last value
			c.library.stream.Publish(happening.Happening{Cause: id, What: happening.CounterBack{
				DeviceID: capture.Keys[0].DeviceID, Device: capture.Keys[0].Device, Key: capture.Keys[0].Key,
				Before: before, Now: now}})
		}
	}
}
