package api

import (
	"context"
	"time"

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

// signals registers what was heard, and the journal.
func (a *API) signals() {
	call(a, operation{"GET", "/captures", "list-captures", "Presses as heard, the newest first", access.Watch, 0},
		func(ctx context.Context, in *PageIn) ([]wire.Capture, error) {
			return as(wire.CapturesOf)(a.house.Workbench.Captures(ctx, in.Before, in.Limit))
		})
	call(a, operation{"GET", "/journal", "list-journal", "The journal, the newest entry first", access.Watch, 0},
		func(ctx context.Context, in *struct {
			PageIn
			Since  time.Time `query:"since" doc:"Only what is not older"`
			Device string    `query:"device" maxLength:"40" doc:"Only what is about a device, by its slug"`
			Kind   string    `query:"kind" enum:"heard,echo,press,settled,lesson,audition,device,station,access,belief,house" doc:"Only entries of this kind"`
		}) ([]wire.Entry, error) {
			entries, err := a.house.Journal.Find(ctx,
				journal.Query{Before: in.Before, Since: in.Since, Device: in.Device,
					Kind: in.Kind, Limit: in.Limit})
			return list(entries, wire.EntryOf), err
		})
	call(a, operation{"GET", "/journal/{entry}/why", "explain-entry",
		"What led to an entry of the journal, and what came of it, in order", access.Watch, 0},
		func(ctx context.Context, in *struct {
			Entry string `path:"entry" maxLength:"40"`
		}) ([]wire.Entry, error) {
			entries, err := a.house.Journal.Why(ctx, in.Entry)
			return list(entries, wire.EntryOf), err
		})
}
