package api

import (
	"context"
	"time"

	"urbo/core/grant"
	"urbo/core/home"
	"urbo/wire"
)

// houseFacts registers what the house says of itself.
func (a *API) houseFacts() {
	call(a, operation{"GET", "/house", "get-house", "The house's name, place, zone and units", grant.See, anywhere, 0},
		func(context.Context, *nothing) (wire.House, error) { return a.houseOf(a.house.Home.Home()), nil })
	call(a, operation{"PATCH", "/house", "change-house", "Change what is given", grant.Keep, wholeHouse, 0},
		func(ctx context.Context, in *struct{ Body wire.HouseChange }) (wire.House, error) {
			c := in.Body
			return as(a.houseOf)(a.house.Home.Change(ctx, asking(ctx), func(h *home.Home) {
				given(&h.Name, c.Name)
				given(&h.Zone, c.Zone)
				given(&h.Fahrenheit, c.Fahrenheit)
				given(&h.TwelveHours, c.TwelveHours)
				switch {
				case c.NoPlace:
					h.Place = nil
				case c.Latitude != nil && c.Longitude != nil:
					h.Place = &home.Place{Latitude: *c.Latitude, Longitude: *c.Longitude}
				}
			}))
		})
}

func given[T any](to *T, value *T) {
	if value != nil {
		*to = *value
	}
}

func (a *API) houseOf(h home.Home) wire.House {
	zone, err := h.Location()
	if err != nil {
		zone = time.Local
	}
	now := a.house.Calendar.Now().In(zone)
	w := wire.House{Now: now.Format("2006-01-02 15:04 Monday"), Plausible: a.house.Calendar.Plausible(), Name: h.Name,
		Zone: h.Zone, Fahrenheit: h.Fahrenheit, TwelveHours: h.TwelveHours}
	if h.Place != nil {
		w.Latitude, w.Longitude = &h.Place.Latitude, &h.Place.Longitude
	}
	return w
}
