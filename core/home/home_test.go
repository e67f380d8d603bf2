package home_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/home"
)

func TestHome_IsCheckedAndCleaned(t *testing.T) {
	h, err := home.Home{Name: "  Saltmarsh   Observatory ", Zone: "Europe/London",
		Place: &home.Place{Latitude: 53.9, Longitude: 0.1}}.Clean()
	require.NoError(t, err)
	assert.Equal(t, "Saltmarsh Observatory", h.Name)
	zone, err := h.Location()
	require.NoError(t, err)
	assert.Equal(t, "Europe/London", zone.String())
	_, err = home.Home{}.Clean()
	require.NoError(t, err, "a house may say nothing")

	for _, p := range []home.Place{{Latitude: 91}, {Longitude: -181}, {Latitude: math.NaN()},
		{Longitude: math.Inf(1)}} {
		_, err := home.Home{Place: &p}.Clean()
		assert.ErrorIs(t, err, home.ErrHome)
	}
	_, err = home.Home{Zone: "Nowhere/Else"}.Clean()
	assert.ErrorIs(t, err, home.ErrHome)
	_, err = home.Home{Zone: "../../etc/passwd"}.Clean()
	assert.ErrorIs(t, err, home.ErrHome)
	_, err = home.Home{Name: "\x1b[31m"}.Clean()
	assert.ErrorIs(t, err, device.ErrName)
}
