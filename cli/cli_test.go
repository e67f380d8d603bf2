package cli_test

import (
	"bytes"
	"flag"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/cli"
)

var update = flag.Bool("update", false, "write goldens anew")

// run runs a command line that needs no service.
func run(t *testing.T, stdin string, args ...string) (code int, out, errs string) {
	t.Helper()
	t.Setenv("URBO_SERVER", "unix:"+filepath.Join(t.TempDir(), "nobody.sock"))
	var o, e bytes.Buffer
	code = cli.Execute(t.Context(), "test", args, cli.Streams{In: strings.NewReader(stdin), Out: &o, Err: &e})
	return code, o.String(), e.String()
}

const trains = `# a key of the boardwalk's handset, a repeat frame, and something unknown
9024/4512 564/1692 564/564 564/564 564/1692 564/1692 564/1692 564/564 564/564 564/564 564/1692 564/1692 564/564 564/564 564/564 564/1692 564/1692 564/564 564/1692 564/564 564/564 564/564 564/564 564/564 564/564 564/1692 564/564 564/1692 564/1692 564/1692 564/1692 564/1692 564/1692 564
+9024 -2256 +564
[500, 700,
 510, 1500, 490]
`

func TestBenchDecode_Goldens(t *testing.T) {
	for _, format := range []string{"table", "json"} {
		code, out, errs := run(t, trains, "bench", "decode", "--output", format)
		require.Zero(t, code, errs)
		golden(t, "bench-decode."+format, out)
	}
}

func golden(t *testing.T, name, got string) {
	t.Helper()
	path := filepath.Join("testdata", name)
	if *update {
		require.NoError(t, os.MkdirAll("testdata", 0o755))
		require.NoError(t, os.WriteFile(path, []byte(got), 0o644))
	}
	want, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, string(want), got, "the output changed: look at it, and run go test ./cli -update")
}

func TestBenchDecode_ReadsFilesAndStandardInput(t *testing.T) {
	file := filepath.Join(t.TempDir(), "trains.txt")
	require.NoError(t, os.WriteFile(file, []byte(trains), 0o600))
	_, fromFile, _ := run(t, "", "bench", "decode", file)
	_, fromInput, _ := run(t, trains, "bench", "decode", "-")
	assert.Equal(t, fromFile, fromInput)
	assert.Contains(t, fromFile, "nec")
}

func TestBadCalls_SayWhatToDo(t *testing.T) {
	for _, c := range []struct {
		args  []string
		stdin string
		code  int
		says  string
	}{
		{[]string{"bench", "decode"}, "500 0 500", 1, "line 1: malformed train: number 2 is 0"},
		{[]string{"bench", "decode"}, "500 600 500\n500 abc", 1, `line 2: malformed train: number 2 is "abc"`},
		{[]string{"bench", "decode", "/nowhere/x.txt"}, "", 1, "no such file"},
		{[]string{"bench", "decode", "a", "b"}, "", 2, "got 2 arguments, wanted a FILE"},
		{[]string{"prees"}, "", 2, `unknown command "prees"`},
		{[]string{"press"}, "", 2, "wanted DEVICE/KEY"},
		{[]string{"press", "boardwalk"}, "", 2, "like boardwalk/power"},
		{[]string{"press", "boardwalk/power", "--times", "0"}, "", 2, "--times is 1 to 50"},
		{[]string{"press", "boardwalk/power", "--tims", "0"}, "", 2, "unknown flag: --tims"},
		{[]string{"press", "boardwalk/power"}, "", 1, "start one with urbo serve or urbo demo"},
		{[]string{"device", "list", "--server", "nonsense"}, "", 2, "unix:PATH or http://HOST:PORT"},
		{[]string{"device", "list", "--server", "http://127.0.0.1:1", "--token-file", "/nowhere"}, "", 1, "read the token"},
		{[]string{"version", "--output", "xml"}, "", 2, "--output is table or json"},
		{[]string{"listen", "--count", "-1"}, "", 2, "--count is 1 or more"},
		{[]string{"demo", "--pace", "1000"}, "", 2, "--pace is 0.1 to 100"},
		{[]string{"demo", "--unplug", "lamp"}, "", 2, "there are projector, boardwalk, dew-a"},
		{[]string{"demo", "--data", filepath.Join(t.TempDir(), strings.Repeat("long", 30)), "--listen", "127.0.0.1:0"}, "", 1, "choose a shorter --data"},
	} {
		code, _, errs := run(t, c.stdin, c.args...)
		assert.Equal(t, c.code, code, "%v: %s", c.args, errs)
		assert.Contains(t, errs, c.says, "%v", c.args)
	}
}

func TestVersion(t *testing.T) {
	code, out, _ := run(t, "", "version")
	assert.Zero(t, code)
	assert.Equal(t, "urbo test\n", out)
	_, out, _ = run(t, "", "version", "--output", "json")
	assert.JSONEq(t, `{"version":"test"}`, out)
}

func TestSheet_ListShowAndCheck(t *testing.T) {
	_, out, _ := run(t, "", "sheet", "list")
	assert.Contains(t, out, "roll56")
	_, out, _ = run(t, "", "sheet", "show", "hop66")
	assert.Contains(t, out, "never: the code is encrypted anew")
	assert.Contains(t, out, "changes with every press")
	code, _, errs := run(t, "", "sheet", "show", "nex")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, `unknown line code "nex": there are`)

	good := "sheet: lamp\ntitle: A lamp\nmedium: infrared\ncarrier_hz: 38000\nunit_us: 500\ncode: {style: mark, zero: [1, 1], one: [2, 1]}\n" +
		"fields: [{name: id, bits: 8}]\nframes:\n  message: [{lead: [8, 4]}, {field: id}]\npress: [{repeat: [message], repeats: 1, gap: 40}]\n"
	code, out, errs = run(t, good, "sheet", "check", "-")
	require.Zero(t, code, errs)
	assert.Contains(t, out, "Good. lamp sends id.")
	code, _, errs = run(t, strings.Replace(good, "field: id", "field: number", 1), "sheet", "check", "-")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "[9] field \"number\" is not there: describe it under fields")
}
