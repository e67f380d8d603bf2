package receive

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/bench"
	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/core/signal"
	"urbo/service/stations"
	"urbo/service/stream"
	"urbo/station"
)

// alone is a house without keys that sends nothing.
type alone struct{}

func (alone) Recognise(*happening.Capture)                                {}
func (alone) Match([]line.Reading, *bench.Structure) []happening.KeyMatch { return nil }
func (alone) Find(Sound) (string, int, bool)                              { return "", 0, false }
func (alone) Own(Sound) bool                                              { return false }
func (alone) Alone(line.Medium, time.Time, time.Time) bool                { return true }
func (alone) Heard(*happening.Capture)                                    {}

func TestRun_DescribesBesideTheOtherPresses(t *testing.T) {
	t.Parallel()
	events := stream.New(0, time.Now)
	queue := events.Subscribe()
	r := New(line.Builtin(), alone{}, alone{}, alone{}, events, time.Now)
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	go func() { _ = r.Run(ctx) }()
	next := func() happening.Heard {
		require.NoError(t, queue.Wait(ctx))
		got, _ := queue.Waiting()
		queue.Done(1)
		return got[0].What.(happening.Heard)
	}
	unknown := signal.Train{700, 1900, 700, 900, 700, 900, 700, 1900, 700, 900, 700, 1900, 700, 1900, 700, 900, 700}
	code := device.Code{Sheet: "nec", Fields: line.Fields{"address": line.Number(9), "command": line.Number(2)}}
	known, err := code.Burst(line.Builtin())
	require.NoError(t, err)
	clear := signal.Train(known.Once[:len(known.Once)-1])
	hear := func(from string, at int64, train signal.Train) {
		r.Hear(stations.Source{ID: from, Name: from}, station.Port{ID: "in", Medium: "infrared"},
			station.Heard{Train: train, Gap: 20_000, At: at}, time.Time{})
	}

	r.describing.Lock() // as a small board is slow
	hear("lounge", 0, unknown)
	hear("lounge", 5_000_000, clear)
	hear("study", 0, clear)
	assert.Equal(t, "study/in", next().Place, "what is read clearly waits for no description at another port")
	r.describing.Unlock()
	first, second := next(), next()
	require.NotNil(t, first.Capture.Structure, "the presses of one port keep their order")
	assert.NotEmpty(t, first.Capture.Structure.Bits)
	assert.Empty(t, second.Capture.Structure)
	assert.Equal(t, "nec", second.Capture.Readings[0].Sheet)
}

func TestRun_WhatIsBeingDescribedIsToldBeforeTheEnd(t *testing.T) {
	t.Parallel()
	events := stream.New(0, time.Now)
	queue := events.Subscribe()
	r := New(line.Builtin(), alone{}, alone{}, alone{}, events, time.Now)
	r.Hear(stations.Source{ID: "lounge"}, station.Port{ID: "in", Medium: "infrared"},
		station.Heard{Train: signal.Train{700, 1900, 700, 900, 700, 900, 700, 1900, 700}, Gap: 20_000}, time.Time{})
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	require.NoError(t, r.Run(ctx))
	got, err := queue.Next(t.Context())
	require.NoError(t, err)
	assert.NotNil(t, got[0].What.(happening.Heard).Capture.Structure)
}
