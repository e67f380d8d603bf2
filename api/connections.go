package api

import (
	queue "container/list"
	"context"
	"crypto/tls"
	"net"
	"net/netip"
	"sync"

	"golang.org/x/sys/unix"
)

// Bounds of the connections that come in from the network. One whose caller is not known yet may be closed in favour of
// a newer one; one that carried a request of somebody with a token or a session is not.
const (
	maxConnections = 1280
	maxNewcomers   = 640
	maxFromOne     = 512 // newcomers from one address
)

// Connections bounds how many connections are open. Whoever opens thousands and says nothing on them keeps nobody else
// out: the oldest of them goes when the next one comes.
type Connections struct {
	most int

	mu        sync.Mutex
	open      int
	newcomers *queue.List // of *limitedConn, the oldest first
	from      map[netip.Addr]int
}

// NewConnections makes it. It leaves half of the files that the process may open for other things.
func NewConnections() *Connections {
	l := &Connections{most: maxConnections, newcomers: queue.New(), from: map[netip.Addr]int{}}
	var files unix.Rlimit
	if unix.Getrlimit(unix.RLIMIT_NOFILE, &files) == nil && files.Cur/2 < maxConnections {
		l.most = max(int(files.Cur/2), 16)
	}
	return l
}

// Listener is a listener whose connections go through it.
func (l *Connections) Listener(in net.Listener) net.Listener { return &limitedListener{in, l} }

// Empty closes the newcomers that ask nothing, so that the service can end at once.
func (l *Connections) Empty() {
	for {
		l.mu.Lock()
		g := l.oldest(func(*limitedConn) bool { return true })
		l.mu.Unlock()
		if g == nil {
			return
		}
		_ = g.Close()
	}
}

type limitedListener struct {
	net.Listener
	connections *Connections
}

// Accept waits for the next connection that there is room for.
func (l *limitedListener) Accept() (net.Conn, error) {
	for {
		c, err := l.Listener.Accept()
		if err != nil {
			return nil, err
		}
		if g, leaves := l.connections.enter(c); g != nil {
			if leaves != nil {
				_ = leaves.Close()
			}
			return g, nil
		}
		_ = c.Close()
	}
}

// limitedConn is one connection.
type limitedConn struct {
	net.Conn
	connections *Connections
	addr        netip.Addr
	place       *queue.Element // among the newcomers; nil for one that is known, or closed
	asked       int            // requests that are being answered
	gone        bool
}

// enter takes a connection in, and says which one has to leave for it. It is nil where there is no room.
func (l *Connections) enter(c net.Conn) (in, leaves *limitedConn) {
	g := &limitedConn{Conn: c, connections: l}
	if a, err := netip.ParseAddrPort(c.RemoteAddr().String()); err == nil {
		g.addr = a.Addr().Unmap()
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	switch {
	case l.from[g.addr] >= maxFromOne:
		leaves = l.oldest(func(o *limitedConn) bool { return o.addr == g.addr })
	case l.newcomers.Len() >= maxNewcomers || l.open >= l.most:
		leaves = l.oldest(func(*limitedConn) bool { return true })
	}
	if leaves == nil && l.open >= l.most {
		return nil, nil
	}
	if leaves != nil {
		l.leave(leaves)
	}
	l.open++
	l.from[g.addr]++
	g.place = l.newcomers.PushBack(g)
	return g, leaves
}

// oldest finds the newcomer that waits longest, of those whose request has not come in yet.
func (l *Connections) oldest(of func(*limitedConn) bool) *limitedConn {
	for e := l.newcomers.Front(); e != nil; e = e.Next() {
		if g := e.Value.(*limitedConn); g.asked == 0 && of(g) {
			return g
		}
	}
	return nil
}

// leave takes a connection off the lists.
func (l *Connections) leave(g *limitedConn) {
	if g.gone {
		return
	}
	g.gone = true
	l.open--
	l.known(g)
}

// known takes a connection off the newcomers.
func (l *Connections) known(g *limitedConn) {
	if g.place == nil {
		return
	}
	l.newcomers.Remove(g.place)
	g.place = nil
	if l.from[g.addr]--; l.from[g.addr] == 0 {
		delete(l.from, g.addr)
	}
}

// Close closes the connection.
func (g *limitedConn) Close() error {
	g.connections.mu.Lock()
	g.connections.leave(g)
	g.connections.mu.Unlock()
	return g.Conn.Close()
}

// begin says that a whole request has come in, with its body; end says that it is answered.
func (g *limitedConn) begin() {
	g.connections.mu.Lock()
	defer g.connections.mu.Unlock()
	g.asked++
}

func (g *limitedConn) end() {
	g.connections.mu.Lock()
	defer g.connections.mu.Unlock()
	g.asked--
}

// isKnown says that somebody with a token or a session uses the connection.
func (g *limitedConn) isKnown() {
	g.connections.mu.Lock()
	defer g.connections.mu.Unlock()
	g.connections.known(g)
}

type connKey struct{}

// withConn keeps the connection of a request at hand.
func withConn(ctx context.Context, c net.Conn) context.Context {
	if t, ok := c.(*tls.Conn); ok {
		c = t.NetConn()
	}
	if g, ok := c.(*limitedConn); ok {
		return context.WithValue(ctx, connKey{}, g)
	}
	return ctx
}

// connOf is the connection of a request; false on the Unix socket, which has no connections.
func connOf(ctx context.Context) (*limitedConn, bool) {
	g, ok := ctx.Value(connKey{}).(*limitedConn)
	return g, ok
}
