package run

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// names are those of the demo's house, as far as the texts here need them.
type names struct{}

func (names) Target(name string) (Target, error) {
	switch {
	case name == "dew":
		return Target{Kind: Group, ID: "g1", Was: name}, nil
	case name == "room/dome":
		return Target{Kind: Room, ID: "r1", Was: name}, nil
	case name == "dome/humidity":
		return Target{Kind: Measurement, ID: name, Was: name}, nil
	case name == "boardwalk", name == "amplifier", name == "press", name == "at":
		return Target{Kind: Device, ID: "id of " + name, Was: name}, nil
	}
	return Target{}, fmt.Errorf("unknown device %q", name)
}

func (names) Sequence(name string) (Target, error) {
	if name != "fanfare" && name != "then" {
		return Target{}, fmt.Errorf("unknown sequence %q", name)
	}
	return Target{Kind: Sequence, ID: "id of " + name, Was: name}, nil
}

func (names) Key(_ Target, key string) error {
	if key == "nothing" {
		return errors.New("no key nothing")
	}
	return nil
}

func (names) Control(_ Target, name, value string) error {
	if name == "nothing" || value == "nothing" {
		return errors.New("no such control or value")
	}
	return nil
}

// now is what things are called now: as they were.
func now(Target) string { return "" }

func TestParse_SaysTheSameAsPrint(t *testing.T) {
	for written, printed := range map[string]string{
		"press boardwalk/power": "",
		"press amplifier/power then wait 3 s then press amplifier/input-2": "press amplifier/power\nthen wait 3 s\n" +
			"then press amplifier/input-2",
		"press amplifier/vol-up 5 times; press amplifier/mute held for 1500 ms": "press amplifier/vol-up 5 " +
			"times\nthen " +
			"press amplifier/mute held 1 s 500 ms",
		"Press boardwalk/power twice\nset boardwalk/power to on\n\nwait 90s": "press boardwalk/power 2 times\nthen " +
			"set " +
			"boardwalk/power to on\nthen wait 1 min 30 s",
		"set boardwalk/power and amplifier/power to on for 10 min and back": "",
		"set boardwalk/power to on for 2 hours and then off": "set boardwalk/power to " +
			"on for 2 h and then off",
		"set (boardwalk/power on, boardwalk/colour red)": "",
		"set (boardwalk/power to on, amplifier/bass by -2) # quieter": "set (boardwalk/power " +
			"on, amplifier/bass by -2)",
		"set amplifier/volume by +3": "",
		"set amplifier/volume by 3":  "set amplifier/volume by +3",
		"set amplifier/volume to 22 % then run fanfare": "set amplifier/volume to " +
			"22\nthen run fanfare",
		"set dew/power to off, set room/dome/power to off": "set dew/power to " +
			"off\nthen set room/dome/power to off",
		"wait until boardwalk/power is on at most 10 min": "",
		"wait until dome/humidity > 85% at most 1h30min": "wait until " +
			"dome/humidity above 85 % at most 1 h 30 min",
		"if boardwalk/power is on do set boardwalk/power to off else run then": "if boardwalk/power is " +
			"on do (set boardwalk/power to off) else (run then)",
		"if not (dew/power is on or at/power may be on) and at/mode is at do (wait 1 s;)": "if not (dew/power is on " +
			"or at/power may be on) and at/mode is at do (wait 1 s)",
		`notify "the dome is \"open\"" then press press/press`: "notify \"the dome is \\\"open\\\"\"\nthen press press/press",
		"if at/power is on do wait 1 s else if at/power is off do wait 2 s else wait 3 s": "if at/power is on do " +
			"(wait 1 s) else (if at/power is off do (wait 2 s) else (wait 3 s))",
	} {
		steps, err := Parse(written, names{})
		require.NoError(t, err, written)
		if printed == "" {
			printed = written
		}
		assert.Equal(t, printed, Print(steps, now), written)
		again, err := Parse(Print(steps, now), names{})
		require.NoError(t, err, printed)
		assert.Equal(t, steps, again, "printed and read again")
	}
}

func TestParse_SaysWhereItIsWrong(t *testing.T) {
	for written, says := range map[string]string{
		"":          "there are none: write at least one",
		"# nothing": "there are none",
		"pres boardwalk/power": "line 1, column 1: \"pres\" is no step: write press, set, run, wait, " +
			"if, notify; nearest are press",
		"press boardwalk": "line 1, column 7: expected DEVICE/KEY, such as boardwalk/power, not " +
			"\"boardwalk\"",
		"press lamp/on":                "line 1, column 7: unknown device \"lamp\"",
		"press dew/on":                 "a key is pressed on one device, and dew is a group",
		"press boardwalk/nothing":      "no key nothing",
		"wait 3 s then\nwait x":        "line 2, column 6: expected a time, such as 3 s or 10 min, not \"x\"",
		"wait 3":                       "expected a time",
		"wait 25 h":                    "step 1: waits 1 d 1 h: at most 1 d",
		"wait 0 s":                     "waits 0 s",
		"press boardwalk/a 21 times":   "21 times: from 1 to 20",
		"press boardwalk/a held 2 min": "held 2 min: at most 1 min",
		"set boardwalk/power on": "line 1, column 21: expected to and a value, or by and a number of " +
			"steps, not \"on\"",
		"set boardwalk/power to":                          "expected a value, and the text ends",
		"set boardwalk/power to nothing":                  "no such control or value",
		"set boardwalk/power to on for 3 min":             "expected and, and the text ends: write for 3 min and back",
		"set a/b to on":                                   "unknown device",
		"set amplifier/volume by much":                    "by takes a number of steps",
		"set dome/humidity/x to 3":                        "is a measurement, which cannot be set",
		"run x":                                           "unknown sequence",
		"wait until boardwalk/power is on":                "expected at most and a time",
		"wait until dome/humidity above much at most 1 s": "expected a number, not \"much\"",
		"if boardwalk/power is not on do wait 1 s":        "write not boardwalk/power is ...",
		"if boardwalk/power is on wait 1 s":               "expected do, not \"wait\"",
		"notify hello":                                    "expected a text in quotation marks",
		`notify "hello`:                                   "the quotation mark that ends this text is missing",
		`notify "  "`:                                     "says nothing",
		"wait 1 s)":                                       "expected then, or the end, not \")\"",
		strings.Repeat("wait 1 s;", 3000):                 "more than 200",
		strings.Repeat("wait 1 s;", 10_000):               "at most 32768",
		strings.Repeat("x", MaxText+1):                    "at most 32768",
		"if " + strings.Repeat("(", 5000):                 "more than 10 deep",
		"if " + strings.Repeat("not ", 5000):              "more than 10 deep",
		strings.Repeat("if at/power is on do (", 1000):    "more than 10 deep",
		"\xff": "no UTF-8",
	} {
		_, err := Parse(written, names{})
		require.ErrorIs(t, err, ErrSteps, "%.60s", written)
		assert.ErrorContains(t, err, says, "%.60s", written)
	}
}

// aStep draws any step.
func aStep(t *rapid.T, depth int) Step {
	on := Target{Kind: Device, ID: "id of boardwalk", Was: "boardwalk"}
	test := func(t *rapid.T) Cond {
		return Cond{Test: &Test{On: on, Control: rapid.SampledFrom([]string{"power", "at", "and"}).Draw(t, "control"),
			Is:    rapid.SampledFrom([]Relation{Equals, MayBe}).Draw(t, "is"),
			Value: rapid.SampledFrom([]string{"on", "at", "red", "5"}).Draw(t, "value")}}
	}
	dur := time.Duration(rapid.IntRange(1, 86_400_000).Draw(t, "ms")) * time.Millisecond
	kinds := 6
	if depth > 2 {
		kinds = 5
	}
	switch rapid.IntRange(0, kinds).Draw(t, "kind") {
	case 0:
		return Step{Press: &Press{On: on, Key: "then", Times: rapid.SampledFrom([]int{0, 2, 20}).Draw(t, "times")}}
	case 1:
		return Step{Press: &Press{On: on, Key: "power", Held: min(dur, MaxHeld)}}
	case 2:
		s := Set{Changes: []Wanted{{On: on, Control: "power", Value: "on"}}}
		if rapid.Bool().Draw(t, "two") {
			s.Changes = append(s.Changes, Wanted{On: on, Control: "bass",
				Value: rapid.SampledFrom([]string{"up 3", "on"}).Draw(t, "value")})
		}
		if rapid.Bool().Draw(t, "hold") {
			s.Hold = dur
		}
		return Step{Set: &s}
	case 3:
		return Step{Wait: &Wait{For: dur}}
	case 4:
		c := test(t)
		return Step{Wait: &Wait{For: dur, Until: &c}}
	case 5:
		return Step{Notify: rapid.StringMatching(`[a-z"\\#;]{1,20}`).Draw(t, "text")}
	}
	inner := test(t)
	c := inner
	switch rapid.IntRange(0, 3).Draw(t, "cond") {
	case 0:
		c = Cond{Not: &inner}
	case 1:
		c = Cond{Any: []Cond{{All: []Cond{c, test(t)}}, test(t)}}
	case 2:
		c = Cond{All: []Cond{{Any: []Cond{c, test(t)}}, {Not: &Cond{Any: []Cond{c, test(t)}}}}}
	}
	s := Step{If: &Choice{Cond: c, Do: []Step{aStep(t, depth+1)}}}
	if rapid.Bool().Draw(t, "else") {
		s.If.Else = []Step{aStep(t, depth+1), aStep(t, depth+1)}
	}
	return s
}

// TestPrint_IsReadBack: whatever steps there are, their text says the same.
func TestPrint_IsReadBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		steps := rapid.SliceOfN(rapid.Custom(func(t *rapid.T) Step { return aStep(t, 0) }), 1, 5).Draw(t, "steps")
		text := Print(steps, now)
		again, err := Parse(text, names{})
		if err != nil {
			t.Fatalf("%s: %v", text, err)
		}
		if Print(again, now) != text || fmt.Sprint(len(again)) != fmt.Sprint(len(steps)) {
			t.Fatalf("%s became %s", text, Print(again, now))
		}
		assert.Equal(t, steps, again)
	})
}

func FuzzParse(f *testing.F) {
	f.Add("press boardwalk/power then wait until dome/humidity above 85 % at most 1 h")
	f.Add(`if not (at/power is on) do (notify "x") else run then`)
	f.Fuzz(func(t *testing.T, text string) {
		steps, err := Parse(text, names{})
		if err != nil {
			return
		}
		again, err := Parse(Print(steps, now), names{})
		require.NoError(t, err)
		require.Equal(t, steps, again)
	})
}
