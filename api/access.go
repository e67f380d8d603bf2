package api

import (
	"context"
	"errors"
	"net/http"
	"net/netip"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"urbo/core/grant"
	"urbo/service/access"
	"urbo/wire"
)

// access registers signing in and out, tickets and tokens.
func (a *API) access() {
	type signInAnswer struct {
		SetCookie http.Cookie `header:"Set-Cookie"`
	}
	signIn := operation{method: "POST", path: "/sign-in", id: "sign-in", summary: "Trade a ticket for a session",
		status: http.StatusNoContent}.describe(a)
	signIn.MaxBodyBytes = 4 << 10               // anybody may send it
	signIn.Security = []map[string][]string{{}} // and says so in the document
	signIn.Errors = append(signIn.Errors, http.StatusTooManyRequests)
	huma.Register(a.huma, signIn, func(ctx context.Context, in *signInInput) (*signInAnswer, error) {
		from, _ := netip.ParseAddrPort(in.from)
		who, session, err := a.house.Access.SignIn(ctx, in.Body.Ticket, in.Agent, from.Addr().Unmap().String())
		if errors.Is(err, access.ErrTicket) {
			if away := a.attempts.wrong(ctx, from.Addr().Unmap()); away > 0 {
				return nil, retry(huma.Error429TooManyRequests("Too many wrong sign-ins from this address."), away)
			}
		}
		if err != nil {
			return nil, problem(err)
		}
		if who.Role == grant.Guest { // it never takes the place of the cookie of somebody else
			return &signInAnswer{a.cookieOf(a.guestCookie(), session, int(time.Until(who.Until)/time.Second))}, nil
		}
		return &signInAnswer{a.cookieOf(a.cookie, session, int(access.SessionLife/time.Second))}, nil
	})
	signOut := operation{method: "POST", path: "/sign-out", id: "sign-out", summary: "End this session",
		status: http.StatusNoContent, right: grant.See, where: theirBoards}
	huma.Register(a.huma, signOut.describe(a), func(ctx context.Context, _ *nothing) (*signInAnswer, error) {
		if err := a.house.Access.SignOut(ctx, Caller(ctx).Caller); err != nil {
			return nil, problem(err)
		}
		if Caller(ctx).Role == grant.Guest {
			return &signInAnswer{a.cookieOf(a.guestCookie(), "", -1)}, nil
		}
		return &signInAnswer{a.cookieOf(a.cookie, "", -1)}, nil
	})
	a.sessions()
	call(a, operation{"GET", "/me", "me", "Who is asking, and what they may do", grant.See, theirBoards, 0},
		func(ctx context.Context, _ *nothing) (wire.Me, error) {
			return a.me(Caller(ctx).Caller), nil
		})
	call(a, operation{"GET", "/about", "about", "What is running", grant.See, anywhere, 0},
		func(context.Context, *nothing) (wire.About, error) {
			return a.about(), nil
		})
	call(a, operation{"POST", "/tickets", "add-ticket",
		"Make a one-time sign-in code for another browser of whoever asks; a program that may keep the house gets " +
			"one for the owner", grant.See, anywhere,
		http.StatusCreated}, func(ctx context.Context, _ *nothing) (wire.Ticket, error) {
		who, keeps := Caller(ctx).By, Caller(ctx).Grant.May(grant.Keep)
		switch {
		case who.Kind == grant.Person && keeps == nil:
			return a.link(ctx, who.ID, 1)
		case who.Kind == grant.Person:
			return a.ticket(a.house.Access.OwnLink(ctx, who.ID))
		case keeps != nil:
			return wire.Ticket{}, keeps
		}
		return a.link(ctx, a.house.Access.Owner().ID, 1)
	})
	call(a, operation{"GET", "/tokens", "list-tokens", "List tokens, without their secrets", grant.Keep, wholeHouse, 0},
		func(ctx context.Context, _ *nothing) ([]wire.Token, error) {
			tokens, err := a.house.Access.Tokens(ctx)
			return list(tokens, a.tokenOf), err
		})
	call(a, operation{"POST", "/tokens", "add-token", "Make a token; the answer shows its secret once", grant.Keep,
		wholeHouse, http.StatusCreated}, func(ctx context.Context, in *struct{ Body wire.NewToken }) (wire.Token,
		error) {
		n, err := a.newToken(in.Body)
		if err != nil {
			return wire.Token{}, err
		}
		t, secret, err := a.house.Access.AddToken(ctx, n, asking(ctx))
		w := a.tokenOf(t)
		w.Secret = secret
		return w, err
	})
	remove(a, operation{method: "DELETE", path: "/tokens/{name}", id: "remove-token", summary: "Make a token worthless",
		right: grant.Keep, where: wholeHouse}, func(ctx context.Context, in *struct {
		Name string `path:"name" maxLength:"80"`
	}) error {
		return a.house.Access.RemoveToken(ctx, in.Name, asking(ctx))
	})
}

func (a *API) about() wire.About {
	return wire.About{Version: a.house.Version, Started: a.house.Started, Sheets: len(a.house.Book.Sheets()),
		Parts: a.parts, TrustURL: a.trustURL()}
}

// newToken is a token as the service makes it.
func (a *API) newToken(n wire.NewToken) (access.NewToken, error) {
	out := access.NewToken{Name: n.Name}
	words := n.Rights
	if n.Scope != "" {
		words = append(words, n.Scope)
	}
	if n.Scope == access.StationScope {
		out.Station = true
		return out, nil
	}
	var err error
	if out.Rights, err = grant.ParseRights(words); err != nil {
		return out, err
	}
	out.Where, err = a.whereOf(n.Where, true)
	return out, err
}

func (a *API) tokenOf(t access.Token) wire.Token {
	return wire.Token{ID: t.ID, Name: t.Name, Scope: t.Scope, Rights: list(t.Rights, rightText),
		Where: a.whereWords(t.Where), Created: t.Created, Used: t.Used, From: t.From}
}

func rightText(r grant.Right) string { return string(r) }

// signInInput is a ticket, and who brings it.
type signInInput struct {
	Agent string `header:"User-Agent"`
	Body  wire.SignIn
	from  string
}

// Resolve notes where the request comes from.
func (s *signInInput) Resolve(ctx huma.Context) []error {
	s.from = ctx.RemoteAddr()
	return nil
}

// sessions registers looking after signed-in browsers.
func (a *API) sessions() {
	call(a, operation{"GET", "/sessions", "list-sessions", "List the signed-in browsers", grant.Keep, wholeHouse, 0},
		func(ctx context.Context, _ *nothing) ([]wire.Session, error) {
			all, err := a.house.Access.Sessions(ctx)
			own := Caller(ctx).Door
			return list(all, func(s access.Session) wire.Session {
				who, _ := a.house.Access.Person(s.PersonID)
				return wire.Session{ID: s.ID, Person: who.Name, Browser: s.Agent, Created: wire.Time(s.Created),
					Expires: s.Expires,
					Used:    s.Used, From: s.From, This: own == access.Credential{Session: true, ID: s.ID}}
			}), err
		})
	remove(a, operation{method: "DELETE", path: "/sessions/{session}", id: "end-session", summary: "Sign a browser out",
		right: grant.Keep, where: wholeHouse}, func(ctx context.Context, in *struct {
		Session string `path:"session" maxLength:"40"`
	}) error {
		return a.house.Access.EndSession(ctx, in.Session, asking(ctx))
	})
}

// list translates a list.
func list[From, To any](in []From, translate func(From) To) []To {
	out := make([]To, len(in))
	for i, v := range in {
		out[i] = translate(v)
	}
	return out
}

// listed is a list that is written as one where it is empty, too.
func listed[T any](in []T) []T {
	if in == nil {
		return []T{}
	}
	return in
}

// remove registers an operation without an answer.
func remove[In any](a *API, o operation, f func(context.Context, *In) error) {
	huma.Register(a.huma, o.describe(a), func(ctx context.Context, in *In) (*struct{}, error) {
		if err := f(ctx, in); err != nil {
			return nil, problem(err)
		}
		return nil, nil
	})
}

// SignInLink is the console's page that trades a ticket for a session. The ticket stands behind the #, which
// browsers keep out of requests and logs.
func SignInLink(url, ticket string) string { return url + "/sign-in#" + ticket }

// guestCookie is the name of a guest's cookie.
func (a *API) guestCookie() string { return strings.Replace(a.cookie, sessionCookie, "urbo_guest", 1) }

func (a *API) cookieOf(name, value string, maxAge int) http.Cookie {
	return http.Cookie{Name: name, Value: value, Path: "/", MaxAge: maxAge, HttpOnly: true,
		Secure: strings.HasPrefix(a.url, "https:"), SameSite: http.SameSiteStrictMode}
}
