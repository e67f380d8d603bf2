package occasion_test

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
	"urbo/core/occasion"
	"urbo/core/run"
)

func device(id string) run.Target { return run.Target{Kind: run.Device, ID: id, Was: id} }

func wanted(on run.Target, control, value string) run.Wanted {
	return run.Wanted{On: on, Control: control, Value: value}
}

// house is made of devices by group or room, and of what each needs.
type house struct {
	members map[string][]string
	needs   map[string][]string
}

func (h house) With(on run.Target, _ string) []string {
	if on.Kind == run.Device {
		return []string{on.ID}
	}
	return h.members[on.ID]
}

func (h house) Needs(id string) []string { return h.needs[id] }

func TestStages_TheNearestNameCountsAndEachDeviceIsSetOnce(t *testing.T) {
	room := run.Target{Kind: run.Room, ID: "lecture"}
	heaters := run.Target{Kind: run.Group, ID: "dew"}
	o := occasion.Occasion{Wants: []run.Set{
		{Changes: []run.Wanted{wanted(device("projector"), "power", "on"), wanted(room, "power", "off"),
			wanted(heaters, "power", "on"), wanted(device("dew-a"), "power", "off")}},
		{Changes: []run.Wanted{wanted(device("lamp"), "power", "on"), wanted(device("projector"), "source", "b")}}}}
	got, err := o.Stages(house{members: map[string][]string{"lecture": {"projector", "amplifier", "dew-a"},
		"dew": {"dew-a", "dew-b"}}})
	require.NoError(t, err)
	want := func(control1, value string) []control.Want { return []control.Want{{Control: control1, Value: value}} }
	assert.Equal(t, []occasion.Stage{
		{{"projector", []control.Want{{Control: "power", Value: "on"}, {Control: "source", Value: "b"}}},
			{"amplifier", want("power", "off")}, {"dew-a", want("power", "off")}, {"dew-b", want("power", "on")}},
		{{"lamp", want("power", "on")}}}, got)
}

func TestStages_WhatADeviceNeedsComesFirst(t *testing.T) {
	var set run.Set
	for _, id := range []string{"screen", "player", "mains", "left", "right"} {
		set.Changes = append(set.Changes, wanted(device(id), "power", "on"))
	}
	o := occasion.Occasion{Wants: []run.Set{set}}
	got, err := o.Stages(house{needs: map[string][]string{"screen": {"player", "screen"}, "player": {"mains", "absent"},
		"left": {"right"}, "right": {"left"}}})
	require.NoError(t, err)
	var order [][]string
	for _, s := range got {
		order = append(order, occasion.Devices([]occasion.Stage{s}))
	}
	assert.Equal(t, [][]string{{"mains"}, {"player"}, {"screen"}, {"left", "right"}}, order,
		"those that need each other are set side by side, and nothing is lost")
}

func TestStages_AreBounded(t *testing.T) {
	var many []string
	for i := range occasion.MaxParts + 1 {
		many = append(many, fmt.Sprint(i))
	}
	o := occasion.Occasion{Wants: []run.Set{{Changes: []run.Wanted{wanted(run.Target{Kind: run.Room, ID: "hall"},
		"power", "off")}}}}
	_, err := o.Stages(house{members: map[string][]string{"hall": many}})
	require.ErrorIs(t, err, occasion.ErrOccasion)
	assert.ErrorContains(t, err, "201 devices, the most is 200")
}

func TestBegin_TakesTheRoomsOfTheOthers(t *testing.T) {
	rooms := map[string]string{"projector": "lecture", "amplifier": "lecture", "boardwalk": "outside", "mixer": "dome"}
	room := func(id string) string { return rooms[id] }
	keeps := func(of string, ids ...string) func(o, id string) bool {
		return func(o, id string) bool { return o == of && slices.Contains(ids, id) }
	}
	began := time.Unix(1_800_000_000, 0)
	talk := occasion.Force{Occasion: "talk", Rooms: []string{"lecture", "outside"},
		Devices: []string{"projector", "amplifier", "boardwalk"}, Since: began}
	run1 := occasion.Force{Occasion: "observing", Rooms: []string{"outside", "dome"},
		Devices: []string{"boardwalk", "mixer"}}

	now, off := occasion.Begin(nil, talk, room, keeps(""))
	assert.Equal(t, []occasion.Force{talk}, now)
	assert.Empty(t, off)

	now, off = occasion.Begin(now, run1, room, keeps(""))
	rest := occasion.Force{Occasion: "talk", Rooms: []string{"lecture"}, Devices: []string{"projector", "amplifier"},
		Since: began}
	assert.Equal(t, []occasion.Force{rest, run1}, now, "it goes on where the other one is not")
	assert.Empty(t, off, "both want the boardwalk")

	quiet := occasion.Force{Occasion: "quiet", Rooms: []string{"lecture", "dome"}, Devices: []string{"amplifier"}}
	now, off = occasion.Begin(now, quiet, room, keeps("observing", "mixer"))
	assert.Equal(t, []string{"projector"}, off, "the mixer stays, and the amplifier is wanted")
	assert.Equal(t, []string{"observing", "quiet"}, []string{now[0].Occasion, now[1].Occasion})
	assert.Equal(t, []string{"outside"}, now[0].Rooms)

	smaller := talk
	smaller.Devices = []string{"projector"}
	now, off = occasion.Begin([]occasion.Force{talk}, smaller, room, keeps(""))
	assert.Equal(t, []occasion.Force{smaller}, now, "the same begins anew")
	assert.Equal(t, []string{"amplifier", "boardwalk"}, off, "it wanted them before")
}

// believed are states by device.
type believed map[string][]control.State

func (b believed) States(id string) []control.State { return b[id] }

func (b believed) Reached(id string, w control.Want) bool {
	return slices.ContainsFunc(b[id], func(s control.State) bool {
		return s.Control == w.Control && s.Value == w.Value
	})
}

func TestDiffers_OffNeedsNothingElse(t *testing.T) {
	part := func(id string, pairs ...string) occasion.Part {
		p := occasion.Part{Device: id}
		for i := 0; i < len(pairs); i += 2 {
			p.Wants = append(p.Wants, control.Want{Control: pairs[i], Value: pairs[i+1]})
		}
		return p
	}
	power := func(value string, word control.Word) control.State {
		return control.State{Control: "power", Kind: control.Power, Value: value, Word: word}
	}
	stages := []occasion.Stage{{part("amplifier", "volume", "22", "power", "off")},
		{part("projector", "power", "on", "source", "b"), part("lamp", "power", "on"), part("gone", "power", "on"),
			part("fan", "power", "off")}}
	got := occasion.Differs(stages, believed{
		"amplifier": {power("off", control.Believed), {Control: "volume", Value: "14"}},
		"projector": {power("on", control.Certain), {Control: "source", Near: "a to c"}},
		"lamp":      {power("on", control.Doubtful)},
		"fan":       {power("on", control.Certain)}})
	assert.Equal(t, []occasion.Difference{
		{Device: "projector", Control: "source", Wanted: "b", Value: "a to c", Unsure: true},
		{Device: "lamp", Control: "power", Wanted: "on", Value: "on", Unsure: true},
		{Device: "fan", Control: "power", Wanted: "off", Value: "on"}}, got)
}

func TestCheck_SaysWhatAnOccasionIsNot(t *testing.T) {
	on := wanted(device("lamp"), "power", "on")
	by := wanted(device("amplifier"), "volume", "up 3")
	plain := []run.Set{{Changes: []run.Wanted{on}}}
	with := func(r occasion.Rein, p run.Path) occasion.Occasion {
		return occasion.Occasion{Wants: plain, Reins: map[occasion.Rein]run.Path{r: p}}
	}
	require.NoError(t, occasion.Occasion{Wants: plain}.Check())
	require.NoError(t, with(occasion.Volume, run.Path{On: device("amplifier"), Name: "volume"}).Check())
	for said, o := range map[string]occasion.Occasion{
		"there are none":                 {},
		"lasts until another one begins": {Wants: []run.Set{{Changes: []run.Wanted{on}, Hold: time.Minute}}},
		"an occasion wants a value":      {Wants: []run.Set{{Changes: []run.Wanted{by}}}},
		"things stay, the most is":       {Wants: plain, Stays: make([]run.Target, occasion.MaxStays+1)},
		"\"wheel\" is no rein":           with("wheel", run.Path{On: device("lamp")}),
		"goes to one device": with(occasion.Arrows,
			run.Path{On: run.Target{Kind: run.Group, Was: "dew"}}),
		"goes to a control, such as lamp/": with(occasion.Volume, run.Path{On: device("lamp")}),
		"write lamp, without /keys":        with(occasion.Arrows, run.Path{On: device("lamp"), Name: "keys"}),
	} {
		assert.ErrorContains(t, o.Check(), said)
	}
	_, err := occasion.WantsOf([]run.Step{{Notify: "hello"}})
	require.ErrorIs(t, err, occasion.ErrOccasion)
	assert.ErrorContains(t, err, "let a sequence do all else")
	_, err = occasion.ReinOf("nonsense")
	assert.ErrorContains(t, err, "volume-up")
}
