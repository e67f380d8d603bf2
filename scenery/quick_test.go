package scenery_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestQuick_ErrandsComeWhileAKeyIsHeld: they come while a button is still down, once, unless what it changes has to be
// known first, or something would be sent in the medium in which the handset is sending.
func TestQuick_ErrandsComeWhileAKeyIsHeld(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		errand, handset, key string
		early                int
	}{
		"infrared, and radio is sent": {"when boardwalk/red pressed do set dew-a/power to on", "boardwalk", "red", 1},
		"nothing is sent":             {"when boardwalk/red pressed do notify \"red\"", "boardwalk", "red", 1},
		"radio, and radio is sent":    {"when door/opened pressed do set dew-a/power to on", "door", "opened", 0},
		"infrared of the device itself": {"when boardwalk/red pressed do set boardwalk/power to off", "boardwalk",
			"red", 0},
		"how long it is held is asked": {"when boardwalk/red pressed held do set dew-a/power to on", "boardwalk",
			"red", 0},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			inObservatory(t, december, func(t *testing.T, o *observatory) {
				one := o.says("errand quick " + c.errand)
				for n := range 3 {
					require.NoError(t, o.stage.Press(c.handset, c.key, 2*time.Second))
					o.pause(1500 * time.Millisecond)
					assert.Len(t, o.came(one), n+c.early, "while it is held")
					o.pause(time.Minute)
					assert.Len(t, o.came(one), n+1, "once for each press")
				}
			})
		})
	}
}
