// Package websocket is the transport of stations that dial in: nothing has to be opened in their router, and it works
// over TLS and through proxies. Each text message is one message of the link.
package websocket

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/coder/websocket"

	"urbo/core/fault"
	"urbo/station"
)

// Path is where the service takes stations.
const Path = "/station"

// ErrEnding is returned for a station that dials while the service ends.
var ErrEnding = fault.New(fault.Later, "the service is ending")

// Door takes the stations that dial in. It is a transport, and brings the links that its HTTP handler accepted.
type Door struct {
	mu      sync.Mutex
	began   chan struct{}   // closed when it runs; nil where nobody asked yet
	running context.Context // nil before Run and after it
	join    func(context.Context, station.Link) error
	group   sync.WaitGroup
}

// Run brings links until the context ends.
func (d *Door) Run(ctx context.Context, join func(context.Context, station.Link) error) error {
	d.mu.Lock()
	d.running, d.join = ctx, join
	close(d.beginning())
	d.mu.Unlock()
	<-ctx.Done()
	d.mu.Lock()
	d.running = nil
	d.mu.Unlock()
	d.group.Wait()
	return nil
}

// beginning is closed when the door runs. The caller holds mu.
func (d *Door) beginning() chan struct{} {
	if d.began == nil {
		d.began = make(chan struct{})
	}
	return d.began
}

// starts is how long a station waits for a door that does not run yet.
const starts = 5 * time.Second

// Accept answers a station's request and joins its link; address tells its token from others. It returns when the link
// has ended, also where ctx ends, or the request's own context. The error wraps ErrEnding after Run, and where that
// does not begin soon.
func (d *Door) Accept(ctx context.Context, w http.ResponseWriter, r *http.Request, address string) error {
	d.mu.Lock()
	began := d.beginning()
	d.mu.Unlock()
	timer := time.NewTimer(starts)
	defer timer.Stop()
	select {
	case <-began:
	case <-timer.C:
	case <-ctx.Done():
	}
	d.mu.Lock()
	running, join := d.running, d.join
	if running == nil {
		d.mu.Unlock()
		return ErrEnding
	}
	d.group.Add(1)
	d.mu.Unlock()
	defer d.group.Done()
	conn, err := websocket.Accept(w, r, &websocket.AcceptOptions{CompressionMode: websocket.CompressionDisabled})
	if err != nil {
		return fmt.Errorf("take the station: %w", err)
	}
	joined, cancel := context.WithCancel(running)
	defer cancel()
	defer context.AfterFunc(ctx, cancel)()
	return join(joined, newLink(conn, address))
}

// Dial dials a service as a station does; the link's other end is Urbo. at is http://HOST:PORT or https://….
func Dial(ctx context.Context, client *http.Client, at, token string) (station.Link, error) {
	conn, resp, err := websocket.Dial(ctx, strings.TrimSuffix(at, "/")+Path, &websocket.DialOptions{HTTPClient: client,
		HTTPHeader: http.Header{"Authorization": {"Bearer " + token}}, CompressionMode: websocket.CompressionDisabled})
	if err != nil {
		if resp != nil && resp.StatusCode >= 300 {
			says, _ := io.ReadAll(io.LimitReader(resp.Body, 2<<10))
			return nil, fmt.Errorf("%s refused: %s %s", at, resp.Status, strings.TrimSpace(string(says)))
		}
		return nil, fmt.Errorf("dial %s: %w", at, err)
	}
	return newLink(conn, at), nil
}

// link is one connection.
type link struct {
	address string
	conn    *websocket.Conn
	ended   chan struct{}
	close   func() error
	bad     int // messages that were none
}

func newLink(conn *websocket.Conn, address string) *link {
	conn.SetReadLimit(station.MaxMessage)
	l := &link{address: address, conn: conn, ended: make(chan struct{})}
	l.close = sync.OnceValue(func() error {
		close(l.ended)
		return conn.CloseNow()
	})
	return l
}

// Origin is the token that it came in with.
func (l *link) Origin() station.Origin {
	return station.Origin{Over: station.WebSocket, Address: l.address}
}

// Receive waits for the next message.
func (l *link) Receive(ctx context.Context) (station.Message, error) {
	for {
		_, data, err := l.conn.Read(ctx)
		if err != nil {
			if ctx.Err() != nil {
				return nil, ctx.Err()
			}
			_ = l.close()
			return nil, l.gone(err)
		}
		m, err := station.Unmarshal(data)
		if err != nil {
			l.bad++
			m = station.Garbage(l.bad, err)
		}
		if m != nil {
			return m, nil
		}
	}
}

func (l *link) gone(err error) error {
	var closed websocket.CloseError
	switch {
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrClosedPipe):
		return fmt.Errorf("%w: the connection ended", station.ErrAway)
	case errors.As(err, &closed):
		return fmt.Errorf("%w: it closed the connection: %d %.100s", station.ErrAway, closed.Code, closed.Reason)
	}
	return fmt.Errorf("%w: %w", station.ErrAway, err)
}

// Tell sends one message.
func (l *link) Tell(ctx context.Context, m station.Message) error {
	select {
	case <-l.ended:
		return fmt.Errorf("%w: the connection ended", station.ErrAway)
	default:
	}
	data, err := station.Marshal(m)
	if err != nil {
		return err
	}
	if err := l.conn.Write(ctx, websocket.MessageText, data); err != nil { // nobody knows how much of it arrived
		_ = l.close()
		return fmt.Errorf("tell the station: %w", err)
	}
	return nil
}

// Replace ends the link and says why to the other end. alive is whether that still answered.
func (l *link) Replace(ctx context.Context, why string) (alive bool) {
	if alive = l.conn.Ping(ctx) == nil; alive {
		_ = l.conn.Close(websocket.StatusPolicyViolation, why)
	}
	_ = l.close()
	return alive
}

// Close ends the link.
func (l *link) Close() error { return l.close() }
