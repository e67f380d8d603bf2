package service_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestErrors_EachHasAKind: a face maps kinds, so an exported error without one would be a mistake of Urbo's own to
// whoever reads it.
func TestErrors_EachHasAKind(t *testing.T) {
	t.Parallel()
	found := 0
	for _, layer := range []string{"core", "service", "store", "station"} {
		eachFile(t, filepath.Join("..", layer), func(path string, f *ast.File) {
			for _, d := range f.Decls {
				g, ok := d.(*ast.GenDecl)
				if !ok || g.Tok != token.VAR {
					continue
				}
				for _, s := range g.Specs {
					v := s.(*ast.ValueSpec)
					for i, name := range v.Names {
						if !strings.HasPrefix(name.Name, "Err") || i >= len(v.Values) {
							continue
						}
						found++
						assert.True(t, called(v.Values[i]) == "fault.New" || wraps(v.Values[i]),
							"%s: %s has no kind: make it with fault.New",
							path, name.Name)
					}
				}
			}
		})
	}
	assert.Greater(t, found, 60)
}

// called is PACKAGE.FUNCTION of a call, "" for all else.
func called(e ast.Expr) string {
	c, ok := e.(*ast.CallExpr)
	if !ok {
		return ""
	}
	s, ok := c.Fun.(*ast.SelectorExpr)
	if !ok {
		return ""
	}
	p, ok := s.X.(*ast.Ident)
	if !ok {
		return ""
	}
	return p.Name + "." + s.Sel.Name
}

// eachFile parses the Go files below a folder that are no tests.
func eachFile(t *testing.T, root string, f func(path string, file *ast.File)) {
	t.Helper()
	require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.SkipObjectResolution)
		if err != nil {
			return err
		}
		f(path, file)
		return nil
	}))
}

// wraps says whether an expression is an error that wraps another one.
func wraps(e ast.Expr) bool {
	c, ok := e.(*ast.CallExpr)
	if !ok || called(e) != "fmt.Errorf" {
		return false
	}
	text, ok := c.Args[0].(*ast.BasicLit)
	return ok && strings.Contains(text.Value, "%w")
}
