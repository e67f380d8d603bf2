package measure_test

import (
	"context"
	"fmt"
	"math"
	"strings"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/grant"
	"urbo/core/happening"
	core "urbo/core/measure"
	"urbo/core/moment"
	"urbo/core/run"
	"urbo/service/measure"
	"urbo/service/stream"
	"urbo/store"
)

// measuring runs the measurements of a house in fake time. got takes what they told since it was called last.
func measuring(t *testing.T, act func(t *testing.T, m *measure.Measure, s *stream.Stream, got func() []string)) {
	t.Helper()
	synctest.Test(t, func(t *testing.T) {
		db, err := store.Open(t.TempDir())
		require.NoError(t, err)
		s := stream.New(0, time.Now)
		q := s.Subscribe()
		var at atomic.Value // what the control is at
		at.Store("off")
		m, err := measure.Open(t.Context(), measure.Config{Store: db, Stream: s, Now: time.Now,
			Reading: func(run.Test) run.Reading { return run.Reading{at.Load().(string)} },
			Today:   func() (time.Time, moment.Where) { return time.Now(), moment.Where{Zone: time.UTC} }})
		require.NoError(t, err)
		ctx, cancel := context.WithCancel(t.Context())
		done := make(chan struct{})
		go func() { defer close(done); assert.NoError(t, m.Run(ctx)) }()
		act(t, m, s, func() (out []string) {
			synctest.Wait()
			s.Publish(happening.Happening{What: happening.Notice{Text: "here"}})
			for {
				told, err := q.Next(t.Context())
				require.NoError(t, err)
				for _, h := range told {
					switch w := h.What.(type) {
					case happening.Measured:
						out = append(out, strings.TrimSpace(fmt.Sprintf("%s %g %s", w.Measurement, w.Value, w.Battery)))
					case happening.FellSilent:
						out = append(out, w.Measurement+" silent")
					case happening.HouseNote:
						out = append(out, w.Text)
					case happening.Believed:
						at.Store(w.Value)
					case happening.Notice:
						return out
					}
				}
			}
		})
		cancel()
		<-done
		require.NoError(t, db.Close())
	})
}

func put(t *testing.T, m *measure.Measure, name string, value float64) {
	t.Helper()
	_, err := m.Put(name, value, "%", grant.Named("sensor"))
	require.NoError(t, err)
}

func TestMeasure_TellsOfAFloodTheLast(t *testing.T) {
	measuring(t, func(t *testing.T, m *measure.Measure, _ *stream.Stream, got func() []string) {
		for v := range 1000 {
			put(t, m, "dome/humidity", float64(v))
		}
		value, err := m.Get("dome/humidity")
		require.NoError(t, err)
		assert.InDelta(t, 999, value.Value, 0)
		time.Sleep(time.Second)
		assert.Equal(t, []string{"dome/humidity 0", "dome/humidity 999"}, got())
		put(t, m, "dome/humidity", 70)
		assert.Equal(t, []string{"dome/humidity 70"}, got())
	})
}

func TestMeasure_FallsSilentAndComesBack(t *testing.T) {
	measuring(t, func(t *testing.T, m *measure.Measure, _ *stream.Stream, got func() []string) {
		_, err := m.Describe(t.Context(), "dome/humidity", core.Spec{Silent: 10 * time.Minute}, grant.By{})
		require.NoError(t, err)
		put(t, m, "dome/humidity", 70)
		time.Sleep(9 * time.Minute)
		put(t, m, "dome/humidity", 71)
		time.Sleep(9 * time.Minute)
		assert.Equal(t, []string{"dome/humidity 70", "dome/humidity 71"}, got())
		time.Sleep(2 * time.Minute)
		assert.Equal(t, []string{"dome/humidity silent"}, got())
		v, err := m.Get("dome/humidity")
		require.NoError(t, err)
		assert.False(t, v.Known())
		time.Sleep(time.Hour)
		assert.Empty(t, got())
		put(t, m, "dome/humidity", 71)
		assert.Equal(t, []string{"dome/humidity 71"}, got())
	})
}

func TestMeasure_ReadsMessagesAndLeavesOutWhatCannotBe(t *testing.T) {
	measuring(t, func(t *testing.T, m *measure.Measure, _ *stream.Stream, got func() []string) {
		most := 60.0
		_, err := m.Describe(t.Context(), "warm-room/temperature", core.Spec{Unit: "°C", Most: &most,
			Source: core.Source{Topic: &core.Topic{Topic: "club/warm", Pointer: "/t", Battery: "/b"}}}, grant.By{})
		require.NoError(t, err)
		assert.Equal(t, []string{"club/warm"}, m.Topics())
		m.Message("club/warm", []byte(`{"t":21.5,"b":9}`))
		m.Message("club/other", []byte(`{"t":1}`))
		assert.Equal(t, []string{"warm-room/temperature 21.5 low"}, got())
		for _, bad := range []string{"", "{", `{"t":"warm"}`, `{"t":99}`} {
			m.Message("club/warm", []byte(bad))
		}
		told := got()
		require.Len(t, told, 1, "told once, not each time")
		assert.Contains(t, told[0], "nothing at")
		v, err := m.Get("warm-room/temperature")
		require.NoError(t, err)
		assert.InDelta(t, 21.5, v.Value, 0)
		assert.Contains(t, v.Refused, "99 is more than the most")
		require.NoError(t, m.Remove(t.Context(), "warm-room/temperature", grant.By{}))
		assert.Empty(t, m.Topics())
	})
}

func TestMeasure_WorksOutFromOthers(t *testing.T) {
	measuring(t, func(t *testing.T, m *measure.Measure, s *stream.Stream, got func() []string) {
		worked := func(name string, w core.Worked) error {
			_, err := m.Describe(t.Context(), name, core.Spec{Source: core.Source{Worked: &w}}, grant.By{})
			return err
		}
		require.NoError(t, worked("dome/dew-point", core.Worked{How: core.DewPoint,
			Of: []string{"dome/temperature", "dome/humidity"}}))
		require.NoError(t, worked("dome/spread", core.Worked{How: core.Difference,
			Of: []string{"dome/temperature", "dome/dew-point"}}))
		require.ErrorContains(t, worked("dome/temperature", core.Worked{How: core.Mean, Of: []string{"dome/spread"}}),
			"from itself: dome/temperature from dome/spread from dome/temperature")
		put(t, m, "dome/temperature", 20)
		assert.Equal(t, []string{"dome/temperature 20"}, got(), "the humidity is not known")
		put(t, m, "dome/humidity", 50)
		assert.Equal(t, []string{"dome/humidity 50", "dome/dew-point 9.26", "dome/spread 10.74"}, got())
		_, err := m.Put("dome/spread", 3, "", grant.By{})
		require.ErrorContains(t, err, "worked out")
		require.ErrorContains(t, m.Remove(t.Context(), "dome/humidity", grant.By{}), "used by dome/dew-point")
		time.Sleep(2 * time.Hour) // all silent
		got()
		put(t, m, "dome/humidity", 55)
		assert.Equal(t, []string{"dome/humidity 55"}, got())

		on := run.Target{Kind: run.Device, ID: "d1", Was: "mixer"}
		require.NoError(t, worked("mixer/today", core.Worked{How: core.OnFor, On: &on, Control: "power", Value: "on"}))
		time.Sleep(time.Hour)
		believed := func(v string) {
			s.Publish(happening.Happening{What: happening.Believed{DeviceID: "d1", Control: "power", Value: v}})
			got()
		}
		believed("on")
		believed("on") // what it is at is asked when it is told
		time.Sleep(90 * time.Minute)
		v, err := m.Get("mixer/today")
		require.NoError(t, err)
		assert.InDelta(t, 1.5, v.Value, 0.02)
		time.Sleep(24 * time.Hour)
		v, _ = m.Get("mixer/today")
		assert.Less(t, v.Value, 24.0, "it counts from midnight")
	})
}

func TestMeasure_IsBounded(t *testing.T) {
	db, err := store.Open(t.TempDir())
	require.NoError(t, err)
	m, err := measure.Open(t.Context(), measure.Config{Store: db, Stream: stream.New(0, time.Now), Now: time.Now})
	require.NoError(t, err)
	for name, v := range map[string]float64{"Dome": 1, "a/b/c": 1, "": 1, strings.Repeat("a", 90): 1, "a": math.NaN(),
		"b": math.Inf(1)} {
		_, err := m.Put(name, v, "", grant.By{})
		require.ErrorIs(t, err, core.ErrMeasurement, "%q", name)
	}
	_, err = m.Put("a", 1, strings.Repeat("m", 13), grant.By{})
	require.ErrorIs(t, err, core.ErrMeasurement)
	for n := range 1000 {
		_, err := m.Put(fmt.Sprintf("m-%d", n), 1, "", grant.By{})
		require.NoError(t, err)
	}
	_, err = m.Put("one-more", 1, "", grant.By{})
	require.ErrorIs(t, err, core.ErrMeasurement)
	_, err = m.Put("m-7", 2, "", grant.By{})
	require.NoError(t, err, "one that is there goes on")
	_, err = m.Get("dome/heat")
	require.ErrorIs(t, err, measure.ErrUnknown)
	require.NoError(t, db.Close())
}

func BenchmarkPut_AThousandMeasurements(b *testing.B) {
	db, err := store.Open(b.TempDir())
	require.NoError(b, err)
	m, err := measure.Open(b.Context(), measure.Config{Store: db, Stream: stream.New(0, time.Now), Now: time.Now})
	require.NoError(b, err)
	n := 0
	for b.Loop() {
		_, err := m.Put(fmt.Sprintf("m-%d", n%1000), float64(n), "", grant.By{})
		require.NoError(b, err)
		n++
	}
	require.NoError(b, db.Close())
}
