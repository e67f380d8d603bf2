package control_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
)

// heatPump is a device whose frames carry all that its display shows, and that has one key of its own.
var heatPump = control.Forms{Controls: []control.Control{
	{Name: "power", Kind: control.Power},
	{Name: "mode", Kind: control.Selector, Values: []string{"cool", "heat"}},
	{Name: "target", Kind: control.Dial, Least: number(16), Most: number(30), Unit: "°C"},
	{Name: "swing", Kind: control.Selector, Values: []string{"off", "on"}, Round: "swing"},
}, Whole: &control.Whole{Sheet: "own", Fixed: map[string]int64{"address": 7}, Settings: []control.Setting{
	{Control: "power", Field: "p", Values: map[string]int64{"off": 0, "on": 1}},
	{Control: "mode", Field: "m", Values: map[string]int64{"cool": 1, "heat": 3}},
	{Control: "target", Field: "c", From: 16},
}}}

func TestWhole_SendsEverythingWithOneThingChanged(t *testing.T) {
	s, err := control.Compile([]string{"swing"}, heatPump)
	require.NoError(t, err)
	frame, mine := s.Frame("own", map[string]int64{"address": 7, "p": 1, "m": 3, "c": 21})
	require.True(t, mine)
	assert.Equal(t, map[string]string{"power": "on", "mode": "heat", "target": "21"}, frame)
	_, mine = s.Frame("own", map[string]int64{"address": 8, "p": 1})
	assert.False(t, mine, "it is another device's")

	heard := control.Press{Frame: frame, At: epoch, Outcome: control.Sent, Source: control.ByHandset}
	b := s.After(s.Nothing(), heard)
	values := func(b control.Belief) (out []string) {
		for _, st := range s.States(b, epoch.Add(time.Minute)) {
			out = append(out, st.Value)
		}
		return out
	}
	assert.Equal(t, []string{"on", "heat", "21", ""}, values(b))
	p, err := s.Plan(b, control.Request{Wants: []control.Want{{Control: "target", Value: "+2"}}, Asked: true}, epoch)
	require.NoError(t, err)
	require.True(t, p.Sure)
	require.Len(t, p.Steps, 1)
	assert.Equal(t, map[string]int64{"address": 7, "p": 1, "m": 3, "c": 23}, s.Fields(p.Steps[0].Frame))
	sent := control.Press{Frame: p.Steps[0].Frame, At: epoch.Add(time.Second), Outcome: control.Unknown}
	assert.Equal(t, []string{"on", "heat", "", ""}, values(s.After(b, sent)), "it may or may not have gone out")

	// Of a device of which nothing is known, a frame sets all: what nobody asked for is at its first value.
	p, err = s.Plan(s.Nothing(), control.Request{Wants: []control.Want{{Control: "mode", Value: "heat"}}, Asked: true},
		epoch)
	require.NoError(t, err)
	assert.True(t, p.Sure)
	assert.Equal(t, map[string]string{"power": "on", "mode": "heat", "target": "16"}, p.Steps[0].Frame)
	p, err = s.Plan(b, control.Request{Wants: []control.Want{{Control: "mode", Value: "heat"}}}, epoch)
	require.NoError(t, err)
	assert.Len(t, p.Steps, 1, "believed is not certain")
	b = s.After(b, heard)
	p, err = s.Plan(b, control.Request{Wants: []control.Want{{Control: "mode", Value: "heat"}}}, epoch)
	require.NoError(t, err)
	assert.Empty(t, p.Steps, "nobody waits, and it is certain")

	for says, change := range map[string]func(*control.Whole){
		"say what stands in the field m for heat": func(w *control.Whole) {
			w.Settings[1].Values = map[string]int64{"cool": 1}
		},
		"stands in the frames twice": func(w *control.Whole) { w.Settings = append(w.Settings, w.Settings[0]) },
		"there are power, mode": func(w *control.Whole) {
			w.Settings = append(w.Settings,
				control.Setting{Control: "fan"})
		},
		"of a dial say from":  func(w *control.Whole) { w.Settings[2].Values = map[string]int64{"16": 1} },
		"name the line sheet": func(w *control.Whole) { w.Sheet = "" },
	} {
		forms := heatPump
		whole := *heatPump.Whole
		whole.Settings = append([]control.Setting{}, whole.Settings...)
		change(&whole)
		forms.Whole = &whole
		_, err := control.Compile([]string{"swing"}, forms)
		assert.ErrorContains(t, err, says)
	}
}
