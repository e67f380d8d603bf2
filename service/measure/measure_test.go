package measure_test

import (
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service/measure"
	"urbo/service/stream"
)

func TestMeasure_KeepsTheLastValueAndTellsEach(t *testing.T) {
	s := stream.New(0, time.Now)
	q := s.Subscribe()
	m := measure.New(s, time.Now)
	for _, v := range []float64{70, 71.5} {
		_, err := m.Put("dome/humidity", v, "%", grant.Named("sensor"))
		require.NoError(t, err)
	}
	got, err := m.Get("dome/humidity")
	require.NoError(t, err)
	assert.InDelta(t, 71.5, got.Value, 0)
	told, err := q.Next(t.Context())
	require.NoError(t, err)
	require.Len(t, told, 2)
	assert.Equal(t, happening.Measured{Measurement: "dome/humidity", Value: 70, Unit: "%"}, told[0].What)
	_, err = m.Get("dome/heat")
	require.ErrorIs(t, err, measure.ErrUnknown)
}

func TestMeasure_IsBounded(t *testing.T) {
	m := measure.New(stream.New(0, time.Now), time.Now)
	for name, v := range map[string]float64{"Dome": 1, "a/b/c": 1, "": 1, strings.Repeat("a", 90): 1, "a": math.NaN(),
		"b": math.Inf(1)} {
		_, err := m.Put(name, v, "", grant.By{})
		require.ErrorIs(t, err, measure.ErrMeasurement, "%q", name)
	}
	_, err := m.Put("a", 1, strings.Repeat("m", 13), grant.By{})
	require.ErrorIs(t, err, measure.ErrMeasurement)
	for n := range 1000 {
		_, err := m.Put(fmt.Sprintf("m-%d", n), 1, "", grant.By{})
		require.NoError(t, err)
	}
	_, err = m.Put("one-more", 1, "", grant.By{})
	require.ErrorIs(t, err, measure.ErrMeasurement)
	_, err = m.Put("m-7", 2, "", grant.By{})
	require.NoError(t, err, "one that is there goes on")
}
