package device_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
)

func TestTraits_AreBoundedAndSayWhatIsWanted(t *testing.T) {
	good := device.Traits{Plate: "XR-22 107", PlateHz: 433_420_000, Notes: "two\nlines", Power: device.PowerToggles,
		Inputs: device.InputsCycling, WarmUpMS: 20_000, GapMS: 400,
		Face: [][]string{{"power", "", "mute"}, {"", "up"}}}
	require.NoError(t, good.Check())
	require.NoError(t, device.Traits{}.Check())
	for says, spoil := range map[string]func(*device.Traits){
		"longer than 80":     func(t *device.Traits) { t.Plate = strings.Repeat("x", 81) },
		"longer than 4000":   func(t *device.Traits) { t.Notes = strings.Repeat("x", 4001) },
		"control characters": func(t *device.Traits) { t.Notes = "bell\a" },
		"write it in Hz":     func(t *device.Traits) { t.PlateHz = -1 },
		"two-keys or none":   func(t *device.Traits) { t.Power = "often" },
		"direct or cycling":  func(t *device.Traits) { t.Inputs = "many" },
		"warms up":           func(t *device.Traits) { t.WarmUpMS = 600_001 },
		"between two":        func(t *device.Traits) { t.GapMS = -5 },
		"places":             func(t *device.Traits) { t.Face = [][]string{{"a", "b", "c", "d"}} },
		"twice":              func(t *device.Traits) { t.Face = [][]string{{"a"}, {"b", "a"}} },
		"rows":               func(t *device.Traits) { t.Face = make([][]string, 61) },
	} {
		bad := good
		spoil(&bad)
		err := bad.Check()
		require.ErrorIs(t, err, device.ErrTraits, says)
		assert.Contains(t, err.Error(), says)
	}
}

func TestTraits_ARenamedKeyKeepsItsPlaceAndARemovedOneLeavesAGap(t *testing.T) {
	face := [][]string{{"power", "", "mute"}}
	traits := device.Traits{Face: face}
	traits.RenameKey("mute", "silence")
	assert.Equal(t, [][]string{{"power", "", "silence"}}, traits.Face)
	traits.RenameKey("power", "")
	assert.Equal(t, [][]string{{"", "", "silence"}}, traits.Face)
	assert.Equal(t, "mute", face[0][2], "the face it was made of stays")
}
