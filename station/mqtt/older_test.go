package mqtt_test

import (
	"io"
	"log/slog"
	"net"
	"testing"
	"time"

	broker "github.com/mochi-mqtt/server/v2"
	"github.com/mochi-mqtt/server/v2/listeners"
	"github.com/mochi-mqtt/server/v2/packets"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/station/mqtt"
)

// open lets everybody in.
type open struct{ broker.HookBase }

func (open) ID() string { return "open" }
func (open) Provides(b byte) bool {
	return b == broker.OnConnectAuthenticate ||
		b == broker.OnACLCheck
}
func (open) OnConnectAuthenticate(*broker.Client, packets.Packet) bool { return true }
func (open) OnACLCheck(_ *broker.Client, _ string, _ bool) bool        { return true }

// older is a broker that speaks nothing newer than MQTT 3.1.1. Somebody who asks for more is told so, or is just hung
// up on.
func older(t *testing.T, hangsUp bool) (at string) {
	t.Helper()
	behind, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	s := broker.New(&broker.Options{Logger: slog.New(slog.DiscardHandler)})
	require.NoError(t, s.AddHook(&open{}, nil))
	require.NoError(t, s.AddListener(listeners.NewNet("t", behind)))
	require.NoError(t, s.Serve())
	front, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() {
		_ = front.Close()
		_ = s.Close()
	})
	go func() {
		for {
			c, err := front.Accept()
			if err != nil {
				return
			}
			go pass(c, behind.Addr().String(), hangsUp)
		}
	}()
	return front.Addr().String()
}

// pass passes a connection on that asks for an old version.
func pass(c net.Conn, to string, hangsUp bool) {
	defer c.Close()
	first := make([]byte, 9) // type, length, "MQTT" with its length, version
	if _, err := io.ReadFull(c, first); err != nil {
		return
	}
	if first[8] > 4 {
		if !hangsUp {
			_, _ = c.Write([]byte{0x20, 2, 0, 1}) // CONNACK: unacceptable protocol version
		}
		return
	}
	b, err := net.Dial("tcp", to)
	if err != nil {
		return
	}
	defer b.Close()
	_, _ = b.Write(first)
	go func() { _, _ = io.Copy(b, c) }()
	_, _ = io.Copy(c, b)
}

// TestConnect_FallsBackToAnOlderVersion: what is asked comes in, and what is published goes out.
func TestConnect_FallsBackToAnOlderVersion(t *testing.T) {
	t.Parallel()
	for _, hangsUp := range []bool{false, true} {
		at := older(t, hangsUp)
		came := make(chan mqtt.Message, 10)
		v, err := mqtt.Connect(t.Context(), mqtt.Options{URL: "mqtt://" + at}, mqtt.Stay{ID: "house",
			Will:   &mqtt.Message{Topic: "h/here", Payload: []byte("no"), Retain: true, Once: true},
			Topics: []string{"h/want/#"}, Took: func(m mqtt.Message) { came <- m }})
		require.NoError(t, err)
		assert.Equal(t, 3, v.Version)
		other, err := mqtt.Connect(t.Context(), mqtt.Options{URL: "mqtt://" + at}, mqtt.Stay{ID: "panel",
			Topics: []string{"h/here"}, Took: func(m mqtt.Message) { came <- m }})
		require.NoError(t, err)
		require.NoError(t, other.Publish(t.Context(), mqtt.Message{Topic: "h/want/lamp/power", Payload: []byte("on")}))
		next := func() mqtt.Message {
			select {
			case m := <-came:
				return m
			case <-time.After(patience):
				require.Fail(t, "nothing comes")
			}
			return mqtt.Message{}
		}
		assert.Equal(t, "h/want/lamp/power", next().Topic)
		require.NoError(t, v.Publish(t.Context(), mqtt.Message{Topic: "h/here", Payload: []byte("yes"), Retain: true,
			Once: true}))
		assert.Equal(t, "yes", string(next().Payload))
		v.Close()
		<-v.Ended
		require.Error(t, v.Err())
		other.Close()
	}
}

// TestConnect_IsBounded: a broker that never answers, and one that claims a packet of 256 MB.
func TestConnect_IsBounded(t *testing.T) {
	t.Parallel()
	for _, says := range [][]byte{nil, {0x20, 0xff, 0xff, 0xff, 0x7f}, {0x30}} {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		t.Cleanup(func() { _ = l.Close() })
		go func() {
			for {
				c, err := l.Accept()
				if err != nil {
					return
				}
				_, _ = c.Write(says)
				defer c.Close()
			}
		}()
		_, err = mqtt.Connect(t.Context(), mqtt.Options{URL: "mqtt://" + l.Addr().String()}, mqtt.Stay{ID: "house"})
		assert.Error(t, err)
	}
}
