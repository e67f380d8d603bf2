package control_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
)

// carries are what the frames of a heat pump carry, as people write it.
var carries = []control.Carry{{Control: "power", Field: "p", Values: "off=0, on=1"},
	{Control: "mode", Field: "m", Values: "auto=0,heat=0x04"},
	{Control: "target", Field: "t", Values: "16 to 30", Unit: "°C"},
	{Control: "sleep", Field: "s", Values: "1 to 8 = 0"}}

func names(f control.Forms) (out []string) {
	for _, c := range f.Controls {
		out = append(out, c.Name)
	}
	return out
}

func TestForms_AControlIsChangedByItself(t *testing.T) {
	f := control.Forms{Controls: []control.Control{{Name: "volume", Kind: control.Dial, Most: number(9), Up: "up"},
		{Name: "mute", Kind: control.Selector, Values: []string{"off", "on"}, Round: "mute"}}}
	before := f
	require.NoError(t, f.KeyAlso("up", "mute", "off"))
	assert.Empty(t, before.Effects, "a copy stays as it is")
	f.Put("mute", control.Control{Name: "silence", Kind: control.Selector, Values: []string{"off", "on"},
		Round: "mute"})
	assert.Equal(t, []string{"volume", "silence"}, names(f))
	assert.Equal(t, []string{"volume", "mute"}, names(before))
	assert.Equal(t, "silence", f.Effects[0].Effects[0].Control, "what refers to it follows its name")
	f.Put("bass", control.Control{Name: "bass", Kind: control.Dial, Most: number(9), Up: "bass-up"})
	assert.Equal(t, []string{"volume", "silence", "bass"}, names(f))

	for does, want := range map[string]control.Effect{"on": {Op: control.OpSet, Arg: 1}, "next": {Op: control.OpFlip},
		"any": {Op: control.OpVague}, "-2": {Op: control.OpStep, Arg: -2}} {
		require.NoError(t, f.KeyAlso("up", "silence", does))
		want.Control = "silence"
		assert.Equal(t, []control.KeyEffects{{Key: "up", Effects: []control.Effect{want}}}, f.Effects, does)
	}
	require.ErrorIs(t, f.KeyAlso("up", "silence", "loud"), control.ErrForm)
	require.ErrorIs(t, f.KeyAlso("up", "treble", "any"), control.ErrForm)
	require.NoError(t, f.KeyAlso("up", "silence", ""))
	assert.Empty(t, f.Effects)

	require.NoError(t, f.KeyAlso("up", "silence", "off"))
	require.NoError(t, f.Drop("silence"))
	assert.Equal(t, []string{"volume", "bass"}, names(f))
	assert.Empty(t, f.Effects)
	require.ErrorIs(t, f.Drop("silence"), control.ErrForm)
}

func TestForms_FramesMakeTheControlsThatTheyCarry(t *testing.T) {
	f := control.Forms{Controls: []control.Control{{Name: "power", Kind: control.Power, Round: "power"}}}
	_, err := f.CarryWhole("own", map[string]int64{"head": 156}, carries)
	require.NoError(t, err)
	s, err := control.Compile([]string{"power"}, f)
	require.NoError(t, err)
	assert.Equal(t, "power", f.Controls[0].Round, "what its own key does stays")
	assert.Equal(t, map[string]int64{"head": 156, "p": 1, "m": 4, "t": 21, "s": 2},
		s.Fields(map[string]string{"power": "on", "mode": "heat", "target": "21", "sleep": "3"}))
	assert.Len(t, s.Corners(), 2)

	f.Put("mode", control.Control{Name: "does", Kind: control.Selector, Values: []string{"auto", "heat"}})
	_, err = control.Compile([]string{"power"}, f)
	require.NoError(t, err, "the frames follow the name")
	gone, err := f.CarryWhole("own", nil, carries[2:3])
	require.NoError(t, err)
	assert.Equal(t, []string{"does", "sleep"}, gone, "nothing sets them any more")
	require.NoError(t, f.Drop("target"))
	assert.Nil(t, f.Whole)
	_, err = f.DropWhole()
	require.ErrorIs(t, err, control.ErrForm)
	assert.Equal(t, []string{"power"}, names(f))

	half := control.Forms{Controls: []control.Control{{Name: "main-switch", Kind: control.Power, Round: "power"}}}
	_, err = half.CarryWhole("own", nil, []control.Carry{{Control: "main-switch", Field: "p", Values: "off=0, on=1"},
		{Control: "target", Field: "t", Values: "16.5 to 30 by 0.5 = 33", Unit: "°C"}})
	require.NoError(t, err)
	assert.Equal(t, control.Power, half.Controls[0].Kind, "a power stays one, whatever it is called")
	assert.Equal(t, "power", half.Controls[0].Round)
	s, err = control.Compile([]string{"power"}, half)
	require.NoError(t, err)
	assert.Equal(t, map[string]int64{"p": 0, "t": 42},
		s.Fields(map[string]string{"main-switch": "off", "target": "21"}))

	for values, says := range map[string]string{"16.5 to 30.5": "what stands in the field for the least",
		"16 to 30 by half = 1": "how far it is from one to the next", "off,on": "write each value",
		"a to b":     "write numbers",
		"1 to 3 = x": "what stands in the field for the least", "off=0,off=1": "off is there twice",
		"=1": "write each"} {
		_, err := f.CarryWhole("own", nil, []control.Carry{{Control: "x", Field: "f", Values: values}})
		require.ErrorIs(t, err, control.ErrForm)
		assert.ErrorContains(t, err, says)
	}
}

func TestSequences_AreCheckedAndNeverCertain(t *testing.T) {
	picture := control.Control{Name: "picture", Kind: control.Selector, Values: []string{"film", "talk", "game"}}
	keys := []string{"menu", "ok", "next"}
	for says, sequences := range map[string]map[string][]string{
		"no keys for film":                 {"film": {}},
		"film and talk have the same keys": {"film": {"menu", "ok"}, "talk": {"menu", "ok"}},
		"there is no key \"gone\"":         {"film": {"menu", "gone"}},
		"keys for \"sport\"":               {"sport": {"menu"}},
		"17 keys for game, the most is 16": {"game": make([]string, 17)},
	} {
		picture.Sequences = sequences
		_, err := control.Compile(keys, control.Forms{Controls: []control.Control{picture}})
		require.ErrorIs(t, err, control.ErrForm)
		assert.ErrorContains(t, err, says)
	}
	picture.Sequences = map[string][]string{"film": {"menu", "ok"}, "talk": {"menu", "next", "ok"}}
	s, err := control.Compile(keys, control.Forms{Controls: []control.Control{picture}})
	require.NoError(t, err)
	_, b, at := do(t, s, s.Nothing(), epoch, control.Want{Control: "picture", Value: "film"})
	_, b, at = do(t, s, b, at, control.Want{Control: "picture", Value: "film"})
	assert.Equal(t, control.Believed, s.States(b, at)[0].Word, "any of its keys may have been missed")
	p, err := s.Plan(b, control.Request{Wants: []control.Want{{Control: "picture", Value: "game"}}}, at)
	require.NoError(t, err)
	assert.False(t, p.Sure)
}
