package control_test

import (
	"encoding/json"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
)

// TestForms_ThatContradictEachOther are refused, in words.
func TestForms_ThatContradictEachOther(t *testing.T) {
	power := control.Control{Name: "power", Kind: control.Power, Round: "power", WarmUpMS: 20_000}
	dial := control.Control{Name: "glow", Kind: control.Dial, Most: number(10), Hold: "dim", Rate: 3}
	blind := control.Control{Name: "position", Kind: control.Travel, Open: "up", Close: "down", Stop: "stop",
		OpenMS: 9000}
	slats := control.Control{Name: "slats", Kind: control.Travel, SlatsOf: "position", OpenMS: 1500}
	with := func(c control.Control, change func(*control.Control)) control.Control {
		change(&c)
		return c
	}
	for says, forms := range map[string][]control.Control{
		"goes off after 15 s, and warms up for 20 s": {with(power, func(c *control.Control) { c.GoesOffS = 15 })},
		"30 switches off after 5 s, and power warms up for 20 s": {power, {Name: "sleep", Kind: control.Selector,
			Values: []string{"off", "30"}, Round: "sleep", AfterS: map[string]int{"30": 5}}},
		"add its power first": {{Name: "sleep", Kind: control.Selector, Values: []string{"off", "30"}, Round: "sleep",
			AfterS: map[string]int{"30": 1800}}},
		"that no time runs": {power, {Name: "sleep", Kind: control.Selector, Values: []string{"off", "30"},
			Round: "sleep", AfterS: map[string]int{"off": 1800}}},
		"how many steps it makes in a second while dim is held": {with(dial, func(c *control.Control) { c.Rate = 0 })},
		"above 0, up to 100":         {with(dial, func(c *control.Control) { c.Rate = 1000 })},
		"changes its direction":      {with(dial, func(c *control.Control) { c.Up = "dim" })},
		"name a travel that moves":   {blind, with(slats, func(c *control.Control) { c.SlatsOf = "slats" })},
		"there are slats":            {slats},
		"position has slats already": {blind, slats, with(slats, func(c *control.Control) { c.Name = "more" })},
		"less time than its way":     {blind, with(slats, func(c *control.Control) { c.OpenMS = 20_000 })},
		"another one may not":        {power, with(power, func(c *control.Control) { c.Name = "lamp" })},
		"the least is 1000":          {{Name: "volume", Kind: control.Dial, Most: number(9), Up: "up", RestMS: 200}},
		"leave one out": {{Name: "m", Kind: control.Selector, Values: []string{"off", "on"},
			Round: "menu", RestMS: 5000, LapsesMS: 5000}},
		"it passes over \"c\"": {{Name: "s", Kind: control.Selector, Values: []string{"a", "b"},
			Round: "menu", Skips: []string{"c"}}},
		"goes_off_s is of a power": {with(dial, func(c *control.Control) { c.GoesOffS = 60 })},
		"stop or round, or turn": {{Name: "volume", Kind: control.Dial, Most: number(9), Up: "up",
			Ends: control.EndsTurn}},
		"its rate, its rate later, and": {{Name: "volume", Kind: control.Dial, Most: number(9), Up: "up",
			Rate: 3, RateLater: 9}},
	} {
		_, err := control.Compile([]string{"power", "sleep", "dim", "up", "down", "stop", "menu"},
			control.Forms{Controls: forms})
		assert.ErrorContains(t, err, says)
		assert.ErrorIs(t, err, control.ErrForm, says)
	}
}

func TestReply_ReadsAnswersAsPeopleWriteThem(t *testing.T) {
	for _, c := range []struct {
		form   control.Control
		field  string
		text   string
		stands string // what the form says then, "" where the answer is refused
	}{
		{control.Control{Name: "power", Kind: control.Power, Round: "power"}, "warm_up_ms", "20", "20s"},
		{control.Control{Name: "power", Kind: control.Power, Round: "power"}, "warm_up_ms", "4,5 s", "4.5s"},
		{control.Control{Name: "power", Kind: control.Power, Round: "power"}, "goes_off_s", "4 hours", "4h"},
		{control.Control{Name: "power", Kind: control.Power, Round: "power", GoesOffS: 60}, "goes_off_s", "No", "none"},
		{control.Control{Name: "power", Kind: control.Power, Round: "power"}, "warm_up_ms", "soon", ""},
		{control.Control{Name: "power", Kind: control.Power, Round: "power"}, "mains_fail", "keep", "keep"},
		{control.Control{Name: "power", Kind: control.Power, Round: "power"}, "mains_fail", "sideways", ""},
		{control.Control{Name: "volume", Kind: control.Dial, Up: "up"}, "most", "60", "0 to 60"},
		{control.Control{Name: "volume", Kind: control.Dial, Up: "up"}, "most", "from -10 to 10 dB", "-10 to 10"},
		{control.Control{Name: "volume", Kind: control.Dial, Up: "up"}, "most", "loud", ""},
		{control.Control{Name: "source", Kind: control.Selector, Values: []string{"a", "b"}, Round: "source",
			Guessed: []string{"values"}}, "values", "A, B network", "a b network"},
		{control.Control{Name: "source", Kind: control.Selector, Values: []string{"a", "b", "c"}, Round: "source"},
			"skips", "all", "a b c"},
		{control.Control{Name: "sleep", Kind: control.Selector, Values: []string{"off", "30", "60"}, Round: "sleep"},
			"after_s", "30=30m 60=1h", "30=30m 60=1h"},
		{control.Control{Name: "sleep", Kind: control.Selector, Values: []string{"off", "30"}, Round: "sleep"},
			"after_s", "45=45m", ""},
		{control.Control{Name: "position", Kind: control.Travel, Open: "up", Close: "down"}, "open_ms", "no", ""},
	} {
		f := control.Forms{Controls: []control.Control{c.form}}
		err := f.Answered([]control.Answer{{Control: c.form.Name, Field: c.field, Text: c.text}})
		if c.stands == "" {
			assert.ErrorIs(t, err, control.ErrForm, "%s: %s", c.field, c.text)
			continue
		}
		require.NoError(t, err, c.text)
		for _, q := range f.Controls[0].Questions(true) {
			if q.Field == c.field {
				assert.Equal(t, strings.TrimPrefix(c.stands, "none"), q.Stands, c.text)
			}
		}
		assert.NotContains(t, f.Controls[0].Guessed, c.field, "it was said")
	}
}

func TestTimer_SwitchesOffByItselfAndEndsWithTheDevice(t *testing.T) {
	forms := control.Forms{Controls: []control.Control{
		{Name: "power", Kind: control.Power, Keys: map[string]string{"on": "on", "off": "off"}},
		{Name: "sleep", Kind: control.Selector, Values: []string{"off", "30", "60"}, Round: "sleep",
			AfterS: map[string]int{"30": 1800, "60": 3600}}}}
	x := with(t, []string{"on", "off", "sleep"}, forms, "power", "off", "sleep", "off")
	x.press("on", "sleep")
	assert.Equal(t, "30", x.is("sleep").Value)
	x.now = x.now.Add(29 * time.Minute)
	assert.ElementsMatch(t, []string{"off", "on"}, x.is("power").May, "its clock may be a tenth fast")
	x.now = x.now.Add(5 * time.Minute)
	off := x.is("power")
	assert.Equal(t, []any{"off", control.ByItself, control.Believed}, []any{off.Value, off.Source, off.Word})
	assert.Equal(t, "off", x.is("sleep").Value, "its time is over")
	x.press("on")
	x.now = x.now.Add(3 * time.Hour)
	assert.Equal(t, "on", x.is("power").Value, "a time that is over does not come again")
}

// TestTimer_OfWhichNobodyKnowsWhenItBegan is that of a heater that may be on already: pressing on begins nothing then.
func TestTimer_OfWhichNobodyKnowsWhenItBegan(t *testing.T) {
	forms := control.Forms{Controls: []control.Control{{Name: "power", Kind: control.Power, GoesOffS: 4 * 3600,
		Keys: map[string]string{"on": "on", "off": "off"}}}}
	x := with(t, []string{"on", "off"}, forms)
	keys, p := x.keys("power", "on")
	assert.True(t, p.Sure)
	assert.Equal(t, []string{"on"}, keys)
	x.press("on")
	x.now = x.now.Add(time.Second)
	is := x.is("power")
	assert.Equal(t, []any{"on", control.Believed}, []any{is.Value, is.Word})
	assert.ElementsMatch(t, []string{"off", "on"}, is.May, "it may go off at any moment")
	assert.True(t, x.spec.Holds(x.b, []control.Want{{Control: "power", Value: "on"}}, x.now))
	x.now = x.now.Add(time.Hour)
	assert.Equal(t, control.Doubtful, x.is("power").Word)
	x.now = x.now.Add(4 * time.Hour)
	assert.Equal(t, "off", x.is("power").Value)
}

func TestHold_WhichWayItGoesIsKnownAfterSwitchingOn(t *testing.T) {
	forms := control.Forms{Controls: []control.Control{
		{Name: "power", Kind: control.Power, Round: "light"},
		{Name: "glow", Kind: control.Dial, Least: number(1), Most: number(10), Hold: "light", Rate: 3,
			HoldBegins: control.BeginsDown, OnStart: "10"}}}
	x := with(t, []string{"light"}, forms, "power", "off")
	x.holds = []string{"light"}
	_, p := x.keys("glow", "4")
	require.True(t, p.Sure, "%v", p.Helps)
	require.Len(t, p.Steps, 2)
	assert.Zero(t, p.Steps[0].Hold, "a short press switches on")
	assert.InDelta(t, 2.5, p.Steps[1].Hold.Seconds(), 0.3, "six steps down at three in a second")
	x.press("light")
	_, p = x.keys("glow", "1")
	require.True(t, p.Sure)
	x.tell("glow", "5") // somebody held it, and nobody heard that
	_, p = x.keys("glow", "8")
	assert.False(t, p.Sure, "which way it goes next is not known")
}

func TestPlan_ClosesTheMenuAndWakesTheVolumeFirst(t *testing.T) {
	forms := control.Forms{Controls: []control.Control{
		{Name: "menu", Kind: control.Selector, Values: []string{"off", "on"}, Round: "menu", LapsesMS: 20_000},
		{Name: "volume", Kind: control.Dial, Most: number(30), Up: "up", Down: "down", RestMS: 4000,
			While: "menu off"}}}
	x := with(t, []string{"menu", "up", "down"}, forms, "menu", "off", "volume", "10")
	x.now = x.now.Add(time.Minute)
	keys, p := x.keys("volume", "12")
	assert.True(t, p.Sure)
	assert.Equal(t, []string{"up", "up", "up"}, keys, "the first press only shows it")
	x.press("menu")
	keys, p = x.keys("volume", "12")
	assert.True(t, p.Sure)
	assert.Equal(t, []string{"menu", "up", "up", "up"}, keys)
	x.b = x.spec.After(x.b, control.Press{Key: "menu", At: x.now, Outcome: control.Unknown, Source: control.BySending})
	_, p = x.keys("volume", "12")
	assert.True(t, p.Sure)
	assert.GreaterOrEqual(t, p.Steps[0].Wait, 20*time.Second, "it waits until the menu has closed")
}

func TestSlats_ATellingOfTheirsMovesNothingElse(t *testing.T) {
	forms := control.Forms{Controls: []control.Control{
		{Name: "position", Kind: control.Travel, Open: "up", Close: "down", Stop: "stop", OpenMS: 24_000},
		{Name: "slats", Kind: control.Travel, SlatsOf: "position", OpenMS: 1500}}}
	x := with(t, []string{"up", "down", "stop"}, forms, "position", "50")
	_, p := x.keys("slats", "40")
	assert.True(t, p.Sure)
	assert.Equal(t, 4, p.Presses(), "to an end and back, as nobody knows how they stand")
	x.tell("slats", "closed")
	_, p = x.keys("slats", "40")
	assert.True(t, p.Sure)
	assert.Equal(t, 2, p.Presses())
	assert.InDelta(t, 0.6, p.Steps[1].Wait.Seconds(), 0.05)
	assert.Equal(t, "50%", x.is("position").Value)
}

// TestBelief_OfAThousandPressesInAMinuteStaysBounded presses every key of a device with everything.
func TestBelief_OfAThousandPressesInAMinuteStaysBounded(t *testing.T) {
	for seed := range uint64(40) {
		s := &story{quiet: true, random: rand.New(rand.NewPCG(seed, 3))}
		s.thing = newThing(s.random)
		spec, err := control.Compile(s.thing.keys, s.thing.forms)
		require.NoError(t, err)
		b := spec.Nothing()
		for n := range 1000 {
			outcome := control.Sent
			if n%3 == 0 {
				outcome = control.Unknown
			}
			b = spec.After(b, control.Press{Key: pick(s.random, s.thing.keys...), Outcome: outcome,
				At: epoch.Add(time.Duration(n) * 60 * time.Millisecond), Source: control.ByHandset})
			require.LessOrEqual(t, len(b.Cases), 16)
		}
		text, err := json.Marshal(b)
		require.NoError(t, err)
		assert.Less(t, len(text), 40_000, "seed %d: what is believed stays small", seed)
	}
}
