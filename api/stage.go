package api

import (
	"context"
	"net/http"
	"time"

	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/stage"
	"urbo/wire"
)

// StageFace adds the simulated surroundings: handsets to press and the true state of the appliances.
func StageFace(s *stage.Stage) Face {
	return Face{Part: "stage", Register: func(a *API) {
		s.Change(func() { a.house.Stream.Publish(happening.Happening{What: happening.StageChanged{}}) })
		call(a, operation{"GET", "/stage", "get-stage", "Handsets and appliances on the stage", grant.See, wholeHouse,
			0},
			func(context.Context, *nothing) (wire.Stage, error) {
				return stageNow(s), nil
			})
		call(a, operation{"PUT", "/stage/faults", "set-stage-faults", "Let presses be missed or unheard on the stage",
			grant.Use, wholeHouse, 0}, func(_ context.Context, in *struct{ Body wire.StageFaults }) (wire.StageFaults,
			error) {
			s.SetFaults(stage.Faults(in.Body))
			a.house.Stream.Publish(happening.Happening{What: happening.StageChanged{}})
			return wire.StageFaults(s.Faults()), nil
		})
		remove(a, operation{"POST", "/stage/outage", "fail-stage-mains", "Let the mains fail on the stage for a moment",
			grant.Use, wholeHouse, http.StatusNoContent}, func(context.Context, *nothing) error {
			s.Outage()
			return nil
		})
		remove(a, operation{"POST", "/stage/handsets/{handset}/keys/{key}/press", "press-handset",
			"Push a key of a handset on the stage", grant.Use, wholeHouse, http.StatusNoContent},
			func(_ context.Context, in *struct {
				Handset string             `path:"handset" maxLength:"60"`
				Key     string             `path:"key" maxLength:"60"`
				Body    *wire.HandsetPress `required:"false"`
			}) error {
				var how wire.HandsetPress
				if in.Body != nil {
					how = *in.Body
				}
				press := s.Press
				if how.Far {
					press = s.PressFar
				}
				err := press(in.Handset, in.Key, time.Duration(how.HoldMS)*time.Millisecond)
				return fault.Give(fault.NotFound, err)
			})
	}}
}

func stageNow(s *stage.Stage) wire.Stage {
	out := wire.Stage{Handsets: []wire.Handset{}, Appliances: []wire.Appliance{}, Faults: wire.StageFaults(s.Faults())}
	for _, h := range s.Handsets() {
		w := wire.Handset{Slug: h.Slug, Title: h.Title, Room: h.Room, Medium: string(h.Medium), Hz: h.Hz,
			WeakBattery: h.WeakBattery(), About: h.About, Keys: []string{}}
		for _, k := range h.Keys {
			w.Keys = append(w.Keys, k.Name)
		}
		out.Handsets = append(out.Handsets, w)
	}
	for _, ap := range s.Appliances() {
		w := wire.Appliance{Slug: ap.Slug, Title: ap.Title, Room: ap.Room, Facts: []wire.Fact{}}
		for _, f := range ap.Facts {
			w.Facts = append(w.Facts, wire.Fact(f))
		}
		out.Appliances = append(out.Appliances, w)
	}
	return out
}
