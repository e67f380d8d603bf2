package e2e

import (
	"context"
	"net/http"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/station"
	"urbo/station/mqtt"
	"urbo/station/websocket"
	"urbo/wire"
)

// comesBack is within what time the newer link of a station is here.
const comesBack = time.Second

// TestTakeover_TheNewerLinkIsHereAtOnce dials anew a hundred times under one name, while the links before are only half
// open: nobody closes them, and nobody reads from them.
func TestTakeover_TheNewerLinkIsHereAtOnce(t *testing.T) {
	t.Parallel()
	for _, over := range []string{"websocket", "another broker"} {
		t.Run(over, func(t *testing.T) {
			t.Parallel()
			var r *running
			var dial func() (station.Link, error)
			if over == "websocket" {
				r = start(t, "", "serve")
				var s wire.Station
				r.ok(&s, "station", "add", "garden")
				dial = func() (station.Link, error) {
					return websocket.Dial(t.Context(), http.DefaultClient, r.url, s.Secret)
				}
			} else {
				b := newBroker(t)
				r = start(t, "", "serve", "--broker", b.url, "--broker-user", "house", "--broker-password-file",
					b.file("house"), "--broker-ca", b.file("ca.pem"))
				dial = func() (station.Link, error) {
					return mqtt.Dial(t.Context(), mqtt.Options{URL: b.url, User: "garden", Password: "secret of garden",
						CA: b.file("ca.pem")}, "garden")
				}
			}
			late := 0
			var last station.Link
			for n := range 100 {
				l, err := dial()
				require.NoError(t, err)
				t.Cleanup(func() { _ = l.Close() })
				began := time.Now()
				welcomed(t, l)
				if n > 0 && time.Since(began) > comesBack { // the house may still be on its way to the broker at first
					late++
				}
				last = l
			}
			assert.Zero(t, late, "it is here within a second")
			var s wire.Station
			r.ok(&s, "station", "show", "garden")
			assert.True(t, s.Here)
			require.NoError(t, last.Tell(t.Context(), station.Ping{}))
			assert.Equal(t, station.Pong{}, answer(t, last, station.Pong{}))
			var page wire.JournalPage
			r.ok(&page, "journal", "--count", "500", "--kind", "station")
			assert.Less(t, len(page.Entries), 60, "a hundred links are not two hundred entries")
		})
	}
}

// welcomed says hello until it is welcome, also when it is asked who it is.
func welcomed(t *testing.T, l station.Link) {
	t.Helper()
	hello := station.Hello{Link: 1, Station: "garden", Model: "Half open"}
	require.NoError(t, l.Tell(t.Context(), hello))
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	for {
		m, err := l.Receive(ctx)
		require.NoError(t, err)
		switch m.(type) {
		case station.Welcome:
			return
		case station.Who:
			require.NoError(t, l.Tell(t.Context(), hello))
		}
	}
}

// answer waits for a message, and answers who it is meanwhile.
func answer(t *testing.T, l station.Link, want station.Message) station.Message {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	for {
		m, err := l.Receive(ctx)
		require.NoError(t, err)
		switch m {
		case want:
			return m
		case station.Who{}:
			require.NoError(t, l.Tell(t.Context(), station.Hello{Link: 1, Station: "garden", Model: "Half open"}))
		}
	}
}

// TestTakeover_AWillThatComesLateIsAskedAbout lets the will of an older connection come after the newer one's hello.
func TestTakeover_AWillThatComesLateIsAskedAbout(t *testing.T) {
	t.Parallel()
	b := newBroker(t)
	r := start(t, "", "serve", "--broker", b.url, "--broker-user", "house", "--broker-password-file", b.file("house"),
		"--broker-ca", b.file("ca.pem"))
	l, err := mqtt.Dial(t.Context(), mqtt.Options{URL: b.url, User: "garden", Password: "secret of garden",
		CA: b.file("ca.pem")}, "garden")
	require.NoError(t, err)
	defer l.Close()
	welcomed(t, l)
	host, port, _ := strings.Cut(strings.TrimPrefix(b.url, "mqtts://"), ":")
	for range 10 {
		out, err := exec.CommandContext(t.Context(), "mosquitto_pub", "--cafile", b.file("ca.pem"), "-h", host, "-p",
			port,
			"-u", "garden", "-P", "secret of garden", "-q", "1", "-t", "urbo/station/garden/up", "-m",
			`{"t":"gone"}`).CombinedOutput()
		require.NoError(t, err, string(out))
		assert.Equal(t, station.Who{}, answer(t, l, station.Who{}))
		welcomed(t, l)
	}
	var s wire.Station
	r.ok(&s, "station", "show", "garden")
	assert.True(t, s.Here)
}
