package scenery_test

import (
	"bufio"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/service/library"
	"urbo/service/phrases"
)

// lines reads a file of phrases.
func lines(t *testing.T, file string) (out []string) {
	t.Helper()
	f, err := os.Open(file)
	require.NoError(t, err)
	defer f.Close()
	for s := bufio.NewScanner(f); s.Scan(); {
		if text := strings.TrimSpace(s.Text()); text != "" && text[0] != '#' {
			out = append(out, text)
		}
	}
	return out
}

// giveKeys gives the projector the keys that are no part of a control.
func (o *observatory) giveKeys() {
	o.t.Helper()
	_, err := o.Library.ChangeBySlug(o.t.Context(), "projector", library.Note{By: by}, func(d *device.Device) error {
		for i, name := range []string{"menu", "freeze", "blank"} {
			d.Keys = append(d.Keys, device.Key{Name: name, Codes: []device.Code{{Sheet: "nec-wide", Source: "demo",
				Fields:  line.Fields{"address": line.Number(0x2D5E), "command": line.Number(0x20 + int64(i))},
				Channel: device.Channel{Medium: line.Infrared}}}})
		}
		return nil
	})
	require.NoError(o.t, err)
}

// TestPhrases_AreUnderstoodAsPeopleSayThem: 250 phrases of the observatory in the ways in which people say them.
// Nineteen of twenty have to be understood as they are meant, and none as anything else.
func TestPhrases_AreUnderstoodAsPeopleSayThem(t *testing.T) {
	t.Parallel()
	inObservatory(t, december.Add(12*time.Hour), func(t *testing.T, o *observatory) {
		o.giveKeys()
		want, said, right := "", 0, 0
		for _, text := range lines(t, "testdata/phrases.txt") {
			if steps, is := strings.CutPrefix(text, "= "); is {
				want = steps
				continue
			}
			said++
			a, err := o.Phrases.Understand(t.Context(), text, phrases.Speaker{By: person})
			switch {
			case err != nil:
				t.Logf("%q is not understood: %v", text, err)
			case a.Question != "":
				t.Logf("%q: %s", text, a.Question)
			case assert.Equal(t, want, a.Text, text):
				right++
			}
		}
		t.Logf("%d of %d are understood as they are meant", right, said)
		assert.GreaterOrEqual(t, said, 200)
		assert.GreaterOrEqual(t, 20*right, 19*said)
	})
}

// TestPhrases_WhatIsNotMeantPressesNothing: what is said in a house beside what is meant for it.
func TestPhrases_WhatIsNotMeantPressesNothing(t *testing.T) {
	t.Parallel()
	inObservatory(t, december.Add(12*time.Hour), func(t *testing.T, o *observatory) {
		o.giveKeys()
		all := lines(t, "testdata/not-meant.txt")
		require.GreaterOrEqual(t, len(all), 200)
		for _, text := range all {
			a, err := o.Phrases.Do(t.Context(), text, "", phrases.Speaker{By: person})
			if assert.Error(t, err, "%q would do: %s", text, a.Text) {
				assert.Nil(t, a.Run, text)
			}
		}
	})
}
