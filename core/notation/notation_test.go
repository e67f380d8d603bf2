package notation_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/notation"
	"urbo/core/signal"
)

func TestParse_ReadsWhatPeopleWrite(t *testing.T) {
	nec := func(command int64) device.Code {
		return device.Code{Sheet: "nec", Fields: line.Fields{"address": line.Number(57),
			"command": line.Number(command)}}
	}
	train := signal.Train{2000, 1000, 350, 700, 350}
	for _, c := range []struct {
		text string
		hz   int
		want []device.Code
	}{
		{"nec address=57 command=2", 0, []device.Code{nec(2)}},
		{" nec  address=0x39 command=0b10 ", 0, []device.Code{nec(2)}},
		{"nec address=0x39/8 command=2/8", 0, []device.Code{nec(2)}},
		{"nec address=57 command=2 then nec address=57 command=3", 0, []device.Code{nec(2), nec(3)}},
		{"switches 01101 10100 on", 0, []device.Code{{Sheet: "pt2262",
			Fields: line.Fields{"values": line.Text("F00F00F0FF0F")}, UnitUS: 350}}},
		{"switches 0110110100 OFF", 0, []device.Code{{Sheet: "pt2262",
			Fields: line.Fields{"values": line.Text("F00F00F0FFF0")}, UnitUS: 350}}},
		{"2000/1000 350/700 350", 0, []device.Code{{Train: train, Channel: device.Channel{Medium: line.Infrared,
			Hz: 38_000}}}},
		{"[2000, 1000, 350, 700, 350]", 36_000, []device.Code{{Train: train,
			Channel: device.Channel{Medium: line.Infrared, Hz: 36_000}}}},
		{"+2000 -1000 +350 -700 +350", 433_920_000, []device.Code{{Train: train,
			Channel: device.Channel{Medium: line.Radio, Hz: 433_920_000}}}},
	} {
		got, err := notation.Parse(c.text, c.hz, line.Builtin())
		require.NoError(t, err, c.text)
		for i := range got {
			got[i].GapUS = 0
		}
		assert.Equal(t, c.want, got, c.text)
	}
}

func TestParse_SaysHowToWriteIt(t *testing.T) {
	for text, says := range map[string]string{
		"":                              "write a line code and its fields",
		"nec address=57 command=2 then": "write a line code and its fields",
		"nek address=1":                 "nek",
		"nec address":                   "write FIELD=VALUE",
		"nec address=abc":               "write it like 12, 0x0c or 0b1100",
		"nec address=300/8":             "300 does not fit into 8 bits",
		"nec address=3/many":            "how many bits",
		"switches 11010 on":             "ten positions",
		"switches 11010 01000 maybe":    "end with on or off",
		"switches":                      "ten positions",
		"12 0 4":                        "number 2 is 0",
	} {
		_, err := notation.Parse(text, 0, line.Builtin())
		assert.ErrorContains(t, err, says, text)
	}
}

// FuzzParse reads anything: what it takes can be sent, and nothing makes it fall over.
func FuzzParse(f *testing.F) {
	for _, text := range []string{"nec address=57 command=2 then switches 01101 10100 on", "2000/1000 350",
		"nec address=0x39/8", "then then"} {
		f.Add(text, 38_000)
	}
	book := line.Builtin()
	f.Fuzz(func(t *testing.T, text string, hz int) {
		codes, err := notation.Parse(text, hz, book)
		if err == nil && len(codes) == 0 {
			t.Fatal("neither codes nor an error")
		}
		for _, c := range codes {
			_, _ = c.Burst(book)
		}
	})
}
