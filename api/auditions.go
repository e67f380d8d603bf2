package api

import (
	"context"
	"net/http"

	"urbo/service/access"
	"urbo/wire"
)

// AuditionIn names an audition in a path.
type AuditionIn struct {
	ID string `path:"audition" maxLength:"40"`
}

// auditions registers the search for a code set.
func (a *API) auditions() {
	call(a, operation{"POST", "/auditions/plan", "plan-audition", "What an audition would play, and how long it would take; nothing is played", access.Watch, 0}, func(_ context.Context, in *struct{ Body wire.NewAudition }) (wire.AuditionPlan, error) {
		return a.house.Auditions.Plan(in.Body)
	})
	call(a, operation{"GET", "/auditions", "list-auditions", "The last auditions, the newest first", access.Watch, 0}, func(context.Context, *nothing) ([]wire.Audition, error) {
		return a.house.Auditions.Auditions(), nil
	})
	call(a, operation{"POST", "/auditions", "start-audition", "Play codes until a device reacts", access.Owner, http.StatusCreated}, func(ctx context.Context, in *struct{ Body wire.NewAudition }) (wire.Audition, error) {
		return a.house.Auditions.Start(ctx, in.Body, Caller(ctx).Name)
	})
	call(a, operation{"GET", "/auditions/{audition}", "get-audition", "One audition as it is now", access.Watch, 0}, func(_ context.Context, in *AuditionIn) (wire.Audition, error) {
		return a.house.Auditions.Audition(in.ID)
	})
	call(a, operation{"POST", "/auditions/{audition}/steps", "step-audition", "Say that it reacted, answer what is asked, pause, resume, keep or finish", access.Owner, 0}, func(ctx context.Context, in *struct {
		AuditionIn
		Body wire.AuditionStep
	}) (wire.Audition, error) {
		return a.house.Auditions.Step(ctx, in.ID, in.Body.Do)
	})
}
