package service_test

import (
	"slices"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/line"
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

// TestBelief_OutpostsThatDisagreeLeaveNothingCertain lets two outposts tell late, in either order, of one press each
// that the other did not hear so.
func TestBelief_OutpostsThatDisagreeLeaveNothingCertain(t *testing.T) {
	t.Parallel()
	type told struct {
		station, key string
		after        time.Duration
	}
	garden := []told{{"garden", "power", time.Minute}, {"garden", "input-1", 2 * time.Minute}}
	attic := []told{{"attic", "power", time.Minute + 3*time.Second}, {"attic", "input-2", 2 * time.Minute}}
	ends := map[string][]string{}
	for order, all := range map[string][]told{"garden first": slices.Concat(garden, attic),
		"attic first": slices.Concat(attic, garden)} {
		onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
			tellTrue(t, h, "amplifier", "power", "off", "input", "1")
			d, err := h.Library.Device("amplifier")
			require.NoError(t, err)
			began := time.Now()
			time.Sleep(time.Hour)
			for _, one := range all {
				at := began.Add(one.after)
				h.Stream.Publish(happening.Happening{At: at, What: happening.HeardOf(happening.Capture{
					ID: one.station + one.key, At: at, Station: one.station, StationID: one.station, Port: "ir-in",
					Medium: line.Infrared, Late: true,
					Keys: []happening.KeyMatch{{DeviceID: d.ID, Ref: device.Ref{Device: d.Slug, Key: one.key}}}})})
			}
			synctest.Wait()
			for _, control := range []string{"power", "input"} {
				is := believed(t, h, "amplifier", control)
				ends[order] = append(ends[order], string(is.Word)+" "+is.Value)
			}
		})
	}
	assert.Equal(t, ends["garden first"], ends["attic first"], "who tells first does not matter")
	for _, end := range ends["garden first"] {
		assert.NotContains(t, end, string(control.Certain))
	}
}

// TestBelief_ACounterThatJumpsSaysHowManyPressesWereMissed presses the shutter's handset out of hearing.
func TestBelief_ACounterThatJumpsSaysHowManyPressesWereMissed(t *testing.T) {
	t.Parallel()
	for name, far := range map[string][]string{"nothing missed": nil, "one": {"stop"},
		"many": {"stop", "up", "stop", "down", "stop"}} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
				tellTrue(t, h, "shutter", "position", "closed")
				require.NoError(t, s.Press("shutter", "down", 0)) // where its counter stands
				time.Sleep(time.Minute)
				tellTrue(t, h, "shutter", "position", "closed")
				for _, key := range far {
					require.NoError(t, s.PressFar("shutter", key, 0))
					time.Sleep(3 * time.Second)
				}
				require.NoError(t, s.Press("shutter", "stop", 0))
				time.Sleep(time.Minute)
				is := believed(t, h, "shutter", "position")
				if far == nil {
					assert.Equal(t, "closed", is.Value)
					return
				}
				assert.NotEqual(t, control.Certain, is.Word)
				assert.True(t, is.Value != "closed" || is.Word == control.Doubtful, "%s %s", is.Word, is.Value)
			})
		})
	}
}
