package line_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/signal"
)

const goodSheet = `sheet: lamp
title: A lamp
medium: infrared
carrier_hz: 38000
unit_us: 500
order: msb
code: {style: space, zero: [1, 1], one: [1, 3]}
fields:
  - {name: id, bits: 8}
frames:
  message:
    - lead: [8, 4]
    - field: id
    - pulses: [1]
press:
  - {repeat: [message], repeats: 2, gap: 40}
`

func TestParseSheet_NamesLineAndWayOut(t *testing.T) {
	_, err := line.ParseSheet("lamp.yaml", []byte(goodSheet))
	require.NoError(t, err)
	for _, c := range []struct{ old, with, line, says string }{
		{"sheet: lamp", "sheet: Lamp!", "[1]", "use a-z, 0-9 and -"},
		{"medium: infrared", "medium: light", "[3]", "write infrared or radio"},
		{"carrier_hz: 38000", "carrier_hz: 38", "[4]", "write it in Hz"},
		{"unit_us: 500", "unit_us: fast", "[5]", "a number from 20 to 10000, or {from: 100, to: 700}"},
		{"unit_us: 500", "unit_us: 3", "[5]", "from 20 to 10000"},
		{"order: msb", "order: up", "[6]", "write lsb or msb"},
		{"style: space", "style: morse", "[7]", "write one of space, mark"},
		{"one: [1, 3]", "one: [1, 1]", "[7]", "make them differ"},
		{"one: [1, 3]", "one: [1]", "[7]", "same even number"},
		{"name: id, bits: 8", "name: id, bits: 99", "[9]", "1 to 63"},
		{"- field: id", "- field: number", "[13]", "describe it under fields"},
		{"- field: id", "- not: id", "[13]", "label of the frame"},
		{"- field: id", "- {field: id, bits: 9..2}", "[13]", "its bits are 7..0"},
		{"- field: id", "- {field: id, lead: [1]}", "[13]", "give each part one of"},
		{"- lead: [8, 4]", "- lead: [8]", "[13]", "mark and space alternate"},
		{"repeat: [message]", "repeat: [massage]", "[16]", "name one of the sheet's frames"},
		{"gap: 40", "gap: 40, period_us: 9", "[16]", "give one of period_us"},
		{"repeats: 2, ", "", "[16]", "set repeats"},
		{"title: A lamp", "titel: A lamp", "[2:", "titel"},
	} {
		text := strings.Replace(goodSheet, c.old, c.with, 1)
		require.NotEqual(t, goodSheet, text, c.old)
		_, err := line.ParseSheet("lamp.yaml", []byte(text))
		require.ErrorIs(t, err, line.ErrSheet, c.with)
		assert.ErrorContains(t, err, "lamp.yaml", c.with)
		assert.ErrorContains(t, err, c.line, c.with)
		assert.ErrorContains(t, err, c.says, c.with)
	}
}

// climateSheet shows what the language holds beyond handsets with few keys: two blocks with a pause between them, a
// second code for the second block, an offset, a table, BCD, a reversed field, a sum and a checksum over both.
const climateSheet = `sheet: climate
title: A climate code in two blocks
medium: infrared
carrier_hz: 38000
unit_us: 430
order: lsb
code: {style: space, zero: [1, 1], one: [1, 3]}
codes:
  slow: {style: space, zero: [1.2, 1.2], one: [1.2, 3.6]}
fields:
  - {name: celsius, bits: 4, offset: -16, min: 16, max: 30}
  - {name: mode, bits: 3, lookup: {0: 0, 1: 4, 2: 6, 3: 2}, max: 3}
  - {name: hours, bits: 8, bcd: true, max: 23}
  - {name: vane, bits: 4, reverse: true}
  - {name: trim, bits: 5, signed: true}
frames:
  message:
    - lead: [8, 4]
    - {const: 0x23, bits: 8, as: head}
    - field: celsius
    - field: mode
    - {parity: [celsius, mode], as: odd}
    - {sum: [head, celsius, mode, odd], chunk: 4, bits: 4, negate: true}
    - pulses: [1]
    - us: [20000]
    - use: slow
    - lead: [10, 5]
    - field: hours
    - field: vane
    - {field: trim, double: true}
    - {crc: [hours, vane], bits: 8, polynomial: 0x31, as: crc}
    - {xor: [hours, vane, crc], chunk: 4, bits: 4, invert: true}
    - pulses: [1.2]
press:
  - {repeat: [message], repeats: 1, gap_us: 40000}
`

func TestSheet_HoldsAClimateCodeInTwoBlocks(t *testing.T) {
	s, err := line.ParseSheet("climate.yaml", []byte(climateSheet))
	require.NoError(t, err)
	for celsius := int64(16); celsius <= 30; celsius++ {
		fields := line.Fields{"celsius": line.Number(celsius), "mode": line.Number(celsius % 4),
			"hours": line.Number(celsius - 7),
			"vane":  line.Number(celsius % 16), "trim": line.Number(celsius - 23)}
		b, err := s.Encode(fields)
		require.NoError(t, err)
		got := s.Decode(signal.Split(b.Repeat, 15_000))
		require.Len(t, got, 1, "celsius %d", celsius)
		assert.Equal(t, fields, got[0].Fields)
		assert.Greater(t, got[0].Confidence, 0.95, "the checks make one frame enough")
	}
	_, err = s.Encode(line.Fields{"celsius": line.Number(31), "mode": line.Number(0), "hours": line.Number(1),
		"vane": line.Number(0), "trim": line.Number(0)})
	assert.ErrorContains(t, err, "celsius is 31: it is 16 to 30")
}

// A sheet whose press depends on an optional field: a dim level makes the frame longer and replaces a bit by a symbol
// of its own.
const dimSheet = `sheet: dimmer
medium: radio
frequency_hz: 433920000
unit_us: {from: 200, to: 300}
order: msb
code: {style: pair, zero: [1, 1, 1, 5], one: [1, 5, 1, 1], extra: {dim: [1, 1, 1, 1]}}
fields:
  - {name: id, bits: 10}
  - {name: state, bits: 1}
  - {name: level, bits: 4}
frames:
  plain: [{lead: [1, 10]}, {field: id}, {field: state}, {pulses: [1]}]
  dimmed: [{lead: [1, 10]}, {field: id}, {symbol: dim}, {field: level}, {pulses: [1]}]
press:
  - {when: level, repeat: [dimmed], repeats: 3, gap: 40}
  - {repeat: [plain], repeats: 3, gap: 40}
`

func TestSheet_OptionalPartsChooseThePress(t *testing.T) {
	s, err := line.ParseSheet("dimmer.yaml", []byte(dimSheet))
	require.NoError(t, err)
	for _, fields := range []line.Fields{
		{"id": line.Number(700), "state": line.Number(1)},
		{"id": line.Number(700), "level": line.Number(9)},
	} {
		b, err := s.Encode(fields)
		require.NoError(t, err)
		got := s.Decode([]signal.Reception{{Train: press(b)[:len(press(b))-1]}})
		require.NotEmpty(t, got, "%v", fields)
		assert.Equal(t, fields, got[0].Fields)
	}
}

// TestParseSheet_RefusesWhatWouldHurtTheHouse: a sheet comes from anybody, and one that compiles is sent and looked
// for.
func TestParseSheet_RefusesWhatWouldHurtTheHouse(t *testing.T) {
	biphase := strings.NewReplacer("code: {style: space, zero: [1, 1], one: [1, 3]}",
		"code: {style: biphase, rise: one}",
		"    - lead: [8, 4]\n", "", "    - pulses: [1]\n", "",
		"    - field: id", "    - {const: 1, bits: 1}\n    - field: id").Replace(goodSheet)
	_, err := line.ParseSheet("lamp.yaml", []byte(biphase))
	require.NoError(t, err)
	for _, c := range []struct{ in, old, with, says string }{
		{goodSheet, "lead: [8, 4]", "lead: []", "give 1 to 64"},
		{goodSheet, "lead: [8, 4]", "lead: [.nan, 4]", "more than 0"},
		{goodSheet, "lead: [8, 4]", "us: [9000, .inf]", "1 to 1000000"},
		{goodSheet, "lead: [8, 4]", "lead: [" + strings.Repeat("1, ", 99) + "1]", "give 1 to 64"},
		{goodSheet, "unit_us: 500", "unit_us: .nan", "from 20 to 10000"},
		{goodSheet, "zero: [1, 1]", "first: space, zero: []", "give 2 to 16 durations"},
		{goodSheet, "zero: [1, 1], one: [1, 3]", "first: space, zero: [], one: []", "give 2 to 16 durations"},
		{goodSheet, "zero: [1, 1]", "zero: [.nan, 1]", "more than 0"},
		{goodSheet, "gap: 40", "gap: 1.0e18", "at most a second"},
		{goodSheet, "gap: 40", "gap: .nan", "at most a second"},
		{goodSheet, "gap: 40", "gap_us: -4", "at most a second"},
		{goodSheet, "- field: id", "- {sum: [id], chunk: -3, bits: 8}\n    - field: id", "chunk is 1 to 64"},
		{goodSheet, "- field: id", "- {const: 300, bits: 8}\n    - field: id", "give it more bits, or at most 255"},
		{goodSheet, "bits: 8", "bits: 8, default: 300", "write one that can be sent"},
		{goodSheet, "bits: 8", "bits: 8, min: 9, max: 3", "so that some value is left"},
		{goodSheet, "bits: 8", "bits: 8, lookup: {0: 1, 1: 900}", "use at most 255"},
		{goodSheet, "bits: 8", "bits: 8, lookup: {}", "cannot be sent"},
		{goodSheet, "bits: 8", "digits: 8, of: ab", "its symbols are 01"},
		{goodSheet, "bits: 8", "bits: 63, offset: 9223372036854775807", "use a smaller one"},
		{goodSheet, "bits: 8", "bits: 8, scale: .inf", "use a number up to"},
		{goodSheet, "title: A lamp", `title: "A \e[2J lamp"`, "plain text"},
		{goodSheet, "title: A lamp", `title: "A \u202e lamp"`, "plain text"},
		{goodSheet, "- field: id", "- field: id\n" + strings.Repeat("    - field: id\n", 300), "at most 200"},
		{goodSheet, "- field: id", strings.Repeat("- {const: 0, bits: 64}\n    ", 60) + "- field: id",
			"4096 durations"},
		{goodSheet, "repeat: [message]", "repeat: [" + strings.Repeat("message, ", 999) + "message]",
			"name at most 24"},
		{goodSheet, "repeats: 2, gap: 40", "repeats: 50, period_us: 1000000", "one press lasts"},
		{goodSheet, "zero: [1, 1], one: [1, 3]", "zero: [1, 1], one: [1, 1.05]", "make them differ"},
		{goodSheet, "code: {", "codes: &a {b: &c {style: space, zero: [1, 1], one: [1, 3]}, d: *c}\ncode: {",
			"anchors"},
		{goodSheet, "title: A lamp", "title: " + strings.Repeat("[", 60_000), "nested more than 24 deep"},
		{goodSheet, "title: A lamp", "title:\n" + strings.Repeat("- ", 30_000), "nested more than 24 deep"},
		{biphase, "- field: id", "- {field: id, width: 500000}", "width 1 to 8"},
		{biphase, "- field: id", "- {field: id, width: -1}", "width 1 to 8"},
		{biphase, "- {const: 1, bits: 1}", "- lead: [3]", "begin with a mark and a space"},
		{biphase, "- {const: 1, bits: 1}\n    - field: id", "- lead: [3]", "give it bits"},
		{biphase, "- {const: 1, bits: 1}\n    - field: id", "- field: id", "is not read back"}, // 0 and 255 look alike
	} {
		text := strings.Replace(c.in, c.old, c.with, 1)
		require.NotEqual(t, c.in, text, c.old)
		_, err := line.ParseSheet("lamp.yaml", []byte(text))
		require.ErrorIs(t, err, line.ErrSheet, c.with)
		assert.ErrorContains(t, err, c.says, c.with)
	}
}

// FuzzParseSheet compiles anything, and sends and reads with what compiles: both ways in, with and without the trial.
func FuzzParseSheet(f *testing.F) {
	f.Add(goodSheet)
	f.Add(climateSheet)
	f.Add(dimSheet)
	builtin, err := filepath.Glob("sheets/*.yaml")
	require.NoError(f, err)
	for _, file := range builtin {
		text, err := os.ReadFile(file)
		require.NoError(f, err)
		f.Add(string(text))
	}
	f.Fuzz(func(t *testing.T, text string) {
		sheet, _ := line.ParseSheet("fuzz.yaml", []byte(text))
		inline, _ := line.Builtin().Inline(text)
		for _, s := range []*line.Sheet{sheet, inline} {
			if s == nil {
				continue
			}
			s.Decode([]signal.Reception{{Train: signal.Train{500, 500, 500, 1500, 500}}})
			fields := line.Fields{}
			for _, info := range s.Fields() {
				fields[info.Name] = line.Number(info.Max)
				if info.Digits > 0 {
					fields[info.Name] = line.Text(strings.Repeat(info.Of[len(info.Of)-1:], info.Digits))
				}
			}
			b, err := s.EncodeAnyway(fields, s.UnitFrom)
			if err != nil {
				continue // a form of a press with fewer fields
			}
			durations := append(b.Durations(), b.Repeat...)
			require.LessOrEqual(t, len(durations), 53*signal.MaxDurations)
			for _, d := range durations {
				require.Positive(t, d)
			}
			s.Decode(signal.Split(durations, signal.UnknownGap))
		}
	})
}
