package websocket_test

import (
	"bufio"
	"context"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"urbo/station"
	"urbo/station/websocket"
)

// FuzzReceive says any bytes over a WebSocket after its handshake: the link gives messages, and then ends.
func FuzzReceive(f *testing.F) {
	f.Add([]byte("\x81\x8c\x00\x00\x00\x00{\"t\":\"ping\"}"))
	f.Add([]byte("\x01\x82\x00\x00\x00\x00{}\x80\x80\x00\x00\x00\x00"))
	f.Add([]byte("\x81\xff\x00\x00\x00\x00\x7f\xff\xff\xff\x00\x00\x00\x00"))
	f.Add([]byte("\x88\x82\x00\x00\x00\x00\x03\xe8\x89\x80\x00\x00\x00\x00"))
	ended := make(chan struct{}, 1)
	door := &websocket.Door{}
	ctx, cancel := context.WithCancel(context.Background())
	f.Cleanup(cancel)
	go func() {
		_ = door.Run(ctx, func(ctx context.Context, l station.Link) error {
			defer func() { ended <- struct{}{} }()
			defer l.Close()
			for {
				m, err := l.Receive(ctx)
				if err != nil {
					return err
				}
				if _, err := station.Marshal(m); err != nil {
					panic(err)
				}
			}
		})
	}()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		_ = door.Accept(r.Context(), w, r, "fuzz")
	}))
	f.Cleanup(server.Close)
	f.Fuzz(func(t *testing.T, data []byte) {
		c, err := net.Dial("tcp", server.Listener.Addr().String())
		require.NoError(t, err)
		defer c.Close()
		_, err = io.WriteString(c, "GET /station HTTP/1.1\r\nHost: x\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n"+
			"Sec-WebSocket-Version: 13\r\nSec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==\r\n\r\n")
		require.NoError(t, err)
		resp, err := http.ReadResponse(bufio.NewReader(c), nil)
		require.NoError(t, err)
		if resp.StatusCode != http.StatusSwitchingProtocols {
			t.Skip("the door is not open yet")
		}
		_, _ = c.Write(data)
		require.NoError(t, c.(*net.TCPConn).CloseWrite())
		select {
		case <-ended:
		case <-time.After(20 * time.Second):
			require.Fail(t, "the link does not end")
		}
	})
}
