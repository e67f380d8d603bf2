package errand

import (
	"errors"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/run"
)

// names knows everything: what begins with "m-" is a measurement, dome/humidity and warm-room/temperature are, and the
// powers of mixer and boardwalk are measured, too.
type names struct{}

func (names) Target(name string) (run.Target, error) {
	switch {
	case strings.Contains(name, "/") && !strings.HasPrefix(name, "room/"):
		return run.Target{Kind: run.Measurement, ID: name, Was: name}, nil
	case strings.HasPrefix(name, "m-"), name == "dome", name == "warm-room":
		return run.Target{}, fmt.Errorf("unknown device %q", name)
	case name == "reins":
		return run.Target{Kind: run.Reins, ID: name, Was: name}, nil
	}
	return run.Target{Kind: run.Device, ID: "id of " + name, Was: name}, nil
}

func (names) Key(_ run.Target, key string) error {
	if key == "nothing" {
		return errors.New("no key nothing")
	}
	return nil
}

func (names) Control(_ run.Target, name, value string) error {
	if name == "nothing" || value == "nothing" {
		return errors.New("no such control or value")
	}
	return nil
}

func of(kind run.Kind) func(string) (run.Target, error) {
	return func(name string) (run.Target, error) {
		if name == "nothing" {
			return run.Target{}, fmt.Errorf("unknown %s nothing", kind)
		}
		return run.Target{Kind: kind, ID: "id of " + name, Was: name}, nil
	}
}

func (names) Sequence(name string) (run.Target, error) { return of(run.Sequence)(name) }
func (names) Occasion(name string) (run.Target, error) { return of(run.Occasion)(name) }
func (names) Errand(name string) (run.Target, error)   { return of(run.Errand)(name) }
func (names) Station(name string) (run.Target, error)  { return of(run.Station)(name) }

// now is what things are called now: as they were.
func now(run.Target) string { return "" }

// TestParse_AllSentencesOfATinkerer: each can be said, is printed, and then says the same.
func TestParse_AllSentencesOfATinkerer(t *testing.T) {
	data, err := os.ReadFile("testdata/sentences.txt")
	require.NoError(t, err)
	n := 0
	for line := range strings.Lines(string(data)) {
		if !strings.HasPrefix(line, "errand ") {
			continue
		}
		n++
		e, err := Parse(line, names{})
		require.NoError(t, err, line)
		again, err := Parse(e.Print(now), names{})
		require.NoError(t, err, e.Print(now))
		assert.Equal(t, e, again, line)
	}
	assert.Equal(t, 49, n)
}

func TestParse_Means(t *testing.T) {
	for _, c := range [][2]string{
		{"when every day at 7:00 do press x/y",
			"when at 07:00|do press x/y"},
		{"when sunset - 30 min do press x/y",
			"when 30 min before sunset|do press x/y"},
		{"when m-a/b > 85% for 2 minutes do press x/y",
			"when m-a/b above 85 % for 2 min|do press x/y"},
		{"when at 7:00 on mon-fri do press x/y, press x/z",
			"when at 07:00 on weekdays|do press x/y|  then press x/z"},
		{"while sun down do press x/y afterwards back if unknown end after 5 min if missed skip",
			"while sun down|do press x/y|afterwards back|if missed skip|if unknown end after 5 min"},
		{"when at 7:00 # early\n# and then\ndo press x/y # quick\nif busy drop # once",
			"when at 07:00 # early|# and then|do press x/y # quick|if busy drop # once"},
		{"when measurement x/y below 3 W only if control x/y is on do turn on x",
			"when measurement x/y below 3 W|only if control x/y is on|do set x/power to on"},
		{"when at 7:00 do if sun up do press x/y then toggle x",
			"when at 07:00|do if sun up do (press x/y)|" +
				"  then if x/power is on do (set x/power to off) else (set x/power to on)"},
	} {
		text, want := "errand a "+c[0], "errand a\n"+strings.ReplaceAll(c[1], "|", "\n")
		e, err := Parse(text, names{})
		require.NoError(t, err, text)
		assert.Equal(t, want, e.Print(now))
	}
}

func TestParse_SaysWhatIsWrongAndWhere(t *testing.T) {
	for text, want := range map[string]string{
		"errant a when at 7:00 do press x/y":                               "line 1, column 1: expected errand",
		"errand a\nwhen at 25:99 do press x/y":                             "line 2, column 9: there is no 25:99",
		"errand a when on 2026-02-29 at 7:00 do press x/y":                 "there is no day 2026-02-29",
		"errand a when on 02-28 at 7:00 do press x/y":                      "a day with its year",
		"errand a when sunst do press x/y":                                 "expected what happens",
		"errand a when at 7:00 do pres x/y":                                "nearest are press",
		"errand a when at 7:00 only if x/y do press x/y":                   "expected is, may be, above or below",
		"errand a when at 7:00 do press x/nothing":                         "no key nothing",
		"errand a when at 7:00 do start nothing":                           "unknown occasion nothing",
		"errand a when 5 min before x/y pressed do press x/y":              "write after instead of before",
		"errand a when x/y pressed not before 7:00 do press x/y":           "go with times",
		"errand a when at 7:00 do press x/y if missed skip if missed skip": "said twice",
		"errand a when at 7:00 do press x/y if unknown end after 1 h":      "end after goes with while",
		"errand a when at 7:00 only if m-a/b above 5 until 4 do press x/y": "until goes with while",
		"errand a when at 7:00 do press x/y afterwards back":               "expected then, a rule",
		"errand a when at 7:00 do set x/y to off after 10 min":             "wait 10 min then set",
		"errand a when every 1 s do press x/y":                             "from 10 s to 1 d",
		"errand a when at 7:00 not near 8:00 do press x/y":                 "expected before or after",
		"errand a while x/y is on":                                         "expected do, and the text ends",
		"errand a when x/y vanishes do press x/y":                          "behind a control becomes or leaves",
	} {
		_, err := Parse(text, names{})
		require.Error(t, err, text)
		assert.ErrorContains(t, err, want, text)
	}
}

func TestNext_KeepsToLimitsAndDays(t *testing.T) {
	w := london(t)
	for _, c := range []struct{ cue, after, want string }{
		{"at 7:00 on weekdays", "2026-12-04 07:00", "2026-12-07 07:00"},
		{"at 08:00, 20:00", "2026-12-04 08:00", "2026-12-04 20:00"},
		{"at 21:00 on first mon", "2026-12-08 00:00", "2027-01-04 21:00"},
		{"on 2026-12-05 at 20:10", "2026-12-05 20:09", "2026-12-05 20:10"},
		{"on 2026-12-05 at 20:10", "2026-12-05 20:10", ""},
		{"every 15 min from 22:00 to 22:30", "2026-12-04 22:15", "2026-12-04 22:30"},
		{"every 15 min from 22:00 to 22:30", "2026-12-04 22:30", "2026-12-05 22:00"},
		{"20 min after sunset not before 17:00", "2026-12-04 12:00", "2026-12-04 17:00"},
		{"20 min after sunset not before 17:00 else skip", "2026-12-04 12:00", "2027-02-01 17:00"},
		{"2 d before at 7:00 on mon", "2026-12-04 12:00", "2026-12-05 07:00"},
		{"at 01:30", "2026-03-29 00:30", "2026-03-29 02:00"}, // there is no 01:30
		{"at 01:30", "2026-10-25 00:30", "2026-10-25 01:30"}, // the first of two
	} {
		e, err := Parse("errand a when "+c.cue+" do press x/y", names{})
		require.NoError(t, err, c.cue)
		after, err := time.ParseInLocation("2006-01-02 15:04", c.after, w.Zone)
		require.NoError(t, err)
		got, is := e.Next("a", after, w)
		text := ""
		if is {
			text = got.In(w.Zone).Truncate(time.Minute).Format("2006-01-02 15:04")
		}
		assert.Equal(t, c.want, text, c.cue+" after "+c.after)
	}
}
