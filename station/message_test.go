package station_test

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/signal"
	"urbo/station"
)

var half = 0.5

// messages is one of every type, with all its fields.
var messages = map[string]station.Message{
	"hello": station.Hello{Link: 1, Station: "dome", Model: "Bench board", Firmware: "3", Ports: []station.Port{
		{ID: "ir-out", Direction: station.Transmitter, Medium: "infrared", FromHz: 30_000, ToHz: 60_000, Longest: 1024,
			Strength: true, Frequency: true, Duty: 0.5}}, Now: 5, Message: 4096, Sum: true},
	"welcome": station.Welcome{Link: 1},
	"refused": station.Refused{Reason: "no"},
	"heard": station.Heard{Port: "ir-in", At: 5, Train: signal.Train{9000, 4500, 563}, Gap: 20_000, Strength: &half,
		CarrierHz: 38_000, FrequencyHz: 433_920_000, More: true},
	"send": station.Send{ID: "a1", Port: "ir-out", CarrierHz: 38_000, FrequencyHz: 1, Duty: 0.33, Once: []int{9, 4},
		Repeat: []int{5, 6}, Repeats: 2,
		Last: []int{7, 8}, GapUS: 9, WithinMS: 10},
	"sent":    station.Sent{ID: "a1", Started: 7, Took: 8},
	"failed":  station.Failed{ID: "a1", Reason: "no"},
	"hold":    station.Hold{ID: "a1", Lease: 400},
	"measure": station.Measure{Lease: 60_000},
	"cancel":  station.Cancel{ID: "a1"},
	"gone":    station.Gone{},
	"who":     station.Who{},
	"ping":    station.Ping{},
	"pong":    station.Pong{},
	"note":    station.Note{Severity: "info", Text: "hello"},
}

func TestMessages_ReadThemselvesBack(t *testing.T) {
	for name, m := range messages {
		data, err := station.Marshal(m)
		require.NoError(t, err)
		assert.True(t, strings.HasPrefix(string(data), `{"t":"`+name+`"`), "the type stands first")
		if strings.Contains(string(data), `"id":"a1"`) {
			assert.True(t, strings.HasPrefix(string(data), `{"t":"`+name+`","id":"a1"`), "and then the id: %s", data)
		}
		got, err := station.Unmarshal(data)
		require.NoError(t, err, string(data))
		assert.Equal(t, m, got)
	}
}

// TestMessages_AreTheSchemas holds the published schema against the code: the same types, with the same fields.
func TestMessages_AreTheSchemas(t *testing.T) {
	data, err := os.ReadFile("../docs/station-link.schema.json")
	require.NoError(t, err)
	var schema struct {
		OneOf []struct {
			Required   []string                   `json:"required"`
			Properties map[string]json.RawMessage `json:"properties"`
		} `json:"oneOf"`
	}
	require.NoError(t, json.Unmarshal(data, &schema))
	require.Len(t, schema.OneOf, len(messages))
	for _, s := range schema.OneOf {
		var kind struct {
			Const string `json:"const"`
		}
		require.NoError(t, json.Unmarshal(s.Properties["t"], &kind))
		require.Contains(t, messages, kind.Const)
		text, err := station.Marshal(messages[kind.Const])
		require.NoError(t, err)
		var fields map[string]json.RawMessage
		require.NoError(t, json.Unmarshal(text, &fields))
		for name := range fields {
			assert.Contains(t, s.Properties, name, "%s carries %s", kind.Const, name)
		}
		for name := range s.Properties {
			assert.Contains(t, fields, name, "the schema's %s has %s", kind.Const, name)
		}
		for _, name := range s.Required {
			assert.Contains(t, s.Properties, name)
		}
	}
}

func TestUnmarshal_GrowsAndRefuses(t *testing.T) {
	m, err := station.Unmarshal([]byte(`{"t":"dance","steps":3}`))
	assert.NoError(t, err)
	assert.Nil(t, m, "an unknown type is passed over")
	m, err = station.Unmarshal([]byte(`{"t":"sent","id":"a","colour":"red"}`))
	assert.NoError(t, err)
	assert.Equal(t, station.Sent{ID: "a"}, m, "an unknown field is passed over")
	for _, bad := range []string{"", "[]", `{"id":"a"}`, `{"t":"heard","train":"no"}`, `{"t":5}`} {
		_, err := station.Unmarshal([]byte(bad))
		assert.ErrorIs(t, err, station.ErrMessage, bad)
	}
}

func TestHeard_CheckRefusesWhatIsBeyondItsBounds(t *testing.T) {
	good := messages["heard"].(station.Heard)
	require.NoError(t, good.Check())
	number := func(v float64) *float64 { return &v }
	hours, giga := int64(4_000_000_000), int64(11_000_000_000) // below 0 where an int has 32 bits
	for says, change := range map[string]func(*station.Heard){
		"durations":  func(h *station.Heard) { h.Train = nil },
		"gap_us":     func(h *station.Heard) { h.Gap = -1 },
		"an hour":    func(h *station.Heard) { h.Gap = int(hours) },
		"strength 2": func(h *station.Heard) { h.Strength = number(2) },
		"from 0 to":  func(h *station.Heard) { h.Strength = number(-1e300) },
		"10 GHz":     func(h *station.Heard) { h.FrequencyHz = int(giga) },
		"carrier":    func(h *station.Heard) { h.CarrierHz = -38_000 },
	} {
		h := good
		change(&h)
		assert.ErrorContains(t, h.Check(), says)
	}
}

func TestHello_Check(t *testing.T) {
	good := messages["hello"].(station.Hello)
	require.NoError(t, good.Check())
	for says, change := range map[string]func(*station.Hello){
		"speaks version 1":            func(h *station.Hello) { h.Link = 2 },
		"1 to 40":                     func(h *station.Hello) { h.Station = "Dome" },
		"takes 100 bytes":             func(h *station.Hello) { h.Message = 100 },
		"a share from 0 to 1":         func(h *station.Hello) { h.Ports[0].Duty = 2 },
		"two ports":                   func(h *station.Hello) { h.Ports = append(h.Ports, h.Ports[0]) },
		"receiver or transmitter":     func(h *station.Hello) { h.Ports[0].Direction = "both" },
		"infrared or radio":           func(h *station.Hello) { h.Ports[0].Medium = "light" },
		"give longest (at least 3)":   func(h *station.Hello) { h.Ports[0].Longest = 0 },
		"port \"Out!\": a name is 1 ": func(h *station.Hello) { h.Ports[0].ID = "Out!" },
	} {
		h := good
		h.Ports = append([]station.Port{}, good.Ports...)
		change(&h)
		assert.ErrorContains(t, h.Check(), says)
	}
}
