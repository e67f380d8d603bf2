package cli

import (
	"bytes"
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"urbo/core/plain"
)

// TestPrinted_NothingMovesTheCursor writes any text in any parts: what comes out has no hidden characters, and JSON is
// still the same value.
func TestPrinted_NothingMovesTheCursor(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.OneOf(rapid.String(), rapid.SampledFrom([]string{"\x1b]0;title\x07", "a\u009b31mred",
			"\u202etxt.exe",
			"\U000e0041 tag", "plain\ttext\n"})).Draw(t, "text")
		in, err := json.Marshal(map[string]string{"name": text})
		require.NoError(t, err)
		isJSON := rapid.Bool().Draw(t, "json")
		if !isJSON {
			in = []byte(text)
		}
		var out bytes.Buffer
		w := &printed{w: &out, json: isJSON}
		for rest := in; len(rest) > 0; {
			n := rapid.IntRange(1, len(rest)).Draw(t, "part")
			wrote, err := w.Write(rest[:n])
			require.NoError(t, err)
			require.Equal(t, n, wrote)
			rest = rest[n:]
		}
		for _, r := range out.String() {
			assert.True(t, r == '\n' || r == '\t' || r == '\ufffd' || !plain.Hidden(r), "%q", out.String())
		}
		if isJSON {
			var back map[string]string
			require.NoError(t, json.Unmarshal(out.Bytes(), &back), out.String())
			var want map[string]string
			require.NoError(t, json.Unmarshal(in, &want))
			assert.Equal(t, want, back)
		}
	})
}
