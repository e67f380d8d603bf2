// Package linktest is Urbo's end of the station link for tests, and the rules that every transport and station has to
// keep.
package linktest

import (
	"context"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/signal"
	"urbo/station"
)

// Peer is Urbo's end of one link after another. It keeps what was said.
type Peer struct {
	mu    sync.Mutex
	link  station.Link
	heard []station.Message
	links int
}

// Join takes a link and listens until it ends: it is the join of a transport's Run.
func (p *Peer) Join(ctx context.Context, l station.Link) error {
	defer l.Close()
	p.mu.Lock()
	p.link = l
	p.links++
	p.mu.Unlock()
	for {
		m, err := l.Receive(ctx)
		if ctx.Err() != nil {
			return nil
		}
		if err != nil {
			return err
		}
		p.mu.Lock()
		p.heard = append(p.heard, m)
		p.mu.Unlock()
	}
}

// Link is the last link that was joined.
func (p *Peer) Link() station.Link {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.link
}

// Tell sends a message over the last link.
func (p *Peer) Tell(t *testing.T, m station.Message) {
	t.Helper()
	require.NoError(t, p.Link().Tell(t.Context(), m))
}

// Said lists the messages of a type that were said so far.
func Said[M station.Message](p *Peer) []M {
	p.mu.Lock()
	defer p.mu.Unlock()
	var out []M
	for _, m := range p.heard {
		if m, ok := m.(M); ok {
			out = append(out, m)
		}
	}
	return out
}

// Conform holds a station against the link's rules. It has said hello on the peer's link, and has a transmitter for
// infrared. wait lets time pass.
func Conform(t *testing.T, p *Peer, wait func(time.Duration)) {
	hello := Said[station.Hello](p)
	require.Len(t, hello, 1, "it says hello first, and once")
	require.NoError(t, hello[0].Check())
	p.Tell(t, station.Welcome{Link: station.Version})
	port := ""
	for _, o := range hello[0].Ports {
		if o.Direction == station.Transmitter && o.Medium == "infrared" {
			port = o.ID
		}
	}
	require.NotEmpty(t, port)
	c := conformance{p, port, wait}
	for _, rule := range []func(*testing.T){c.ping, c.once, c.noPort, c.hold, c.cancel, c.letGo, c.close} {
		rule(t)
	}
}

type conformance struct {
	peer *Peer
	port string
	wait func(time.Duration)
}

// send sends frames of 100 ms and returns the answer to come.
func (c conformance) send(t *testing.T, id string, repeats int) func() station.Sent {
	frame := []int{500, 99_500}
	c.peer.Tell(t, station.Send{ID: id, Port: c.port, CarrierHz: 38_000, Once: frame, Repeat: frame, Repeats: repeats})
	return func() station.Sent {
		for _, s := range Said[station.Sent](c.peer) {
			if s.ID == id {
				return s
			}
		}
		return station.Sent{}
	}
}

func (c conformance) ping(t *testing.T) {
	before := len(Said[station.Pong](c.peer))
	c.peer.Tell(t, station.Ping{})
	c.wait(100 * time.Millisecond)
	assert.Len(t, Said[station.Pong](c.peer), before+1)
}

func (c conformance) once(t *testing.T) {
	send := station.Send{ID: "once", Port: c.port, CarrierHz: 38_000, Once: []int{9000, 4500, 560, 40_000},
		Repeat: []int{9000, 2250, 560, 96_190}, Repeats: 2, GapUS: 150_000}
	heard := func() (n int) {
		for _, h := range Said[station.Heard](c.peer) {
			n += len(h.Train)
		}
		return n
	}
	before := heard()
	c.peer.Tell(t, send)
	c.peer.Tell(t, station.Send{ID: "busy", Port: c.port, Once: []int{500, 500}})
	c.wait(100 * time.Millisecond)
	assert.Empty(t, Said[station.Sent](c.peer), "it is still on the air")
	failed := Said[station.Failed](c.peer)
	require.NotEmpty(t, failed)
	assert.Equal(t, "busy", failed[len(failed)-1].ID, "one send at a time on a port")
	c.wait(time.Second)
	air := int64(signal.Sum(send.Once) + 2*signal.Sum(send.Repeat) + send.GapUS - 96_190)
	require.Len(t, Said[station.Sent](c.peer), 1)
	assert.InDelta(t, air, Said[station.Sent](c.peer)[0].Took, float64(air)/50, "with the silence that was asked for")
	c.peer.Tell(t, send)
	c.wait(time.Second)
	sent := Said[station.Sent](c.peer)
	require.Len(t, sent, 2)
	assert.Equal(t, sent[0], sent[1], "a known id is answered again")
	if n := heard(); n > before { // it has a receiver that hears itself
		assert.Equal(t, before+3*3, n, "and was heard once: three frames of three durations")
	}
}

func (c conformance) noPort(t *testing.T) {
	c.peer.Tell(t, station.Send{ID: "no port", Port: "nowhere", Once: []int{500, 500}})
	c.wait(100 * time.Millisecond)
	failed := Said[station.Failed](c.peer)
	require.NotEmpty(t, failed)
	assert.Equal(t, "no port", failed[len(failed)-1].ID)
	assert.Contains(t, failed[len(failed)-1].Reason, "nowhere")
}

func (c conformance) hold(t *testing.T) {
	answer := c.send(t, "held", 0)
	c.peer.Tell(t, station.Hold{ID: "held", Lease: 1000})
	c.wait(500 * time.Millisecond)
	c.peer.Tell(t, station.Hold{ID: "held", Lease: 1000})
	c.wait(3 * time.Second)
	assert.InDelta(t, 1_550_000, answer().Took, 110_000, "without renewal it stops by itself")
}

func (c conformance) cancel(t *testing.T) {
	answer := c.send(t, "cancelled", 50)
	c.wait(350 * time.Millisecond)
	c.peer.Tell(t, station.Cancel{ID: "cancelled"})
	c.wait(time.Second)
	assert.InDelta(t, 400_000, answer().Took, 110_000)
}

func (c conformance) letGo(t *testing.T) {
	answer := c.send(t, "let go", 6)
	c.peer.Tell(t, station.Hold{ID: "let go", Lease: 10_000})
	c.wait(250 * time.Millisecond)
	c.peer.Tell(t, station.Hold{ID: "let go", Lease: 0})
	c.wait(2 * time.Second)
	assert.InDelta(t, 700_000, answer().Took, 60_000, "the frames that every press has go out all the same")
}

func (c conformance) close(t *testing.T) {
	l := c.peer.Link()
	require.NoError(t, l.Close())
	require.NoError(t, l.Close(), "it can be closed twice")
	_, err := l.Receive(t.Context())
	require.Error(t, err)
	require.ErrorIs(t, l.Tell(t.Context(), station.Ping{}), station.ErrAway)
}
