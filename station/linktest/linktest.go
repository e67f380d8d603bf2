// Package linktest is Urbo's end of the station link for tests, and the rules that every transport and station has to
// keep.
package linktest

import (
	"context"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/station"
	"urbo/station/conform"
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

// Conform holds the station of a link against the rules.
func Conform(t *testing.T, l station.Link) {
	t.Helper()
	ConformIn(t, l, conform.RealTime{})
}

// ConformIn is Conform for a board with a time of its own.
func ConformIn(t *testing.T, l station.Link, clock conform.Clock) {
	t.Helper()
	err := conform.Check(t.Context(), l, clock, func(r conform.Report) { assert.NoError(t, r.Err, r.Rule) })
	require.NoError(t, err)
	require.NoError(t, l.Close())
	require.NoError(t, l.Close(), "it can be closed twice")
	_, err = l.Receive(t.Context())
	require.Error(t, err)
	require.ErrorIs(t, l.Tell(t.Context(), station.Ping{}), station.ErrAway)
}

// ConformInRealTime holds a station that keeps real time against the rules. use makes a link anew each time and gives
// it to check, three times at most: a busy machine may not keep the time, but what a station breaks it breaks each
// time.
func ConformInRealTime(t *testing.T, use func(check func(station.Link))) {
	t.Helper()
	var kept map[string]error
	for range 3 {
		kept = map[string]error{}
		wrong := 0
		use(func(l station.Link) {
			require.NoError(t, conform.Check(t.Context(), l, conform.RealTime{}, func(r conform.Report) {
				if kept[r.Rule] = r.Err; r.Err != nil {
					wrong++
				}
			}))
		})
		if wrong == 0 {
			return
		}
	}
	for rule, err := range kept {
		assert.NoError(t, err, rule)
	}
}
