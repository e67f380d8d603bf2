package store_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/store"
)

// BenchmarkJournal reads a page of fifty from a journal of 100,000 entries, with each filter.
func BenchmarkJournal(b *testing.B) {
	s, err := store.Open(b.TempDir())
	require.NoError(b, err)
	defer s.Close()
	const entries, devices = 100_000, 50
	begun := time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC)
	ids := make([]string, devices)
	for i := range ids {
		ids[i] = store.NewID()
	}
	room := func(id string) string { return "room-" + id[len(id)-1:] }
	for from := 0; from < entries; from += 1000 {
		var batch []happening.Happening
		for n := from; n < from+1000; n++ {
			batch = append(batch, happening.Happening{ID: store.NewID(), Seq: int64(n + 1),
				At: begun.Add(time.Duration(n) *
					time.Minute), By: grant.Named(fmt.Sprintf("person %d", n%7)), What: happening.DeviceChanged{
					DeviceID: ids[n%devices], Device: fmt.Sprintf("device-%d", n%devices),
					Title: fmt.Sprintf("Device %d", n%devices), Changes: []string{fmt.Sprintf("note %d", n)}}})
		}
		_, err := s.Happenings().Write(b.Context(), batch, room)
		require.NoError(b, err)
	}
	middle := begun.Add(entries / 2 * time.Minute)
	for name, q := range map[string]store.Query{
		"all": {}, "device": {Device: ids[3]}, "kind": {Kind: "device"}, "kindless": {Kind: "press"},
		"by": {By: "Person 3"}, "nobody": {By: "Keeper"}, "word": {Words: "note 4711"}, "common": {Words: "changed"},
		"wordless": {Words: "shutter"}, "day": {Since: middle, Until: middle.Add(24 * time.Hour)},
		"room":   {Within: &store.Within{Rooms: []string{room(ids[3])}}},
		"beyond": {Within: &store.Within{Rooms: []string{"room-?"}}},
		"both":   {By: "person 3", Device: ids[3], Words: "device", Until: middle},
	} {
		q.Limit = 50
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				_, err := s.Happenings().Journal(b.Context(), q)
				require.NoError(b, err)
			}
		})
	}
}
