package device_test

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/signal"
)

var infrared = device.Channel{Medium: line.Infrared, Hz: 38_000}

func nec(address, command int64) device.Code {
	return device.Code{Sheet: "nec", Fields: line.Fields{"address": line.Number(address),
		"command": line.Number(command)}}
}

func TestCode_EveryBoundHoldsWhereverItComesFrom(t *testing.T) {
	train := signal.Train{9000, 4500, 560}
	for says, c := range map[string]device.Code{
		"leave one out":             {Sheet: "nec", Inline: "sheet: x"},
		"needs a carrier":           {Train: train},
		"51 repeats: 0 to 50":       {Train: train, Channel: infrared, Repeats: device.Repeated(51)},
		"-1 repeats":                {Train: train, Channel: infrared, Repeats: device.Repeated(-1)},
		"a gap of 2000000000 µs":    {Train: train, Channel: infrared, GapUS: 2_000_000_000},
		"a unit of 1e+09 µs":        {Sheet: "ev1527", UnitUS: 1e9},
		"a carrier of 600000 Hz":    {Train: train, Channel: device.Channel{Medium: line.Infrared, Hz: 600_000}},
		"a frequency of 2000000000": {Train: train, Channel: device.Channel{Medium: line.Radio, Hz: 2_000_000_000}},
		"nec is infrared, and 433.92": {Sheet: "nec", Fields: nec(1, 2).Fields,
			Channel: device.Channel{Medium: line.Radio, Hz: 433_920_000}},
		"no signal":           {Train: train[:1], Channel: infrared},
		"no field \"colour\"": {Sheet: "nec", Fields: line.Fields{"colour": line.Number(1)}},
		"without repeats rc5 sends": {Sheet: "rc5", Fields: line.Fields{"address": line.Number(1),
			"command": line.Number(1)}, Repeats: device.Repeated(0)},
	} {
		err := c.Check(line.Builtin())
		require.ErrorIs(t, err, device.ErrCode, says)
		assert.ErrorContains(t, err, says)
	}
	_, err := device.ChannelOf(38_000, 433_920_000)
	require.ErrorIs(t, err, device.ErrCode, "their sum was sent once")
}

func TestCode_NoRepeatsCanBeSaid(t *testing.T) {
	book := line.Builtin()
	c := nec(1, 2)
	whole, err := c.Burst(book)
	require.NoError(t, err)
	c.Repeats = device.Repeated(0)
	require.NoError(t, c.Check(book))
	once, err := c.Burst(book)
	require.NoError(t, err)
	assert.Zero(t, once.Repeats)
	assert.Equal(t, whole.Once, once.Once)
	data, err := json.Marshal(c)
	require.NoError(t, err)
	assert.Contains(t, string(data), `"repeats":0`)
}

func TestCode_KnowsASheetByItsFormerName(t *testing.T) {
	c, err := device.Code{Sheet: "samsung32", Fields: line.Fields{"address": line.Number(7),
		"command": line.Number(9)}}.Complete(line.Builtin())
	require.NoError(t, err)
	assert.Equal(t, "twin32", c.Sheet)
	assert.Contains(t, c.Identity(line.Builtin()), "twin32")
}

func TestCode_DocumentsKeepWhatTheyDoNotKnow(t *testing.T) {
	const text = `{"name":"power","hold":"once","codes":[{"sheet":"nec","fields":{"address":1},"carrier_hz":40000,"holds":"no"}],"of":"a key"}`
	var k device.Key
	require.NoError(t, json.Unmarshal([]byte(text), &k))
	assert.Equal(t, device.Channel{Medium: line.Infrared, Hz: 40_000}, k.Codes[0].Channel)
	again, err := json.Marshal(k)
	require.NoError(t, err)
	assert.JSONEq(t, text, string(again))
}

func TestDevice_KeysAreAddedRenamedAndRemoved(t *testing.T) {
	d := device.Device{Slug: "lamp", Name: "Lamp", Kind: "light", Traits: device.Traits{Face: [][]string{{"power", "",
		"dim"}}}}
	require.NoError(t, d.SetCodes("power", []device.Code{nec(1, 2)}))
	_, err := d.Add("dim")
	require.NoError(t, err)
	require.NoError(t, d.Check())
	_, err = d.Add("dim")
	require.ErrorIs(t, err, device.ErrTaken)
	before := d.Clone()
	require.NoError(t, d.Rename("dim", "darker"))
	require.NoError(t, d.Check(), "the face knows the new name")
	require.ErrorIs(t, d.Rename("darker", "power"), device.ErrTaken)
	require.NoError(t, d.Remove("power"))
	require.NoError(t, d.Check())
	assert.Equal(t, "dim", before.Keys[1].Name, "a clone shares nothing")
	assert.Equal(t, "power", before.Face[0][0])
	d.Face = [][]string{{"power"}}
	require.ErrorIs(t, d.Check(), device.ErrUnknownKey)
	_, err = d.Key("darkr")
	assert.ErrorContains(t, err, "nearest are darker")
}

func TestRoles_AnotherNameMayDoTheSame(t *testing.T) {
	assert.Equal(t, []string{"power", "on-off", "on"}, device.SameRole("power"))
	assert.Equal(t, []string{"off", "power", "on-off"}, device.SameRole("off"))
	assert.Equal(t, []string{"mute"}, device.SameRole("mute"))
	d := device.Device{Traits: device.Traits{Power: device.PowerTwoKeys}}
	assert.False(t, d.TogglesKey("power"), "what is said of the device goes first")
	assert.True(t, d.TogglesKey("mute"))
}

func TestKey_RepeatsAndPausesOfItsCodes(t *testing.T) {
	d := device.Device{Slug: "lamp", Keys: []device.Key{{Name: "on", Codes: []device.Code{
		{Sheet: "nec", GapUS: 41_234}, {Sheet: "ev1527"}}}, {Name: "off"}}}
	was := d.Clone()
	on, err := d.Key("on")
	require.NoError(t, err)
	require.NoError(t, on.Repeat(3))
	assert.Equal(t, 41_234, on.Codes[0].GapUS, "a pause that nobody changed stays")
	assert.Equal(t, []int{3, 3}, []int{*on.Codes[0].Repeats, *on.Codes[1].Repeats})
	assert.Nil(t, was.Keys[0].Codes[0].Repeats, "the device as it was stays")
	require.NoError(t, on.Repeat(-1))
	assert.Nil(t, on.Codes[0].Repeats)
	require.NoError(t, on.Pause(60*time.Millisecond))
	assert.Equal(t, []int{60_000, 60_000}, []int{on.Codes[0].GapUS, on.Codes[1].GapUS})
	off, err := d.Key("off")
	require.NoError(t, err)
	require.ErrorIs(t, off.Repeat(1), device.ErrCode)
	assert.Equal(t, []line.Medium{line.Infrared, line.Radio}, d.Media(line.Builtin()))
}
