package library_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/line"
	"urbo/service/library"
	"urbo/service/rooms"
	"urbo/service/stream"
	"urbo/store"
)

// house is a library with what it stands on.
type house struct {
	*library.Library
	t      *testing.T
	store  *store.Store
	rooms  *rooms.Rooms
	stream *stream.Stream
	told   *stream.Queue
}

func open(t *testing.T, dir string) *house {
	t.Helper()
	s, err := store.Open(dir)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	events := stream.New(0, time.Now)
	h := &house{t: t, store: s, stream: events, told: events.Subscribe()}
	in, err := rooms.Open(t.Context(), s, events)
	require.NoError(t, err)
	h.rooms = in
	h.Library, err = library.Open(t.Context(), s, in, events, line.Builtin(), time.Now)
	require.NoError(t, err)
	return h
}

// note is who asks.
var note = library.Note{By: grant.Named("test")}

// add adds a device with some keys that wait to be learned.
func (h *house) add(d device.Device, keys ...string) device.Device {
	h.t.Helper()
	for _, k := range keys {
		_, err := d.Add(k)
		require.NoError(h.t, err)
	}
	d, err := h.Add(h.t.Context(), d, note)
	require.NoError(h.t, err)
	return d
}

// set gives a key codes.
func (h *house) set(slug, key string, codes ...device.Code) (device.Device, error) {
	return h.ChangeBySlug(h.t.Context(), slug, note, func(d *device.Device) error { return d.SetCodes(key, codes) })
}

func (h *house) mustSet(slug, key string, codes ...device.Code) {
	h.t.Helper()
	_, err := h.set(slug, key, codes...)
	require.NoError(h.t, err)
}

// change changes a device.
func (h *house) change(slug string, f func(*device.Device)) (device.Device, error) {
	return h.ChangeBySlug(h.t.Context(), slug, note, func(d *device.Device) error {
		f(d)
		return nil
	})
}

func ref(slug, key string) device.Ref { return device.Ref{Device: slug, Key: key} }

func nec(command int64) device.Code {
	return device.Code{Sheet: "nec", Fields: line.Fields{"address": line.Number(9), "command": line.Number(command)}}
}

var infrared = device.Channel{Medium: line.Infrared, Hz: 38_000}
