package api

import (
	"context"
	"fmt"
	"strings"
	"time"

	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/run"
	"urbo/service/history"
	"urbo/service/library"
	"urbo/wire"
)

var errPath = fault.New(fault.Invalid, "path")

// history registers what was believed, measured and pressed.
func (a *API) history() {
	call(a, operation{"GET", "/history", "get-history",
		"What a control or measurement was at, or when a key was pressed " +
			"on a handset, the oldest first, for 90 days", grant.See, filtered, 0}, func(ctx context.Context,
		in *struct {
			Path  string    `query:"path" required:"true" maxLength:"90" doc:"DEVICE/CONTROL, DEVICE/KEY or a measurement"`
			Kind  string    `query:"kind" enum:"control,measurement,key" doc:"Where one path is several; without it the first of these that is there"`
			Since time.Time `query:"since"`
			Until time.Time `query:"until"`
			Limit int       `query:"limit" minimum:"1" maximum:"5000" default:"1000"`
		}) (wire.History, error) {
		q, err := a.pathOf(ctx, in.Path, in.Kind)
		if err != nil {
			return wire.History{}, err
		}
		q.Since, q.Until, q.Limit = in.Since, in.Until, in.Limit
		facts, more, err := a.house.History.Find(ctx, q)
		return wire.History{Path: in.Path, Kind: q.Kind, More: more, Facts: list(facts, func(f history.Fact) wire.Past {
			return wire.Past{At: time.UnixMilli(f.AtMS).UTC(), Value: f.Value, Source: f.Source}
		})}, err
	})
}

// pathOf finds what a path of the history means to the caller.
func (a *API) pathOf(ctx context.Context, path, kind string) (history.Query, error) {
	slug, name, two := strings.Cut(path, "/")
	if kind != history.Measurement {
		q, err := a.deviceFacts(ctx, slug, name, kind)
		if !two {
			err = fmt.Errorf("%w %.90q: name a control, a key or a measurement, such as boardwalk/power", errPath, path)
		}
		if err == nil || kind != "" || !a.measured(ctx, path) {
			return q, err
		}
	}
	return history.Query{Kind: history.Measurement, Of: path}, Caller(ctx).Grant.May(grant.See,
		grant.Target{Measurement: path})
}

// measured says whether a measurement was ever told, as far as is known.
func (a *API) measured(ctx context.Context, name string) bool {
	if _, err := a.house.Measure.Get(name); err == nil {
		return true
	}
	facts, _, err := a.house.History.Find(ctx, history.Query{Kind: history.Measurement, Of: name, Limit: 1})
	return err == nil && len(facts) > 0
}

// deviceFacts finds a control or key of a device.
func (a *API) deviceFacts(ctx context.Context, slug, name, kind string) (history.Query, error) {
	id, err := a.house.Library.ID(slug)
	if err != nil || !a.sees(ctx, id) {
		return history.Query{}, fmt.Errorf("%w %.60q", library.ErrUnknownDevice, slug)
	}
	q := history.Query{Of: id, Name: name}
	of := run.Target{Kind: run.Device, ID: id, Was: slug}
	if kind != history.Key {
		q.Kind = history.Control
		if err = a.house.Targets.Control(of, name, ""); err == nil || kind == history.Control {
			return q, err
		}
	}
	q.Kind = history.Key
	return q, a.house.Targets.Key(of, name)
}
