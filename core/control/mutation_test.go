package control_test

import (
	"encoding/json"
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
)

var (
	mutants    = flag.Int("mutants", 0, "how many changes of the source the tests have to find (make mutants); 0: none")
	mutantSeed = flag.Uint64("mutant-seed", 1, "which of them")
)

// judged are the files whose rules the stories judge; what forms and proposals say is tested by examples.
var judged = []string{"press.go", "time.go", "typing.go", "travel.go", "trust.go", "tell.go", "sequence.go", "whole.go",
	"mains.go", "itself.go", "link.go", "dim.go", "plan_ready.go",
	"plan.go", "plan_set.go", "plan_power.go", "plan_move.go"}

// mostMissed is the part of the changes that may stay unfound: some change nothing that anybody could see.
const mostMissed = 0.35

// mutant is one change of the source.
type mutant struct {
	file     string
	from, to int // offsets in the file
	text     string
	line     int
}

// turned are operators and what they are changed to.
var turned = map[token.Token]string{token.LSS: "<=", token.LEQ: "<", token.GTR: ">=", token.GEQ: ">", token.EQL: "!=",
	token.NEQ: "==", token.LAND: "||", token.LOR: "&&", token.ADD: "-", token.SUB: "+", token.INC: "--",
	token.DEC: "++"}

// mutantsOf are all changes of a file: operators, conditions, numbers and assignments, one at a time.
func mutantsOf(t *testing.T, file string) (out []mutant) {
	files := token.NewFileSet()
	tree, err := parser.ParseFile(files, file, nil, 0)
	require.NoError(t, err)
	source, err := os.ReadFile(file)
	require.NoError(t, err)
	at := func(p token.Pos) int { return files.Position(p).Offset }
	add := func(from, to token.Pos, text string) {
		out = append(out, mutant{file, at(from), at(to), text, files.Position(from).Line})
	}
	text := func(n ast.Node) string { return string(source[at(n.Pos()):at(n.End())]) }
	ast.Inspect(tree, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.BinaryExpr:
			if op, ok := turned[n.Op]; ok {
				add(n.OpPos, n.OpPos+token.Pos(len(n.Op.String())), op)
			}
		case *ast.IncDecStmt:
			add(n.TokPos, n.TokPos+2, turned[n.Tok])
		case *ast.IfStmt:
			add(n.Cond.Pos(), n.Cond.End(), "("+text(n.Cond)+") && false")
			add(n.Cond.Pos(), n.Cond.End(), "("+text(n.Cond)+") || true")
		case *ast.BasicLit:
			if number, err := strconv.Atoi(n.Value); n.Kind == token.INT && err == nil {
				add(n.Pos(), n.End(), strconv.Itoa(number+1))
			}
		case *ast.AssignStmt:
			if n.Tok != token.DEFINE && len(n.Lhs) == 1 {
				add(n.Pos(), n.End(), "_ = "+text(n.Rhs[0]))
			}
		}
		return true
	})
	return out
}

// TestMutants_TheTestsFindChangesOfTheRules builds the package with one change at a time, and runs its tests.
func TestMutants_TheTestsFindChangesOfTheRules(t *testing.T) {
	if *mutants == 0 {
		t.Skip("make mutants")
	}
	here, err := os.Getwd()
	require.NoError(t, err)
	var all []mutant
	for _, file := range judged {
		all = append(all, mutantsOf(t, file)...)
	}
	rand.New(rand.NewPCG(*mutantSeed, 0)).Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	var mu sync.Mutex
	var tried int
	var missed []string
	t.Run("each", func(t *testing.T) {
		for _, m := range all[:min(*mutants, len(all))] {
			t.Run(fmt.Sprintf("%s:%d", m.file, m.line), func(t *testing.T) {
				t.Parallel()
				builds, found := judge(t, here, m)
				mu.Lock()
				defer mu.Unlock()
				if !builds {
					return
				}
				if tried++; !found {
					missed = append(missed, fmt.Sprintf("%s:%d: %s", m.file, m.line, m.text))
				}
			})
		}
	})
	slices.Sort(missed)
	t.Logf("%d of %d changes tried, %d not found:\n%s", tried, len(all), len(missed), strings.Join(missed, "\n"))
	assert.LessOrEqual(t, float64(len(missed)), mostMissed*float64(tried), "the tests miss too many changes")
}

// judge runs the package's tests with a change: does it build, and do they find it?
func judge(t *testing.T, here string, m mutant) (builds, found bool) {
	t.Helper()
	source, err := os.ReadFile(m.file)
	require.NoError(t, err)
	dir := t.TempDir()
	changed := filepath.Join(dir, m.file)
	require.NoError(t, os.WriteFile(changed, slices.Concat(source[:m.from], []byte(m.text), source[m.to:]), 0o600))
	overlay, err := json.Marshal(map[string]any{"Replace": map[string]string{filepath.Join(here, m.file): changed}})
	require.NoError(t, err)
	plan := filepath.Join(dir, "overlay.json")
	require.NoError(t, os.WriteFile(plan, overlay, 0o600))
	cmd := exec.CommandContext(t.Context(), "go", "test", "-overlay", plan, "-vet=off", "-skip",
		"^TestEffects|^TestMutants",
		"-failfast", "-timeout", "5m", ".", "-stories", "8000")
	cmd.Env = append(os.Environ(), "CGO_ENABLED=0")
	out, err := cmd.CombinedOutput()
	return !strings.Contains(string(out), "[build failed]"), err != nil
}

// TestEffects_TheStoriesFindEveryOneThatIsChanged drops or turns one effect of each device at a time: stories of
// devices with such keys have to find it.
func TestEffects_TheStoriesFindEveryOneThatIsChanged(t *testing.T) {
	for _, change := range control.EffectChanges {
		t.Run(change.Name, func(t *testing.T) {
			t.Parallel()
			found := tellAll(8000, func(s *control.Spec, _ *rand.Rand) { change.Do(s) })
			assert.NotEmpty(t, found, "no story finds it")
		})
	}
}
