package transmit_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/service/stations"
	"urbo/service/stream"
	"urbo/service/transmit"
	"urbo/station"
)

var errFull = errors.New("database or disk is full")

// full is a disk without room for the next value of a toggle.
type full struct{}

func (full) PutTurn(context.Context, string, string, string, int64) error { return nil }

func (full) TakeTurn(context.Context, string, string, string, int64) (int64, error) {
	return 0, errFull
}

// hardware has one transmitter, which must not be reached.
type hardware struct{}

func (hardware) Transmitter(stations.Want) (stations.Transmitter, string, error) {
	return stations.Transmitter{ID: "1", Station: "lecture", Hz: 36_000,
		Port: station.Port{ID: "ir-out", Medium: "infrared", Longest: 1000}}, "", nil
}

func (hardware) Listens(device.Channel, string) bool { return true }

func TestPress_WhoseNextValueIsNotOnDiskDoesNotGoOut(t *testing.T) {
	book := line.Builtin()
	tx := transmit.New(full{}, hardware{}, transmit.NewEchoes(book, time.Now), nil, stream.New(0, time.Now), book, nil,
		time.Now)
	ctx, end := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	go func() { ended <- tx.Run(ctx) }()
	_, err := tx.Press(t.Context(), transmit.Order{What: "a toggle", Key: device.Key{Codes: []device.Code{
		{Sheet: "rc5", Fields: line.Fields{"address": line.Number(5), "command": line.Number(1)}}}}})
	require.ErrorIs(t, err, errFull) // a station that was told would have made this panic: there is none
	assert.ErrorContains(t, err, "press a toggle")
	end()
	require.NoError(t, <-ended)
}
