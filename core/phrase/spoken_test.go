package phrase

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"urbo/core/run"
)

func anyWord(string) bool { return true }

func TestSpoken_IsWhatTheSpeakerSees(t *testing.T) {
	t.Parallel()
	g := New(fewThings())
	all := g.Spoken(nil).JSGF(anyWord)
	for _, said := range []string{"lecture amplifier", "path lights", "volume (<dial>)", "dome shutter", "<room> = "} {
		assert.Contains(t, all, said)
	}
	mine := g.Spoken(func(_ run.Kind, id string) bool { return id == "d2" }).JSGF(anyWord)
	assert.Contains(t, mine, "weather radio")
	for _, hidden := range []string{"amplifier", "shutter", "boardwalk", "path lights"} {
		assert.NotContains(t, mine, hidden, "a name is told by what is recognised, too")
	}
	assert.Contains(t, mine, "<occasion> = <VOID>;")
}

func TestSpoken_LeavesOutWhatCannotBeSaid(t *testing.T) {
	t.Parallel()
	h := fewThings()
	h.Devices[0].Name, h.Devices[0].Slug = "Lecture & more", "amp"
	h.Devices[1].Also = []string{"<VOID>; public <x> = y", "zzyx"}
	g := New(h)
	text := g.Spoken(nil).JSGF(func(w string) bool { return w != "zzyx" })
	assert.NotContains(t, text, "&")
	assert.NotContains(t, text, "zzyx")
	assert.Equal(t, 1, strings.Count(text, "public <"), "a name is no grammar")
}

// TestSpoken_IsUnderstood says what the grammar has for each device: nearly all of it means something.
func TestSpoken_IsUnderstood(t *testing.T) {
	t.Parallel()
	g := New(fewThings())
	for said, want := range map[string]string{"turn on the lecture amplifier": "set amplifier/power to on",
		"amplifier volume twenty two":     "set amplifier/volume to 22",
		"put the radio volume to thirty":  "set radio/volume to 30",
		"radio off in ten minutes":        "wait 10 min then set radio/power to off",
		"boardwalk lights on for an hour": "set boardwalk/power to on for 1 h and back",
		"open the dome shutter":           "set shutter/position to open",
		"everything off":                  "set amplifier/power and radio/power and boardwalk/power to off",
		"radio volume up a bit":           "set radio/volume by +1", "press display on the amplifier": "press " +
			"amplifier/display"} {
		assert.Equal(t, want, meant(g, said, nil), said)
	}
}

func BenchmarkSpoken(b *testing.B) {
	g := New(fewThings())
	for b.Loop() {
		_ = g.Spoken(nil).JSGF(anyWord)
	}
}
