package recording

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestText_NamesBeforeTrainsAreSuggested(t *testing.T) {
	t.Parallel()
	a, b := aPress(), aPress()
	b[8], b[9] = 560, 1690
	x, y := ints(a, ", "), ints(b, ", ")
	for text, want := range map[string][]string{
		"power: " + x + "\nvol up: " + y:                                            {"power", "vol up"},
		"Unit on\n\n" + x + "\n\nUnit off\n\n" + y:                                  {"Unit on", "Unit off"},
		"# mute\n" + x + "\n# input 2\n" + y:                                        {"mute", "input 2"},
		"const uint16_t volUp[67] = {" + x + "};\nint dark[] = {" + y + "};":        {"vol Up", "dark"},
		`{"mute": [` + x + `], "blue": [` + y + `]}`:                                {"blue", "mute"},
		`[{"name": "On", "raw": [` + x + `]}, {"key": "blue", "raw": [` + y + `]}]`: {"On", "blue"},
		"Button: zoom\nraw (67): " + x + "\nButton: dark\nraw (67): " + y:           {"zoom", "dark"},
		"key 1 = " + x + "\nkey 2 = " + y:                                           {"key 1", "key 2"},
		"rawData: " + x + "\nRaw (67): " + y:                                        {"", ""},
		"I pressed the upper key and got this from it:\n" + x:                       {""},
		"12:03:44.512 received " + x:                                                {""},
		x + "\n" + y:                                                                {"", ""},
	} {
		r, err := Open("", strings.NewReader(text), Options{})
		require.NoError(t, err, text)
		var got []string
		for r.Scan() {
			got = append(got, r.Press().Name)
		}
		require.NoError(t, r.Err(), text)
		assert.Equal(t, want, got, text)
	}
}
