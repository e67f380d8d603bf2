package api

import (
	"context"
	"net/http"
	"net/netip"
	"strconv"
	"sync"
	"time"

	"golang.org/x/time/rate"
)

// Wrong tokens, sessions and sign-in codes: the first few of an address cost nothing, then each one takes its time, and
// where more wait than that they are refused at once.
const (
	freeAttempts   = 10
	attemptEvery   = time.Second
	attemptLongest = 4 * time.Second
	mostAddresses  = 4096 // addresses that are remembered
)

// attempts slows those down who try secrets.
type attempts struct {
	mu sync.Mutex
	by map[netip.Addr]*rate.Limiter
}

// wrong waits as long as a wrong secret from an address has to; it says how long to stay away where that is too long.
func (g *attempts) wrong(ctx context.Context, from netip.Addr) (away time.Duration) {
	if from.Is6() {
		if p, err := from.Prefix(64); err == nil { // one home has that many
			from = p.Addr()
		}
	}
	g.mu.Lock()
	l := g.by[from]
	if l == nil {
		if g.by == nil || len(g.by) >= mostAddresses {
			g.by = map[netip.Addr]*rate.Limiter{}
		}
		l = rate.NewLimiter(rate.Every(attemptEvery), freeAttempts)
		g.by[from] = l
	}
	g.mu.Unlock()
	r := l.Reserve()
	wait := r.Delay()
	if wait > attemptLongest {
		r.Cancel()
		return wait
	}
	select {
	case <-time.After(wait):
	case <-ctx.Done():
	}
	return 0
}

// address is where a request comes from; the zero value over the Unix socket.
func address(r *http.Request) netip.Addr {
	a, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil {
		return netip.Addr{}
	}
	return a.Addr().Unmap()
}

// tooMany refuses one more attempt.
func tooMany(w http.ResponseWriter, away time.Duration) {
	seconds := int(away/time.Second) + 1
	w.Header().Set("Retry-After", strconv.Itoa(seconds))
	writeProblem(w, http.StatusTooManyRequests, "Too many wrong sign-ins from this address: try again in "+
		strconv.Itoa(seconds)+" seconds.")
}
