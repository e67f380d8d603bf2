package api

import (
	"context"
	"fmt"
	"time"

	"urbo/core/grant"
	"urbo/service/journal"
	"urbo/store"
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
	call(a, operation{"GET", "/captures", "list-captures", "Presses as heard, the newest first", grant.See, wholeHouse,
		0},
		func(ctx context.Context, in *PageIn) ([]wire.Capture, error) {
			return as(wire.CapturesOf)(a.house.Workbench.Captures(ctx, in.Before, in.Limit))
		})
	call(a, operation{"GET", "/journal", "list-journal", "The journal, the newest entry first", grant.See, filtered, 0},
		func(ctx context.Context, in *JournalIn) (wire.JournalPage, error) {
			q, err := a.query(ctx, in)
			if err != nil {
				return wire.JournalPage{}, err
			}
			page, err := a.house.Journal.Find(ctx, q)
			out := wire.JournalPage{Entries: list(page.Entries, wire.EntryOf)}
			if page.More {
				out.More = page.Entries[len(page.Entries)-1].ID
			}
			return out, err
		})
	call(a, operation{"GET", "/journal/{entry}/why", "explain-entry",
		"What led to an entry of the journal, and what came of it, in order", grant.See, filtered, 0},
		func(ctx context.Context, in *struct {
			Entry string `path:"entry" maxLength:"40"`
		}) ([]wire.Entry, error) {
			entries, err := a.house.Journal.Why(ctx, in.Entry)
			if err != nil {
				return nil, err
			}
			out := []wire.Entry{}
			for _, h := range entries {
				switch shown := a.shows(Caller(ctx).Grant, h); {
				case shown:
					out = append(out, wire.EntryOf(h))
				case h.ID == in.Entry:
					return nil, fmt.Errorf("entry %.40q of the journal: %w", in.Entry, store.ErrNotFound)
				}
			}
			return out, nil
		})
}

// JournalIn says which entries of the journal are wanted.
type JournalIn struct {
	PageIn
	Since  time.Time `query:"since" doc:"Only what is not older"`
	Until  time.Time `query:"until" doc:"Only what is not newer"`
	Device string    `query:"device" maxLength:"40" doc:"Only what is about a device, by its slug, also one that it had, or one that was removed"`
	Kind   string    `query:"kind" enum:"heard,echo,press,settled,lesson,audition,device,station,access,belief,run,house" doc:"Only entries of this kind"`
	By     string    `query:"by" maxLength:"80" doc:"Only what somebody asked for, by name"`
	Search string    `query:"search" maxLength:"100" doc:"Words that the entries have, or that begin theirs"`
}

// query is what a caller may have of what is wanted.
func (a *API) query(ctx context.Context, in *JournalIn) (journal.Query, error) {
	g := Caller(ctx).Grant
	q := journal.Query{Before: in.Before, Since: in.Since, Until: in.Until, Kind: in.Kind, By: in.By, Words: in.Search,
		Within: within(g), NoAccess: !g.Has(grant.Keep), Limit: in.Limit}
	if in.Device == "" {
		return q, nil
	}
	var err error
	if q.Device, err = a.house.Library.IDEver(ctx, in.Device); err != nil {
		return q, err
	}
	return q, nil
}
