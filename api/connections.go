package api

import (
	queue "container/list"
	"context"
	"crypto/tls"
	"net"
	"net/http"
	"net/netip"
	"sync"

	"golang.org/x/sys/unix"

	"urbo/service/access"
)

// Bounds of the connections that come in from the network. One whose caller is not known yet may be closed in favour of
// a newer one; one that carried a request of somebody with a token or a session is not.
const (
	maxConnections = 1280
	maxNewcomers   = 640
	maxFromOne     = 512 // newcomers from one address
	maxOfCaller    = 128 // of one token or session
)

// Connections bounds how many connections are open. Whoever opens thousands and says nothing on them keeps nobody else
// out: the oldest of them goes when the next one comes.
type Connections struct {
	most int

	mu        sync.Mutex
	open      int
	newcomers *queue.List // of *limitedConn, the oldest first
	from      map[netip.Addr]int
	callers   map[access.Credential]*queue.List // of *limitedConn, by whom they are used, the oldest first
}

// NewConnections makes it. It leaves half of the files that the process may open for other things.
func NewConnections() *Connections {
	l := &Connections{most: maxConnections, newcomers: queue.New(), from: map[netip.Addr]int{},
		callers: map[access.Credential]*queue.List{}}
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
	caller      access.Credential
	seat        *queue.Element // among those of its caller; nil while that is not known
	active      bool           // a request comes in, or is answered; the answer may still be on its way
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
		leaves = l.idleOfMost()
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
	l.rise(g)
}

// rise takes a connection off those of its caller.
func (l *Connections) rise(g *limitedConn) {
	if g.seat == nil {
		return
	}
	all := l.callers[g.caller]
	all.Remove(g.seat)
	if g.seat = nil; all.Len() == 0 {
		delete(l.callers, g.caller)
	}
}

// idle finds the connection of a list that is known for longest, of those on which nothing is answered.
func idle(all *queue.List) *limitedConn {
	for e := all.Front(); e != nil; e = e.Next() {
		if g := e.Value.(*limitedConn); !g.active {
			return g
		}
	}
	return nil
}

// idleOfMost finds a connection on which nothing is answered, of the caller who has most of them, and more than a
// browser.
func (l *Connections) idleOfMost() *limitedConn {
	const browser = 8
	var most *queue.List
	for _, all := range l.callers {
		if all.Len() > browser && (most == nil || all.Len() > most.Len()) && idle(all) != nil {
			most = all
		}
	}
	if most == nil {
		return nil
	}
	return idle(most)
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

// follow notes whether a connection is active.
func follow(c net.Conn, state http.ConnState) {
	g, ok := limited(c)
	if !ok {
		return
	}
	g.connections.mu.Lock()
	defer g.connections.mu.Unlock()
	g.active = state == http.StateActive || state == http.StateHijacked
}

// isKnown says who uses the connection, by a token or a session. Whoever opens too many loses one that is of no use.
func (g *limitedConn) isKnown(caller access.Credential) {
	l := g.connections
	l.mu.Lock()
	l.known(g)
	var leaves *limitedConn
	if !g.gone && (g.seat == nil || g.caller != caller) {
		l.rise(g)
		all := l.callers[caller]
		if all == nil {
			all = queue.New()
			l.callers[caller] = all
		}
		if all.Len() >= maxOfCaller {
			leaves = idle(all)
		}
		g.caller, g.seat = caller, all.PushBack(g)
	}
	l.mu.Unlock()
	if leaves != nil {
		_ = leaves.Close()
	}
}

// Revoked closes the connections of a caller who may come in no more, where nothing is answered on them. What goes on
// for long ends by itself, and the next request on such a connection is refused and the last.
func (l *Connections) Revoked(caller access.Credential) {
	l.mu.Lock()
	var close []*limitedConn
	if all := l.callers[caller]; all != nil {
		for e := all.Front(); e != nil; e = e.Next() {
			g := e.Value.(*limitedConn)
			if !g.active {
				close = append(close, g)
			}
		}
	}
	l.mu.Unlock()
	for _, g := range close {
		_ = g.Close()
	}
}

type connKey struct{}

// withConn keeps the connection of a request at hand.
func withConn(ctx context.Context, c net.Conn) context.Context {
	if g, ok := limited(c); ok {
		return context.WithValue(ctx, connKey{}, g)
	}
	return ctx
}

// limited is a connection that came in through Connections.
func limited(c net.Conn) (*limitedConn, bool) {
	if t, ok := c.(*tls.Conn); ok {
		c = t.NetConn()
	}
	g, ok := c.(*limitedConn)
	return g, ok
}

// connOf is the connection of a request; false on the Unix socket, which has no connections.
func connOf(ctx context.Context) (*limitedConn, bool) {
	g, ok := ctx.Value(connKey{}).(*limitedConn)
	return g, ok
}
