package api_test

import (
	"bytes"
	"encoding/json"
	"flag"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var update = flag.Bool("update", false, "write goldens anew")

// TestOpenAPI_DocumentIsCurrent compares the document with api/openapi.json, from which the console's types are
// made. Run with -update after a change, then npm run types in web/.
func TestOpenAPI_DocumentIsCurrent(t *testing.T) {
	s := newSite(t)
	var raw json.RawMessage
	s.must("GET", "/api/openapi.json", nil, &raw)
	var got bytes.Buffer
	require.NoError(t, json.Indent(&got, raw, "", "  "))
	got.WriteByte('\n')
	if *update {
		require.NoError(t, os.WriteFile("openapi.json", got.Bytes(), 0o644))
	}
	want, err := os.ReadFile("openapi.json")
	require.NoError(t, err)
	assert.Equal(t, string(want), got.String(),
		"the API changed: run go test ./api -update, then npm run types in web/")
	assert.Contains(t, got.String(), `"openapi": "3.1`)
}
