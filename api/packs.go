package api

import (
	"context"
	"encoding/json"
	"strings"

	"urbo/core/grant"
	"urbo/core/pack"
	"urbo/service"
	"urbo/service/library"
	"urbo/wire"
)

// PackIn is a pack that is to be looked at or imported.
type PackIn struct {
	Conflict string `query:"conflict" enum:"skip,replace,copy" default:"skip" doc:"What to do with slugs that are taken"`
	Stream
}

// packs registers the exchange of devices and what the house has of them.
func (a *API) packs() {
	call(a, operation{"GET", "/packs", "export-pack",
		"Devices and what the house has of them as a pack; all devices where nothing is named", grant.Teach,
		wholeHouse, 0},
		func(_ context.Context, in *struct {
			All       bool   `query:"all" doc:"All devices, groups, sequences, occasions and boards"`
			Devices   string `query:"devices" maxLength:"4000" doc:"Slugs, apart by commas"`
			Sets      string `query:"sets" maxLength:"4000" doc:"Slugs of code sets, apart by commas"`
			Groups    string `query:"groups" maxLength:"4000" doc:"As well"`
			Sequences string `query:"sequences" maxLength:"4000" doc:"As well"`
			Occasions string `query:"occasions" maxLength:"4000" doc:"As well"`
			Boards    string `query:"boards" maxLength:"4000" doc:"As well; one that makes itself is left out"`
		}) (json.RawMessage, error) { // its schema is docs/pack.schema.json
			p, err := a.house.ExportPack(service.Packed{All: in.All, Devices: slugs(in.Devices), Sets: slugs(in.Sets),
				Groups: slugs(in.Groups), Sequences: slugs(in.Sequences), Occasions: slugs(in.Occasions),
				Boards: slugs(in.Boards)})
			if err != nil {
				return nil, err
			}
			return json.Marshal(p)
		})
	take := func(path, id, summary string, f func(context.Context, pack.Pack, string) (library.PackPlan, error)) {
		call(a, operation{"POST", path, id, summary, grant.Teach, wholeHouse, 0}, func(ctx context.Context,
			in *PackIn) (wire.PackPlan, error) {
			p, err := pack.Read(in.body, a.house.Book)
			if err == nil && p.Count() > 0 {
				err = Caller(ctx).Grant.May(grant.Arrange)
			}
			if err != nil {
				return wire.PackPlan{}, err
			}
			return as(planOf)(f(ctx, p, in.Conflict))
		})
		a.takes(path, "application/json", "A pack (docs/pack.schema.json)")
	}
	take("/packs/preview", "preview-pack", "What importing a pack would do; nothing is changed",
		func(_ context.Context, p pack.Pack, conflict string) (library.PackPlan, error) {
			return a.house.PlanPack(p, conflict)
		})
	take("/packs", "import-pack",
		"Import a pack: all of its devices and code sets or nothing, and then its other things, or none of them",
		func(ctx context.Context, p pack.Pack, conflict string) (library.PackPlan, error) {
			return a.house.ImportPack(ctx, p, conflict, note(ctx))
		})
}

func slugs(list string) []string {
	return strings.FieldsFunc(list, func(c rune) bool { return c == ',' })
}

func planOf(p library.PackPlan) wire.PackPlan {
	return wire.PackPlan{Version: p.Version, Done: p.Done, Items: list(p.Items,
		func(i library.PackItem) wire.PackItem { return wire.PackItem(i) })}
}
