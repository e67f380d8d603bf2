package api

import (
	"context"
	"net/http"
	"strings"
	"time"

	"urbo/core/audition"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service/auditions"
	"urbo/wire"
)

// AuditionIn names an audition in a path.
type AuditionIn struct {
	ID string `path:"audition" maxLength:"40"`
}

// auditions registers the search for a code set.
func (a *API) auditions() {
	all := a.house.Auditions
	call(a, operation{"POST", "/auditions/plan", "plan-audition",
		"What an audition would play, and how long it would take; nothing is played", grant.See, filtered, 0},
		func(ctx context.Context, in *struct{ Body wire.NewAudition }) (wire.AuditionPlan, error) {
			if err := a.mayOn(ctx, grant.See, in.Body.Device); err != nil {
				return wire.AuditionPlan{}, err
			}
			n, err := newAudition(in.Body, asking(ctx))
			if err != nil {
				return wire.AuditionPlan{}, err
			}
			p, err := all.Plan(n)
			moves := []string{}
			for _, m := range p.Moves {
				if a.sees(ctx, m.DeviceID) {
					moves = append(moves, m.Device)
				}
			}
			if len(moves) > 0 {
				p.Text += " It moves what is there already: " + strings.Join(moves, ", ") + "."
			}
			return wire.AuditionPlan{Codes: p.Codes, Moves: moves, Sets: p.Sets, AirtimeMS: p.Airtime.Milliseconds(),
				TakesMS: p.Takes.Milliseconds(),
				Text:    p.Text}, err
		})
	call(a, operation{"GET", "/auditions", "list-auditions", "The last auditions, the newest first", grant.See,
		filtered, 0},
		func(ctx context.Context, _ *nothing) ([]wire.Audition, error) {
			out := []wire.Audition{}
			for _, w := range all.List() {
				if au := w.(happening.AuditionChanged); a.sees(ctx, au.DeviceID) {
					out = append(out, auditionOf(au))
				}
			}
			return out, nil
		})
	call(a, operation{"POST", "/auditions", "start-audition", "Play codes until a device reacts", grant.Teach, filtered,
		http.StatusCreated}, func(ctx context.Context, in *struct{ Body wire.NewAudition }) (wire.Audition, error) {
		if err := a.mayOn(ctx, grant.Teach, in.Body.Device); err != nil {
			return wire.Audition{}, err
		}
		n, err := newAudition(in.Body, asking(ctx))
		if err != nil {
			return wire.Audition{}, err
		}
		return as(auditionOf)(all.Start(ctx, n))
	})
	call(a, operation{"GET", "/auditions/{audition}", "get-audition", "One audition as it is now", grant.See,
		ofAudition, 0},
		func(_ context.Context, in *AuditionIn) (wire.Audition, error) {
			return as(auditionOf)(all.Audition(in.ID))
		})
	call(a, operation{"POST", "/auditions/{audition}/steps", "step-audition",
		"Say that it reacted, answer what is asked, pause, resume, keep or finish", grant.Teach, ofAudition, 0},
		func(ctx context.Context, in *struct {
			AuditionIn
			Body wire.AuditionStep
		}) (wire.Audition, error) {
			return as(auditionOf)(all.Step(ctx, in.ID, in.Body.Do))
		})
}

func auditionOf(a happening.AuditionChanged) wire.Audition {
	return wire.AuditionOf(a, auditions.Left(a.Audition, a.Pause))
}

func newAudition(n wire.NewAudition, by grant.By) (auditions.New, error) {
	out := auditions.New{Device: n.Device, Function: n.Function, Kind: n.Kind, Sets: n.Sets,
		Pause: time.Duration(n.PauseMS) * time.Millisecond, By: by}
	if n.Sweep == nil {
		return out, nil
	}
	fields, err := wire.CoreFields(n.Sweep.Fields)
	out.Sweep = &audition.Sweep{Code: device.Code{Sheet: n.Sweep.Sheet, Fields: fields, UnitUS: n.Sweep.Unit},
		Field: n.Sweep.Field, From: n.Sweep.From, To: n.Sweep.To}
	return out, err
}

// as makes a call's answer, where it did not fail, one that crosses the network.
func as[From, To any](translate func(From) To) func(From, error) (To, error) {
	return func(from From, err error) (To, error) {
		if err != nil {
			var none To
			return none, err
		}
		return translate(from), nil
	}
}
