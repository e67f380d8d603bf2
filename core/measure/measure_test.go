package measure_test

import (
	"math"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"urbo/core/line"
	"urbo/core/measure"
	"urbo/core/run"
)

func ptr(f float64) *float64 { return &f }

func TestSpec_TakesWhatCanBe(t *testing.T) {
	s := measure.Spec{Scale: ptr(0.1), Offset: -40, Least: ptr(-30), Most: ptr(60)}
	v, err := s.Take(615)
	require.NoError(t, err)
	assert.InDelta(t, 21.5, v, 0)
	for _, raw := range []float64{math.NaN(), math.Inf(1), 50, 1001, math.MaxFloat64} {
		_, err := s.Take(raw)
		require.ErrorIs(t, err, measure.ErrMeasurement, "%g", raw)
	}
	v, err = measure.Spec{}.Take(0.1 + 0.2)
	require.NoError(t, err)
	assert.InDelta(t, 0.1+0.2, v, 0, "what is told plainly stays as it is")
}

func TestSpec_SaysWhatCannotBe(t *testing.T) {
	topic := func(t measure.Topic) measure.Spec { return measure.Spec{Source: measure.Source{Topic: &t}} }
	worked := func(w measure.Worked) measure.Spec { return measure.Spec{Source: measure.Source{Worked: &w}} }
	for want, s := range map[string]measure.Spec{
		"at most 12 characters":      {Unit: strings.Repeat("m", 13)},
		"scale 0":                    {Scale: ptr(0)},
		"not below":                  {Least: ptr(3), Most: ptr(3)},
		"are numbers":                {Offset: math.NaN()},
		"silent after":               {Silent: 32 * 24 * time.Hour},
		"without + and #":            topic(measure.Topic{Topic: "dome/#"}),
		"Urbo's own":                 topic(measure.Topic{Topic: "urbo/station/x/up"}),
		"begins with /":              topic(measure.Topic{Topic: "dome", Pointer: "value"}),
		"a difference is of two":     worked(measure.Worked{How: measure.Difference, Of: []string{"a/b"}}),
		"from a control and a value": worked(measure.Worked{How: measure.OnFor}),
		"go with on-for":             worked(measure.Worked{How: measure.Mean, Of: []string{"a/b"}, Value: "on"}),
		"mean, dew-point or":         worked(measure.Worked{How: "sum", Of: []string{"a/b"}}),
		"its values come from one pl": {Source: measure.Source{Topic: &measure.Topic{Topic: "a"},
			Worked: &measure.Worked{}}},
	} {
		err := s.Check()
		require.ErrorIs(t, err, measure.ErrMeasurement, want)
		assert.ErrorContains(t, err, want)
	}
	require.NoError(t, worked(measure.Worked{How: measure.OnFor, On: &run.Target{}, Control: "power",
		Value: "on"}).Check())
	require.NoError(t, topic(measure.Topic{Topic: "club/dome", Pointer: "/humidity"}).Check())
}

func TestTopic_ReadsNumbersAndBatteries(t *testing.T) {
	for _, one := range []struct {
		topic   measure.Topic
		payload string
		value   float64
		battery string
	}{
		{measure.Topic{}, "21.5", 21.5, ""},
		{measure.Topic{}, " 7\n", 7, ""},
		{measure.Topic{}, `"8"`, 8, ""},
		{measure.Topic{Pointer: "/a/1/b~1c"}, `{"a":[0,{"b/c":3e2}]}`, 300, ""},
		{measure.Topic{Pointer: "/t", Battery: "/battery"}, `{"t":"4","battery":14}`, 4, "low"},
		{measure.Topic{Pointer: "/t", Battery: "/battery"}, `{"t":4,"battery":"ok"}`, 4, "good"},
		{measure.Topic{Pointer: "/t", Battery: "/battery"}, `{"t":4}`, 4, ""},
	} {
		v, b, err := one.topic.Read([]byte(one.payload))
		require.NoError(t, err, one.payload)
		assert.InDelta(t, one.value, v, 0)
		assert.Equal(t, one.battery, b)
	}
	for _, bad := range []string{"", "warm", "NaN", "1e999", `{"t":null}`, `{"t":[1]}`, `{`, strings.Repeat("1", 20_000)} {
		_, _, err := measure.Topic{Pointer: map[bool]string{true: "/t"}[strings.HasPrefix(bad, "{")]}.Read([]byte(bad))
		require.ErrorIs(t, err, measure.ErrMeasurement, "%.20s", bad)
	}
}

func TestRadio_ReadsItsOwnSensor(t *testing.T) {
	read := line.Reading{Sheet: "sense36a", Fields: line.Fields{"id": line.Number(90), "battery": line.Number(0)},
		Measured: []line.Measurement{{Name: "temperature", Value: 21.7, Unit: "°C"}}}
	mine := measure.Radio{Sheet: "sense36a", Fields: map[string]string{"id": line.Number(90).String()},
		Value: "temperature"}
	v, unit, battery, is := mine.Read(read)
	assert.True(t, is)
	assert.InDelta(t, 21.7, v, 0)
	assert.Equal(t, "°C", unit)
	assert.Equal(t, "low", battery)
	mine.Fields["id"] = line.Number(91).String()
	_, _, _, is = mine.Read(read)
	assert.False(t, is)
}

// TestDew_AgreesWithTables: of the psychrometric tables of the trade, in °C.
func TestDew_AgreesWithTables(t *testing.T) {
	for _, row := range [][3]float64{{20, 50, 9.3}, {25, 60, 16.7}, {30, 90, 28.2}, {10, 80, 6.7}, {0, 100, 0}} {
		got, is := measure.Dew(row[0], row[1])
		assert.True(t, is)
		assert.InDelta(t, row[2], got, 0.15)
	}
	_, is := measure.Dew(20, 0)
	assert.False(t, is)
}

func TestWorked_NeedsAllOfThem(t *testing.T) {
	known := func(name string) (float64, bool) {
		v, is := map[string]float64{"a": 3, "b": 1.5}[name]
		return v, is
	}
	v, is := measure.Worked{How: measure.Difference, Of: []string{"a", "b"}}.Work(known)
	assert.True(t, is)
	assert.InDelta(t, 1.5, v, 0)
	v, _ = measure.Worked{How: measure.Mean, Of: []string{"a", "b"}}.Work(known)
	assert.InDelta(t, 2.25, v, 0)
	_, is = measure.Worked{How: measure.Mean, Of: []string{"a", "c"}}.Work(known)
	assert.False(t, is)
}

func TestCircle_FindsWhatIsWorkedOutFromItself(t *testing.T) {
	sources := map[string]measure.Source{}
	of := func(name string, of ...string) { sources[name] = measure.Source{Worked: &measure.Worked{Of: of}} }
	find := func(name string) measure.Source { return sources[name] }
	of("a", "b", "c")
	of("c", "d")
	assert.Nil(t, measure.Circle("a", find))
	of("d", "a")
	assert.Equal(t, []string{"a", "c", "d", "a"}, measure.Circle("a", find))
}

// TestThin_LosesNoExtreme: however often it is thinned, least, most, count and mean stay.
func TestThin_LosesNoExtreme(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		at := time.UnixMilli(1_800_000_000_000)
		var all []measure.Span
		for range rapid.IntRange(1, 200).Draw(r, "n") {
			at = at.Add(time.Duration(rapid.Int64Range(1, int64(20*time.Minute)).Draw(r, "gap")))
			v := rapid.Float64Range(-50, 50).Draw(r, "v")
			all = append(all, measure.Span{At: at, Least: v, Mean: v, Most: v, Count: 1})
		}
		sum := func(spans []measure.Span) (s measure.Span) {
			for _, one := range spans {
				s = s.Add(one)
			}
			return s
		}
		want := sum(all)
		thin := measure.Thin(measure.Thin(all, measure.Fine), measure.Coarse)
		got := sum(thin)
		assert.InDelta(r, want.Mean, got.Mean, 1e-9)
		want.Mean, got.Mean = 0, 0
		assert.Equal(r, want, got)
		for i := range thin[1:] {
			assert.NotEqual(r, thin[i].At.UnixMilli()/3_600_000, thin[i+1].At.UnixMilli()/3_600_000)
		}
	})
}

func TestStep_KeepsAChartSmall(t *testing.T) {
	assert.Equal(t, time.Minute, measure.Step(24*time.Hour, 1500))
	assert.Equal(t, 6*time.Hour, measure.Step(366*24*time.Hour, 1500))
}
