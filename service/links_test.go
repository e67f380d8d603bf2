package service_test

import (
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/audition"
	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/line"
	"urbo/service"
	"urbo/service/auditions"
	"urbo/service/library"
	"urbo/stage"
)

// link lets a device follow another one.
func link(t *testing.T, h *service.House, follower, sets, to, leader, name, value string) error {
	t.Helper()
	_, err := h.Library.Link(t.Context(), follower,
		control.Link{Device: leader, Control: name, Value: value, Sets: sets, To: to}, library.Note{})
	synctest.Wait()
	return err
}

// feed lets a device's power feed another one.
func feed(t *testing.T, h *service.House, fed, by string) error {
	t.Helper()
	_, err := h.Library.Feed(t.Context(), fed, control.Feed{Device: by}, library.Note{})
	synctest.Wait()
	return err
}

func TestLinks_AnAmplifierFollowsTheRadio(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
		require.NoError(t, link(t, h, "amplifier", "power", "on", "radio", "power", "on"))
		require.NoError(t, link(t, h, "amplifier", "input", "2", "radio", "power", "on"))
		require.NoError(t, link(t, h, "amplifier", "power", "off", "radio", "power", "off"))
		tellTrue(t, h, "amplifier", "power", "off", "input", "1")
		tellTrue(t, h, "radio", "power", "off")
		time.Sleep(time.Second)
		p, err := h.Beliefs.Plan(must(h.Library.ID("radio")), control.Request{Wants: []control.Want{{Control: "power",
			Value: "on"}}})
		require.NoError(t, err)
		assert.Equal(t, []string{"amplifier"}, p.Also, "whoever switches the radio on is told what else goes on")
		require.True(t, wish(t, h, "radio", "power", "on").Done)
		is := believed(t, h, "amplifier", "power")
		assert.Equal(t, []any{"on", control.ByLink}, []any{is.Value, is.Source})
		assert.NotEqual(t, control.Certain, is.Word, "nobody looked")
		assert.Equal(t, "2", believed(t, h, "amplifier", "input").Value)

		time.Sleep(time.Minute)
		require.True(t, wish(t, h, "radio", "power", "off").Done)
		assert.Equal(t, "off", believed(t, h, "amplifier", "power").Value)

		// what somebody says of the leader came about at some time, before or after what was said of the follower
		tellTrue(t, h, "amplifier", "power", "off")
		time.Sleep(time.Minute)
		tellTrue(t, h, "radio", "power", "on")
		assert.ElementsMatch(t, []string{"off", "on"}, believed(t, h, "amplifier", "power").May)
	})
}

func TestLinks_TwoThatSwitchEachOtherOnEndAndACircleIsRefused(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
		require.NoError(t, link(t, h, "amplifier", "power", "on", "radio", "power", "on"))
		require.NoError(t, link(t, h, "radio", "power", "on", "amplifier", "power", "on"))
		tellTrue(t, h, "amplifier", "power", "off")
		tellTrue(t, h, "radio", "power", "off")
		time.Sleep(time.Second)
		require.True(t, wish(t, h, "amplifier", "power", "on").Done)
		assert.Equal(t, "on", believed(t, h, "radio", "power").Value)
		assert.Equal(t, "on", believed(t, h, "amplifier", "power").Value)

		for says, err := range map[string]error{
			"they lead in a circle": link(t, h, "boardwalk", "power", "off", "amplifier", "power", "on"),
			"cannot follow itself":  link(t, h, "radio", "power", "on", "radio", "power", "on"),
			"has no control":        link(t, h, "radio", "power", "on", "amplifier", "bass", "on"),
			"has no value":          link(t, h, "radio", "power", "on", "amplifier", "input", "9"),
			"a power or selector":   link(t, h, "radio", "power", "on", "amplifier", "volume", "9"),
			"would set it to off":   link(t, h, "radio", "power", "off", "amplifier", "power", "on"),
		} {
			if says == "they lead in a circle" {
				require.NoError(t, err)
				err = link(t, h, "amplifier", "power", "off", "boardwalk", "power", "off")
			}
			assert.ErrorContains(t, err, says)
			assert.ErrorIs(t, err, control.ErrForm)
		}
		require.NoError(t, feed(t, h, "amplifier", "mixer"))
		assert.ErrorContains(t, feed(t, h, "mixer", "amplifier"), "leads in a circle")
		assert.ErrorContains(t, feed(t, h, "amplifier", "boardwalk"), "a device has one master")
		assert.NoError(t, feed(t, h, "screen", "boardwalk"), "one feeds several, and what has no power of its own")
	})
}

func TestFeed_WhatIsFedHasNoPowerWhileItsMasterIsOff(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	onStage(t, dir, func(t *testing.T, h *service.House, _ *stage.Stage) {
		for slug, change := range map[string]func(*control.Control){
			"amplifier": func(c *control.Control) { c.MainsFail = "off" },
			"mixer":     func(c *control.Control) { c.GoesOffS = 4 * 3600 },
		} {
			_, err := h.Library.ChangeBySlug(t.Context(), slug, library.Note{}, func(d *device.Device) error {
				change(&d.Controls[0])
				return nil
			})
			require.NoError(t, err)
		}
		tellTrue(t, h, "mixer", "power", "on")
		is := believed(t, h, "mixer", "power")
		assert.Equal(t, []any{"on", control.Believed}, []any{is.Value, is.Word},
			"since when its time runs is not known")
		time.Sleep(30 * time.Minute)
		is = believed(t, h, "mixer", "power")
		assert.Equal(t, []any{"on", control.Doubtful}, []any{is.Value, is.Word})
		assert.ElementsMatch(t, []string{"off", "on"}, is.May)
		tellTrue(t, h, "mixer", "power", "off")
		time.Sleep(time.Second)
		require.True(t, wish(t, h, "mixer", "power", "on").Done)
		tellTrue(t, h, "amplifier", "power", "on", "volume", "20")
		require.NoError(t, feed(t, h, "amplifier", "mixer"))
		assert.Equal(t, control.On, believed(t, h, "amplifier", "power").Phase, "its master is on")
		require.True(t, wish(t, h, "mixer", "power", "off").Done)
		assert.Equal(t, control.Unfed, believed(t, h, "amplifier", "power").Phase)
		r := wish(t, h, "amplifier", "volume", "10")
		assert.False(t, r.Done)
		assert.Empty(t, r.Presses, "nothing is pressed at what has no power")
		require.NotEmpty(t, r.Plan.Helps)
		assert.Equal(t, control.HelpFeed, r.Plan.Helps[0].Kind)

		require.True(t, wish(t, h, "mixer", "power", "on").Done)
		assert.Equal(t, "off", believed(t, h, "amplifier", "power").Value, "as after a mains failure")
		require.True(t, wish(t, h, "amplifier", "power", "on").Done)

		// the master's own timer takes its power
		time.Sleep(5 * time.Hour)
		synctest.Wait()
		assert.Equal(t, control.ByItself, believed(t, h, "mixer", "power").Source)
		assert.Equal(t, control.Unfed, believed(t, h, "amplifier", "power").Phase)
		time.Sleep(time.Second)
	})
}

func must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}

// TestSweep_PressesWhatItHits sweeps addresses among which is that of known lights: they are believed to be switched.
func TestSweep_PressesWhatItHits(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "boardwalk", "power", "off")
		_, err := h.Library.Add(t.Context(), device.Device{Name: "New lamp", Kind: "light"}, library.Note{})
		require.NoError(t, err)
		code := device.Code{Sheet: "nec", Fields: line.Fields{"address": line.Number(0x39), "command": line.Number(2)}}
		wanted := auditions.New{Device: "new-lamp", Function: "power", Pause: time.Second,
			Sweep: &audition.Sweep{Code: code, Field: "address", From: 0x38, To: 0x3a}}
		plan, err := h.Auditions.Plan(wanted)
		require.NoError(t, err)
		require.Len(t, plan.Moves, 1, "it is said before which known devices move")
		assert.Equal(t, "boardwalk", plan.Moves[0].Device)
		_, err = h.Auditions.Start(t.Context(), wanted)
		require.NoError(t, err)
		time.Sleep(10 * time.Second)
		assert.Equal(t, "on", truth(t, s, "boardwalk")["power"])
		assert.Equal(t, "on", believed(t, h, "boardwalk", "power").Value)
	})
}
