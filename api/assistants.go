package api

import (
	"cmp"
	"context"
	"net/http"
	"net/url"
	"slices"
	"time"

	"github.com/go-chi/chi/v5"

	"urbo/assistant"
	"urbo/core/grant"
	"urbo/service/assistants"
	"urbo/wire"
)

// AssistantIn names an assistant in a path.
type AssistantIn struct {
	Assistant string `path:"assistant" maxLength:"60"`
}

// LinkIn names a link in a path.
type LinkIn struct {
	Link string `path:"link" maxLength:"80"`
}

// assistants registers the assistants that may be linked, and how they are.
func (a *API) assistants(r chi.Router) {
	all := a.house.Assistants
	provider, err := assistant.New(all, cmp.Or(a.url, "http://127.0.0.1"), func(slug string) (string, error) {
		room, err := a.house.Rooms.Find(slug)
		return room.ID, err
	})
	if err != nil {
		panic(err) // its settings are this package's own
	}
	r.Get(assistant.MetadataPath, provider.Metadata)
	r.HandleFunc(assistant.AuthorizePath, provider.Authorize)
	r.HandleFunc(assistant.TokenPath, a.slowed(provider.Token))
	r.HandleFunc(assistant.RevokePath, a.slowed(provider.Revoke))
	call(a, operation{"GET", "/assistants", "list-assistants", "Assistants that may be linked, and their links",
		grant.Keep,
		wholeHouse, 0}, func(ctx context.Context, _ *nothing) ([]wire.Assistant, error) {
		links, err := all.Links(ctx)
		return list(all.Clients(), func(c assistants.Client) wire.Assistant { return a.assistantOf(c, links) }), err
	})
	call(a, operation{"POST", "/assistants", "add-assistant", "Register an assistant; the answer shows its secret once",
		grant.Keep, wholeHouse, http.StatusCreated},
		func(ctx context.Context, in *struct{ Body wire.NewAssistant }) (wire.Assistant, error) {
			c, secret, err := all.Add(ctx, in.Body.Name, in.Body.Redirects, asking(ctx))
			w := a.assistantOf(c, nil)
			w.Secret = secret
			return w, err
		})
	remove(a, operation{method: "DELETE", path: "/assistants/{assistant}", id: "remove-assistant",
		summary: "Remove an assistant, with its links", right: grant.Keep, where: wholeHouse},
		func(ctx context.Context, in *AssistantIn) error { return all.Remove(ctx, in.Assistant, asking(ctx)) })
	remove(a, operation{method: "DELETE", path: "/links/{link}", id: "end-link",
		summary: "End the link of an assistant",
		right:   grant.Keep, where: wholeHouse},
		func(ctx context.Context, in *LinkIn) error { return all.Unlink(ctx, in.Link, asking(ctx)) })
	call(a, operation{"GET", "/links/asked/{link}", "get-link-request", "What an assistant asks for", grant.Keep,
		wholeHouse, 0}, func(_ context.Context, in *LinkIn) (wire.LinkAsked, error) {
		q, err := all.Asked(in.Link)
		if err != nil {
			return wire.LinkAsked{}, err
		}
		c, err := all.Client(q.Client)
		w := wire.LinkAsked{Assistant: c.Name, Rights: list(q.Rights, rightText), Rooms: []string{},
			Stays: slices.Contains(q.Scopes, assistants.ScopeStay)}
		for _, id := range q.Rooms {
			w.Rooms = append(w.Rooms, a.house.Rooms.Name(id))
		}
		if u, err := url.Parse(q.Redirect); err == nil {
			w.Host = u.Host
		}
		return w, err
	})
	call(a, operation{"POST", "/links/asked/{link}", "answer-link-request",
		"Say yes or no to what an assistant asks for",
		grant.Keep, wholeHouse, 0}, func(ctx context.Context, in *struct {
		LinkIn
		Body wire.LinkAnswer
	}) (wire.LinkTo, error) {
		var rights []grant.Right
		var where grant.Where
		if in.Body.Yes {
			var err error
			if rights, err = grant.ParseRights(in.Body.Rights); err != nil {
				return wire.LinkTo{}, err
			}
			if where, err = a.whereOf(in.Body.Where, false); err != nil {
				return wire.LinkTo{}, err
			}
		}
		q, code, err := all.Answer(in.Link, in.Body.Yes, rights, where, asking(ctx))
		if err != nil {
			return wire.LinkTo{}, err
		}
		to, err := provider.Answer(q, code)
		return wire.LinkTo{To: to}, err
	})
}

func (a *API) assistantOf(c assistants.Client, links []assistants.Link) wire.Assistant {
	w := wire.Assistant{Name: c.Name, ID: c.ID, Redirects: listed(c.Redirects), Made: c.Made,
		Links: []wire.AssistantLink{}}
	for _, l := range links {
		if l.Client == c.ID {
			w.Links = append(w.Links, wire.AssistantLink{ID: l.ID, By: l.By, Rights: list(l.Rights, rightText),
				Where: a.whereWords(l.Where), Made: l.Made, Used: l.Used, From: l.From})
		}
	}
	return w
}

// slowed answers an address later and later that tries wrong secrets.
func (a *API) slowed(next http.HandlerFunc) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		next(&slow{ResponseWriter: w, wrong: func() time.Duration { return a.attempts.wrong(r.Context(), address(r)) }},
			r)
	}
}

// slow is an answer that comes later where it is a refusal.
type slow struct {
	http.ResponseWriter
	wrong func() time.Duration
	over  bool // another answer was given
}

// WriteHeader waits where the answer is a refusal, and refuses at once where too many wait.
func (s *slow) WriteHeader(status int) {
	if status >= http.StatusBadRequest {
		if away := s.wrong(); away > 0 {
			s.over = true
			tooMany(s.ResponseWriter, away)
			return
		}
	}
	s.ResponseWriter.WriteHeader(status)
}

// Write writes the answer.
func (s *slow) Write(data []byte) (int, error) {
	if s.over {
		return len(data), nil
	}
	return s.ResponseWriter.Write(data)
}
