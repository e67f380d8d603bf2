package rooms_test

import (
	"context"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/service/rooms"
	"urbo/service/stream"
	"urbo/store"
)

func open(t *testing.T) (*rooms.Rooms, *store.Store) {
	t.Helper()
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	r, err := rooms.Open(t.Context(), s, stream.New(0, time.Now))
	require.NoError(t, err)
	return r, s
}

func TestRooms_TwoSpellingsAreOne(t *testing.T) {
	r, s := open(t)
	first, err := r.Ensure(t.Context(), "Warm room", grant.By{})
	require.NoError(t, err)
	for _, spelling := range []string{"warm room", "WARM-ROOM", " Warm  room ", first.ID} {
		got, err := r.Ensure(t.Context(), spelling, grant.By{})
		require.NoError(t, err)
		assert.Equal(t, first.ID, got.ID, spelling)
		_, err = r.Add(t.Context(), spelling, grant.By{})
		if spelling != first.ID {
			require.ErrorIs(t, err, device.ErrTaken)
		}
	}
	none, err := r.Ensure(t.Context(), "  ", grant.By{})
	require.NoError(t, err)
	assert.Empty(t, none.ID)
	for _, bad := range []string{"", "--", "a\x00b", string(make([]byte, 100))} {
		_, err = r.Add(t.Context(), bad, grant.By{})
		require.ErrorIs(t, err, device.ErrName, "%q", bad)
	}
	_, err = r.Find("worm room")
	require.ErrorIs(t, err, rooms.ErrUnknown)
	assert.ErrorContains(t, err, "nearest are ")
	again, err := rooms.Open(t.Context(), s, stream.New(0, time.Now))
	require.NoError(t, err)
	assert.Equal(t, r.List(), again.List())
}

func TestRooms_MadeByManyAtOnceIsOne(t *testing.T) {
	r, _ := open(t)
	ids := make([]string, 20)
	var all sync.WaitGroup
	for n := range ids {
		all.Go(func() {
			room, err := r.Ensure(context.Background(), []string{"Dome", "dome"}[n%2], grant.By{})
			assert.NoError(t, err)
			ids[n] = room.ID
		})
	}
	all.Wait()
	for _, id := range ids {
		assert.Equal(t, ids[0], id)
	}
	assert.Len(t, r.List(), 1)
}

func TestRooms_RenamedAndRemoved(t *testing.T) {
	r, _ := open(t)
	dome, err := r.Add(t.Context(), "Dome", grant.By{})
	require.NoError(t, err)
	_, err = r.Add(t.Context(), "Shed", grant.By{})
	require.NoError(t, err)
	_, err = r.Rename(t.Context(), "dome", "shed", grant.By{})
	require.ErrorIs(t, err, device.ErrTaken)
	got, err := r.Rename(t.Context(), "dome", "DOME", grant.By{})
	require.NoError(t, err, "another spelling of its own name")
	assert.Equal(t, dome.ID, got.ID)
	require.ErrorIs(t, r.Remove(t.Context(), "dome", func(string) string { return "shutter" }, grant.By{}),
		rooms.ErrInUse)
	require.NoError(t, r.Remove(t.Context(), "dome", func(string) string { return "" }, grant.By{}))
	require.ErrorIs(t, r.Remove(t.Context(), "dome", func(string) string { return "" }, grant.By{}), rooms.ErrUnknown)
}
