package api

import (
	"context"
	"encoding/json"
	"strings"

	"urbo/core/grant"
	"urbo/core/pack"
	"urbo/service/library"
	"urbo/wire"
)

// PackIn is a pack that is to be looked at or imported.
type PackIn struct {
	Conflict string `query:"conflict" enum:"skip,replace,copy" default:"skip" doc:"What to do with slugs that are taken"`
	Stream
}

// packs registers the exchange of devices.
func (a *API) packs() {
	call(a, operation{"GET", "/packs", "export-pack",
		"Devices and code sets as a pack; all devices where none is named", grant.Teach, wholeHouse, 0},
		func(_ context.Context, in *struct {
			Devices string `query:"devices" maxLength:"4000" doc:"Slugs, apart by commas"`
			Sets    string `query:"sets" maxLength:"4000" doc:"Slugs of code sets, apart by commas"`
		}) (json.RawMessage, error) { // its schema is docs/pack.schema.json
			p, err := a.house.Library.Export(slugs(in.Devices), slugs(in.Sets))
			if err != nil {
				return nil, err
			}
			return json.Marshal(p)
		})
	take := func(path, id, summary string, f func(context.Context, pack.Pack, string) (library.PackPlan, error)) {
		call(a, operation{"POST", path, id, summary, grant.Teach, wholeHouse, 0}, func(ctx context.Context,
			in *PackIn) (wire.PackPlan, error) {
			p, err := pack.Read(in.body, a.house.Book)
			if err != nil {
				return wire.PackPlan{}, err
			}
			return as(planOf)(f(ctx, p, in.Conflict))
		})
		a.takes(path, "application/json", "A pack (docs/pack.schema.json)")
	}
	take("/packs/preview", "preview-pack", "What importing a pack would do; nothing is changed",
		func(_ context.Context, p pack.Pack, conflict string) (library.PackPlan, error) {
			return a.house.Library.Plan(p, conflict)
		})
	take("/packs", "import-pack", "Import a pack, all of it or nothing",
		func(ctx context.Context, p pack.Pack, conflict string) (library.PackPlan, error) {
			return a.house.Library.Import(ctx, p, conflict, note(ctx))
		})
}

func slugs(list string) []string {
	return strings.FieldsFunc(list, func(c rune) bool { return c == ',' })
}

func planOf(p library.PackPlan) wire.PackPlan {
	return wire.PackPlan{Version: p.Version, Done: p.Done, Items: list(p.Items,
		func(i library.PackItem) wire.PackItem { return wire.PackItem(i) })}
}
