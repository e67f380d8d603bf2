package happening_test

import (
	"encoding/json"
	"flag"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/happening"
	"urbo/core/happening/sample"
)

var update = flag.Bool("update", false, "write the documents anew")

// TestTypes_AreRegisteredAndHaveASample: a type that is not in the register would be lost by the journal.
func TestTypes_AreRegisteredAndHaveASample(t *testing.T) {
	files, err := filepath.Glob("*.go")
	require.NoError(t, err)
	var defined []string
	for _, file := range files {
		if strings.HasSuffix(file, "_test.go") {
			continue
		}
		f, err := parser.ParseFile(token.NewFileSet(), file, nil, parser.SkipObjectResolution)
		require.NoError(t, err)
		for _, d := range f.Decls {
			fn, ok := d.(*ast.FuncDecl)
			if !ok || fn.Recv == nil || fn.Name.Name != "Name" {
				continue
			}
			text := fn.Body.List[0].(*ast.ReturnStmt).Results[0].(*ast.BasicLit).Value
			defined = append(defined, text[1:len(text)-1])
		}
	}
	slices.Sort(defined)
	assert.Equal(t, defined, happening.Names())
	var samples []string
	for _, h := range sample.All() {
		samples = append(samples, h.What.Name())
	}
	slices.Sort(samples)
	assert.Equal(t, defined, samples)
}

// TestDocuments_AreReadForEver: journals of years hold them. A change of a form that is read otherwise shows here; what
// a type says in words stays.
func TestDocuments_AreReadForEver(t *testing.T) {
	type kept struct {
		Document json.RawMessage
		Text     string
	}
	const file = "testdata/documents.json"
	now := map[string]kept{}
	for _, h := range sample.All() {
		document, err := happening.Marshal(h.What)
		require.NoError(t, err)
		l, _ := h.What.Tell()
		now[h.What.Name()] = kept{document, l.Text}
	}
	if *update {
		text, err := json.MarshalIndent(now, "", "\t")
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(file, append(text, '\n'), 0o600))
	}
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	var golden map[string]kept
	require.NoError(t, json.Unmarshal(text, &golden))
	for name, g := range golden {
		what, err := happening.Unmarshal(name, g.Document)
		require.NoError(t, err, name)
		l, _ := what.Tell()
		if name != "heard" && name != "lesson-changed" && name != "audition-changed" {
			assert.Equal(t, g.Text, l.Text, name)
		}
		assert.JSONEq(t, string(g.Document), string(now[name].Document), "%s: go test ./core/happening -update", name)
	}
	assert.Len(t, golden, len(now))
	_, err = happening.Unmarshal("weather-changed", []byte("{}"))
	assert.ErrorContains(t, err, "does not know")
}
