package notation_test

import (
	"fmt"
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
		{"NEC 0x9C6340BF 32", 0, []device.Code{nec(2)}},
		{"NEC 0x9C6340BF, 32 bits", 0, []device.Code{nec(2)}},
		{"Nec: 9c6340bf", 0, []device.Code{nec(2)}},
		{"nec Address = 57, command= 2", 0, []device.Code{nec(2)}},
		{"0000 006D 0003 0000 004C 0026 000D 001B 000D 0600", 0, []device.Code{{Train: signal.Train{1998, 999, 342, 710,
			342}, Channel: device.Channel{Medium: line.Infrared, Hz: 38_029}}}},
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
		"0x9C6340BF":                    "With 32 bits it may be nec address=57 command=2",
		"9C6340BF, 32 bits":             "write one of these",
		"5592405 24":                    "With 24 bits it may be ",
		"0x9C6340BF/20":                 "write how many",
		"0x1234567/25":                  "or the durations",
		"0000 006D 0022 0002 0157 00AC": "is a part missing?",
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

func TestReadNumber_SaysWhichEndAndTakesTheOneWhoseComplementsHold(t *testing.T) {
	book := line.Builtin()
	for _, c := range []struct{ sheet, text, fields, order, other string }{
		{"nec", "0x20DF10EF", "address=4 command=8", string(line.HighestFirst), "address=239 command=223"},
		{"nec28", "0x0CAFE1F", "", "", ""},
		{"sirc12", "0xa90", "address=1 command=21", string(line.HighestFirst), "address=21 command=16"},
		{"sirc15", "0x10/15", "address=8 command=0", string(line.HighestFirst), "address=0 command=16"},
		{"kaseikyo", "0x400401005051", "", "", ""},
	} {
		n, err := notation.ReadNumber(c.sheet, c.text, book)
		if c.fields == "" {
			if err != nil {
				assert.ErrorIs(t, err, notation.ErrNotation, c.text)
			}
			continue
		}
		require.NoError(t, err, c.text)
		assert.Equal(t, c.fields, n.Fields.String(), c.text)
		assert.Equal(t, c.order, string(n.Order), c.text)
		assert.Equal(t, c.other, n.Other.String(), c.text)
		assert.Contains(t, n.Words(), "The other way round it would be "+c.other)
	}
	// A check leaves one way only.
	s, err := book.Sheet("nec28")
	require.NoError(t, err)
	for value := range uint64(1 << 16) {
		if fields, ok := s.OfBits(value<<12|value, 28, line.LowestFirst); ok {
			if _, both := s.OfBits(value<<12|value, 28, line.HighestFirst); !both {
				n, err := notation.ReadNumber("nec28", fmt.Sprintf("0x%07x", value<<12|value), book)
				require.NoError(t, err)
				assert.Equal(t, line.LowestFirst, n.Order)
				assert.Equal(t, fields, n.Fields)
				assert.Nil(t, n.Other)
				break
			}
		}
	}
	for text, says := range map[string]string{"0x20DF10EE": "neither way round", "0x20DF": "with 32 bits is no nec",
		"green": "or the whole value like 0x20DF10EF", "0x20DF10EF/99": "write how many, like 0x20DF10EF/32",
		"0x120DF10EF": "frames of 32 bits"} {
		_, err := notation.ReadNumber("nec", text, book)
		assert.ErrorIs(t, err, notation.ErrNotation, text)
		assert.ErrorContains(t, err, says, text)
	}
	_, err = notation.ReadNumber("nex", "0x1", book)
	assert.ErrorIs(t, err, line.ErrUnknownSheet)
	_, err = notation.Parse("pt2262 0xff", 0, book)
	assert.ErrorContains(t, err, "frames of no whole bits")
}
