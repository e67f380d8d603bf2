package service_test

import (
	"go/build"
	"io/fs"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestImports_EachLayerKnowsOnlyThoseBelow: faces speak wire, services speak core, store speaks rows.
func TestImports_EachLayerKnowsOnlyThoseBelow(t *testing.T) {
	t.Parallel()
	forbidden := map[string][]string{
		"service": {"urbo/wire", "urbo/api", "urbo/cli", "urbo/scenery", "urbo/stage", "urbo/station/onstage",
			"urbo/web", "gorm.io/",
			"database/sql", "net/http"},
		"store":   {"urbo/wire", "urbo/api", "urbo/cli", "urbo/stage", "urbo/station", "urbo/service"},
		"station": {"urbo/wire", "urbo/api", "urbo/cli", "urbo/service", "urbo/store"},
		"stage":   {"urbo/"},
		"wire":    {"urbo/service", "urbo/store", "urbo/api", "urbo/cli", "urbo/stage", "urbo/station"},
		"scenery": {"urbo/wire", "urbo/api", "urbo/cli"},
		"api":     {"urbo/cli", "urbo/scenery", "gorm.io/", "database/sql"},
		"core": {"urbo/wire", "urbo/service", "urbo/store", "urbo/api", "urbo/cli", "urbo/stage", "urbo/station",
			"gorm.io/"},
	}
	packages := 0
	for layer, never := range forbidden {
		require.NoError(t, filepath.WalkDir(filepath.Join("..", layer),
			func(path string, d fs.DirEntry, err error) error {
				if err != nil || !d.IsDir() || d.Name() == "testdata" {
					return err
				}
				p, err := build.Default.ImportDir(path, 0)
				if err != nil {
					return nil // a folder without Go files
				}
				packages++
				for _, name := range p.Imports {
					for _, f := range never {
						assert.False(t, strings.HasPrefix(name, f), "%s imports %s", path, name)
					}
				}
				return nil
			}))
	}
	assert.Greater(t, packages, 20)
}
