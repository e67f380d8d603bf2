package library_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/service/library"
	"urbo/service/rooms"
	"urbo/service/stream"
	"urbo/store"
)

func TestRemove_CanBeTakenBackWithAllThatWasThere(t *testing.T) {
	dir := t.TempDir()
	l := open(t, dir)
	l.add(device.Device{Slug: "lamp", Name: "Lamp", Kind: "light", Room: "Dome"}, "on")
	l.mustSet("lamp", "on", nec(1))
	l.mustSet("lamp", "on", nec(2))
	_, err := l.change("lamp", func(d *device.Device) { d.Slug = "lantern" })
	require.NoError(t, err)
	was, err := l.Device("lamp")
	require.NoError(t, err)
	require.NoError(t, l.Remove(t.Context(), "lantern", note))

	_, err = l.Device("lamp")
	assert.ErrorIs(t, err, library.ErrUnknownDevice, "its former slug is gone with it")
	senders, err := l.store.Devices().Senders(t.Context(), nec(2).Identity(line.Builtin()))
	require.NoError(t, err)
	assert.Empty(t, senders, "nothing is recognised as its key")
	l.add(device.Device{Slug: "lantern", Name: "Another", Kind: "light"})
	removed, err := l.Removed(t.Context())
	require.NoError(t, err)
	require.Len(t, removed, 1)
	assert.Equal(t, "lantern", removed[0].Slug)
	assert.Equal(t, 1, removed[0].Keys)

	back, err := l.BringBack(t.Context(), "lantern", note)
	require.NoError(t, err)
	assert.Equal(t, "lantern-2", back.Slug, "another has its slug now")
	assert.Equal(t, was.ID, back.ID)
	assert.Equal(t, was.Keys, back.Keys)
	assert.Equal(t, "Dome", back.Room)
	versions, err := l.Versions(t.Context(), ref("lantern-2", "on"))
	require.NoError(t, err)
	assert.Len(t, versions, 2, "with what it sent before")
	_, err = l.Device("lamp")
	require.NoError(t, err, "and its former slug leads to it again")
	_, err = l.BringBack(t.Context(), "lantern", note)
	assert.ErrorIs(t, err, library.ErrUnknownDevice)

	again := open(t, dir)
	d, err := again.Device("lantern-2")
	require.NoError(t, err)
	assert.Equal(t, back.Keys, d.Keys, "memory is what is on disk")
}

func TestRemove_IsForgottenAfterThirtyDays(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	now := time.Date(2026, 3, 1, 21, 0, 0, 0, time.UTC)
	events := stream.New(0, time.Now)
	in, err := rooms.Open(t.Context(), s, events)
	require.NoError(t, err)
	l, err := library.Open(t.Context(), s, in, events, line.Builtin(), func() time.Time { return now })
	require.NoError(t, err)
	for _, slug := range []string{"one", "two"} {
		_, err := l.Add(t.Context(), device.Device{Slug: slug, Name: slug, Kind: "light"}, note)
		require.NoError(t, err)
	}
	require.NoError(t, l.Remove(t.Context(), "one", note))
	now = now.Add(library.RemovedFor - time.Hour)
	removed, err := l.Removed(t.Context())
	require.NoError(t, err)
	assert.Len(t, removed, 1)
	now = now.Add(2 * time.Hour)
	_, err = l.BringBack(t.Context(), "one", note)
	assert.ErrorContains(t, err, "no device was removed in the last 30 days")
	require.NoError(t, l.Remove(t.Context(), "two", note))
	kept, err := s.Devices().Removed(t.Context())
	require.NoError(t, err)
	require.Len(t, kept, 1, "it is off the disk too")
	assert.Equal(t, "two", kept[0].Slug)
}
