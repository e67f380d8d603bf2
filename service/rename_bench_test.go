package service_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/service/stations"
	"urbo/station"
	"urbo/store"
)

// BenchmarkRename gives a station another name that 5,000 devices are pressed from.
func BenchmarkRename(b *testing.B) {
	dir := b.TempDir()
	h, stop := start(b, dir, nil, newBoard(nil))
	_, _, err := h.AddStation(b.Context(), "shed", station.Origin{Over: station.WebSocket}, "", grant.By{})
	require.NoError(b, err)
	st, err := h.Stations.Find("shed")
	require.NoError(b, err)
	stop()
	db, err := store.Open(dir)
	require.NoError(b, err)
	batch := store.Batch{}
	for n := range 5000 {
		d := device.Device{ID: store.NewID(), Slug: fmt.Sprintf("d%d", n), Name: fmt.Sprintf("Device %d", n),
			Transmitter: device.Place{Station: st.ID, Port: "ir-out"}}
		batch.Devices = append(batch.Devices, store.Edit{After: &d})
	}
	require.NoError(b, db.Devices().Apply(b.Context(), batch))
	require.NoError(b, db.Close())
	h, stop = start(b, dir, nil, newBoard(nil))
	defer stop()
	names := []string{"shed", "hut"}
	for n := 0; b.Loop(); n++ {
		_, err := h.AlterStation(b.Context(), names[n%2], stations.Change{Name: &names[(n+1)%2]}, grant.By{})
		require.NoError(b, err)
	}
}
