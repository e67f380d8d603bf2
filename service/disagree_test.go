package service_test

import (
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service"
	"urbo/service/library"
	"urbo/stage"
)

func TestTell_TwoPeopleWhoSayTwoThingsLeaveNothingCertain(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
		done := make(chan error)
		for _, value := range []string{"on", "off"} {
			go func() {
				_, err := h.Beliefs.Tell("amplifier", "power", value, grant.Named(value))
				done <- err
			}()
		}
		require.NoError(t, <-done)
		require.NoError(t, <-done)
		is := believed(t, h, "amplifier", "power")
		assert.NotEmpty(t, is.Value, "the later one counts")
		assert.Equal(t, control.Believed, is.Word)
		time.Sleep(time.Minute)
		tellTrue(t, h, "amplifier", "power", "off")
		assert.Equal(t, control.Certain, believed(t, h, "amplifier", "power").Word)
	})
}

// TestSensor_ThatFlapsForADayIsHeardLessAndLess goes to and fro at its limits every two minutes.
func TestSensor_ThatFlapsForADayIsHeardLessAndLess(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
		_, err := h.Library.ChangeBySlug(t.Context(), "amplifier", library.Note{}, func(d *device.Device) error {
			d.PutSensor(device.Sensor{Control: "power", Measurement: "lecture/power", High: "on", Low: "off", Above: 8,
				Below: 3})
			return nil
		})
		require.NoError(t, err)
		queue := h.Stream.Subscribe()
		watts, wrong := 2.0, 0
		for n := range 24 * 30 {
			watts = 12 - watts
			_, err := h.Measure.Put("lecture/power", watts, "W", grant.Named("meter"))
			require.NoError(t, err)
			time.Sleep(2 * time.Minute)
			synctest.Wait()
			truth := map[bool]string{true: "on", false: "off"}[watts > 8]
			if is := believed(t, h, "amplifier", "power"); n > 20 && is.Word == control.Certain && is.Value != truth {
				wrong++
			}
		}
		assert.Zero(t, wrong, "it is never certain and wrong")
		contradicted, notes := 0, 0
		batch, err := queue.Next(t.Context())
		require.NoError(t, err)
		for _, one := range batch {
			switch what := one.What.(type) {
			case happening.Contradicted:
				contradicted++
			case happening.HouseNote:
				if what.Severity == "warning" {
					notes++
				}
			}
		}
		assert.Less(t, contradicted, 50, "the journal is not filled")
		assert.LessOrEqual(t, notes, 3)
	})
}
