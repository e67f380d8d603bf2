package service_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service"
	"urbo/service/journal"
	"urbo/service/library"
	"urbo/service/transmit"
	"urbo/stage"
)

// TestBeliefs_QuickPressesAreTwo taps keys so fast that a receiver delivers both as one.
func TestBeliefs_QuickPressesAreTwo(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "amplifier", "power", "on", "mute", "off", "volume", "14", "input", "1")
		require.NoError(t, s.Press("amplifier", "power", 0)) // it is off on the stage
		time.Sleep(3 * time.Second)
		tellTrue(t, h, "amplifier", "power", "on")
		for range 3 { // another key
			require.NoError(t, s.Press("amplifier", "volume-up", 0))
			time.Sleep(260 * time.Millisecond)
			require.NoError(t, s.Press("amplifier", "input-2", 0))
			time.Sleep(3 * time.Second)
		}
		assert.Equal(t, "17", believed(t, h, "amplifier", "volume").Value)
		assert.Equal(t, "2", believed(t, h, "amplifier", "input").Value)

		tellTrue(t, h, "projector", "power", "off", "source", "a")
		time.Sleep(time.Second)
		require.NoError(t, s.Press("projector", "on", 0))
		time.Sleep(30 * time.Second)
		for range 2 { // the same key, of a code whose first frame says that a push begins
			require.NoError(t, s.Press("projector", "source", 0))
			time.Sleep(260 * time.Millisecond)
		}
		time.Sleep(3 * time.Second)
		assert.Equal(t, "network", believed(t, h, "projector", "source").Value)
		assert.Equal(t, "network", truly(t, s, "projector", "source"))
	})
}

// TestBeliefs_ABitThatTheDeviceSawLast lets Urbo and a handset of another make press keys of the weather radio, which
// passes over a frame that it saw last.
func TestBeliefs_ABitThatTheDeviceSawLast(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		d, err := h.Library.Device("radio")
		require.NoError(t, err)
		k, err := d.Key("power")
		require.NoError(t, err)
		tellTrue(t, h, "radio", "power", "off")
		time.Sleep(time.Second)
		for range 4 { // whoever pressed last, the next one counts
			require.NoError(t, s.Press("radio", "power", 0))
			time.Sleep(2 * time.Second)
			assert.Contains(t, believed(t, h, "radio", "power").May, truly(t, s, "radio", "power"), "a handset")
			before := truly(t, s, "radio", "power")
			r, err := h.Transmit.Press(t.Context(), transmit.Order{Device: d, Key: *k})
			require.NoError(t, err)
			require.Equal(t, happening.Sent, r.Outcome)
			time.Sleep(2 * time.Second)
			now := truly(t, s, "radio", "power")
			assert.NotEqual(t, before, now, "what Urbo sends is obeyed, whatever the handset sent before")
			assert.Contains(t, believed(t, h, "radio", "power").May, now, "Urbo")
			tellTrue(t, h, "radio", "power", truly(t, s, "radio", "power"))
			time.Sleep(time.Second)
		}
	})
}

// TestBeliefs_WhatTheBenchSendsIsAPress sends a capture of a known key again.
func TestBeliefs_WhatTheBenchSendsIsAPress(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "mixer", "power", "off")
		time.Sleep(time.Second)
		require.NoError(t, s.Press("mixer", "power", 0))
		time.Sleep(2 * time.Second)
		assert.Equal(t, "on", believed(t, h, "mixer", "power").Value)
		page, err := h.Journal.Find(t.Context(), journal.Query{Kind: "heard", Limit: 1})
		require.NoError(t, err)
		r, err := h.Workbench.Send(t.Context(), page.Entries[0].ID, grant.Named("test"))
		require.NoError(t, err)
		require.Equal(t, happening.Sent, r.Outcome, r.Reason)
		time.Sleep(time.Second)
		assert.Equal(t, "off", truly(t, s, "mixer", "power"))
		assert.Equal(t, "off", believed(t, h, "mixer", "power").Value)
	})
}

// TestPairing_LeavesNothingUntilItIsConfirmed cancels one in its middle, and confirms another.
func TestPairing_LeavesNothingUntilItIsConfirmed(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
		was, err := h.Library.Device("shutter")
		require.NoError(t, err)
		_, err = h.Library.Pair("shutter", "roll56")
		require.NoError(t, err)
		_, k, err := h.Library.AsksToPair("shutter")
		require.NoError(t, err)
		assert.Equal(t, "pair", k.Name)
		now, err := h.Library.Device("shutter")
		require.NoError(t, err)
		assert.Equal(t, was, now, "nothing of it is changed")
		require.NoError(t, h.Library.Unpair("shutter"))
		_, err = h.Library.Paired(t.Context(), "shutter", library.Note{})
		require.ErrorIs(t, err, library.ErrNoPairing)

		_, err = h.Library.Pair("shutter", "roll56")
		require.NoError(t, err)
		now, err = h.Library.Paired(t.Context(), "shutter", library.Note{})
		require.NoError(t, err)
		up, err := now.Key("up")
		require.NoError(t, err)
		assert.Equal(t, "own", up.Codes[0].Source)
		assert.NotEmpty(t, up.Follows, "the handset that it had counts still")
		_, err = h.Library.Pair("shutter", "roll56")
		require.NoError(t, err)
		time.Sleep(2 * time.Hour)
		_, err = h.Library.Paired(t.Context(), "shutter", library.Note{})
		assert.ErrorIs(t, err, library.ErrNoPairing, "it does not wait for ever")
	})
}

// TestSensor_TheValueThatStandsCountsWhenItIsTied ties a meter that has shown 42 W for a while.
func TestSensor_TheValueThatStandsCountsWhenItIsTied(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
		_, err := h.Measure.Put("boardwalk/power", 42, "W", grant.Named("test"))
		require.NoError(t, err)
		time.Sleep(time.Minute)
		_, err = h.Library.ChangeBySlug(t.Context(), "boardwalk", library.Note{}, func(d *device.Device) error {
			d.PutSensor(device.Sensor{Control: "power", Measurement: "boardwalk/power", Above: 8, Below: 3,
				High: "on", Low: "off"})
			return nil
		})
		require.NoError(t, err)
		time.Sleep(5 * time.Second)
		st := believed(t, h, "boardwalk", "power")
		assert.Equal(t, "on", st.Value)
		assert.Equal(t, control.Sensed, st.Source)
	})
}

// TestPlan_SaysWhoElseObeys has two devices with one code.
func TestPlan_SaysWhoElseObeys(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
		d, err := h.Library.Device("mixer")
		require.NoError(t, err)
		d.ID, d.Slug, d.Name = "", "", "Second mixer"
		_, err = h.Library.Add(t.Context(), d, library.Note{})
		require.NoError(t, err)
		time.Sleep(time.Second)
		tellTrue(t, h, "mixer", "power", "on")
		r, err := h.Setting.Plan(wishOf(t, h, "mixer", "speed", "3"))
		require.NoError(t, err)
		assert.Equal(t, []string{"second-mixer"}, r.Plan.Also)
	})
}
