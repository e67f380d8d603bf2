// Package core_test guards the rule of this folder: computation only.
package core_test

import (
	"go/build"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// reaching lists what would bring I/O, goroutines' tools, randomness or logging into core.
var reaching = []string{"os", "os/exec", "net", "net/http", "log", "log/slog", "math/rand", "math/rand/v2",
	"crypto/rand", "syscall", "database/sql"}

// formats are the libraries that core may use: they read formats and texts, and reach nothing.
var formats = []string{"github.com/goccy/go-yaml", "github.com/emersion/go-ical", "github.com/teambition/rrule-go",
	"golang.org/x/text/unicode/norm"}

// TestCore_ImportsOnlyTheStandardLibraryFormatsAndItself reads the imports of every package below core.
func TestCore_ImportsOnlyTheStandardLibraryFormatsAndItself(t *testing.T) {
	packages := 0
	require.NoError(t, filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || !d.IsDir() || d.Name() == "testdata" {
			return err
		}
		p, err := build.Default.ImportDir(path, 0)
		if err != nil {
			return nil // a folder without Go files
		}
		packages++
		for _, file := range p.GoFiles {
			code, err := os.ReadFile(filepath.Join(path, file))
			require.NoError(t, err)
			assert.NotRegexp(t, `\btime\.(Now|Since|Until|Sleep|After|AfterFunc|Tick|NewTimer|NewTicker)\(`, string(code),
				"core/%s/%s reads a clock: hand the time in", path, file)
		}
		for _, name := range p.Imports {
			first, _, _ := strings.Cut(name, "/")
			allowed := !strings.Contains(first, ".") && first != "urbo" || strings.HasPrefix(name, "urbo/core/") ||
				slices.ContainsFunc(formats, func(f string) bool { return strings.HasPrefix(name, f) })
			assert.True(t, allowed, "core/%s imports %s", path, name)
			assert.False(t, slices.Contains(reaching, name), "core/%s imports %s: hand it in as an argument", path,
				name)
		}
		return nil
	}))
	assert.GreaterOrEqual(t, packages, 3)
}
