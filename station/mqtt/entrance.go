package mqtt

import (
	"container/list"
	"errors"
	"maps"
	"net"
	"slices"
	"sync"
	"time"
)

const (
	// introducing is how long a connection may take until its account is known.
	introducing = 5 * time.Second
	// mostIntroduced is how many bytes it may send until then: what is asked for, a will, and TLS around it.
	mostIntroduced = 32 << 10
	// mostNewcomers is how many connections without an account there may be; then the oldest of them gives way.
	mostNewcomers = 64
)

// entrance is a listener whose connections have a short time and few bytes to say who they are.
type entrance struct {
	net.Listener

	mu        sync.Mutex
	newcomers *list.List // of *newcomer, the oldest first
	open      map[*newcomer]bool
	closed    bool
}

func newEntrance(l net.Listener) *entrance {
	return &entrance{Listener: l, newcomers: list.New(), open: map[*newcomer]bool{}}
}

// newcomer is a connection, and whether its account is known.
type newcomer struct {
	net.Conn
	entrance *entrance
	place    *list.Element // nil once it is known, or closed
	read     int
	by       time.Time // the account has to be known
}

// Accept waits for the next connection.
func (e *entrance) Accept() (net.Conn, error) {
	c, err := e.Listener.Accept()
	if err != nil {
		return nil, err
	}
	n := &newcomer{Conn: c, entrance: e, by: time.Now().Add(introducing)}
	if err := c.SetDeadline(n.by); err != nil {
		return nil, errors.Join(err, c.Close())
	}
	var leaves *newcomer
	e.mu.Lock()
	if e.newcomers.Len() >= mostNewcomers {
		leaves = e.newcomers.Front().Value.(*newcomer)
	}
	n.place = e.newcomers.PushBack(n)
	e.open[n] = true
	closed := e.closed
	e.mu.Unlock()
	if leaves != nil {
		_ = leaves.Close()
	}
	if closed {
		_ = n.Close()
	}
	return n, nil
}

// Close ends the listener, and with it all connections: also one of which the account became known a moment ago, and
// that the broker does not have in its list yet. It would be waited for as long as its other end lasts.
func (e *entrance) Close() error {
	e.mu.Lock()
	e.closed = true
	all := slices.Collect(maps.Keys(e.open))
	e.mu.Unlock()
	for _, n := range all {
		_ = n.Close()
	}
	return e.Listener.Close()
}

var errIntroduction = errors.New("too many bytes before it said who it is")

// Read reads, while the account is not known no more than an introduction needs.
func (n *newcomer) Read(p []byte) (int, error) {
	if n.isKnown() {
		return n.Conn.Read(p)
	}
	if n.read >= mostIntroduced {
		return 0, errIntroduction
	}
	got, err := n.Conn.Read(p[:min(len(p), mostIntroduced-n.read)])
	n.read += got
	return got, err
}

// SetDeadline sets the deadline, which is not later than the end of the introduction while that goes on.
func (n *newcomer) SetDeadline(t time.Time) error {
	if !n.isKnown() && (t.IsZero() || t.After(n.by)) {
		t = n.by
	}
	return n.Conn.SetDeadline(t)
}

func (n *newcomer) isKnown() bool {
	n.entrance.mu.Lock()
	defer n.entrance.mu.Unlock()
	return n.place == nil
}

// known says that the account of a connection is known.
func known(c net.Conn) {
	if secure, ok := c.(interface{ NetConn() net.Conn }); ok {
		c = secure.NetConn()
	}
	if n, ok := c.(*newcomer); ok {
		n.leave()
	}
}

// leave takes it from the newcomers.
func (n *newcomer) leave() {
	n.entrance.mu.Lock()
	defer n.entrance.mu.Unlock()
	if n.place != nil {
		n.entrance.newcomers.Remove(n.place)
		n.place = nil
	}
}

// Close closes the connection.
func (n *newcomer) Close() error {
	n.leave()
	n.entrance.mu.Lock()
	delete(n.entrance.open, n)
	n.entrance.mu.Unlock()
	return n.Conn.Close()
}
