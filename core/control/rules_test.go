package control_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
)

// loud is a device with a power, a volume that ends mute, a mute and two inputs.
var loud = control.Forms{Controls: []control.Control{{Name: "power", Kind: control.Power, Round: "power"},
	{Name: "volume", Kind: control.Dial, Most: number(60), Up: "volume-up", Down: "volume-down", Rate: 5,
		Guessed: []string{"least", "most"}},
	{Name: "mute", Kind: control.Selector, Values: []string{"off", "on"}, Round: "mute"},
	{Name: "input", Kind: control.Selector, Values: []string{"1", "2"},
		Keys: map[string]string{"1": "input-1", "2": "input-2"}}},
	Effects: []control.KeyEffects{{Key: "volume-up", Effects: []control.Effect{{Control: "mute", Op: control.OpSet}}}}}

var loudKeys = []string{"power", "volume-up", "volume-down", "mute", "input-1", "input-2"}

// bench is a device that is tried by hand.
type bench struct {
	holds []string // keys that can be held
	*testing.T
	spec *control.Spec
	b    control.Belief
	now  time.Time
}

func with(t *testing.T, keys []string, forms control.Forms, told ...string) *bench {
	t.Helper()
	spec, err := control.Compile(keys, forms)
	require.NoError(t, err)
	x := &bench{T: t, spec: spec, b: spec.Nothing(), now: epoch}
	for i := 0; i < len(told); i += 2 {
		x.tell(told[i], told[i+1])
	}
	return x
}

func (x *bench) tell(name, value string) {
	x.Helper()
	var err error
	x.b, _, err = x.spec.Tell(x.b, name, value, control.Told, x.now)
	require.NoError(x, err)
}

// press presses keys through Urbo, a second apart.
func (x *bench) press(keys ...string) {
	for _, key := range keys {
		x.now = x.now.Add(time.Second)
		x.b = x.spec.After(x.b, control.Press{Key: key, At: x.now, Outcome: control.Sent, Source: control.BySending})
	}
}

func (x *bench) heard(key string, held time.Duration) {
	x.now = x.now.Add(time.Second)
	x.b = x.spec.After(x.b, control.Press{Key: key, At: x.now, Held: held, Outcome: control.Sent,
		Source: control.ByHandset})
	x.now = x.now.Add(held)
}

func (x *bench) is(name string) control.State {
	x.Helper()
	for _, st := range x.spec.States(x.b, x.now) {
		if st.Control == name {
			return st
		}
	}
	require.FailNow(x, "no such control", name)
	return control.State{}
}

// keys are those of a plan.
func (x *bench) keys(name, value string) (out []string, p control.Plan) {
	x.Helper()
	p, err := x.spec.Plan(x.b, control.Request{Wants: []control.Want{{Control: name, Value: value}}, Asked: true,
		Holds: x.holds}, x.now)
	require.NoError(x, err)
	for _, s := range p.Steps {
		for range s.Times {
			out = append(out, s.Key)
		}
	}
	return out, p
}

func TestTrust_PressesThatCouldNotActProveNothing(t *testing.T) {
	x := with(t, loudKeys, loud, "power", "off", "mute", "on")
	x.now = x.now.Add(time.Hour)
	x.press("volume-up", "volume-up", "input-1", "input-1")
	assert.Equal(t, "on", x.is("mute").Value, "it is off: nothing was done")
	assert.NotEqual(t, control.Certain, x.is("mute").Word)
	assert.Equal(t, control.Doubtful, x.is("input").Word, "nothing is known of it still")

	x = with(t, loudKeys, loud, "power", "on")
	x.press("input-1", "input-1")
	assert.Equal(t, control.Certain, x.is("input").Word, "it is on for certain, and was told twice")
	x.press("power", "power", "input-2", "input-2")
	assert.Equal(t, control.Believed, x.is("input").Word, "whether it is on is only believed by now")
}

func TestTrust_TwoPressesThatOneOffNeedsAreOne(t *testing.T) {
	x := with(t, []string{"on", "off"}, control.Forms{Controls: []control.Control{{Name: "power", Kind: control.Power,
		Keys: map[string]string{"on": "on", "off": "off"}, AgainMS: 4000}}}, "power", "on")
	x.press("off")
	assert.Equal(t, "on", x.is("power").Value, "it asks for another")
	x.press("off")
	assert.Equal(t, "off", x.is("power").Value)
	assert.Equal(t, control.Believed, x.is("power").Word, "one of the two may have been missed")
	x.now = x.now.Add(time.Minute)
	x.press("off", "off")
	assert.Equal(t, control.Certain, x.is("power").Word)
}

func TestTrust_ADialHasAWidth(t *testing.T) {
	x := with(t, loudKeys, loud, "power", "on", "volume", "14")
	for range 8 {
		x.press("volume-up")
	}
	st := x.is("volume")
	assert.Equal(t, "22", st.Value)
	assert.True(t, st.About)
	assert.Equal(t, "19 to 25", st.Near)
	assert.Equal(t, control.Believed, st.Word, "it is off by more than 3 in hardly any case")
	for range 80 {
		x.press("volume-up", "volume-down")
	}
	assert.Equal(t, control.Doubtful, x.is("volume").Word)
	assert.Equal(t, "22", x.is("volume").Value, "what follows if nothing was missed stays")
	x.tell("volume", "30")
	assert.False(t, x.is("volume").About, "a word empties what is owed")
}

func TestTrust_AHandsetInTheHandLeavesNothingCertainForLong(t *testing.T) {
	x := with(t, loudKeys, loud, "power", "on")
	x.heard("mute", 0)
	x.press("input-2", "input-2")
	x.now = x.now.Add(time.Minute)
	assert.Equal(t, control.Believed, x.is("input").Word)
	x.now = x.now.Add(20 * time.Minute)
	x.tell("power", "on")
	x.press("input-2", "input-2")
	x.now = x.now.Add(time.Minute)
	assert.Equal(t, control.Certain, x.is("input").Word, "it lies on the table by now")
}

func TestPlan_NeverDisturbsWhatItNeedNot(t *testing.T) {
	x := with(t, loudKeys, loud, "power", "on", "volume", "14", "mute", "on", "input", "1")
	keys, _ := x.keys("mute", "off")
	assert.Equal(t, []string{"mute"}, keys, "volume-up would end it too, and turn it up")
	x.tell("mute", "off")
	keys, p := x.keys("mute", "off")
	assert.Empty(t, keys, "it is off already")
	assert.Equal(t, []string{"mute"}, p.Already)
	keys, _ = x.keys("volume", "15")
	assert.Equal(t, []string{"volume-up"}, keys, "it ends no mute where there is none")
}

func TestPlan_AKeyThatMovesOtherDevicesIsTheLastWay(t *testing.T) {
	keys := []string{"all-off", "off-1", "on-1"}
	forms := control.Forms{Controls: []control.Control{{Name: "power", Kind: control.Power,
		Keys: map[string]string{"on": "on-1", "off": "off-1"}}},
		Effects: []control.KeyEffects{{Key: "all-off", Effects: []control.Effect{{Control: "power",
			Op: control.OpSet}}}}}
	x := with(t, keys, forms, "power", "on")
	ask := control.Request{Wants: []control.Want{{Control: "power", Value: "off"}}, Asked: true,
		Moves: map[string][]string{"all-off": {"socket-2", "socket-3"}}}
	p, err := x.spec.Plan(x.b, ask, x.now)
	require.NoError(t, err)
	assert.Equal(t, "off-1", p.Steps[0].Key)
	assert.Empty(t, p.Also)
	forms.Controls[0].Keys, keys = map[string]string{"on": "on-1"}, []string{"all-off", "on-1"}
	x = with(t, keys, forms, "power", "on")
	p, err = x.spec.Plan(x.b, ask, x.now)
	require.NoError(t, err)
	assert.Equal(t, "all-off", p.Steps[0].Key, "there is no other")
	assert.Equal(t, []string{"socket-2", "socket-3"}, p.Also, "and it says who else moves")
}

func TestPlan_TheLowerEndIsGoneToWhereTheUpperIsAGuess(t *testing.T) {
	x := with(t, loudKeys, loud, "power", "on")
	keys, p := x.keys("volume", "58")
	require.True(t, p.Sure)
	assert.Equal(t, "volume-down", keys[0])
}

func TestPress_AHeldKeyThatGoesRoundStepsOn(t *testing.T) {
	x := with(t, []string{"level"}, control.Forms{Controls: []control.Control{{Name: "level", Kind: control.Dial,
		Most: number(9), Round: "level", Ends: control.EndsRound, Rate: 2}}}, "level", "0")
	x.heard("level", 3*time.Second)
	assert.Equal(t, []string{"5 to 7"}, x.is("level").May, "two steps in a second, and one more or less")
}

func TestPlan_APlaceOnTheWayIsAlsoSomePercentFurther(t *testing.T) {
	x := with(t, []string{"open", "close", "stop"}, control.Forms{Controls: []control.Control{{Name: "blind",
		Kind: control.Travel, Open: "open", Close: "close", Stop: "stop", OpenMS: 20_000}}}, "blind", "closed")
	keys, p := x.keys("blind", "+10")
	require.True(t, p.Sure)
	assert.Equal(t, []string{"open", "stop"}, keys)
	assert.Equal(t, 2*time.Second, p.Steps[1].Wait)
	x.tell("blind", "40%")
	keys, p = x.keys("blind", "+20")
	require.True(t, p.Sure)
	assert.Equal(t, "open", keys[0])
	assert.Equal(t, 4*time.Second, p.Steps[1].Wait)
	_, err := with(t, []string{"open", "close"}, control.Forms{Controls: []control.Control{{Name: "blind",
		Kind: control.Travel, Open: "open", Close: "close", OpenMS: 20_000}}}).spec.Plan(x.spec.Nothing(),
		control.Request{Wants: []control.Want{{Control: "blind", Value: "-10"}}}, x.now)
	assert.ErrorIs(t, err, control.ErrPlan, "nobody knows where it stands")
}

func TestPlan_AGateWithOneKeyThatWasToldClosedOpens(t *testing.T) {
	x := with(t, []string{"go"}, control.Forms{Controls: []control.Control{{Name: "gate", Kind: control.Travel,
		Round: "go", OpenMS: 20_000}}})
	_, p := x.keys("gate", "open")
	assert.False(t, p.Sure)
	x.tell("gate", "closed")
	keys, p := x.keys("gate", "open")
	assert.True(t, p.Sure, "%v", p.Helps)
	assert.Equal(t, []string{"go"}, keys)
}

func TestDigits_AnotherKeyBetweenLeavesTwoCandidates(t *testing.T) {
	keys := []string{"0", "1", "2", "3", "4", "5", "6", "7", "8", "9", "info"}
	x := with(t, keys, control.Forms{Controls: []control.Control{{Name: "channel", Kind: control.Digits,
		Least: number(1), Most: number(99)}}}, "channel", "30")
	x.press("4", "info", "7")
	x.now = x.now.Add(10 * time.Second)
	assert.ElementsMatch(t, []string{"7", "47"}, x.is("channel").May)
}

func TestWhile_AKeyMayNeedAnotherControlAtAValue(t *testing.T) {
	has := []string{"menu", "down"}
	forms := control.Forms{Controls: []control.Control{
		{Name: "menu", Kind: control.Selector, Values: []string{"off", "on"}, Round: "menu"},
		{Name: "volume", Kind: control.Dial, Most: number(10), Down: "down", While: "menu off"},
		{Name: "line", Kind: control.Dial, Least: number(1), Most: number(5), Ends: control.EndsRound, Round: "down",
			While: "menu on"}}}
	x := with(t, has, forms, "menu", "off", "volume", "5", "line", "1")
	x.press("down")
	assert.Equal(t, "4", x.is("volume").Value)
	assert.Equal(t, "1", x.is("line").Value)
	x.press("menu", "down")
	assert.Equal(t, "4", x.is("volume").Value)
	assert.Equal(t, "2", x.is("line").Value)
	keys, p := x.keys("volume", "3")
	assert.True(t, p.Sure)
	assert.Equal(t, []string{"menu", "down"}, keys, "its key means something else while the menu is open")

	for _, while := range []string{"nothing on", "volume 3", "menu sideways", "line 1"} {
		forms.Controls[2].While = while
		_, err := control.Compile(has, forms)
		assert.ErrorIs(t, err, control.ErrForm, while)
	}
}
