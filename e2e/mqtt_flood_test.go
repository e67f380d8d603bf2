package e2e

import (
	"fmt"
	"io"
	"net"
	"net/http"
	"os/exec"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// TestMQTT_AFloodOfWishes lets a program ask for something as fast as it can: the house answers others meanwhile, does
// what they ask, and keeps little of it.
func TestMQTT_AFloodOfWishes(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--broker-listen", "127.0.0.1:0")
	token := r.owner()
	r.ok(nil, "tell", "amplifier", "power", "off")
	before := r.memory()
	cmd := exec.CommandContext(t.Context(), "mosquitto_pub", append(ownBroker(t, r, token), "-t",
		base+"want/boardwalk/power", "-l")...)
	in, err := cmd.StdinPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	var sent atomic.Int64
	flooded := make(chan struct{})
	go func() {
		defer close(flooded)
		for {
			if _, err := io.WriteString(in, strings.Repeat("on\noff\n", 500)); err != nil {
				return
			}
			sent.Add(1000)
		}
	}()
	require.Eventually(t, func() bool { return sent.Load() >= 10_000 }, patience, tick)
	require.NoError(t, publish(t, ownBroker(t, r, token), "-t", base+"want/amplifier/power", "-m", "on"))
	r.becomes(token, "amplifier", "power", "on")
	slowest := time.Duration(0)
	for range 50 {
		began := time.Now()
		require.Equal(t, http.StatusOK, r.http(token, "GET", "/api/devices", nil, nil))
		slowest = max(slowest, time.Since(began))
	}
	_ = cmd.Process.Kill()
	<-flooded
	_ = cmd.Wait()
	t.Logf("the slowest answer took %v; memory %d to %d MB", slowest, before>>20, r.memory()>>20)
	assert.Less(t, r.memory()-before, 120<<20, "little of it is kept")
}

// TestMQTT_ABrokerThatClosesAfterEveryConnect: it is tried again with pauses that grow, and says why; the house is not
// disturbed.
func TestMQTT_ABrokerThatClosesAfterEveryConnect(t *testing.T) {
	t.Parallel()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	var came atomic.Int64
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			came.Add(1)
			buffer := make([]byte, 4096)
			if _, err := c.Read(buffer); err == nil && came.Load()%2 == 0 {
				_, _ = c.Write([]byte{0x20, 3, 0, 0, 0}) // welcome, and then nothing
			}
			_ = c.Close()
		}
	}()
	r := start(t, "", "demo")
	token := r.owner()
	r.ok(nil, "mqtt", "set", "on", "--broker", "mqtt://"+l.Addr().String())
	require.Eventually(t, func() bool { return came.Load() >= 4 }, patience, tick)
	var m wire.MQTT
	r.ok(&m, "mqtt", "show")
	assert.NotEmpty(t, m.Error+fmt.Sprint(m.Here))
	began := time.Now()
	for range 20 {
		require.Equal(t, http.StatusOK, r.http(token, "GET", "/api/devices", nil, nil))
	}
	assert.Less(t, time.Since(began), 5*time.Second)
	assert.Less(t, came.Load(), int64(60), "the pauses grow")
	r.ok(nil, "set", "amplifier", "power", "on")
	assert.False(t, slices.Contains(strings.Fields(r.ok(nil, "journal", "--search", "MQTT")), "panic"))
}
