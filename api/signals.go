package api

import (
	"context"
	"time"

	"urbo/service/access"
	"urbo/service/journal"
	"urbo/service/stations"
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
	call(a, operation{"GET", "/captures", "list-captures", "Presses as heard, the newest first", access.Watch, 0},
		func(ctx context.Context, in *PageIn) ([]wire.Capture, error) {
			return as(wire.CapturesOf)(a.house.Workbench.Captures(ctx, in.Before, in.Limit))
		})
	call(a, operation{"GET", "/journal", "list-journal", "The journal, the newest entry first", access.Watch, 0},
		func(ctx context.Context, in *struct {
			PageIn
			Since  time.Time `query:"since" doc:"Only what is not older"`
			Device string    `query:"device" maxLength:"40" doc:"Only what is about a device, by its slug"`
			Kind   string    `query:"kind" enum:"heard,echo,press,settled,lesson,audition,device,station,access,house" doc:"Only entries of this kind"`
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
	call(a, operation{"GET", "/stations", "list-stations", "Stations and their ports", access.Watch, 0},
		func(context.Context, *nothing) ([]wire.Station, error) {
			return list(a.house.Stations.List(), stationOf), nil
		})
}

func stationOf(s stations.State) wire.Station {
	return wire.Station{Name: s.Name, Model: s.Model, Firmware: s.Firmware, Here: s.Here, Since: s.Since,
		Ports: list(s.Ports, func(p stations.PortState) wire.PortState {
			w := wire.PortState{ID: p.ID, Direction: string(p.Direction), Medium: p.Medium, FromHz: p.FromHz,
				ToHz:  p.ToHz,
				Count: p.Count}
			if !p.Last.IsZero() {
				w.Last = &p.Last
			}
			return w
		})}
}
