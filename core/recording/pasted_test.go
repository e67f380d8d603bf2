package recording

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// aPress is a press of 67 durations, as remotes send them.
func aPress() []int {
	out := []int{9000, 4500}
	for i := range 32 {
		space := 560
		if (0x2D5E11EE>>i)&1 == 1 {
			space = 1690
		}
		out = append(out, 560, space)
	}
	return append(out, 560)
}

// ints writes durations with something between them.
func ints(x []int, between string) string {
	out := make([]string, len(x))
	for i, d := range x {
		out[i] = fmt.Sprint(d)
	}
	return strings.Join(out, between)
}

// each writes every duration by a format for marks and one for spaces.
func each(x []int, mark, space, between string) string {
	out := make([]string, len(x))
	for i, d := range x {
		f := mark
		if i%2 == 1 {
			f = space
		}
		out[i] = fmt.Sprintf(f, d)
	}
	return strings.Join(out, between)
}

// all reads the trains of a text, flat.
func all(t *testing.T, text string) (out [][]int, about string, err error) {
	t.Helper()
	r, err := Open("", strings.NewReader(text), Options{Format: "text"})
	if err != nil {
		return nil, "", err
	}
	for r.Scan() {
		var flat []int
		for _, one := range r.Press().Trains {
			flat = append(flat, one.Train...)
			if one.Gap > 0 {
				flat = append(flat, one.Gap)
			}
		}
		out = append(out, flat)
	}
	return out, r.Info.Understood, r.Err()
}

// dialects are one press as people paste it.
func dialects() map[string]string {
	x := aPress()
	wrapped := func(per int) string {
		var b strings.Builder
		for i := 0; i < len(x); i += per {
			b.WriteString(ints(x[i:min(len(x), i+per)], ", "))
			if i+per < len(x) {
				b.WriteString(",")
			}
			b.WriteString("\n")
		}
		return b.String()
	}
	object, _ := json.Marshal(map[string]any{"name": "lamp", "codes": []any{map[string]any{"raw": x, "hz": 38000}}})
	var pairs [][]int
	for i := 0; i+1 < len(x); i += 2 {
		pairs = append(pairs, x[i:i+2])
	}
	nested, _ := json.Marshal(pairs)
	var table strings.Builder
	table.WriteString("index mark space\n")
	for i := 0; i < len(x); i += 2 {
		space := 0
		if i+1 < len(x) {
			space = x[i+1]
		}
		fmt.Fprintf(&table, "%d %d %d\n", i/2, x[i], space)
	}
	var counted strings.Builder
	for i, d := range x {
		fmt.Fprintf(&counted, "%d: %d\n", i+1, d)
	}
	wide := utf16.Encode([]rune("Raw: " + ints(x, " ")))
	utf16le := []byte{0xFF, 0xFE}
	for _, u := range wide {
		utf16le = append(utf16le, byte(u), byte(u>>8))
	}
	return map[string]string{
		"a title before it":        "Projector on\n" + ints(x, " "),
		"a label":                  "rawData: " + ints(x, ","),
		"a clock before it":        "12:03:44.512 received " + ints(x, " "),
		"a date and words":         "2026-12-05 12:03:44 [receiver] code " + ints(x, ", "),
		"an array with its size":   "unsigned int power[67] = {" + ints(x, ", ") + "}; // NEC",
		"wrapped, with a label":    "Raw (67):\n" + wrapped(8),
		"words in a row":           each(x, "mark %d", "space %d", " "),
		"words in lines":           each(x, "pulse %d", "gap %d", "\n"),
		"words with a unit":        each(x, "on %d us", "off %d us", ", "),
		"high and low":             each(x, "H%[1]d", "L%[1]d", " "),
		"signs and a label":        "data " + each(x, "+%d", "-%d", " "),
		"a minus of typography":    "data " + each(x, "%d", "−%d", " "),
		"units":                    each(x, "%dus", "%dus", " "),
		"greek units":              "code " + each(x, "%dµs", "%dµs", " "),
		"JSON":                     string(object),
		"JSON in pairs":            `{"pairs": ` + string(nested) + "}",
		"a table with an index":    table.String(),
		"counted lines":            counted.String(),
		"with the carrier":         "38 kHz, 67 values: " + ints(x, " "),
		"UTF-16":                   string(utf16le),
		"between prose":            "I pressed power and got this:\n\n" + ints(x, " ") + "\n\nIs that a known code?",
		"blanks that do not break": "raw\u00a0=\u00a0" + ints(x, ",\u00a0"),
		"a comment behind":         "code = " + ints(x, ", ") + " /* power */",
	}
}

func TestText_AsPeoplePasteIt(t *testing.T) {
	t.Parallel()
	for name, text := range dialects() {
		got, about, err := all(t, text)
		if !assert.NoError(t, err, name) {
			continue
		}
		if assert.NotEmpty(t, got, name) {
			want := aPress()
			if name == "JSON in pairs" {
				want = want[:66]
			}
			assert.Equal(t, [][]int{want}, got, "%s, as %s", name, about)
		}
	}
}

func TestText_PeriodsOfACarrier(t *testing.T) {
	t.Parallel()
	x := append(aPress(), 40000)
	words := []string{"0000", "006D", fmt.Sprintf("%04X", len(x)/2), "0000"}
	for _, d := range x {
		words = append(words, fmt.Sprintf("%04X", int(float64(d)/(0x6D*period)+0.5)))
	}
	got, about, err := all(t, strings.Join(words, " "))
	require.NoError(t, err)
	assert.Equal(t, "periods of a carrier", about)
	require.Len(t, got, 1)
	for i, d := range aPress() {
		assert.InDelta(t, d, got[0][i], 14)
	}
	_, _, err = all(t, strings.Join(words[:len(words)-1], " "))
	assert.Error(t, err, "one word is missing")
}

func TestText_SeveralPressesWithTheirNames(t *testing.T) {
	t.Parallel()
	x := aPress()
	text := "on: " + ints(x, " ") + "\noff: " + ints(x, " ") + "\n"
	got, _, err := all(t, text)
	require.NoError(t, err)
	assert.Equal(t, [][]int{x, x}, got)
}

func TestText_WhatIsNoListIsRefused(t *testing.T) {
	t.Parallel()
	for _, text := range []string{"Hello, please call me on 0123 456 789 tomorrow at 12:30.", "The quick brown fox.",
		"deadbeef 00ff 1234 zzzz", "1.2.3.4 255.255.255.0 10.0.0.1", "<html><body>nothing</body></html>",
		"3 4 5 x 6 7 8 y 9"} {
		got, about, err := all(t, text)
		assert.Error(t, err, "%q was read as %s: %v", text, about, got)
	}
}

func FuzzPasted(f *testing.F) {
	for _, text := range dialects() {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		if len(text) > 1<<16 {
			return
		}
		r, err := readPasted(text)
		if err != nil {
			return
		}
		for _, one := range r.trains {
			_, _ = one.press()
		}
	})
}

func TestText_SmallNumbersNeedAUnit(t *testing.T) {
	t.Parallel()
	var ticks []int
	for _, us := range aPress() {
		ticks = append(ticks, (us+25)/50)
	}
	list := ints(ticks, ", ")
	for _, text := range []string{list, "power: " + list, "int power[67] = {" + list + "};", `{"raw": [` + list + `]}`} {
		read := func(text string) ([]Press, error) {
			r, err := Open("", strings.NewReader(text), Options{})
			if err != nil {
				return nil, err
			}
			var out []Press
			for r.Scan() {
				out = append(out, r.Press())
			}
			return out, r.Err()
		}
		_, err := read(text)
		assert.ErrorContains(t, err, "unit 50 us", text)
		got, err := read("unit 50 us\n" + text)
		if text[0] == '{' {
			continue // a line before it makes it no JSON
		}
		require.NoError(t, err, text)
		require.Len(t, got, 1)
		require.Len(t, got[0].Trains[0].Train, 67)
		assert.Equal(t, 9000, got[0].Trains[0].Train[0])
	}
	got, _, err := all(t, each(aPress(), "mark %d", "space %d", " ")+"\ntick = 2 µs")
	require.NoError(t, err)
	assert.Equal(t, 18_000, got[0][0])
	got, _, err = all(t, each(aPress(), "mark %d", "space %d", " ")+"\ntick = 500 ns")
	require.NoError(t, err)
	assert.Equal(t, 4500, got[0][0])
}
