package api

import (
	"context"
	"log/slog"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"urbo/core/grant"
	"urbo/wire"
)

// backup registers copying the whole house, and putting a copy in its place.
func (a *API) backup() {
	o := operation{"GET", "/backup", "get-backup", "A backup of the whole house, made while it runs", grant.Keep,
		wholeHouse,
		0}.describe(a)
	o.Responses = map[string]*huma.Response{"200": {Description: "OK", Content: map[string]*huma.MediaType{
		"application/gzip": {Schema: &huma.Schema{Type: huma.TypeString, Format: "binary"}}}}}
	huma.Register(a.huma, o, func(ctx context.Context, _ *nothing) (*huma.StreamResponse, error) {
		return &huma.StreamResponse{Body: func(out huma.Context) {
			w := &late{ctx: out}
			if err := a.house.Backup(ctx, w); err != nil {
				slog.Error("backup", "error", err)
				if !w.began {
					_ = huma.WriteErr(a.huma, out, statusOf(err), "Urbo could not make a backup: "+err.Error())
					return
				}
				panic(http.ErrAbortHandler) // half a file must not look like a whole one
			}
		}}, nil
	})
	call(a, operation{"POST", "/restore", "restore-backup",
		"Put a backup (the body) in the place of this house, which starts anew with it", grant.Keep, wholeHouse,
		http.StatusAccepted},
		func(ctx context.Context, in *struct {
			KeepGuests bool `query:"keep_guests" doc:"Links and pages of guests go on; else they end"`
			Stream
		}) (wire.Restored, error) {
			m, err := a.house.Replace(ctx, in.body, in.KeepGuests, asking(ctx))
			return wire.Restored{Created: m.Made, By: m.By}, err
		})
	a.takes("/restore", "application/gzip", "A backup as GET /api/backup answers it")
}

// late is an answer whose head is written with its first byte.
type late struct {
	ctx   huma.Context
	began bool
}

// Write writes on.
func (l *late) Write(p []byte) (int, error) {
	if !l.began {
		l.began = true
		l.ctx.SetHeader("Content-Type", "application/gzip")
		l.ctx.SetHeader("Content-Disposition", `attachment; filename="urbo-`+time.Now().Format("2006-01-02")+`.backup"`)
	}
	return l.ctx.BodyWriter().Write(p)
}
