package api

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"urbo/service/access"
	"urbo/wire"
)

// access registers signing in and out, tickets and tokens.
func (a *API) access() {
	type signInAnswer struct {
		SetCookie http.Cookie `header:"Set-Cookie"`
	}
	signIn := operation{method: "POST", path: "/sign-in", id: "sign-in", summary: "Trade a ticket for a session",
		status: http.StatusNoContent}
	huma.Register(a.huma, signIn.describe(a), func(ctx context.Context, in *struct{ Body wire.SignIn }) (*signInAnswer,
		error) {
		session, err := a.house.Access.SignIn(ctx, in.Body.Ticket)
		if err != nil {
			return nil, problem(err)
		}
		return &signInAnswer{cookie(session, int(access.SessionLife/time.Second))}, nil
	})
	signOut := operation{method: "POST", path: "/sign-out", id: "sign-out", summary: "End this session",
		status: http.StatusNoContent, scope: access.Watch}
	huma.Register(a.huma, signOut.describe(a), func(ctx context.Context, in *struct {
		Session string `cookie:"urbo_session"`
	}) (*signInAnswer, error) {
		if err := a.house.Access.SignOut(ctx, in.Session); err != nil {
			return nil, problem(err)
		}
		return &signInAnswer{cookie("", -1)}, nil
	})
	call(a, operation{"GET", "/me", "me", "Who is asking", access.Watch, 0},
		func(ctx context.Context, _ *nothing) (wire.Me, error) {
			c := Caller(ctx)
			return wire.Me{Name: c.Name, Scope: string(c.Scope)}, nil
		})
	call(a, operation{"GET", "/about", "about", "What is running", access.Watch, 0},
		func(context.Context, *nothing) (wire.About, error) {
			return a.about(), nil
		})
	call(a, operation{"POST", "/tickets", "add-ticket", "Make a one-time sign-in code", access.Owner,
		http.StatusCreated}, func(context.Context, *nothing) (wire.Ticket, error) {
		ticket, expires := a.house.Access.Ticket()
		return wire.Ticket{Link: SignInLink(a.url, ticket), Expires: expires}, nil
	})
	call(a, operation{"GET", "/tokens", "list-tokens", "List tokens, without their secrets", access.Owner, 0},
		func(ctx context.Context, _ *nothing) ([]wire.Token, error) {
			tokens, err := a.house.Access.Tokens(ctx)
			return list(tokens, tokenOf), err
		})
	call(a, operation{"POST", "/tokens", "add-token", "Make a token; the answer shows its secret once", access.Owner,
		http.StatusCreated}, func(ctx context.Context, in *struct{ Body wire.NewToken }) (wire.Token, error) {
		t, secret, err := a.house.Access.AddToken(ctx, in.Body.Name, access.Scope(in.Body.Scope), Caller(ctx).Name)
		w := tokenOf(t)
		w.Secret = secret
		return w, err
	})
	remove(a, operation{method: "DELETE", path: "/tokens/{name}", id: "remove-token", summary: "Make a token worthless",
		scope: access.Owner}, func(ctx context.Context, in *struct {
		Name string `path:"name" maxLength:"80"`
	}) error {
		return a.house.Access.RemoveToken(ctx, in.Name, Caller(ctx).Name)
	})
}

func (a *API) about() wire.About {
	return wire.About{Version: a.house.Version, Started: a.house.Started, Sheets: len(a.house.Book.Sheets()),
		Parts: a.parts}
}

func tokenOf(t access.Token) wire.Token {
	return wire.Token{ID: t.ID, Name: t.Name, Scope: t.Scope, Created: t.Created, Used: t.Used}
}

// list translates a list.
func list[From, To any](in []From, translate func(From) To) []To {
	out := make([]To, len(in))
	for i, v := range in {
		out[i] = translate(v)
	}
	return out
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

func cookie(value string, maxAge int) http.Cookie {
	return http.Cookie{Name: sessionCookie, Value: value, Path: "/", MaxAge: maxAge, HttpOnly: true,
		SameSite: http.SameSiteStrictMode}
}
