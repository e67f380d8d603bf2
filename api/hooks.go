package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"urbo/core/grant"
	"urbo/service/access"
	"urbo/service/hooks"
	"urbo/wire"
)

const (
	// hookPath and calendarPath begin the secret addresses.
	hookPath, calendarPath = "/hook/", "/calendar/"
	// mostHookBody is how much of a request to a hook is read: nothing of it is used.
	mostHookBody = 64 << 10
	// calendarDays is how far a calendar looks ahead, and calendarEvents how many events it has at most.
	calendarDays, calendarEvents = 60, 1000
)

// HookIn names a hook in a path.
type HookIn struct {
	Hook string `path:"hook" maxLength:"40"`
}

// hooks registers secret addresses, and what stands at them.
func (a *API) hooks(r chi.Router) {
	all := a.house.Hooks
	call(a, operation{"GET", "/hooks", "list-hooks", "Secret addresses that let one thing happen", grant.Keep,
		wholeHouse,
		0}, func(ctx context.Context, _ *nothing) ([]wire.Hook, error) {
		list, err := all.List(ctx)
		out := []wire.Hook{}
		for _, h := range list {
			out = append(out, a.hookOf(h))
		}
		return out, err
	})
	call(a, operation{"POST", "/hooks", "add-hook", "Make a hook; the answer shows its address once", grant.Keep,
		wholeHouse, http.StatusCreated}, func(ctx context.Context, in *struct{ Body wire.NewHook }) (wire.Hook, error) {
		n := hooks.New{Name: in.Body.Name, Kind: hooks.Kind(in.Body.Kind), Where: Caller(ctx).Grant.Where}
		var err error
		switch {
		case n.Kind == hooks.Errand:
			e, none := a.house.Errands.Find(in.Body.Of)
			n.Of, err = e.ID, none
		case n.Kind == hooks.Sequence:
			s, none := a.house.Sequences.Find(in.Body.Of)
			n.Of, err = s.ID, none
		case in.Body.Of != "":
			err = fmt.Errorf("%w: a hook of the kind %s is of nothing: leave that out", hooks.ErrHook, n.Kind)
		}
		if err != nil {
			return wire.Hook{}, err
		}
		h, secret, err := all.Add(ctx, n, asking(ctx))
		w := a.hookOf(h)
		w.Address = strings.TrimSuffix(a.url, "/") + hookPath + secret
		if h.Kind == hooks.Calendar {
			w.Address = strings.TrimSuffix(a.url, "/") + calendarPath + secret + ".ics"
		}
		return w, err
	})
	remove(a, operation{method: "DELETE", path: "/hooks/{hook}", id: "remove-hook", summary: "Make a hook's address " +
		"worthless", right: grant.Keep, where: wholeHouse}, func(ctx context.Context, in *HookIn) error {
		return all.Remove(ctx, in.Hook, asking(ctx))
	})
	r.HandleFunc(hookPath+"{secret}", a.hooked)
	r.Get(calendarPath+"{secret}.ics", a.calendarAt)
}

func (a *API) hookOf(h hooks.Hook) wire.Hook {
	w := wire.Hook{Name: h.Name, Kind: string(h.Kind), Made: h.Made, Used: h.Used, From: h.From}
	switch h.Kind {
	case hooks.Errand:
		e, _ := a.house.Errands.Find(h.Of)
		w.Of, w.Gone = e.Slug, e.Slug == ""
	case hooks.Sequence:
		s, _ := a.house.Sequences.Find(h.Of)
		w.Of, w.Gone = s.Slug, s.Slug == ""
	}
	return w
}

// found is the hook of a request's secret. Where there is none, the answer says so, later and later.
func (a *API) found(w http.ResponseWriter, r *http.Request) (hooks.Hook, grant.Who, bool) {
	from := address(r)
	h, who, err := a.house.Hooks.Find(r.Context(), chi.URLParam(r, "secret"), from.String())
	switch {
	case errors.Is(err, access.ErrNobody):
		w.Header().Set("Connection", "close")
		if away := a.attempts.wrong(r.Context(), from); away > 0 {
			tooMany(w, away)
			return h, who, false
		}
		writeProblem(w, http.StatusNotFound, "There is no such address: it was removed, or mistyped.")
	case err != nil:
		writeProblem(w, statusOf(err), err.Error())
	}
	return h, who, err == nil
}

// hooked answers whoever calls a hook.
func (a *API) hooked(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Cache-Control", "no-store")
	if r.Method != http.MethodPost {
		w.Header().Set("Allow", http.MethodPost)
		writeProblem(w, http.StatusMethodNotAllowed, "A hook is called with POST: what only looks does nothing.")
		return
	}
	h, who, is := a.found(w, r)
	if !is {
		return
	}
	if r.ContentLength > mostHookBody {
		writeProblem(w, http.StatusRequestEntityTooLarge, "A hook needs no body.")
		return
	}
	outcome, again, err := a.house.Hooks.Call(r.Context(), h, who, r.Header.Get("Idempotency-Key"))
	if err != nil {
		if errors.Is(err, hooks.ErrOften) {
			w.Header().Set("Retry-After", "1")
			writeProblem(w, http.StatusTooManyRequests, err.Error())
			return
		}
		writeProblem(w, statusOf(err), err.Error())
		return
	}
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(http.StatusAccepted)
	_ = json.NewEncoder(w).Encode(wire.Hooked{Outcome: outcome, Again: again})
}

// calendarAt answers whoever reads the coming times of errands.
func (a *API) calendarAt(w http.ResponseWriter, r *http.Request) {
	h, who, is := a.found(w, r)
	if !is {
		return
	}
	if h.Kind != hooks.Calendar {
		writeProblem(w, http.StatusNotFound, "This address is called with POST, at "+hookPath+"…")
		return
	}
	now := a.house.Calendar.Now()
	due := a.house.Errands.Between(now.Add(calendarDays*24*time.Hour), calendarEvents)
	seen := due[:0]
	for _, d := range due {
		if a.house.May(who.Grant, grant.See, a.aboutErrand(d.Errand.Doc.Errand)) == nil {
			seen = append(seen, d)
		}
	}
	w.Header().Set("Content-Type", "text/calendar; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	_ = a.calendar(w, seen, now)
}
