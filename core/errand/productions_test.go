package errand

import (
	"encoding/json"
	"flag"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var update = flag.Bool("update", false, "draw the productions anew")

const productions = "testdata/productions.json"

// production is an errand as it is written, and its parts.
type production struct {
	Text string `json:"text"`
	Tree Errand `json:"tree"`
}

// TestProductions_AreTheirTexts: the form of the console writes these trees, and its test expects these texts.
func TestProductions_AreTheirTexts(t *testing.T) {
	if *update {
		var all []production
		drawn := rapid.Custom(drawErrand)
		for seed := 0; len(all) < 160; seed++ {
			if e := drawn.Example(seed); e.Check() == nil {
				if text := e.Print(now); len(text) < 700 {
					all = append(all, production{text, e})
				}
			}
		}
		said, err := os.ReadFile("testdata/sentences.txt")
		require.NoError(t, err)
		rare := "errand rare when dome/humidity falls by 3 % within 1 h or door/opened pressed thrice do notify " +
			"\"dry\"\n"
		for line := range strings.Lines(rare + string(said)) {
			if e, err := Parse(line, names{}); err == nil {
				all = append(all, production{e.Print(now), e})
			}
		}
		var out []string // a line each
		for _, one := range all {
			data, err := json.Marshal(one)
			require.NoError(t, err)
			out = append(out, string(data))
		}
		require.NoError(t, os.WriteFile(productions, []byte("[\n"+strings.Join(out, ",\n")+"\n]\n"),
			0o644)) //nolint:gosec // it is no secret
	}
	data, err := os.ReadFile(productions)
	require.NoError(t, err)
	var all []production
	require.NoError(t, json.Unmarshal(data, &all))
	whole := ""
	for _, p := range all {
		got, err := Parse(p.Text, names{})
		require.NoError(t, err, p.Text)
		want, err := json.Marshal(p.Tree)
		require.NoError(t, err)
		is, err := json.Marshal(got)
		require.NoError(t, err)
		assert.JSONEq(t, string(want), string(is), p.Text)
		whole += p.Text + "\n"
	}
	for _, part := range []string{"when ", "\n  or ", "only if ", "while ", "afterwards back", "afterwards ",
		" give or take ",
		" not before ", " not after ", " else skip", " on weekdays", " on weekends", " on first ", " on last ",
		"every ", " from ",
		"on 20", " pressed", " pressed twice", " pressed thrice", " pressed held", " becomes ", " leaves ",
		" by handset",
		" rises by ", " falls by ", " silent for ", "battery ", "occasion ", " starts", " ends", "phrase ", "message ",
		" at \"",
		" is \"", "hook ", "calendar ", " titled ", "house starts", "mains return", "station ", " returns", "between ",
		"sun up", "sun down", "sun above ", "sun below ", " may be ", " is ", " above ", " below ", " until ", " for ",
		" changed ", " unchanged ", " within ", "marker ", " ran within ", " or ", " and ", "not ", "(", "press ",
		" times",
		" held ", "set ", " by +", " by -", " and back", " and then ", "start ", " over people", "end ", "run ",
		"wait ",
		" at most ", "mark ", "unmark ", "send ", "notify ", "if missed run", "if missed skip", "if unknown end",
		"if doubtful ask for", "if doubtful ask until", "if doubtful press", "if busy stretch", "if busy start over",
		"# ",
		"control ", "measurement ", " before ", " after ", "dawn", "nautical", "noon", " then ", " else ("} {
		assert.True(t, strings.Contains(whole, part), part) // not Contains: it would show all of them
	}
}
