package plain_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"urbo/core/plain"
)

func TestIs_RefusesWhatDoesMoreThanShow(t *testing.T) {
	for _, good := range []string{"", "Boardwalk lights", "Größe 3 – 42 °C", "灯", "é"} {
		assert.True(t, plain.Is(good), "%q", good)
		assert.Equal(t, good, plain.Show(good))
	}
	for bad, shown := range map[string]string{
		"\x1b[2Jlamp":      "�[2Jlamp",  // clears a terminal
		"lamp\u009b31m":    "lamp�31m",  // the same in one C1 character
		"lamp\u202egnp":    "lamp�gnp",  // turns the rest around
		"lamp\u2066x":      "lamp�x",    // isolates
		"la\u200bmp":       "la�mp",     // takes no place
		"two\u2028lines":   "two�lines", // a separator of lines
		"bell\a":           "bell�",     //
		"torn \xff":        "torn �",    // no UTF-8
		"a\nb\tc":          "a\nb\tc",   // no name, and harmless where it is printed
		"\u061cmark\u200f": "�mark�",    //
	} {
		assert.False(t, plain.Is(bad), "%q", bad)
		assert.Equal(t, shown, plain.Show(bad))
	}
}

func TestCompare_CountsNumbersByTheirValue(t *testing.T) {
	want := []string{"", "Dome", "dome 2", "Dome 9b", "Dome 010", "Dome 10", "Dome 100", "Lamp", "lamp", "Ω"}
	for seed := range uint64(20) {
		got := slices.Clone(want)
		rand.New(rand.NewPCG(seed, 1)).Shuffle(len(got), func(i, j int) { got[i], got[j] = got[j], got[i] })
		slices.SortFunc(got, plain.Compare)
		assert.Equal(t, want, got)
	}
}
