package scenery_test

import (
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/happening"
	"urbo/core/measure"
	"urbo/service/errands"
	"urbo/service/occasions"
	"urbo/store"
)

// sentences is where they stand, beside the grammar.
const sentences = "../core/errand/testdata/sentences.txt"

// sentence says what has to come of one.
type sentence struct {
	day    time.Time // "" is december
	before func(o *observatory)
	act    func(o *observatory, one errands.Errand)
	did    string // what was made of its cues, the oldest first
	is     string // what has to be so then: DEVICE CONTROL VALUE, several with commas
	notice string // what people were told
}

// at lets time go by.
func at(clock ...string) func(o *observatory, _ errands.Errand) {
	return func(o *observatory, _ errands.Errand) {
		for _, c := range clock {
			o.until(c)
		}
	}
}

func pressed(handset, key string) func(o *observatory, _ errands.Errand) {
	return func(o *observatory, _ errands.Errand) {
		o.press(handset, key)
		o.pause(10 * time.Second)
	}
}

func wished(slug, name, value string) func(o *observatory) {
	return func(o *observatory) { o.wish(slug, name, value) }
}

func (o *observatory) brings(what happening.Brought) {
	o.t.Helper()
	require.NoError(o.t, o.Errands.Bring(what, by))
	o.pause(10 * time.Second)
}

func (o *observatory) starts(occasion string, what occasions.What) {
	o.t.Helper()
	_, err := o.Occasions.Do(o.t.Context(), occasion, what, person, nil)
	require.NoError(o.t, err)
	o.pause(time.Minute)
}

// check says whether something is so, on the stage.
func (o *observatory) check(is, of string) {
	o.t.Helper()
	for _, one := range strings.Split(is, ", ") {
		if words := strings.Fields(one); len(words) == 3 {
			assert.Equal(o.t, words[2], o.truth(words[0])[words[1]], "%s: %s", of, one)
		}
	}
}

var said = map[string]sentence{
	"dusk": {act: at("16:20", "16:40"), did: "ran", is: "boardwalk power on, boardwalk colour amber"},
	"dry": {before: func(o *observatory) { o.measure("dome/humidity", 70, "%") }, act: func(o *observatory,
		_ errands.Errand) {
		o.measure("dome/humidity", 86, "%")
		o.pause(time.Minute)
		o.check("dew-a power on, dew-b power on, dew-c power on", "dry")
		o.pause(2 * time.Hour) // it is silent, and not known for more than half an hour
	}, did: "ran ended", is: "dew-a power off, dew-b power off, dew-c power off"},
	"close": {before: wished("amplifier", "power", "on"), act: at("02:31"), did: "ran", is: "amplifier power off"},
	"door": {act: func(o *observatory, _ errands.Errand) {
		o.press("door", "opened")
		o.pause(6 * time.Minute)
		o.press("door", "opened")
		o.pause(6 * time.Minute)
		o.check("boardwalk power on, boardwalk colour red", "door")
		o.pause(6 * time.Minute)
	}, did: "ran stretched", is: "boardwalk power off"},
	"film": {day: december.AddDate(0, 0, 1), before: wished("radio", "power", "on"), act: at("20:11", "20:11"),
		did: "ran",
		is:  "radio channel 47"},
	"lived-in": {act: func(o *observatory, _ errands.Errand) {
		o.until("15:55")
		o.until("17:00")
		o.check("boardwalk power on", "lived-in")
		o.until("20:00")
		o.check("boardwalk power off", "lived-in")
		require.NoError(o.t, o.Errands.Mark(o.t.Context(), "guests-stay", true))
		o.until("17:00")
	}, did: "ran skipped", is: "boardwalk power off"},
	"warm": {before: wished("heat-pump", "power", "on"), act: func(o *observatory, _ errands.Errand) {
		o.brings(happening.Brought{Kind: "phrase", Of: "Talk in ten minutes"})
		o.check("amplifier power off", "warm")
		o.pause(12 * time.Minute)
	}, did: "ran", is: "amplifier power on"},
	"late": {act: func(o *observatory, _ errands.Errand) {
		o.until("05:00")
		o.wish("projector", "power", "on")
		o.pause(time.Minute)
		o.wish("projector", "power", "off")
		o.until("12:00")
		o.wish("projector", "power", "on")
		o.pause(time.Minute)
	}, did: "ran skipped", notice: "the projector is on"},
	"off": {before: func(o *observatory) { o.wish("projector", "power", "on"); o.wish("amplifier", "power", "on") },
		act: func(o *observatory, _ errands.Errand) {
			o.pause(time.Minute)
			o.wish("projector", "power", "off")
			o.pause(11 * time.Minute)
		}, did: "ran", is: "amplifier power off"},
	"s1": {act: at("15:30", "16:00"), did: "ran", is: "boardwalk power on"},
	"s2": {act: func(o *observatory, _ errands.Errand) {
		o.until("06:59")
		o.check("radio power off", "s2")
		o.until("07:01")
		o.check("radio power on", "s2")
		o.wish("radio", "power", "off")
		o.until("07:01")
		o.check("radio power off", "s2 on a Saturday")
		o.until("09:01")
	}, did: "ran ran", is: "radio power on"},
	"s3": {act: at("15:00", "15:20"), did: "ran", is: "boardwalk power on"},
	"s4": {act: func(o *observatory, _ errands.Errand) {
		o.until("12:00")
		o.press("door", "opened")
		o.check("boardwalk power off", "s4")
		o.until("18:00")
		o.press("door", "opened")
		o.pause(10 * time.Second)
	}, did: "skipped ran", is: "boardwalk power on"},
	"s5": {act: func(o *observatory, _ errands.Errand) {
		o.until("12:00")
		o.measure("warm-room/temperature", 25, "°C")
		o.pause(2 * time.Minute)
		o.measure("warm-room/temperature", 26.5, "°C")
		o.pause(2 * time.Minute)
		o.check("mixer power on", "s5")
		o.measure("warm-room/temperature", 25, "°C")
		o.pause(2 * time.Minute)
		o.check("mixer power on", "s5 until 24")
		o.measure("warm-room/temperature", 23.9, "°C")
		o.pause(2 * time.Minute)
	}, did: "ran ended", is: "mixer power off",
		before: func(o *observatory) { o.measure("warm-room/temperature", 20, "°C") }},
	"s6": {act: func(o *observatory, _ errands.Errand) {
		o.until("00:16")
		o.wish("mixer", "power", "on")
		o.until("00:31")
	}, did: "skipped ran", is: "mixer sweep on"},
	"s7": {before: wished("mixer", "power", "on"), act: at("08:01", "20:01"), did: "ran ran", is: "mixer sweep off"},
	"s8": {act: pressed("clicker", "b"), did: "ran", is: "amplifier power on, amplifier input 2"},
	"s9": {before: func(o *observatory) { o.wish("projector", "power", "on"); o.wish("amplifier", "power", "on") },
		act: func(o *observatory, _ errands.Errand) {
			o.pause(time.Minute)
			o.wish("projector", "power", "off")
			o.pause(5 * time.Minute)
			o.wish("projector", "power", "on")
			o.check("amplifier power on", "s9")
			o.pause(6 * time.Minute)
		}, did: "ran", is: "amplifier power off"},
	"s10": {before: func(o *observatory) { o.wish("projector", "power", "on"); o.wish("amplifier", "power", "on") },
		act: func(o *observatory, _ errands.Errand) {
			o.pause(time.Minute)
			o.wish("projector", "power", "off")
			o.pause(5 * time.Minute)
			o.wish("projector", "power", "on")
			o.pause(20 * time.Minute)
			o.check("amplifier power on", "s10: it did not stay off")
			o.wish("projector", "power", "off")
			o.pause(11 * time.Minute)
		}, did: "ran", is: "amplifier power off"},
	"s11": {act: func(o *observatory, _ errands.Errand) {
		o.press("clicker", "c")
		o.pause(10 * time.Second)
		o.press("clicker", "c")
		o.pause(10 * time.Second)
	}, did: "ran skipped", is: "boardwalk power on"},
	"s12": {act: func(o *observatory, _ errands.Errand) {
		o.until("17:00")
		o.check("boardwalk power on", "s12")
		o.until("07:00")
		o.check("boardwalk power on", "s12 before sunrise")
		o.until("09:00")
	}, did: "ran", is: "boardwalk power off"},
	"s13": {act: func(o *observatory, _ errands.Errand) {
		o.until("17:00")
		o.check("boardwalk power on", "s13")
		o.until("23:01")
	}, did: "ran ended", is: "boardwalk power off"},
	"s14": {act: func(o *observatory, _ errands.Errand) {
		o.press("door", "opened")
		o.pause(10 * time.Second)
		o.check("boardwalk power on, amplifier power on", "s14")
		o.pause(10 * time.Minute)
	}, did: "ran", is: "boardwalk power off, amplifier power off"},
	"s15": {before: func(o *observatory) { o.wish("boardwalk", "power", "on"); o.wish("boardwalk", "brightness", "5") },
		act: func(o *observatory, _ errands.Errand) {
			o.pause(2 * time.Minute)
			o.wish("projector", "power", "on")
			o.pause(time.Minute)
			o.check("boardwalk brightness 2", "s15")
			o.pause(2 * time.Minute)
			o.wish("projector", "power", "off")
			o.pause(2 * time.Minute)
		}, did: "ran ended", is: "boardwalk brightness 5"},
	"s16": {before: wished("amplifier", "power", "on"), act: pressed("clicker", "a"), did: "ran",
		is: "amplifier volume 17"},
	"s17": {before: wished("amplifier", "power", "on"), act: func(o *observatory, _ errands.Errand) {
		o.pause(2 * time.Minute)
		o.wish("amplifier", "volume", "44")
		o.pause(2 * time.Minute)
	}, did: "ran", is: "amplifier volume 40"}, // after 40 presses of its keys it is only known that it is about that
	"s18": {act: func(o *observatory, _ errands.Errand) {
		o.press("clicker", "d")
		o.pause(10 * time.Second)
		o.check("boardwalk power on", "s18")
		o.press("clicker", "d")
		o.pause(10 * time.Second)
	}, did: "ran ran", is: "boardwalk power off"},
	"s19": {before: func(o *observatory) { o.measure("dome/humidity", 70, "%"); o.wish("amplifier", "power", "on") },
		act: func(o *observatory, _ errands.Errand) {
			for _, v := range []float64{71, 73, 75, 77, 79} {
				o.measure("dome/humidity", v, "%")
				o.pause(5 * time.Minute)
			}
			o.check("amplifier power on", "s19: slowly")
			o.measure("dome/humidity", 83, "%")
			o.pause(time.Minute)
		}, did: "ran", is: "amplifier power off"},
	"s20": {before: func(o *observatory) { o.measure("mixer/power", 6, "W") }, act: func(o *observatory,
		_ errands.Errand) {
		o.pause(9 * time.Minute)
		o.measure("mixer/power", 6, "W")
		o.pause(9 * time.Minute)
		assert.Empty(o.t, o.notices())
		o.pause(2 * time.Minute)
	}, did: "ran", notice: "the mixer's meter is silent"},
	"s21": {before: func(o *observatory) { o.measure("boardwalk/power", 20, "W") },
		act: func(o *observatory, _ errands.Errand) {
			o.measure("boardwalk/power", 1, "W")
			o.pause(6 * time.Minute)
			o.wish("boardwalk", "power", "on")
			o.measure("boardwalk/power", 20, "W")
			o.pause(time.Minute)
			o.measure("boardwalk/power", 1, "W")
			o.pause(6 * time.Minute)
		}, did: "skipped ran", notice: "a boardwalk lamp is broken"},
	"s22": {before: wished("projector", "power", "on"), act: at("23:01"), did: "ran", is: "projector power off"},
	"s23": {day: december.AddDate(0, 0, 3), act: func(o *observatory, _ errands.Errand) {
		o.until("21:02")
		o.check("amplifier power on, screen position down", "s23 on the first Monday")
		o.starts("public-talk", occasions.End)
		for range 7 {
			o.until("21:02")
		}
	}, did: "ran"},
	"s24": {day: time.Date(2027, 1, 6, 0, 0, 0, 0, time.UTC), act: func(o *observatory, _ errands.Errand) {
		o.until("18:01")
		o.check("boardwalk power on", "s24")
		o.wish("boardwalk", "power", "off")
		o.until("18:01")
	}, did: "ran skipped", is: "boardwalk power off"},
	"s25": {act: func(o *observatory, _ errands.Errand) {
		night := happening.Brought{Kind: "calendar", Of: "club", Value: "begins", Title: "Public night",
			At: o.Calendar.Now().Add(2 * time.Hour)}
		o.brings(night)
		night.Title = "cleaning"
		o.brings(night)
		o.pause(80 * time.Minute)
		o.check("amplifier power off", "s25")
		o.pause(15 * time.Minute)
	}, did: "ran", is: "amplifier power on"},
	"s26": {act: func(o *observatory, _ errands.Errand) {
		for range 2 {
			o.press("door", "opened")
			o.pause(20 * time.Minute)
		}
		o.press("door", "opened")
	}, did: "ran skipped ran", notice: "door"},
	"s27": {act: func(o *observatory, _ errands.Errand) {
		o.press("door", "opened")
		o.pause(5 * time.Minute)
		assert.Empty(o.t, o.notices())
		o.press("door", "closed")
		assert.Equal(o.t, []string{"closed"}, o.notices())
		o.press("door", "opened")
		o.pause(11 * time.Minute)
		o.press("door", "closed")
		assert.Empty(o.t, o.notices(), "it waited for ten minutes")
	}, did: "ran ran failed"},
	"s28": {before: wished("boardwalk", "power", "on"), act: func(o *observatory, _ errands.Errand) {
		o.stage.Outage()
		o.pause(10 * time.Second)
		_, err := o.MainsFailed("", by)
		require.NoError(o.t, err)
		o.pause(10 * time.Second)
		o.check("boardwalk power off", "s28")
		o.wish("boardwalk", "power", "on")
		now := o.Calendar.Now()
		o.stop()
		o.open(now.Add(time.Minute))
		o.pause(10 * time.Second)
	}, did: "ran ran", is: "boardwalk power off"},
	"s29": {before: func(o *observatory) { o.wish("mixer", "power", "on"); o.wish("mixer", "speed", "3") },
		act: func(o *observatory, _ errands.Errand) {
			o.until("12:00")
			o.wish("mixer", "speed", "3")
			o.until("16:00")
			o.check("mixer speed 3", "s29 in daylight")
			o.until("19:00")
		}, is: "mixer speed 1"},
	"s30": {act: func(o *observatory, one errands.Errand) {
		o.until("15:30")
		o.until("17:10")
		o.check("boardwalk power on", "s30")
		o.until("20:00")
		o.check("boardwalk power off", "s30")
		came := o.came(one)
		require.Len(o.t, came, 1)
		o.until("15:30")
		o.until("23:00")
	}, did: "ran"},
	"s31": {act: func(o *observatory, _ errands.Errand) {
		o.press("clicker", "b")
		o.pause(5 * time.Second)
		o.check("boardwalk power off", "s31: once")
		require.NoError(o.t, o.stage.Press("clicker", "b", 0))
		o.pause(450 * time.Millisecond)
		o.press("clicker", "b")
		o.pause(20 * time.Second)
	}, did: "ran", is: "boardwalk colour white"},
	"s32": {before: func(o *observatory) { o.starts("public-talk", occasions.Start) },
		act: func(o *observatory, _ errands.Errand) {
			o.press("clicker", "b")
			o.pause(5 * time.Second)
			require.NoError(o.t, o.stage.Press("clicker", "b", 2*time.Second))
			o.pause(15 * time.Second)
		}, did: "ran", is: "amplifier volume 21"},
	"s33": {act: func(o *observatory, _ errands.Errand) {
		o.until("16:50")
		o.check("boardwalk power off", "s33: sunset and 20 minutes are over, and it is not 17:00")
		o.until("17:01")
	}, did: "ran", is: "boardwalk power on, boardwalk colour white, boardwalk brightness 3"},
	"s34": {day: time.Date(2027, 7, 1, 12, 0, 0, 0, time.UTC), act: pressed("heat-pump", "on-off"), did: "ran",
		is: "heat-pump mode cooling"},
	"s35": {act: func(o *observatory, _ errands.Errand) {
		o.away()
		o.pause(time.Minute)
	}, did: "ran", notice: "nothing hears the dome"},
	"s36": {before: func(o *observatory) {
		_, err := o.Measure.Describe(o.t.Context(), "dome/humidity", measure.Spec{Unit: "%", Source: measure.Source{
			Topic: &measure.Topic{Topic: "club/dome", Pointer: "/humidity", Battery: "/battery"}}}, by)
		require.NoError(o.t, err)
		o.Measure.Message("club/dome", []byte(`{"humidity":70,"battery":55}`))
		o.pause(time.Second)
	}, act: func(o *observatory, _ errands.Errand) {
		for _, charge := range []string{"54", "9", "8"} {
			o.Measure.Message("club/dome", []byte(`{"humidity":70,"battery":`+charge+`}`))
			o.pause(time.Minute)
		}
	}, did: "ran", notice: "new battery for the dome's sensor"},
	"s37": {act: func(o *observatory, _ errands.Errand) {
		for _, text := range []string{`{"state":"stop"}`, `go`, `{"state":"go"}`} {
			o.brings(happening.Brought{Kind: "message", Of: "club/lamp", Value: text})
		}
		o.pause(time.Minute)
	}, did: "ran", is: "boardwalk colour red, dew-a power on"},
	"s38": {act: func(o *observatory, _ errands.Errand) {
		o.brings(happening.Brought{Kind: "hook", Of: "gate"})
		o.pause(3 * time.Minute)
		o.brings(happening.Brought{Kind: "hook", Of: "gate"})
		o.pause(3 * time.Minute)
		o.check("boardwalk power on", "s38: it is stretched")
		o.pause(3 * time.Minute)
	}, did: "ran stretched", is: "boardwalk power off"},
	"s39": {before: wished("boardwalk", "power", "on"), act: func(o *observatory, one errands.Errand) {
		o.until("21:50")
		o.doubt("boardwalk")
		o.until("22:01")
		require.NotEmpty(o.t, o.Questions.List(), "people are asked")
		o.until("22:29")
		o.truly("boardwalk")
		o.pause(30 * time.Second)
	}, did: "ran", is: "boardwalk power off"},
	"s40": {before: func(o *observatory) {
		o.wish("heat-pump", "power", "on")
		o.starts("public-talk", occasions.Start)
	}, act: func(o *observatory, _ errands.Errand) {
		o.starts("public-talk", occasions.End)
		assert.Equal(o.t, []string{"aired"}, o.Errands.Markers())
	}, did: "ran", is: "heat-pump power off"},
}

// doubt lets nobody know whether a device is on: its key was pressed, and it is not known whether that went out.
func (o *observatory) doubt(slug string) {
	o.t.Helper()
	id, err := o.Library.ID(slug)
	require.NoError(o.t, err)
	o.Stream.Publish(happening.Happening{ID: store.NewID(),
		What: happening.Pressed{Receipt: happening.Receipt{DeviceID: id,
			Device: slug, Key: "power", Times: 1, Outcome: happening.Unknown, Reason: "the power failed"}}})
	o.pause(time.Second)
}

func TestSentences_EachIsSayableAndMeansThat(t *testing.T) {
	t.Parallel()
	seen := 0
	all, err := os.ReadFile(sentences)
	require.NoError(t, err)
	for line := range strings.Lines(string(all)) {
		text := strings.TrimSpace(line)
		if text == "" || strings.HasPrefix(text, "#") {
			continue
		}
		name := strings.Fields(text)[1]
		want, is := said[name]
		require.True(t, is, "%s is not tried", name)
		seen++
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			begins := december
			if !want.day.IsZero() {
				begins = want.day
			}
			inObservatory(t, begins, func(_ *testing.T, o *observatory) {
				if want.before != nil {
					want.before(o)
				}
				for _, m := range []string{"dome/humidity", "warm-room/temperature", "mixer/power", "boardwalk/power"} {
					if _, err := o.Measure.Get(m); err != nil && strings.Contains(text, m) {
						_, err := o.Measure.Put(m, 50, "", by)
						require.NoError(o.t, err)
					}
				}
				one := o.says(text)
				o.notices()
				want.act(o, one)
				if want.did != "" {
					assert.Equal(o.t, want.did, strings.Join(o.did(one), " "), "%v", o.came(one))
				}
				o.check(want.is, name)
				if want.notice != "" {
					assert.Contains(o.t, o.notices(), want.notice)
				}
			})
		})
	}
	assert.Len(t, said, seen)
}
