package control

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestMeant_IsWhatSomebodyWouldWrite(t *testing.T) {
	least, most := 16.0, 30.0
	keys := []string{"power", "up", "down", "stop", "auto", "cooling", "dry", "drying", "louder", "softer"}
	s, err := Compile(keys, Forms{Controls: []Control{
		{Name: "power", Kind: Power, Round: "power"},
		{Name: "mode", Kind: Selector, Values: []string{"auto", "cooling", "dry", "drying"},
			Keys: map[string]string{"auto": "auto", "cooling": "cooling", "dry": "dry", "drying": "drying"}},
		{Name: "target", Kind: Dial, Least: &least, Most: &most, Up: "louder", Down: "softer"},
		{Name: "position", Kind: Travel, Open: "up", Close: "down", Stop: "stop", OpenMS: 10_000},
	}})
	require.NoError(t, err)
	for typed, want := range map[[2]string]Want{
		{"Power", "ON"}:        {"power", "on"},
		{"power", "on"}:        {"power", "on"},
		{"mode", "cool"}:       {"mode", "cooling"},
		{"mode", "Cooling"}:    {"mode", "cooling"},
		{"mode", "dry"}:        {"mode", "dry"}, // as it is, though another begins so
		{"mode", "dr"}:         {"mode", "dr"},  // it may be two
		{"mode", "co"}:         {"mode", "co"},  // too little of it
		{"target", "24°C"}:     {"target", "24"},
		{"target", "24 °c"}:    {"target", "24"},
		{"target", "24,0"}:     {"target", "24.0"},
		{"target", "24 W"}:     {"target", "24 W"},
		{"target", "99 °C"}:    {"target", "99 °C"}, // beyond its ends, which the error says
		{"target", "up 2"}:     {"target", "up 2"},
		{"position", "half"}:   {"position", "50"},
		{"position", "50 %"}:   {"position", "50"},
		{"position", "OPEN"}:   {"position", "open"},
		{"position", "closed"}: {"position", "closed"},
		{"volume", "5"}:        {"volume", "5"},
	} {
		assert.Equal(t, want, s.Meant(Want{typed[0], typed[1]}), "%v", typed)
	}
}
