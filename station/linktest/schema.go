package linktest

import (
	"bytes"
	"path/filepath"
	"runtime"
	"sync"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// schema is the published one.
var schema = sync.OnceValues(func() (*jsonschema.Schema, error) {
	_, here, _, _ := runtime.Caller(0)
	return jsonschema.NewCompiler().Compile(filepath.Join(filepath.Dir(here), "../../docs/station-link.schema.json"))
})

// Valid holds a message as it travels against the published schema.
func Valid(t testing.TB, message []byte) {
	t.Helper()
	s, err := schema()
	require.NoError(t, err)
	value, err := jsonschema.UnmarshalJSON(bytes.NewReader(message))
	if assert.NoError(t, err, "%q", message) {
		assert.NoError(t, s.Validate(value), "%s", message)
	}
}
