package api_test

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/line"
	"urbo/service/library"
	"urbo/station"
	"urbo/station/websocket"
	"urbo/wire"
)

// benchKey is a key that a bench presses.
func benchKey(name string, command int64) device.Key {
	return device.Key{Name: name, Codes: []device.Code{{Sheet: "nec",
		Fields: line.Fields{"address": line.Number(9), "command": line.Number(command)}}}}
}

// BenchmarkPress_UnderLoad is a press of a key, or a tap on a tile, over HTTP up to its first byte at a station, with
// 20 stations connected over WebSocket, and 200 captures a second arriving from them.
func BenchmarkPress_UnderLoad(b *testing.B) {
	const stations, captures = 20, 200
	s := newSite(b)
	ctx, cancel := context.WithCancel(b.Context())
	var group sync.WaitGroup
	defer group.Wait()
	defer cancel()
	arrived := make(chan time.Time, 1)
	book := line.Builtin()
	sheet, err := book.Sheet("nec")
	require.NoError(b, err)
	burst, err := sheet.Encode(line.Fields{"address": line.Number(1), "command": line.Number(2)})
	require.NoError(b, err)
	train := burst.Once[:len(burst.Once)-1]
	for i := range stations {
		_, secret, err := s.house.AddStation(ctx, fmt.Sprintf("bench-%d", i), station.Origin{Over: station.WebSocket},
			"", grant.By{})
		require.NoError(b, err)
		l, err := websocket.Dial(ctx, http.DefaultClient, s.url, secret)
		require.NoError(b, err)
		require.NoError(b, l.Tell(ctx, station.Hello{Link: 1, Station: "bench", Ports: []station.Port{
			{ID: "in", Direction: station.Receiver, Medium: "infrared", FromHz: 36_000, ToHz: 40_000, Longest: 1000},
			{ID: "out", Direction: station.Transmitter, Medium: "infrared", FromHz: 30_000, ToHz: 60_000,
				Longest: 1000}}}))
		group.Go(func() {
			defer l.Close()
			for {
				m, err := l.Receive(ctx)
				if err != nil {
					return
				}
				if m, ok := m.(station.Send); ok {
					arrived <- time.Now()
					_ = l.Tell(ctx, station.Sent{ID: m.ID, Took: 1})
				}
			}
		})
		group.Go(func() {
			tick := time.NewTicker(stations * time.Second / captures)
			defer tick.Stop()
			for n := int64(0); ; n++ {
				select {
				case <-ctx.Done():
					return
				case <-tick.C:
					_ = l.Tell(ctx, station.Heard{Port: "in", At: n * 1_000_000, Train: train, Gap: 20_000})
				}
			}
		})
	}
	through, err := s.house.Stations.Place("bench-7/out")
	require.NoError(b, err)
	_, err = s.house.Library.Add(ctx,
		device.Device{Name: "Lamp", Transmitter: through,
			Keys: []device.Key{benchKey("on", 1), benchKey("off", 2)},
			Traits: device.Traits{Forms: control.Forms{Controls: []control.Control{{Name: "power", Kind: control.Power,
				Keys: map[string]string{"on": "on", "off": "off"}}}}}},
		library.Note{})
	require.NoError(b, err)
	var page wire.Board
	s.must("GET", "/api/boards/home", nil, &page)
	tile := "/api/boards/home/tiles/" + page.Sections[0].Tiles[0].ID + "/use"
	for _, way := range []struct {
		name  string
		press func(key string)
	}{
		{"key", func(key string) { s.must("POST", "/api/devices/lamp/keys/"+key+"/press", nil, nil) }},
		{"tile", func(key string) {
			s.must("POST", tile, wire.TileUse{Wants: []control.Want{{Control: "power", Value: key}}, Ask: true}, nil)
		}},
	} {
		b.Run(way.name, func(b *testing.B) {
			var took []time.Duration
			for n := 0; b.Loop(); n++ { // the same key again would have to wait
				began := time.Now()
				done := make(chan struct{})
				go func() {
					defer close(done)
					way.press([]string{"on", "off"}[n%2])
				}()
				took = append(took, (<-arrived).Sub(began))
				<-done
			}
			slices.Sort(took)
			b.ReportMetric(float64(took[len(took)/2])/1e6, "ms-median")
			b.ReportMetric(float64(took[len(took)*99/100])/1e6, "ms-99%")
		})
	}
}
