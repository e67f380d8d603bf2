package sun_test

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/sun"
)

// almanac is the sun's height by another way: the low-precision formulas of the Astronomical Almanac (section C, the
// sun to 0.01°), with the time of day from the equation of time instead of sidereal time.
func almanac(p sun.Place, at time.Time) float64 {
	rad := math.Pi / 180
	n := float64(at.Unix())/86400 + 2440587.5 - 2451545
	mean := math.Mod(280.460+0.9856474*n, 360)
	g := (357.528 + 0.9856003*n) * rad
	lambda := (mean + 1.915*math.Sin(g) + 0.020*math.Sin(2*g)) * rad
	epsilon := (23.439 - 0.0000004*n) * rad
	alpha := math.Atan2(math.Cos(epsilon)*math.Sin(lambda), math.Cos(lambda)) / rad
	delta := math.Asin(math.Sin(epsilon) * math.Sin(lambda))
	equation := math.Remainder(mean-alpha, 360) // degrees: apparent less mean time
	clock := math.Mod(float64(at.Unix()), 86400) / 86400 * 360
	hour := (clock - 180 + p.Longitude + equation) * rad
	lat := p.Latitude * rad
	return math.Asin(math.Sin(lat)*math.Sin(delta)+math.Cos(lat)*math.Cos(delta)*math.Cos(hour)) / rad
}

// places are six, from the tropics to beyond the polar circle.
var places = map[string]sun.Place{
	"marsh":     {Latitude: 53.9, Longitude: 0.1},
	"equator":   {Latitude: 0, Longitude: -78},
	"tropic":    {Latitude: -23, Longitude: 151},
	"far south": {Latitude: -54.8, Longitude: -68.3},
	"far north": {Latitude: 69.6, Longitude: 18.9},
	"date line": {Latitude: 35, Longitude: 179.9},
}

// TestSun_AgreesWithAnotherWay looks for each crossing of each height minute by minute, with the formulas of the
// almanac, and compares: also that there is none where the sun stays up or down.
func TestSun_AgreesWithAnotherWay(t *testing.T) {
	t.Parallel()
	begin := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	end := begin.AddDate(1, 0, 0)
	for name, p := range places {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			heights := []float64{} // minute by minute
			for at := begin; at.Before(end); at = at.Add(time.Minute) {
				heights = append(heights, almanac(p, at))
			}
			for _, c := range []struct {
				height   float64
				up, down sun.Event
			}{{-50.0 / 60, sun.Sunrise, sun.Sunset}, {-6, sun.Dawn, sun.Dusk}, {-12, sun.NauticalDawn,
				sun.NauticalDusk},
				{-18, sun.AstronomicalDawn, sun.AstronomicalDusk}} {
				expect := map[sun.Event][]time.Time{}
				for n, now := range heights[1:] {
					before, at := heights[n], begin.Add(time.Duration(n)*time.Minute)
					if e := map[bool]sun.Event{true: c.up,
						false: c.down}[now > before]; before < c.height != (now < c.height) {
						part := (c.height - before) / (now - before)
						expect[e] = append(expect[e], at.Add(time.Duration(part*float64(time.Minute))))
					}
				}
				for _, e := range []sun.Event{c.up, c.down} {
					at := begin
					for _, want := range expect[e] {
						got, is := p.Next(e, at)
						require.True(t, is, "%s near %s", e, want)
						tolerance := time.Minute
						// where the sun only touches the height, minutes are a matter of a hundredth of a degree
						if slope := math.Abs(almanac(p, want.Add(time.Minute)) - almanac(p,
							want.Add(-time.Minute))); slope < 0.08 {
							tolerance = 8 * time.Minute
						}
						require.WithinDuration(t, want, got, tolerance, "%s, slope", e)
						at = got
					}
					next, is := p.Next(e, at)
					assert.True(t, !is || next.After(end.Add(-time.Hour)), "%s: one more at %s", e, next)
				}
			}
		})
	}
}

func TestSun_StaysUpOrDownBeyondThePolarCircle(t *testing.T) {
	t.Parallel()
	p := places["far north"]
	set, is := p.Next(sun.Sunset, time.Date(2026, 6, 1, 0, 0, 0, 0, time.UTC))
	require.True(t, is)
	assert.Equal(t, time.July, set.Month(), "the first sunset after the polar day")
	assert.Greater(t, p.Height(time.Date(2026, 6, 21, 22, 40, 0, 0, time.UTC)), 2.5, "the sun at midnight")
	rise, is := p.Next(sun.Sunrise, time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC))
	require.True(t, is)
	assert.Equal(t, time.January, rise.Month(), "the first sunrise after the polar night")
	dusk, is := p.Next(sun.Dusk, time.Date(2026, 12, 21, 0, 0, 0, 0, time.UTC))
	require.True(t, is)
	assert.Equal(t, 21, dusk.Day(), "there is twilight all the same")

	pole := sun.Place{Latitude: 90}
	rise, is = pole.Next(sun.Sunrise, time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC))
	require.True(t, is)
	assert.Equal(t, time.March, rise.Month(), "once a year")
}

func TestSun_NoonIsWhereItStandsHighest(t *testing.T) {
	t.Parallel()
	for name, p := range places {
		at := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
		for range 365 {
			noon, is := p.Next(sun.Noon, at)
			require.True(t, is)
			require.True(t, noon.After(at) && noon.Sub(at) < 25*time.Hour, "%s: %s after %s", name, noon, at)
			top := p.Height(noon)
			assert.Greater(t, top+0.02, p.Height(noon.Add(10*time.Minute)), name)
			assert.Greater(t, top+0.02, p.Height(noon.Add(-10*time.Minute)), name)
			at = noon
		}
	}
}

func BenchmarkNext(b *testing.B) {
	p := places["marsh"]
	at := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	for b.Loop() {
		p.Next(sun.Dusk, at)
	}
}
