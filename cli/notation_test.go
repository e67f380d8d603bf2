package cli

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

func TestParseSweep_TakesOneRangeAmongFields(t *testing.T) {
	s, err := parseSweep("nec address=0x10..63 command=2")
	require.NoError(t, err)
	assert.Equal(t, &wire.Sweep{Sheet: "nec", Fields: map[string]any{"command": int64(2)}, Field: "address", From: 16,
		To: 63}, s)
	for text, says := range map[string]string{
		"":                        "write a line code and its fields",
		"nec":                     "write a line code and its fields",
		"nec address":             "FIELD=VALUE or FIELD=FROM..TO",
		"nec address=1 command=2": "give one field a range",
		"nec address=a..9":        "write whole numbers",
		"nec address=1..x":        "write whole numbers",
		"nec a=0..1 b=0..1":       "a and b are ranges",
	} {
		_, err := parseSweep(text)
		assert.ErrorContains(t, err, says, text)
	}
}

func TestParseFace_ReadsRowsAndGaps(t *testing.T) {
	assert.Equal(t, [][]string{{"power", "", "mute"}, {"up"}}, parseFace(" power . mute / up /"))
	assert.Empty(t, parseFace(""))
}

func TestAnswered_ShortAnswersAreEnough(t *testing.T) {
	for typed, step := range map[string]string{"": "reacted", "y": "yes", "n": "no", "skip": "skip"} {
		assert.Equal(t, step, answered(typed))
	}
}

func TestWhose_SaysWhereAPressBelongs(t *testing.T) {
	reading := []wire.Reading{{Sheet: "nec", Fields: map[string]any{"command": 2}}}
	power, twin := wire.KeyRef{Device: "lamp", Key: "power"}, wire.KeyRef{Device: "fan", Key: "power"}
	for says, c := range map[string]wire.Capture{
		"lamp/power, which sends nec command=2.": {Readings: reading, Keys: []wire.KeyRef{power}},
		"lamp/power and fan/power: they send the same, nec command=2.": {Readings: reading,
			Keys: []wire.KeyRef{power, twin}},
		"No device here has it. It is red of the code set Strand (strand): nec " +
			"command=2.": {Readings: reading,
			Sets: []wire.SetKey{{Set: "strand", Name: "Strand", Key: "red"}}},
		"Only the end of a press was heard (repeat frames of nec). Let go, and press once " +
			"more.": {Held: "nec"},
		"No device here has it: a signal without a known line code. Make it a key: urbo device code DEVICE/KEY " +
			"--capture x": {ID: "x"},
	} {
		assert.Equal(t, says, whose(c))
	}
}
