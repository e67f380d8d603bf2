package api

import (
	"context"
	"encoding/json"
	"errors"
	"net"
	"net/http"
	"net/netip"
	"slices"
	"strings"

	"urbo/core/grant"
	"urbo/service/access"
)

// sessionCookie begins the name of the browser's cookie; the house's id ends it, since browsers do not tell two
// services on one machine apart.
const sessionCookie = "urbo_session"

type callerKey struct{}

// caller is who asks, or why nobody is known.
type caller struct {
	access.Caller
	err error
}

// has says whether the caller has a right anywhere.
func (c caller) has(r grant.Right) error {
	if c.err != nil {
		return c.err
	}
	if c.Role == grant.Guest {
		return errGuest
	}
	if !c.Grant.Has(r) {
		return c.Grant.May(r)
	}
	return nil
}

// Caller is who asks in this request.
func Caller(ctx context.Context) caller {
	c, ok := ctx.Value(callerKey{}).(caller)
	if !ok {
		return caller{err: access.ErrNobody}
	}
	return c
}

// WithCaller marks every request of a connection as coming from a known caller, such as the peer of a Unix socket.
func WithCaller(ctx context.Context, c access.Caller) context.Context {
	return context.WithValue(ctx, callerKey{}, caller{Caller: c})
}

// TerminalHeader is what the command line says where it is used at a terminal. It names who asks, and gives no right.
const TerminalHeader = "Urbo-Terminal"

// identify finds out who asks: the peer of the Unix socket, a token, or a session's cookie.
func (a *API) identify(next http.Handler) http.Handler {
	doors := a.house.Access
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if local, known := r.Context().Value(callerKey{}).(caller); known {
			if r.Header.Get(TerminalHeader) != "" {
				local.Caller = doors.AtTerminal(local.Caller)
				r = r.WithContext(context.WithValue(r.Context(), callerKey{}, local))
			}
			next.ServeHTTP(w, r)
			return
		}
		c, from, tried := caller{err: access.ErrNobody}, address(r), false
		if token, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); ok {
			tried = true
			c.Caller, c.err = doors.Token(r.Context(), strings.TrimSpace(token), from.String())
		} else if cookie := a.sessionOf(r); cookie != "" {
			tried = true
			c.Caller, c.err = doors.Session(r.Context(), cookie, from.String())
		}
		if guest, err := r.Cookie(a.guestCookie()); err == nil && !strings.HasPrefix(r.Header.Get("Authorization"),
			"Bearer ") && errors.Is(c.err, access.ErrNobody) {
			tried = true
			c.Caller, c.err = doors.Session(r.Context(), guest.Value, from.String())
		}
		if g, ok := connOf(r.Context()); ok && c.err == nil {
			g.isKnown(c.Door)
		} else if tried && errors.Is(c.err, access.ErrNobody) {
			w.Header().Set("Connection", "close") // a connection is for whoever may come in
		}
		if tried && errors.Is(c.err, access.ErrNobody) {
			if away := a.attempts.wrong(r.Context(), from); away > 0 {
				tooMany(w, away)
				return
			}
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), callerKey{}, c)))
	})
}

// sessionOf is the cookie of a browser that signed in here, also in a version that named it otherwise; "" for none.
func (a *API) sessionOf(r *http.Request) string {
	for _, name := range []string{a.cookie, sessionCookie} {
		if c, err := r.Cookie(name); err == nil {
			return c.Value
		}
	}
	return ""
}

// needs refuses callers without a right, for handlers that are not typed operations.
func needs(right grant.Right) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if err := Caller(r.Context()).has(right); err != nil {
				writeProblem(w, statusOf(err), err.Error())
				return
			}
			next.ServeHTTP(w, r)
		})
	}
}

func writeProblem(w http.ResponseWriter, status int, detail string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(map[string]any{"title": http.StatusText(status), "status": status, "detail": detail})
}

// headers tell browsers to be strict.
func headers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "+
			"font-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		if strings.HasPrefix(r.URL.Path, "/api/") {
			h.Set("Cache-Control", "no-store")
		}
		next.ServeHTTP(w, r)
	})
}

// allowHosts refuses requests that are for another name than this service's, which is what a page in a browser does
// when it points a name of its own at this machine. Requests over the Unix socket are already known.
func allowHosts(hosts []string) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			_, local := r.Context().Value(callerKey{}).(caller)
			if !local && !allowedHost(r.Host, hosts) && !isOwnAddress(r) {
				writeProblem(w, http.StatusMisdirectedRequest, "This service is not called "+strings.ToValidUTF8(r.Host,
					"?")+": add the name with --host when you start it.")
				return
			}
			next.ServeHTTP(w, r)
		})
	}
}

// isOwnAddress says whether a request is for the address at which it came in: no name that somebody else gives out
// leads there.
func isOwnAddress(r *http.Request) bool {
	at, is := r.Context().Value(http.LocalAddrContextKey).(*net.TCPAddr)
	host, _, err := net.SplitHostPort(r.Host)
	if !is || err != nil {
		return false
	}
	ip, err := netip.ParseAddr(host)
	return err == nil && ip.Unmap() == at.AddrPort().Addr().Unmap().WithZone(ip.Zone())
}

func allowedHost(host string, hosts []string) bool {
	name := host
	if h, _, err := net.SplitHostPort(host); err == nil {
		name = h
	}
	name = strings.ToLower(strings.Trim(name, "[]"))
	if ip, err := netip.ParseAddr(name); err == nil && ip.IsLoopback() {
		return true
	}
	return name == "localhost" || slices.ContainsFunc(hosts, func(h string) bool { return strings.EqualFold(h, name) })
}
