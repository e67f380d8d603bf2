package control_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
)

// follow lets a device follow another one's control that came to a value.
func (x *bench) follow(key string) {
	x.now = x.now.Add(time.Second)
	x.b = x.spec.After(x.b, control.Press{Key: key, At: x.now, Outcome: control.Sent, Source: control.ByLink})
}

func TestByItself_SaysWhatADeviceDoes(t *testing.T) {
	for says, c := range map[string]control.Control{
		"": {Name: "power"},
		"goes off after 4h, Urbo switches it off after 5h": {GoesOffS: 4 * 3600, LongestS: 5 * 3600},
		"switches off after 30=30m 60=1h": {Kind: control.Selector, Values: []string{"off", "30", "60"},
			AfterS: map[string]int{"30": 1800, "60": 3600}},
		"closes after 20s, may pass over b c": {LapsesMS: 20_000, Skips: []string{"b", "c"}},
		"first press shows it after 5s":       {RestMS: 5000},
	} {
		assert.Equal(t, says, c.ByItself())
	}
}

func TestTimer_OfSeveralTimesOnlyThoseThatMayBeOverEnd(t *testing.T) {
	forms := control.Forms{Controls: []control.Control{
		{Name: "power", Kind: control.Power, Keys: map[string]string{"on": "on", "off": "off"}},
		{Name: "sleep", Kind: control.Selector, Values: []string{"off", "30", "60"}, Round: "sleep",
			AfterS: map[string]int{"30": 1800, "60": 3600}},
		{Name: "wake", Kind: control.Selector, Values: []string{"off", "90"}, OnStart: "90", Round: "wake",
			AfterS: map[string]int{"90": 5400}}}}
	x := with(t, []string{"on", "off", "sleep", "wake"}, forms, "power", "off", "sleep", "off")
	x.press("on")
	x.b = x.spec.After(x.b, control.Press{Key: "sleep", At: x.now, Outcome: control.Unknown, Source: control.BySending})
	x.press("sleep") // 30 or 60
	assert.ElementsMatch(t, []string{"30", "60"}, x.is("sleep").May)
	x.now = x.now.Add(40 * time.Minute)
	assert.ElementsMatch(t, []string{"off", "60"}, x.is("sleep").May, "30 minutes are over, and 60 are not")
	assert.ElementsMatch(t, []string{"off", "on"}, x.is("power").May)
	x.press("off", "on")
	assert.Equal(t, "90", x.is("wake").Value, "it begins with its own value each time")
	x.press("off")
	assert.Equal(t, "90", x.is("wake").Value, "and has it until it is switched on again")

	// a time is told from 1 s to a week
	for _, s := range []int{0, 604_801} {
		bad := forms
		bad.Controls = []control.Control{forms.Controls[0], {Name: "sleep", Kind: control.Selector,
			Values: []string{"off", "30"}, Round: "sleep", AfterS: map[string]int{"30": s}}}
		_, err := control.Compile([]string{"on", "off", "sleep"}, bad)
		assert.ErrorContains(t, err, "1 to 604800", "%d", s)
	}
}

func TestLink_SetsItsControlsAndNothingElse(t *testing.T) {
	forms := control.Forms{Controls: []control.Control{
		{Name: "power", Kind: control.Power, Round: "power"},
		{Name: "input", Kind: control.Selector, Values: []string{"a", "b", "c"}, Round: "input"},
		{Name: "volume", Kind: control.Dial, Most: number(30), Up: "up", Down: "down", RestMS: 4000}},
		Links: []control.Link{{DeviceID: "p", Control: "power", Value: "on", Sets: "input", To: "c"},
			{DeviceID: "p", Control: "power", Value: "on", Sets: "volume", To: "12"}}}
	keys := []string{"power", "input", "up", "down"}
	x := with(t, keys, forms, "power", "on", "input", "a", "volume", "5")
	x.now = x.now.Add(time.Hour) // the volume rests: one press would only show it
	x.follow("@p power on")
	assert.Equal(t, "on", x.is("power").Value, "no link switches it")
	assert.Equal(t, "c", x.is("input").Value)
	assert.Equal(t, "12", x.is("volume").Value, "a cable presses no key that only shows something")
	x = with(t, keys, forms, "power", "off", "input", "a")
	x.follow("@p power on")
	assert.Equal(t, "off", x.is("power").Value)
	x.press("power")
	assert.Equal(t, "a", x.is("input").Value, "what is off does not follow")
}

func TestFeed_WhatIsFedComesBackAsItsFormsSay(t *testing.T) {
	power := control.Control{Name: "power", Kind: control.Power, Keys: map[string]string{"on": "on", "off": "off"},
		MainsFail: control.StartKeeps}
	fed := control.Forms{Controls: []control.Control{power}, Fed: &control.Feed{DeviceID: "m", Control: "power"}}
	for _, value := range []string{"on", "off"} {
		x := with(t, []string{"on", "off"}, fed, "power", value)
		x.b = x.spec.FedNow(x.b, true)
		x.follow(control.FedKey(false))
		assert.Equal(t, control.Unfed, x.is("power").Phase)
		x.press(map[string]string{"on": "off", "off": "on"}[value]) // nothing hears it
		x.follow(control.FedKey(true))
		assert.Equal(t, value, x.is("power").Value, "it keeps what it was")
	}
	x := with(t, []string{"on", "off"}, fed)
	unfed := func(c control.Case) bool { return c.Phase == control.Unfed }
	assert.True(t, slices.ContainsFunc(x.b.Cases, unfed), "nobody knows whether it has power")
	known := x.spec.FedNow(x.b, false)
	for _, c := range known.Cases {
		assert.Equal(t, control.Unfed, c.Phase, "what feeds it is off")
	}
	for _, c := range x.spec.FedNow(x.b, true).Cases {
		assert.NotEqual(t, control.Unfed, c.Phase)
	}
	plain := control.Forms{Controls: []control.Control{power}}
	x = with(t, []string{"on", "off"}, plain)
	for _, c := range x.b.Cases {
		assert.NotEqual(t, control.Unfed, c.Phase, "what nothing feeds has power")
	}
}

func TestPlan_WhatIsWantedOfTheMenuIsNotClosedForTheVolume(t *testing.T) {
	forms := control.Forms{Controls: []control.Control{
		{Name: "menu", Kind: control.Selector, Values: []string{"off", "on"},
			Keys: map[string]string{"off": "back", "on": "menu"}},
		{Name: "volume", Kind: control.Dial, Most: number(30), Up: "up", Down: "down", While: "menu off"}}}
	x := with(t, []string{"menu", "back", "up", "down"}, forms, "menu", "on", "volume", "10")
	ask := func(menu string) control.Plan {
		p, err := x.spec.Plan(x.b, control.Request{Wants: []control.Want{{Control: "volume", Value: "12"},
			{Control: "menu", Value: menu}}, Asked: true}, x.now)
		require.NoError(t, err)
		return p
	}
	assert.True(t, ask("off").Sure)
	open := ask("on")
	require.False(t, open.Sure)
	assert.Contains(t, open.Helps[0].Text, "its keys work while menu is off")
}

func TestSlats_TurnFromWhereTheyStand(t *testing.T) {
	forms := control.Forms{Controls: []control.Control{
		{Name: "position", Kind: control.Travel, Open: "up", Close: "down", Stop: "stop", OpenMS: 24_000},
		{Name: "slats", Kind: control.Travel, SlatsOf: "position", OpenMS: 2000}}}
	for from, turn := range map[string]float64{"20": 1.2, "60": 0.4} {
		x := with(t, []string{"up", "down", "stop"}, forms, "position", "50", "slats", from)
		_, p := x.keys("slats", "80")
		require.True(t, p.Sure, "%v", p.Helps)
		require.Equal(t, 2, p.Presses())
		assert.InDelta(t, turn, p.Steps[1].Wait.Seconds(), 0.05, "from %s", from)
	}
	// where nobody knows, the nearer end comes first
	for to, first := range map[string]string{"80": "up", "30": "down"} {
		x := with(t, []string{"up", "down", "stop"}, forms, "position", "50")
		keys, p := x.keys("slats", to)
		require.True(t, p.Sure)
		assert.Equal(t, first, keys[0], to)
	}
}

// TestHold_AtAnEndThatTurnsBothWaysArePossible dims a lamp whose key turns at its ends.
func TestHold_AtAnEndThatTurnsBothWaysArePossible(t *testing.T) {
	forms := control.Forms{Controls: []control.Control{{Name: "glow", Kind: control.Dial, Least: number(1),
		Most: number(10), Hold: "dim", Rate: 5, Ends: control.EndsTurn}}}
	x := with(t, []string{"dim"}, forms, "glow", "9")
	x.holds = []string{"dim"}
	_, p := x.keys("glow", "3")
	assert.False(t, p.Sure, "which way it goes is not known")
	x.heard("dim", 3*time.Second)
	assert.Greater(t, len(x.is("glow").May)+strings.Count(strings.Join(x.is("glow").May, " "), " to "), 1)
	assert.Empty(t, x.is("glow").Value, "it went up and turned, or down")
	x = with(t, []string{"dim"}, forms)
	x.holds = []string{"dim"}
	_, p = x.keys("glow", "10")
	require.False(t, p.Sure)
	assert.Contains(t, p.Helps[0].Text+p.Helps[len(p.Helps)-1].Text, "hold")
}

// TestPlan_WhatIsDoubtfulIsSetAnewWhereThatDisturbsNothingKnown has lights whose colours end their breathing.
func TestPlan_WhatIsDoubtfulIsSetAnewWhereThatDisturbsNothingKnown(t *testing.T) {
	ends := []control.Effect{{Control: "breathe", Op: control.OpSet}}
	forms := control.Forms{Controls: []control.Control{
		{Name: "colour", Kind: control.Selector, Values: []string{"red", "white"},
			Keys: map[string]string{"red": "red", "white": "white"}},
		{Name: "breathe", Kind: control.Selector, Values: []string{"off", "on"}, Round: "breathe"}},
		Effects: []control.KeyEffects{{Key: "red", Effects: ends}, {Key: "white", Effects: ends}}}
	x := with(t, []string{"red", "white", "breathe"}, forms, "colour", "white")
	spare := func() []string {
		p, err := x.spec.Plan(x.b, control.Request{Wants: []control.Want{{Control: "colour", Value: "white"}},
			Sparing: true}, x.now)
		require.NoError(t, err)
		keys := []string{}
		for _, s := range p.Steps {
			keys = append(keys, s.Key)
		}
		return keys
	}
	assert.Empty(t, spare(), "it is so")
	x.b = x.spec.Deafened(x.b)
	assert.Equal(t, control.Doubtful, x.is("colour").Word)
	assert.Equal(t, []string{"white"}, spare(), "nobody knows whether it breathes, either")
	x.tell("breathe", "on")
	x.b = x.spec.Deafened(x.b)
	assert.Empty(t, spare(), "that it breathes is not given up for what is so, as far as is known")
}
