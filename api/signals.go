package api

import (
	"context"

	"urbo/service/access"
	"urbo/service/journal"
	"urbo/wire"
)

// PageIn asks for a part of a long list, newest first.
type PageIn struct {
	Before string `query:"before" maxLength:"40" doc:"Only what is older than this id"`
	Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"50"`
}

var _ = [1]int{}[journal.MaxPage-500] // the bound in PageIn is the journal's

// signals registers what was heard, the journal and the stations.
func (a *API) signals() {
	call(a, operation{"GET", "/captures", "list-captures", "Presses as heard, the newest first", access.Watch, 0}, func(ctx context.Context, in *PageIn) ([]wire.Capture, error) {
		return a.house.Captures(ctx, in.Before, in.Limit)
	})
	call(a, operation{"GET", "/journal", "list-journal", "The journal, the newest entry first", access.Watch, 0}, func(ctx context.Context, in *PageIn) ([]wire.Entry, error) {
		return a.house.Journal.Entries(ctx, in.Before, in.Limit)
	})
	call(a, operation{"GET", "/stations", "list-stations", "Stations and their ports", access.Watch, 0}, func(context.Context, *nothing) ([]wire.Station, error) {
		return a.house.Roster.Stations(), nil
	})
}
