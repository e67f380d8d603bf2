package e2e

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// client runs one of the clients that others wrote, in Node.js. It has to print one JSON value.
func client(t *testing.T, out any, script string, args ...string) {
	t.Helper()
	dir, err := filepath.Abs("clients")
	require.NoError(t, err)
	if _, err := os.Stat(filepath.Join(dir, "node_modules")); err != nil {
		t.Skip("the clients are not installed: make test installs them")
	}
	c := exec.CommandContext(t.Context(), "timeout", append([]string{"60", "node", script}, args...)...)
	c.Dir = dir
	var trouble bytes.Buffer
	c.Stderr = &trouble
	data, err := c.Output()
	require.NoError(t, err, "%s%s", data, trouble.String())
	require.NoError(t, json.Unmarshal(data, out), string(data))
}

// TestThings_ForAClientThatOthersWrote lets a Web of Things client find the house, and read, set, observe and press.
func TestThings_ForAClientThatOthersWrote(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--broker-listen", "127.0.0.1:0")
	token := r.owner()
	r.ok(nil, "tell", "boardwalk", "power", "off")
	var got struct {
		Read     string
		Seen     [][2]string
		Status   string
		Possible []string
	}
	client(t, &got, "things.mjs", r.url, token)
	assert.Equal(t, "on", got.Read)
	assert.Equal(t, [][2]string{{"http", "on"}, {"mqtt", "on"}, {"http", "off"}, {"mqtt", "off"}, {"http", "on"}},
		got.Seen)
	assert.Contains(t, []string{"completed", "running"}, got.Status)
	assert.Equal(t, []string{"off", "on"}, got.Possible)
	r.becomes(token, "boardwalk", "power", "on")
}

// TestOpenAPI_ForALinter: the document of the API has no error for a linter that others wrote.
func TestOpenAPI_ForALinter(t *testing.T) {
	t.Parallel()
	c := exec.CommandContext(t.Context(), "node_modules/.bin/redocly", "lint", "../../api/openapi.json")
	c.Dir, c.Env = "clients", append(os.Environ(), "REDOCLY_TELEMETRY=off", "REDOCLY_SUPPRESS_UPDATE_NOTICE=true")
	if _, err := os.Stat("clients/node_modules"); err != nil {
		t.Skip("the clients are not installed: make test installs them")
	}
	out, err := c.CombinedOutput()
	require.NoError(t, err, string(out))
}
