package audition_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/audition"
	"urbo/core/control"
	"urbo/core/device"
)

// climate is a code set whose frames carry everything, with what stands in them for each mode.
func climate(slug string, modes map[string]int64) device.Device {
	least, most := 16.0, 30.0
	return device.Device{Slug: slug, Name: "Set " + slug, Kind: "air-conditioner", Traits: device.Traits{
		Forms: control.Forms{Controls: []control.Control{{Name: "power", Kind: control.Power},
			{Name: "mode", Kind: control.Selector, Values: []string{"auto", "cooling", "drying", "heating"}},
			{Name: "target", Kind: control.Dial, Least: &least, Most: &most, Unit: "°C"},
			{Name: "fan", Kind: control.Selector, Values: []string{"low", "middle", "high"}}},
			Whole: &control.Whole{Sheet: "own", Settings: []control.Setting{
				{Control: "power", Field: "p", Values: map[string]int64{"off": 0, "on": 1}},
				{Control: "mode", Field: "m", Values: modes}, {Control: "target", Field: "t", From: 16},
				{Control: "fan", Field: "f", Values: map[string]int64{"low": 1, "middle": 2, "high": 3}}}}}}}
}

// answerTruly answers as somebody in front of a device does who sees what it makes of each mode.
func answerTruly(t *testing.T, a *audition.Audition, shows map[int64]string) {
	t.Helper()
	showed := ""
	for range 200 {
		if a.Over() {
			return
		}
		if codes, _ := a.Due(); codes != nil {
			n := func(field string) int64 { v, _ := codes[0].Fields[field].Int(); return v }
			showed = shows[n("m")] + "-" + codes[0].Fields["t"].String() + "-" + []string{"", "low", "middle",
				"high"}[n("f")]
			if n("p") == 0 {
				showed = "off"
			}
			a.Played()
			if a.Phase == audition.Playing {
				if showed == "cooling-24-low" {
					require.NoError(t, a.Reacted())
				} else if a.Next >= a.Len() {
					require.NoError(t, a.Say(audition.No))
				}
				continue
			}
		}
		want := "cooling-24-low"
		if a.Phase == audition.Walking {
			_, want = a.Now()
		}
		answer := audition.No
		if showed == want {
			answer = audition.Yes
		}
		require.NoError(t, a.Say(answer))
	}
	t.Fatal("it does not end")
}

func TestClimate_TheSetIsFoundByWhatTheDeviceShows(t *testing.T) {
	other := climate("other", map[string]int64{"auto": 0, "cooling": 2, "drying": 1, "heating": 3})
	right := climate("right", map[string]int64{"auto": 0, "cooling": 1, "drying": 2, "heating": 3})
	lamp := device.Device{Slug: "lamp", Keys: []device.Key{{Name: "power", Codes: []device.Code{{Sheet: "nec"}}}}}
	a, err := audition.New(audition.Climate, []device.Device{lamp, other, right})
	require.NoError(t, err)
	assert.Equal(t, 2, a.Len(), "only sets whose frames carry everything")
	assert.Equal(t, `Watch the device's display, and say when it shows "cooling 24 low".`, a.Prompt())
	answerTruly(t, a, map[int64]string{0: "auto", 1: "cooling", 2: "drying", 3: "heating"})
	assert.Equal(t, audition.Found, a.Phase)
	set, ok := a.FramesOf()
	require.True(t, ok)
	assert.Equal(t, "right", set.Slug)
	assert.Empty(t, set.Keys)
	assert.Equal(t, right.Controls, set.Controls)
}

func TestClimate_WhatTheDeviceDoesNotShowIsLeftOut(t *testing.T) {
	a, err := audition.New(audition.Climate, []device.Device{climate("half", map[string]int64{"auto": 0, "cooling": 1,
		"drying": 2, "heating": 3})})
	require.NoError(t, err)
	answerTruly(t, a, map[int64]string{0: "auto", 1: "cooling", 2: "drying", 3: "auto"}) // it cannot heat
	require.Equal(t, audition.Found, a.Phase, "four of five are right")
	set, ok := a.FramesOf()
	require.True(t, ok)
	assert.Equal(t, []string{"auto", "cooling", "drying"}, set.Controls[1].Values)
	_, err = control.Compile(nil, set.Forms)
	require.NoError(t, err)
}

func TestClimate_TheBestSetCanBeKeptThoughItFitsInPart(t *testing.T) {
	a, err := audition.New(audition.Climate, []device.Device{climate("some", map[string]int64{"auto": 0, "cooling": 1,
		"drying": 2, "heating": 3})})
	require.NoError(t, err)
	for range 3 { // played, reacted, played again
		if codes, _ := a.Due(); codes != nil {
			a.Played()
		}
		if a.Phase == audition.Playing {
			require.NoError(t, a.Reacted())
		}
	}
	require.NoError(t, a.Say(audition.Yes))
	_, ok := a.FramesOf()
	assert.True(t, ok)
	a.Finish()
	set, keys, ok := a.Best()
	require.True(t, ok)
	assert.Equal(t, "some", set.Slug)
	assert.Len(t, keys, 1)
	kept, ok := a.FramesOf()
	require.True(t, ok, "its frames are kept, and not what was played to try them")
	assert.Empty(t, kept.Keys)
	require.NoError(t, a.Take())
	assert.Contains(t, a.Prompt(), "Set some, which fits in part")
}

func TestClimate_SaysWhereNoSetCanBeTried(t *testing.T) {
	_, err := audition.New(audition.Climate, []device.Device{{Slug: "lamp"}})
	require.ErrorIs(t, err, audition.ErrPlan)
	cold := climate("cold", nil)
	cold.Controls, cold.Whole = cold.Controls[:1], &control.Whole{Sheet: "own", Settings: cold.Whole.Settings[:1]}
	_, shows := audition.Shown(cold)
	assert.False(t, shows, "no temperature")
}
