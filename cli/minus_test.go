package cli

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestWithMinus_ValuesBelowZeroAreNoFlags: "volume -1" and "tell bass -5" were taken for flags, and a minus in any
// other text was stored as another character.
func TestWithMinus_ValuesBelowZeroAreNoFlags(t *testing.T) {
	for line, want := range map[string]string{
		"set amplifier volume -1":                           "set amplifier volume !-1",
		"tell amplifier bass -5":                            "tell amplifier bass !-5",
		"measure shed/temperature -4.5":                     "measure shed/temperature !-4.5",
		"--output json tell amplifier bass -5":              "--output json tell amplifier bass !-5",
		"--server unix:x set amplifier volume -2 --dry":     "--server unix:x set amplifier volume !-2 --dry",
		"device control also amplifier/volume-up volume -1": "device control also amplifier/volume-up volume !-1",
		"device set amplifier --notes -5":                   "device set amplifier --notes -5",
		"device code amplifier/power 9000 -4500 +560,-560":  "device code amplifier/power 9000 !-4500 +560,-560",
		"bench decode 9000 -4500/560 --output json":         "bench decode 9000 !-4500/560 --output json",
		"press amplifier/power --times -1":                  "press amplifier/power --times -1",
		"set amplifier volume -- -1":                        "set amplifier volume -- -1",
		"--output json":                                     "--output json",
	} {
		got := strings.ReplaceAll(strings.Join(withMinus(strings.Fields(line)), " "), minus, "!")
		assert.Equal(t, want, got)
	}
	assert.Equal(t, "-5", given(withMinus([]string{"tell", "amplifier", "bass", "-5"})[3]))
}
