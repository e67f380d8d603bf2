package service_test

import (
	"compress/gzip"
	"encoding/json"
	"io"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
	"urbo/service/journal"
	"urbo/service/stations"
	"urbo/store"
)

// fixture puts the database of an earlier release into a data directory.
func fixture(t *testing.T, dir string) {
	t.Helper()
	in, err := os.Open(filepath.Join("..", "store", "testdata", "urbo-0014.db.gz"))
	require.NoError(t, err)
	defer in.Close()
	unzipped, err := gzip.NewReader(in)
	require.NoError(t, err)
	data, err := io.ReadAll(unzipped)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, store.File), data, 0o600))
}

// TestUpgrade_BeliefsOf0014GoOn opens a house of an earlier release: what was believed is what it was, what cannot be
// read is set aside and said, and what nobody may count on is the strictest.
func TestUpgrade_BeliefsOf0014GoOn(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	fixture(t, dir)
	var before []struct{ Device, Control, Value string }
	text, err := os.ReadFile(filepath.Join("..", "store", "testdata", "urbo-0014-state.json"))
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, &before))

	h, stop := start(t, dir, nil, newBoard(nil))
	defer stop()
	for _, b := range before {
		if b.Device == "screen" || b.Device == "heat-pump" {
			continue // these cannot be read
		}
		assert.Equal(t, b.Value, believed(t, h, b.Device, b.Control).Value, "%s %s", b.Device, b.Control)
	}
	assert.Equal(t, control.Doubtful, believed(t, h, "screen", "position").Word)
	page, err := h.Journal.Find(t.Context(), journal.Query{Limit: 200})
	require.NoError(t, err)
	var said []string
	for _, e := range page.Entries {
		l, _ := e.What.Tell()
		said = append(said, l.Text)
	}
	for _, want := range []string{
		"What was believed of screen is set aside, and nothing is known of it: cannot be read: invalid character " +
			"'n' looking " +
			"for beginning of object key string",
		"What was believed of heat-pump is set aside, and nothing is known of it: cannot be read: it is of version " +
			"99, and " +
			"this Urbo knows 1",
		"What is set for the ports of lecture cannot be read: it is of version 99, and this Urbo knows 1. It stays " +
			"as it is, " +
			"and its transmitters may send for 1 % of an hour until their airtime is set anew",
	} {
		assert.True(t, slices.Contains(said, want), "%s is not among %v", want, said)
	}
	st, err := h.Stations.Find("lecture")
	require.NoError(t, err)
	for _, p := range st.Ports {
		if p.Direction == "transmitter" {
			assert.Equal(t, stations.StrictShare, p.Air.Share, "what cannot be read means the strictest")
		}
	}
}
