package errand

import (
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/moment"
	"urbo/core/run"
)

func TestHabits_AreCounted(t *testing.T) {
	w := london(t)
	r := rand.New(rand.NewPCG(1, 2))
	var facts []Fact
	by := func(at time.Time, device, value, who string) {
		facts = append(facts, Fact{At: at, Kind: OfControl, Of: device, Name: "power", Value: value, By: who})
	}
	day := moment.Date{Year: 2026, Month: 11, Day: 2}
	for n := range 28 {
		d := day.Add(n)
		dusk, _ := w.On(d, moment.Point{Sun: "dusk"})
		if n%7 != 3 { // somebody switches the lights on some minutes after dusk, most evenings
			by(dusk.Add(9*time.Minute+time.Duration(r.IntN(240)-120)*time.Second), "boardwalk", "on", "handset")
		}
		by(w.At(d, moment.Clock(23*60)).Add(time.Duration(r.IntN(120))*time.Second), "boardwalk", "off", "person")
		by(w.At(d, moment.Clock(r.IntN(24*60))), "radio", []string{"on", "off"}[n%2], "person") // whenever
		door := w.At(d, moment.Clock(9*60+r.IntN(600)))
		facts = append(facts, Fact{At: door, Kind: OfKey, Of: "door", Name: "opened", Value: "90"})
		by(door.Add(40*time.Second), "lamp", "on", "person")
		by(door.Add(2*time.Hour), "lamp", "off", "errand") // not by hand
	}
	slices.SortStableFunc(facts, func(a, b Fact) int { return a.At.Compare(b.At) })
	all := map[string]Habit{}
	for _, h := range Habits(facts, w) {
		all[h.Device+" "+h.Value] = h
	}
	on := all["boardwalk on"]
	assert.EqualValues(t, "dusk", on.Cue.Sun)
	assert.InDelta(t, 9, on.Cue.Offset.Minutes(), 2)
	assert.Equal(t, "on 24 of 24 days", on.Says())
	off := all["boardwalk off"]
	assert.Equal(t, []moment.Clock{23 * 60}, off.Cue.Times)
	lamp := all["lamp on"]
	require.NotNil(t, lamp.Cue.Sudden)
	assert.Equal(t, "opened", lamp.Cue.Sudden.Pressed.Key)
	assert.NotContains(t, all, "radio on")
	assert.NotContains(t, all, "lamp off")
	assert.Equal(t, "errand evening\nwhen 9 min after dusk\ndo set boardwalk/power to on",
		func() string {
			h := on
			h.Cue.Offset = 9 * time.Minute
			return h.Errand("evening").Print(func(t run.Target) string { return t.ID })
		}())
}

func TestConflicts_AreSaidInWords(t *testing.T) {
	w := london(t)
	now := time.Date(2026, 12, 4, 10, 0, 0, 0, w.Zone)
	paths := func(on run.Target, control string) []string { return []string{on.ID + "/" + control} }
	read := func(text string) Named {
		e, err := Parse(text, names{})
		require.NoError(t, err, text)
		return Named{e.Name, e}
	}
	others := []Named{
		read("errand on when at 7:00 do set boardwalk/power to on"),
		read("errand back when amplifier/power becomes on do set boardwalk/power to off"),
		read("errand mon when at 9:00 on mon do set radio/power to on"),
	}
	for text, want := range map[string][]string{
		"errand a when at 7:00 do set boardwalk/power to off": {
			"on sets boardwalk/power to on at the same time (2026-12-05 07:00), and the later one wins"},
		"errand a when at 7:00 do set boardwalk/power to on":     nil,
		"errand a when at 7:30 do set boardwalk/power to off":    nil,
		"errand a when at 9:00 on fri do set radio/power to off": nil,
		"errand a when at 9:00 do set radio/power to off": {
			"mon sets radio/power to on at the same time (2026-12-07 09:00), and the later one wins"},
		"errand a when radio/power becomes on do set radio/power to on for 5 min and back": {
			"it sets radio/power, which is what it begins at: it sets itself off"},
		"errand a when radio/power becomes on by handset do set radio/power to on": nil,
		"errand a when boardwalk/power becomes off do set amplifier/power to on":   {"back and it set each other off"},
	} {
		assert.Equal(t, want, Conflicts(read(text), others, paths, now, w), text)
	}
}
