package api

import (
	"context"
	"errors"

	"github.com/danielgtaylor/huma/v2/sse"

	"urbo/service/access"
	"urbo/wire"
)

// events registers the event stream.
func (a *API) events() {
	o := operation{method: "GET", path: "/events", id: "events", summary: "Everything that happens, as server-sent events", scope: access.Watch}
	sse.Register(a.huma, o.describe(a), map[string]any{
		"capture": wire.Capture{}, "press": wire.Press{}, "entry": wire.Entry{}, "lesson": wire.Lesson{}, "audition": wire.Audition{}, "device": wire.Device{},
		"station": wire.Station{}, "stage": wire.StageChanged{}, "reset": wire.Reset{},
		"about": wire.About{},
	}, func(ctx context.Context, in *struct {
		Last uint64 `header:"Last-Event-ID" doc:"Go on after this event; 0 begins now"`
	}, send sse.Sender) {
		_ = a.house.Events.Listen(ctx, in.Last, func(e wire.Event) error {
			if e.Data == nil { // the first word, so that the listener knows it is listening
				e.Data = a.about()
			}
			if err := send(sse.Message{ID: int(e.ID), Data: e.Data}); err != nil {
				return errors.Join(err, context.Canceled) // the listener is gone
			}
			return nil
		})
	})
}
