package api

import (
	"context"
	"net/http"
	"net/url"

	"urbo/core/agenda"
	"urbo/core/grant"
	"urbo/service/agendas"
	"urbo/wire"
)

// mostComing is how many of the next events of a calendar are shown.
const mostComing = 50

// AgendaIn names a calendar in a path.
type AgendaIn struct {
	Calendar string `path:"calendar" maxLength:"40"`
}

// agendas registers the calendars that errands come with.
func (a *API) agendas() {
	all := a.house.Agendas
	call(a, operation{"GET", "/calendars", "list-calendars", "Calendars that errands come with (when calendar NAME " +
		"starts)", grant.Keep, wholeHouse, 0}, func(context.Context, *nothing) ([]wire.Agenda, error) {
		return list(all.List(), agendaOf), nil
	})
	call(a, operation{"POST", "/calendars", "put-calendar", "Add a calendar, also in the place of one of its name, " +
		"and " +
		"fetch it", grant.Keep, wholeHouse, http.StatusCreated},
		func(ctx context.Context, in *struct{ Body wire.Agenda }) (wire.Agenda, error) {
			return as(agendaOf)(all.Put(ctx, agendas.Calendar{Name: in.Body.Name, URL: in.Body.URL}, asking(ctx)))
		})
	call(a, operation{"POST", "/calendars/{calendar}/look", "look-at-calendar", "Fetch a calendar now", grant.Keep,
		wholeHouse, 0}, func(ctx context.Context, in *AgendaIn) (wire.Agenda, error) {
		return as(agendaOf)(all.Look(ctx, in.Calendar))
	})
	remove(a, operation{method: "DELETE", path: "/calendars/{calendar}", id: "remove-calendar",
		summary: "Remove a calendar: no errand comes with it any more", right: grant.Keep, where: wholeHouse},
		func(ctx context.Context, in *AgendaIn) error { return all.Remove(ctx, in.Calendar, asking(ctx)) })
}

func agendaOf(c agendas.Calendar) wire.Agenda {
	w := wire.Agenda{Name: c.Name, Events: c.Events, At: wire.Time(c.At), Error: c.Error,
		Coming: list(c.Coming[:min(len(c.Coming), mostComing)], func(e agenda.Event) wire.AgendaEvent {
			return wire.AgendaEvent{Title: e.Title, Begins: e.Begins, Ends: e.Ends, Moved: !e.Was.Equal(e.Begins),
				AllDay: e.AllDay}
		})}
	if u, err := url.Parse(c.URL); err == nil {
		w.Host = u.Host
	}
	return w
}
