// Package home is what a house says of itself: its name, its place and zone, and in which units its people think.
package home

import (
	"fmt"
	"math"
	"strings"
	"sync"
	"time"

	"urbo/core/device"
	"urbo/core/fault"
)

// ErrHome is wrapped by every error about what a house says of itself; the text says what is wanted.
var ErrHome = fault.New(fault.Invalid, "house")

// Home is a house. The zero value says nothing: no place, the zone of the machine, °C and 24 hours.
type Home struct {
	Name  string `json:"name,omitempty"`
	Place *Place `json:"place,omitempty"` // for times of the sun
	Zone  string `json:"zone,omitempty"`  // such as Europe/London; "" is the machine's
	// Fahrenheit says that temperatures are shown in °F.
	Fahrenheit  bool `json:"fahrenheit,omitempty"`
	TwelveHours bool `json:"twelve_hours,omitempty"` // 9:04 pm
}

// Place is where a house stands, in degrees: north and east are positive.
type Place struct {
	Latitude  float64 `json:"latitude"`
	Longitude float64 `json:"longitude"`
}

// Clean is a home whose texts are clean. Errors wrap ErrHome or device.ErrName.
func (h Home) Clean() (Home, error) {
	var err error
	if h.Name != "" {
		if h.Name, err = device.CleanName("the house's name", h.Name); err != nil {
			return h, err
		}
	}
	if p := h.Place; p != nil && !(math.Abs(p.Latitude) <= 90 && math.Abs(p.Longitude) <= 180) {
		return h, fmt.Errorf("%w: place %g %g: a latitude is from -90 to 90, and a longitude from -180 to 180", ErrHome,
			p.Latitude, p.Longitude)
	}
	_, err = h.Location()
	return h, err
}

// Location is the zone of the house. The error wraps ErrHome.
func (h Home) Location() (*time.Location, error) {
	if h.Zone == "" || strings.EqualFold(h.Zone, "local") {
		return time.Local, nil
	}
	if zone, known := zones.Load(h.Zone); known {
		return zone.(*time.Location), nil //nolint:forcetypeassert // nothing else is stored
	}
	zone, err := time.LoadLocation(h.Zone)
	if err != nil {
		return nil, fmt.Errorf("%w: zone %.40q is not known: write one like Europe/London", ErrHome, h.Zone)
	}
	zones.Store(h.Zone, zone)
	return zone, nil
}

// zones are those that were read, by name: reading one takes 20 µs, and errands ask for it often.
var zones sync.Map
