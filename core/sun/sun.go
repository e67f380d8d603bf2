// Package sun says where the sun stands over a place, and when it comes to a height: sunrise and sunset, the twilights,
// noon. The equations are those of Jean Meeus, Astronomical Algorithms, second edition, chapters 12, 13, 22 and 25 (the
// sun to 0.01°). It reads no clock and knows no zones.
package sun

import (
	"math"
	"time"
)

// Place on the earth.
type Place struct {
	Latitude, Longitude float64 // degrees, north and east positive
}

// Event is something that the sun does once in most days.
type Event string

// The events. A dawn or dusk without another word is the civil one.
const (
	Sunrise          Event = "sunrise"
	Sunset           Event = "sunset"
	Dawn             Event = "dawn"
	Dusk             Event = "dusk"
	NauticalDawn     Event = "nautical dawn"
	NauticalDusk     Event = "nautical dusk"
	AstronomicalDawn Event = "astronomical dawn"
	AstronomicalDusk Event = "astronomical dusk"
	Noon             Event = "noon"
)

// Events are all of them.
var Events = []Event{Sunrise, Sunset, Dawn, Dusk, NauticalDawn, NauticalDusk, AstronomicalDawn, AstronomicalDusk, Noon}

// heights are how high the sun's centre stands at an event, in degrees, without the refraction that bends its light:
// 34' of that and 16' of its own radius are in the first.
var heights = map[Event]float64{Sunrise: Horizon, Sunset: Horizon, Dawn: -6, Dusk: -6, NauticalDawn: -12,
	NauticalDusk: -12, AstronomicalDawn: -18, AstronomicalDusk: -18}

// Horizon is the height of the sun's centre when its upper edge is seen at the horizon, in degrees.
const Horizon = -50.0 / 60

// rises are the events at which the sun goes up.
var rises = map[Event]bool{Sunrise: true, Dawn: true, NauticalDawn: true, AstronomicalDawn: true}

// day is the time from one noon to the next, on average.
const day = 24 * time.Hour

// search is how far ahead an event is looked for: a polar night and the day after it are over by then.
const search = 400 * day

// Height is how high the sun's centre stands at a time, in degrees above the horizon, without refraction.
func (p Place) Height(at time.Time) float64 {
	declination, hour := p.seen(at)
	lat := rad(p.Latitude)
	return deg(math.Asin(sin(lat)*sin(declination) + cos(lat)*cos(declination)*cos(hour)))
}

// Next is the first time after a time at which an event is. It is false where the sun does not do that within 400 days,
// as at a pole.
func (p Place) Next(e Event, after time.Time) (time.Time, bool) {
	if e == Noon {
		noon := p.noon(after)
		for !noon.After(after) {
			noon = p.noon(noon.Add(day))
		}
		return noon, true
	}
	return p.NextAt(heights[e], rises[e], after)
}

// NextAt is the first time after a time at which the sun comes to a height, going up or down. It is false where it does
// not within 400 days.
func (p Place) NextAt(height float64, up bool, after time.Time) (time.Time, bool) {
	for noon := p.noon(after.Add(-day)); noon.Sub(after) < search; noon = p.noon(noon.Add(day)) {
		if at, is := p.crosses(height, up, noon); is && at.After(after) {
			return at, true
		}
	}
	return time.Time{}, false
}

// crosses is when the sun comes to a height on the way up to a noon, or down from it. It is false where it stays above
// or below.
func (p Place) crosses(height float64, up bool, noon time.Time) (time.Time, bool) {
	midnight := noon.Add(day / 2)
	if up {
		midnight = noon.Add(-day / 2)
	}
	below, above := midnight, noon
	if p.Height(below) >= height || p.Height(above) <= height { // near a polar day or night
		below, above = p.extreme(midnight, -1), p.extreme(noon, 1)
		if p.Height(below) >= height || p.Height(above) <= height {
			return time.Time{}, false
		}
	}
	for above.Sub(below).Abs() > 500*time.Millisecond {
		middle := below.Add(above.Sub(below) / 2)
		if p.Height(middle) < height {
			below = middle
		} else {
			above = middle
		}
	}
	return above.Round(time.Second), true
}

// extreme is when the sun stands highest (1) or lowest (-1) near a time. That is not noon to the second: its
// declination changes meanwhile.
func (p Place) extreme(near time.Time, sign float64) time.Time {
	from, to := near.Add(-day/4), near.Add(day/4)
	for to.Sub(from) > time.Second {
		a, b := from.Add(to.Sub(from)/3), to.Add(-to.Sub(from)/3)
		if sign*p.Height(a) < sign*p.Height(b) {
			from = a
		} else {
			to = b
		}
	}
	return from.Add(to.Sub(from) / 2)
}

// noon is the time nearest to another at which the sun crosses the meridian.
func (p Place) noon(near time.Time) time.Time {
	for range 3 { // each time a hundred times as near
		_, hour := p.seen(near)
		near = near.Add(-time.Duration(hour / (2 * math.Pi) * float64(day)))
	}
	return near.Round(time.Second)
}

// seen is the sun's declination, and its hour angle from -π to π, in radians.
func (p Place) seen(at time.Time) (declination, hour float64) {
	jd := float64(at.UnixMilli())/86_400_000 + 2440587.5
	ut := (jd - 2451545) / 36525       // centuries of universal time
	t := ut + (64+59*ut)/86400.0/36525 // of dynamical time, which is ahead by about a minute
	// chapter 25
	mean := 280.46646 + t*(36000.76983+t*0.0003032)
	anomaly := rad(357.52911 + t*(35999.05029-t*0.0001537))
	centre := (1.914602-t*(0.004817+t*0.000014))*sin(anomaly) + (0.019993-t*0.000101)*sin(2*anomaly) +
		0.000289*sin(3*anomaly)
	node := rad(125.04 - 1934.136*t)
	longitude := rad(mean + centre - 0.00569 - 0.00478*sin(node))
	// chapter 22, with the correction for nutation of chapter 25
	obliquity := rad(23.4392911 - t*(0.0130042+t*(0.00000016-t*0.000000504)) + 0.00256*cos(node))
	ascension := math.Atan2(cos(obliquity)*sin(longitude), cos(longitude))
	declination = math.Asin(sin(obliquity) * sin(longitude))
	// chapter 12, with the nutation in right ascension
	sidereal := 280.46061837 + 360.98564736629*(jd-2451545) + ut*ut*(0.000387933-ut/38710000) -
		0.00478*sin(node)*cos(obliquity)
	return declination, math.Remainder(rad(sidereal+p.Longitude)-ascension, 2*math.Pi)
}

func rad(degrees float64) float64 { return degrees * math.Pi / 180 }
func deg(radians float64) float64 { return radians * 180 / math.Pi }
func sin(x float64) float64       { return math.Sin(x) }
func cos(x float64) float64       { return math.Cos(x) }
