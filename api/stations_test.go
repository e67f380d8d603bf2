package api_test

import (
	"context"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/signal"
	"urbo/service/library"
	"urbo/station"
	"urbo/station/websocket"
	"urbo/wire"
)

// dialIn is a station of a name that dialled in with a token.
func (s *site) dialIn(token, name string, ports ...station.Port) station.Link {
	s.t.Helper()
	ctx, cancel := context.WithTimeout(s.t.Context(), patience)
	defer cancel()
	l, err := websocket.Dial(ctx, http.DefaultClient, s.url, token)
	require.NoError(s.t, err)
	s.t.Cleanup(func() { _ = l.Close() })
	require.NoError(s.t, l.Tell(ctx, station.Hello{Link: 1, Station: name, Ports: ports}))
	m, err := l.Receive(ctx)
	require.NoError(s.t, err)
	require.Equal(s.t, station.Welcome{Link: 1}, m)
	return l
}

// patience is how long anything may take on a busy machine.
const patience = 20 * time.Second

// tick is how often something is looked at that has to become true.
const tick = 10 * time.Millisecond

func TestStations_AreAddedRenamedAndRemoved(t *testing.T) {
	s := newSite(t)
	var added wire.Station
	s.must("POST", "/api/stations", wire.NewStation{Name: "garden", Over: "websocket", Room: "Garden"}, &added)
	require.NotEmpty(t, added.Secret)
	assert.Nil(t, added.Since, "it was never here")
	l := s.dialIn(added.Secret, "far", station.Port{ID: "out", Direction: station.Transmitter, Medium: "radio",
		FromHz: 433_920_000, ToHz: 433_920_000, Longest: 100})
	var got wire.Station
	s.must("GET", "/api/stations/garden", nil, &got)
	assert.True(t, got.Here)
	assert.Empty(t, got.Secret, "it is told once")
	assert.InDelta(t, 0.1, got.Ports[0].Share, 1e-9, "radio has a budget until told otherwise")
	s.must("POST", "/api/devices", map[string]any{"name": "Lamp"}, nil)
	s.must("PATCH", "/api/devices/lamp", map[string]any{"transmitter": "garden/out"}, nil)

	s.must("PATCH", "/api/stations/garden", map[string]any{"name": "yard"}, &got)
	assert.Equal(t, "yard", got.Name)
	d, err := s.house.Library.Device("lamp")
	require.NoError(t, err)
	assert.Equal(t, "yard/out", s.house.Stations.PlaceName(d.Transmitter), "devices go on naming it")
	s.must("PATCH", "/api/stations/yard/transmitters/out", map[string]any{"airtime_share": 0.01}, &got)
	assert.Equal(t, 36_000, got.Ports[0].BudgetMS)

	for path, says := range map[string]string{"/api/stations/garden": `unknown station "garden": there are lecture, yard`,
		"/api/stations/yard/transmitters/in": "there are lecture/ir-out"} {
		status, detail := s.call("PATCH", path, map[string]any{"airtime_share": 0.5, "name": "x"}, nil)
		assert.GreaterOrEqual(t, status, 400)
		assert.NotEmpty(t, detail, says)
	}
	for body, says := range map[wire.NewStation]string{
		{Name: "yard", Over: "websocket"}:                   `there is a station "yard" already`,
		{Name: "Yard!", Over: "websocket"}:                  "1 to 40 of a-z, 0-9 and -",
		{Name: "board", Over: "serial"}:                     "say which device it is",
		{Name: "board", Over: "websocket", Address: "here"}: "leave it out",
	} {
		status, detail := s.call("POST", "/api/stations", body, nil)
		assert.GreaterOrEqual(t, status, 400, "%+v", body)
		assert.Contains(t, detail, says)
	}
	s.must("DELETE", "/api/stations/yard", nil, nil)
	_, err = receive(t, l)
	require.Error(t, err, "its link ends")
	_, err = websocket.Dial(t.Context(), http.DefaultClient, s.url, added.Secret)
	require.ErrorContains(t, err, "401", "its token is worthless")
}

// receive takes what a station is told up to the end of its link.
func receive(t *testing.T, l station.Link) (last station.Message, err error) {
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	for {
		m, err := l.Receive(ctx)
		if err != nil {
			require.NoError(t, ctx.Err(), "the link does not end")
			return last, err
		}
		last = m
	}
}

func TestStations_OnlyTheirTokensDialIn(t *testing.T) {
	s := newSite(t)
	for _, token := range []string{s.token, s.as("watch").token, s.as("press").token} {
		_, err := websocket.Dial(t.Context(), http.DefaultClient, s.url, token)
		require.ErrorContains(t, err, "403")
	}
	_, err := websocket.Dial(t.Context(), http.DefaultClient, s.url, "wrong")
	require.ErrorContains(t, err, "401")
	hardware := s.as("station")
	status, _ := hardware.call("GET", "/api/stations", nil, nil)
	assert.Equal(t, http.StatusForbidden, status, "and a station may do nothing else")
}

func TestStations_ARevokedTokenEndsTheLinkAtOnce(t *testing.T) {
	s := newSite(t)
	l := s.dialIn(s.as("station").token, "kiosk")
	s.must("DELETE", "/api/tokens/a%20station", nil, nil)
	_, err := receive(t, l)
	require.Error(t, err)
	require.Eventually(t, func() bool {
		var got wire.Station
		s.must("GET", "/api/stations/kiosk", nil, &got)
		return !got.Here
	}, patience, tick)
}

func TestStations_GarbageAndTwinsDoNoHarm(t *testing.T) {
	s := newSite(t)
	token := s.as("station").token
	l := s.dialIn(token, "kiosk")
	other, err := websocket.Dial(t.Context(), http.DefaultClient, s.url, token)
	require.NoError(t, err)
	require.NoError(t, other.Tell(t.Context(), station.Hello{Link: 1, Station: "kiosk"}))
	_, err = receive(t, l)
	require.Error(t, err, "the newer link of a token takes its place at once")
	l = other
	for _, m := range []station.Message{station.Sent{ID: "nobody"}, station.Failed{ID: "nobody"}, station.Welcome{},
		station.Heard{Port: "nowhere", Train: []int{500}}, station.Hold{ID: "x"},
		station.Note{Severity: "info", Text: strings.Repeat("x", 1000)}} {
		require.NoError(t, l.Tell(t.Context(), m))
	}
	require.NoError(t, l.Tell(t.Context(), station.Ping{}))
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	for {
		m, err := l.Receive(ctx)
		require.NoError(t, err)
		if m != (station.Welcome{Link: station.Version}) {
			assert.Equal(t, station.Pong{}, m, "the link goes on")
			return
		}
	}
}

func TestPress_FrequencyIsCheckedBeforeItIsSent(t *testing.T) {
	s := newSite(t)
	s.must("POST", "/api/devices", map[string]any{"name": "Shutter"}, nil)
	train := signal.Train{500, 1500, 500, 500, 1500, 500, 500, 1500, 500}
	_, err := s.house.Library.ChangeBySlug(t.Context(), "shutter", library.Note{}, func(d *device.Device) error {
		d.Keys = []device.Key{
			{Name: "far", Codes: []device.Code{{Train: train,
				Channel: device.Channel{Medium: "radio", Hz: 433_420_000}}}},
			{Name: "near", Codes: []device.Code{{Train: train,
				Channel: device.Channel{Medium: "infrared", Hz: 62_000}}}}}
		return nil
	})
	require.NoError(t, err)
	status, detail := s.call("POST", "/api/devices/shutter/keys/far/press", nil, nil)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, detail, "lecture/radio-out sends from 433.67 MHz to 434.17 MHz")
	var p wire.Press
	s.must("POST", "/api/devices/shutter/keys/far/press", wire.PressRequest{Anyway: true}, &p)
	assert.Equal(t, "sent", string(p.Outcome))
	assert.Contains(t, p.Note, "it sends on 433.67 MHz, and the device listens on 433.42 MHz")
	s.must("POST", "/api/devices/shutter/keys/near/press", nil, &p)
	assert.Contains(t, p.Note, "it sends on 60 kHz, and the device listens on 62 kHz")
}
