package service_test

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strconv"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/service"
	"urbo/station"
)

func TestStations_AHelloThatBreaksTheRulesIsRefused(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	b.name = "Not A Name"
	h := run(t, t.TempDir(), b)
	assert.Empty(t, h.Stations.List())
	require.NotEmpty(t, toldOf[station.Refused](b))
	assert.Contains(t, toldOf[station.Refused](b)[0].Reason, "1 to 40 of a-z")
}

func TestStations_TheNewerLinkOfOneStationTakesItsPlace(t *testing.T) {
	t.Parallel()
	first, second := newBoard(nil), newBoard(nil)
	h := run(t, t.TempDir(), first, second)
	lamp(t, h)
	assert.Len(t, h.Stations.List(), 1)
	press(t, h, power)
	assert.Equal(t, 1, len(first.sent())+len(second.sent()))
}

func TestStations_AQuietStationIsAskedAndThenAwayAndCanComeBack(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	b.quiet = true
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		for range 4 { // it lives as long as it answers
			time.Sleep(12 * time.Second)
			b.say(station.Pong{})
		}
		require.True(t, h.Stations.List()[0].Here)
		time.Sleep(50 * time.Second)
		assert.False(t, h.Stations.List()[0].Here)
		assert.NotEmpty(t, toldOf[station.Ping](b))
		_, err := h.Transmit.Start(order(t, h, power))
		assert.ErrorContains(t, err, `station "lecture" is away since`)
		assert.Empty(t, b.sent())
		b.again <- struct{}{}
		synctest.Wait()
		assert.True(t, h.Stations.List()[0].Here)
		press(t, h, power)
	})
}

// flaky is a transport that fails at once, each time.
type flaky struct{ times []time.Time }

func (f *flaky) Run(context.Context, func(context.Context, station.Link) error) error {
	f.times = append(f.times, time.Now())
	return errors.New("no such device")
}

func TestStations_ATransportThatFailsIsRunAgainWithGrowingPauses(t *testing.T) {
	t.Parallel()
	synctest.Test(t, func(t *testing.T) {
		f := &flaky{}
		h, err := service.Open(t.Context(), service.Config{Dir: t.TempDir(), Transports: []station.Transport{f}})
		require.NoError(t, err)
		ctx, cancel := context.WithCancel(t.Context())
		done := make(chan struct{})
		go func() { defer close(done); _ = h.Run(ctx) }()
		time.Sleep(10 * time.Minute)
		cancel()
		<-done
		require.NoError(t, h.Close())
		require.Greater(t, len(f.times), 10)
		assert.Less(t, len(f.times), 20)
		assert.Equal(t, time.Second, f.times[1].Sub(f.times[0]))
		assert.Equal(t, 2*time.Second, f.times[2].Sub(f.times[1]))
		assert.Equal(t, time.Minute, f.times[10].Sub(f.times[9]))
	})
}

func TestOpen_ASecondHouseOnTheSameDirectoryNamesTheFirst(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	run(t, dir)
	_, err := service.Open(t.Context(), service.Config{Dir: dir})
	assert.ErrorIs(t, err, service.ErrLocked)
	assert.ErrorContains(t, err, "held by process "+strconv.Itoa(os.Getpid()))
}

func TestOpen_ABadSheetOfOnesOwnIsSaidAndKeepsNothingFromOpening(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(dir, "sheets"), 0o700))
	for name, text := range map[string]string{"bad.yaml": "sheet: [", "nec.yaml": "sheet: nec\n",
		"empty-lead.yaml": "sheet: x\nmedium: infrared\ncarrier_hz: 38000\nunit_us: 500\n" +
			"code: {style: space, zero: [1, 1], one: [1, 3]}\nfields: [{name: id, bits: 8}]\n" +
			"frames:\n  message: [{lead: []}, {field: id}]\npress: [{repeat: [message], repeats: 1, gap: 40}]\n"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "sheets", name), []byte(text), 0o600))
	}
	h := run(t, dir)
	eventually(t, func() bool { return len(told(t, h)) > 1 }, "it is said")
	for _, name := range []string{"bad.yaml", "nec.yaml", "empty-lead.yaml"} {
		assert.Contains(t, told(t, h)[len(told(t, h))-1], name)
	}
}

func TestHouse_WhatWasHeardInTheLastMomentIsStored(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	b := newBoard(nil)
	h, stop := start(t, dir, nil, b)
	b.hear(0, nec(t, 1), 20_000)
	eventually(t, func() bool { return h.Stations.List()[0].Ports[0].Count == 1 }, "it came in")
	stop() // before the press is even over
	again := run(t, dir)
	cs := captures(t, again)
	require.Len(t, cs, 1)
	assert.True(t, cs[0].Stored)
	assert.Contains(t, told(t, again), "Urbo stopped")
	for _, text := range told(t, again) {
		assert.NotContains(t, text, "did not end by itself")
	}
	assert.Contains(t, told(t, again), "Heard nec address=9 command=1")
}
