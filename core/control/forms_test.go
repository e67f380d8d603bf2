package control_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
)

func TestCompile_SaysWhatIsWrong(t *testing.T) {
	many := make([]string, 10_000)
	for i := range many {
		many[i] = fmt.Sprint("v", i)
	}
	up := "up"
	dial := func(least, most, step float64) control.Control {
		return control.Control{Name: "volume", Kind: control.Dial, Least: &least, Most: &most, Step: step, Up: up,
			Down: "down"}
	}
	for says, c := range map[string]control.Control{
		"a name has 1 to 40 of a-z":          {Name: "Vol ume", Kind: control.Dial},
		"kind \"slider\": power, dial":       {Name: "x", Kind: "slider"},
		"the most has to be above the least": dial(10, 2, 1),
		"the steps have to end at the most":  dial(0, 10, 3),
		"steps, the most is 1000":            dial(0, 100_000, 1),
		"10000 values, the most is 64": {Name: "source", Kind: control.Selector, Values: many,
			Round: "up"},
		"a circle of 1": {Name: "source", Kind: control.Selector, Values: []string{"a"},
			Round: "up"},
		"put off first": {Name: "power", Kind: control.Power,
			Values: []string{"on", "off"}, Round: "up"},
		"name its keys: one that goes round, or one": {Name: "power", Kind: control.Power},
		"there is no key \"gone\"":                   {Name: "power", Kind: control.Power, Round: "gone"},
		"value \"a\" is there twice": {Name: "source", Kind: control.Selector,
			Values: []string{"a", "a"}, Round: "up"},
		"would do two things to it": {Name: "source", Kind: control.Selector,
			Values: []string{"a", "b"}, Round: "up", Keys: map[string]string{"a": "up"}},
		"say how long the full way takes": {Name: "screen", Kind: control.Travel, Open: "up", Close: "down"},
		"there is no key for the digit 0": {Name: "channel", Kind: control.Digits},
		"when switched on, \"loud\": keep, unknown": {Name: "volume", Kind: control.Dial, Most: number(9), Up: up,
			OnStart: "loud"},
		"warm_up_ms is 9000000: 0 to 600000": {Name: "power", Kind: control.Power, Round: "up",
			WarmUpMS: 9_000_000},
		"favourite \"7\": give it a name that is no": {Name: "channel", Kind: control.Digits,
			Favourites: map[string]int{"7": 7}},
		"favourite \"marsh\" is 470: from 0 to 99": {Name: "channel", Kind: control.Digits,
			Favourites: map[string]int{"marsh": 470}},
	} {
		_, err := control.Compile([]string{"up", "down"}, control.Forms{Controls: []control.Control{c}})
		require.ErrorIs(t, err, control.ErrForm, says)
		assert.ErrorContains(t, err, says)
	}
	_, err := control.Compile([]string{"up", "down"}, control.Forms{Controls: []control.Control{dial(0, 9, 1)},
		Effects: []control.KeyEffects{{Key: "up",
			Effects: []control.Effect{{Control: "volume", Op: control.OpSet, Arg: 3}}}}})
	assert.ErrorContains(t, err, "would do two things to it (step and set)")
}

func TestPlan_RefusesWhatCannotBe(t *testing.T) {
	s, err := control.Compile([]string{"power", "up", "down"}, control.Forms{Controls: []control.Control{
		{Name: "power", Kind: control.Power, Round: "power", WarmUpMS: 590_000},
		{Name: "volume", Kind: control.Dial, Most: number(60), Up: "up", Down: "down"}}})
	require.NoError(t, err)
	for says, want := range map[string][]control.Want{
		"there are power, volume":                 {{Control: "bass", Value: "3"}},
		"from 0 to 60 in steps of 1":              {{Control: "volume", Value: "61"}},
		"volume is wanted twice":                  {{Control: "volume", Value: "1"}, {Control: "volume", Value: "2"}},
		"with power off the rest cannot be":       {{Control: "power", Value: "off"}, {Control: "volume", Value: "2"}},
		"it would take 11.5 min, the most is 10:": {{Control: "power", Value: "on"}, {Control: "volume", Value: "30"}},
		"nothing is wanted":                       nil,
	} {
		b, _, err := s.Tell(s.Nothing(), "power", "off", control.Told, epoch)
		require.NoError(t, err)
		_, err = s.Plan(b, control.Request{Wants: want}, epoch)
		assert.ErrorContains(t, err, says)
	}
}

func TestPropose_MakesControlsThatWork(t *testing.T) {
	for kind, c := range map[string]struct {
		keys  []string
		about control.About
		want  []string
	}{
		"projector": {[]string{"on", "off", "source", "menu", "up", "down", "freeze", "blank"},
			control.About{Kind: "projector"},
			[]string{"power", "freeze", "blank", "source"}},
		"amplifier": {[]string{"power", "volume-up", "volume-down", "mute", "input-1", "input-2"},
			control.About{Kind: "amplifier"}, []string{"power", "volume", "mute", "input"}},
		"screen": {[]string{"up", "down", "stop"}, control.About{Kind: "screen"}, []string{"position"}},
		"light": {[]string{"power", "red", "amber", "dim", "brighter", "breathe"}, control.About{Kind: "light"},
			[]string{"power", "brightness", "breathe", "colour"}},
		"fan": {[]string{"power", "speed-1", "speed-2", "sweep"}, control.About{Kind: "fan"},
			[]string{"power", "sweep", "speed"}},
		"tuner": {[]string{"power", "0", "1", "2", "3", "4", "5", "6", "7", "8", "9", "channel-up"},
			control.About{Kind: "tuner"}, []string{"power", "channel"}},
		"nothing": {[]string{"a", "b"}, control.About{Kind: "other"}, nil},
	} {
		controls, questions := control.Propose(c.keys, c.about, nil)
		var names []string
		for _, p := range controls {
			names = append(names, p.Name)
		}
		assert.Equal(t, c.want, names, kind)
		_, err := control.Compile(c.keys, control.Forms{Controls: controls})
		require.NoError(t, err, kind)
		for _, q := range questions {
			assert.True(t, q.Try == "" || contains(c.keys, q.Try), "%s: %+v", kind, q)
		}
		again, _ := control.Propose(c.keys, c.about, controls)
		assert.Empty(t, again, "what is there is not proposed again")
	}
}

func contains(all []string, s string) bool {
	for _, x := range all {
		if x == s {
			return true
		}
	}
	return false
}

func TestForms_FollowTheirKeys(t *testing.T) {
	f := control.Forms{Controls: []control.Control{
		{Name: "power", Kind: control.Power, Round: "power"},
		{Name: "volume", Kind: control.Dial, Most: number(9), Up: "up", Down: "down"},
		{Name: "mute", Kind: control.Selector, Values: []string{"off", "on"}, Round: "mute"}},
		Effects: []control.KeyEffects{{Key: "up", Effects: []control.Effect{{Control: "mute", Op: control.OpSet}}}}}
	assert.Empty(t, f.RenameKey("up", "louder"))
	assert.Equal(t, "louder", f.Controls[1].Up)
	assert.Equal(t, "louder", f.Effects[0].Key)
	assert.Equal(t, []string{"mute"}, f.RenameKey("mute", ""), "nothing sets it any more")
	assert.Empty(t, f.Effects)
	assert.Empty(t, f.RenameKey("down", ""), "a dial that only goes up is one")
	_, err := control.Compile([]string{"power", "louder"}, f)
	require.NoError(t, err)
}

// TestFit_KeepsWhatIsBelievedOfControlsThatStayAlike changes the forms of a device whose power and source are known.
func TestFit_KeepsWhatIsBelievedOfControlsThatStayAlike(t *testing.T) {
	keys := []string{"power", "source", "up", "down"}
	power := control.Control{Name: "power", Kind: control.Power, Round: "power"}
	source := control.Control{Name: "source", Kind: control.Selector, Values: []string{"a", "b"}, Round: "source"}
	before, err := control.Compile(keys, control.Forms{Controls: []control.Control{power, source}})
	require.NoError(t, err)
	b := before.Nothing()
	for name, v := range map[string]string{"power": "on", "source": "b"} {
		b, _, err = before.Tell(b, name, v, control.Told, epoch)
		require.NoError(t, err)
	}
	source.Values = []string{"a", "b", "network"}
	power.WarmUpMS = 9000
	after, err := control.Compile(keys, control.Forms{Controls: []control.Control{
		{Name: "volume", Kind: control.Dial, Most: number(9), Up: "up", Down: "down"}, source, power}})
	require.NoError(t, err)
	st := after.States(after.Fit(b, before), epoch.Add(time.Second))
	assert.Equal(t, []string{"", "b", "on"}, []string{st[0].Value, st[1].Value, st[2].Value}, "b is b still")
	assert.Equal(t, control.Certain, st[2].Word)
	source.Values = []string{"network", "a"}
	other, err := control.Compile(keys, control.Forms{Controls: []control.Control{source, power}})
	require.NoError(t, err)
	st = other.States(other.Fit(b, before), epoch.Add(time.Second))
	assert.Equal(t, []string{"", "on"}, []string{st[0].Value, st[1].Value}, "there is no b any more")
}
