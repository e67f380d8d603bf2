package phrase

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
	"urbo/core/run"
)

// fewThings is a house of four devices.
func fewThings() House {
	to := func(x float64) *float64 { return &x }
	return House{
		Devices: []Device{
			{Named: Named{ID: "d1", Slug: "amplifier", Name: "Lecture amplifier"}, Kind: "amplifier", Room: "r1",
				Keys: []string{"power", "display"}, Controls: []control.Control{{Name: "power", Kind: control.Power},
					{Name: "volume", Kind: control.Dial, Most: to(60)}}},
			{Named: Named{ID: "d2", Slug: "radio", Name: "Weather radio"}, Kind: "tuner", Room: "r2",
				Controls: []control.Control{{Name: "power", Kind: control.Power},
					{Name: "volume", Kind: control.Dial, Most: to(30)}}},
			{Named: Named{ID: "d3", Slug: "shutter", Name: "Dome shutter"}, Kind: "shutter", Room: "r3", Rolling: true,
				Controls: []control.Control{{Name: "power", Kind: control.Power},
					{Name: "position", Kind: control.Travel, Open: "up", Close: "down"}}},
			{Named: Named{ID: "d4", Slug: "boardwalk", Name: "Boardwalk lights", Also: []string{"path lights"}},
				Kind: "light", Controls: []control.Control{{Name: "power", Kind: control.Power}}},
		},
		Rooms: []Named{{ID: "r1", Slug: "lecture-room", Name: "Lecture room"}, {ID: "r2", Slug: "warm-room",
			Name: "Warm room"}, {ID: "r3", Slug: "dome", Name: "Dome"}},
	}
}

// meant is what a phrase means, as steps, or why it means nothing.
func meant(g *Grammar, text string, sees Sees) string {
	m, q, err := g.Understand(text, sees)
	switch {
	case err != nil:
		return "! " + err.Error()
	case q != nil:
		return "? " + q.Text
	}
	return strings.ReplaceAll(run.Print(m.Steps, func(t run.Target) string { return t.Was }), "\n", " ")
}

func TestUnderstand_AsksWhereTwoThingsFit(t *testing.T) {
	t.Parallel()
	g := New(fewThings())
	_, q, err := g.Understand("volume 12", nil)
	require.NoError(t, err)
	require.Len(t, q.Choices, 2)
	assert.Equal(t, "Which one: Lecture amplifier: volume 12 or Weather radio: volume 12?", q.Text)
	assert.Equal(t, "set amplifier/volume to 40", meant(g, "volume 40", nil), "the radio cannot be at 40")
	assert.Equal(t, "? What is to be done with Dome shutter?", meant(g, "the shutter", nil))
	assert.Equal(t, `? Is amplifier meant by "amplifer": Lecture amplifier on?`, meant(g, "amplifer on", nil))
}

func TestUnderstand_EveryWordCounts(t *testing.T) {
	t.Parallel()
	g := New(fewThings())
	for _, text := range []string{"amplifier on maybe", "do not turn on the amplifier", "amplifier on if it is dark",
		"is the amplifier on", "the amplifier was on", "amplifier on or off", "amplifier on and off", "", "the",
		", ,"} {
		_, q, err := g.Understand(text, nil)
		assert.ErrorIs(t, err, ErrPhrase, text)
		assert.Nil(t, q, text)
	}
	_, _, err := g.Understand("amplifier volume 99", nil)
	assert.ErrorContains(t, err, "from 0 to 60", "what is out of bounds is said")
}

func TestUnderstand_EverythingLeavesOutRollingCodesAndWays(t *testing.T) {
	t.Parallel()
	g := New(fewThings())
	assert.Equal(t, "set amplifier/power and radio/power and boardwalk/power to off", meant(g, "everything off", nil))
	assert.Equal(t, "set radio/power to off", meant(g, "all off in the warm room", nil))
	assert.Equal(t, "set radio/power and boardwalk/power to off", meant(g, "everything off but the amplifier", nil))
	assert.Contains(t, meant(g, "everything off in the dome", nil), "! ")
	assert.Equal(t, "set shutter/power to off", meant(g, "shutter off", nil), "it is named")
}

func TestUnderstand_OnlyWhatTheSpeakerSees(t *testing.T) {
	t.Parallel()
	g := New(fewThings())
	sees := func(_ run.Kind, id string) bool { return id == "d2" }
	assert.Equal(t, "set radio/volume to 12", meant(g, "volume 12", sees))
	assert.Equal(t, "set radio/power to off", meant(g, "everything off", sees))
	assert.Contains(t, meant(g, "amplifier on", sees), "! ")
	assert.Contains(t, meant(g, "everything off in the lecture room", sees), "! ")
}

func TestUnderstand_TimesAndNames(t *testing.T) {
	t.Parallel()
	g := New(fewThings())
	for text, want := range map[string]string{
		"path lights on":                               "set boardwalk/power to on",
		"amplifier off in an hour and a half":          "wait 1 h 30 min then set amplifier/power to off",
		"amplifier off in 1 h 30 min":                  "wait 1 h 30 min then set amplifier/power to off",
		"amplifier on for a quarter of an hour":        "set amplifier/power to on for 15 min and back",
		"at 7 am amplifier on":                         "wait until 07:00 then set amplifier/power to on",
		"amplifier volume a third":                     "set amplifier/volume to 20",
		"AMPLIFIER ON!":                                "set amplifier/power to on",
		"Would you turn the amplifier's volume to 12?": "set amplifier/volume to 12",
		"amplifier on, then wait 2 s":                  "set amplifier/power to on then wait 2 s",
		"amplifier and radio off":                      "set amplifier/power and radio/power to off",
	} {
		assert.Equal(t, want, meant(g, text, nil), text)
	}
	assert.Contains(t, meant(g, "amplifier on and radio off in ten minutes", nil), "? Which one: wait 10 min")
}

// TestUnderstand_IsBounded says every word of the grammar, long phrases and much of the same.
func TestUnderstand_IsBounded(t *testing.T) {
	t.Parallel()
	g := New(fewThings())
	for _, text := range []string{strings.Join(g.lexicon, " "), strings.Repeat("amplifier on and ", 5000),
		strings.Repeat("the ", 60), strings.Repeat("turn ", 60), strings.Repeat("on off ", 25),
		strings.Repeat("amplifier, ", 59), strings.Repeat("amplifier and ", 59),
		strings.Repeat("in ten minutes ", 19), strings.Repeat("\x00\xff", 200), strings.Repeat("volume up and ", 14) +
			"volume up",
		strings.TrimSuffix(strings.Repeat("radio on and ", 15), " and ")} {
		_, _, err := g.Understand(text, nil)
		assert.ErrorIs(t, err, ErrPhrase, "%.40q", text)
	}
}

func TestGrammar_TheTableIsRead(t *testing.T) {
	t.Parallel()
	assert.Greater(t, len(english.patterns), 80)
	for _, bad := range []string{"say on turn", "say on: (turn", "say on: turn on)", "part-of x: <y>", "amount x: bit",
		"nothing: of it", "say on: {things"} {
		_, err := readLanguage(bad)
		assert.Error(t, err, bad)
	}
}

// crowd is a house of 500 devices in 40 rooms.
func crowd() House {
	h := fewThings()
	for i := range 40 {
		h.Rooms = append(h.Rooms, Named{ID: fmt.Sprint("x", i), Slug: fmt.Sprint("cellar-", i),
			Name: fmt.Sprint("Cellar ", i)})
	}
	most := 40.0
	for i := range 496 {
		h.Devices = append(h.Devices, Device{Named: Named{ID: fmt.Sprint("c", i), Slug: fmt.Sprint("lamp-", i),
			Name: fmt.Sprint("Reading lamp ", i)}, Kind: "lamp", Room: fmt.Sprint("x", i%40), Keys: []string{"on",
			"off", "up"},
			Controls: []control.Control{{Name: "power", Kind: control.Power}, {Name: "brightness", Kind: control.Dial,
				Most: &most}}})
	}
	return h
}

func BenchmarkUnderstand_500Devices(b *testing.B) {
	g := New(crowd())
	for _, text := range []string{"turn the lecture amplifier off in ten minutes please", "volume 40",
		"everything off in the dome and cellar 3 off", "reading lamp 317 brightness twenty two", "amplifer on",
		"the talk was about dark nebulae"} {
		b.Run(strings.ReplaceAll(text, " ", "_"), func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				_, _, _ = g.Understand(text, nil)
			}
		})
	}
}

func BenchmarkNew_500Devices(b *testing.B) {
	h := crowd()
	for b.Loop() {
		New(h)
	}
}
