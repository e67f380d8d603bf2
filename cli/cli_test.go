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
		{[]string{"press", "boardwalk/power", "x3"}, "", 2, "urbo press boardwalk/power --times 3"},
		{[]string{"press", "boardwalk/power", "radio/power"}, "", 2, "press boardwalk/power then press radio/power"},
		{[]string{"press", "boardwalk/power", "--pause", "2s"}, "", 2, "--pause is at most 1m, and goes with --times"},
		{[]string{"undo", "amplifier"}, "", 2, "urbo set DEVICE --undo"},
		{[]string{"device", "rename", "amplifier"}, "", 2, "urbo device set DEVICE --name NAME"},
		{[]string{"press", "boardwalk/power", "--times", "0"}, "", 2, "--times is 1 to 50"},
		{[]string{"press", "boardwalk/power", "--tims", "0"}, "", 2, "unknown flag: --tims"},
		{[]string{"press", "boardwalk/power"}, "", 1, "start one with urbo serve or urbo demo"},
		{[]string{"device", "list", "--server", "nonsense"}, "", 2, "unix:PATH or http://HOST:PORT"},
		{[]string{"device", "list", "--server", "http://127.0.0.1:1", "--token-file", "/nowhere"}, "", 1,
			"read the token"},
		{[]string{"version", "--output", "xml"}, "", 2, "--output is table or json"},
		{[]string{"listen", "--count", "-1"}, "", 2, "--count is 1 or more"},
		{[]string{"demo", "--pace", "1000"}, "", 2, "--pace is 0.1 to 100"},
		{[]string{"demo", "--unplug", "lamp"}, "", 2, "there are projector, boardwalk, dew-a"},
		{[]string{"demo", "--data", filepath.Join(t.TempDir(), strings.Repeat("long", 30)), "--listen", "127.0.0.1:0"},
			"", 1, "choose a shorter --data"},
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

	good := "sheet: lamp\ntitle: A lamp\nmedium: infrared\ncarrier_hz: 38000\nunit_us: 500\n" +
		"code: {style: mark, zero: [1, 1], one: [2, 1]}\n" +
		"fields: [{name: id, bits: 8}]\nframes:\n  message: [{lead: [8, 4]}, {field: id}]\npress: [{repeat: " +
		"[message], repeats: 1, gap: 40}]\n"
	code, out, errs = run(t, good, "sheet", "check", "-")
	require.Zero(t, code, errs)
	assert.Contains(t, out, "Good. lamp sends id.")
	code, _, errs = run(t, strings.Replace(good, "field: id", "field: number", 1), "sheet", "check", "-")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "[9] field \"number\" is not there: describe it under fields")

	// A name that another sheet has is refused here as it is when the service starts.
	for name, says := range map[string]string{"nec": "there are two of this name",
		"samsung32": "an earlier name of twin32"} {
		code, _, errs = run(t, strings.Replace(good, "sheet: lamp", "sheet: "+name, 1), "sheet", "check", "-")
		assert.Equal(t, 1, code, name)
		assert.Contains(t, errs, says)
	}
	dir := t.TempDir()
	t.Setenv("URBO_DATA", dir)
	require.NoError(t, os.Mkdir(filepath.Join(dir, "sheets"), 0o700))
	own := filepath.Join(dir, "sheets", "lamp.yaml")
	require.NoError(t, os.WriteFile(own, []byte(good), 0o600))
	code, _, errs = run(t, "", "sheet", "check", own)
	assert.Zero(t, code, "it is that one: %s", errs)
	code, _, errs = run(t, good, "sheet", "check", "-")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "there are two of this name")
}

// files writes a small drawer of recordings: a known code twice, a key without a name, and the same key from a faster
// handset.
func files(t *testing.T) (dir string) {
	t.Helper()
	dir = t.TempDir()
	key := func(short, long, space, lead, gap string) string {
		out := lead
		for _, b := range "101100100110000101" {
			mark := short
			if b == '1' {
				mark = long
			}
			out += " " + mark + "/" + space
		}
		return strings.Repeat(out+" "+short+"/"+gap+" ", 3) + "\n"
	}
	mine := key("370", "1110", "740", "2960/1480", "31000")
	_, nec, _ := run(t, "", "bench", "export", "--code", "nec address=57 command=0x02")
	for name, text := range map[string]string{"drawer.txt": nec + nec + mine, "mine.txt": mine,
		"theirs.txt": key("296", "888", "592", "2368/1184", "24800")} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	return dir
}

func TestBench_Goldens(t *testing.T) {
	dir := files(t)
	file := func(name string) string { return filepath.Join(dir, name) }
	for name, args := range map[string][]string{
		"bench-import.table":   {"import", file("drawer.txt")},
		"bench-import.json":    {"import", file("drawer.txt"), "--output", "json"},
		"bench-describe.table": {"describe", file("drawer.txt#3")},
		"bench-describe.json":  {"describe", file("mine.txt"), "--output", "json"},
		"bench-describe.sheet": {"describe", file("mine.txt"), "--sheet", "clicker", "--hz", "40000"},
		"bench-compare.table":  {"compare", file("mine.txt"), file("theirs.txt")},
		"bench-compare.json":   {"compare", file("mine.txt"), file("drawer.txt#1"), "--output", "json"},
		"bench-export.text":    {"export", "--code", "sirc12 address=1 command=21"},
		"bench-export.c":       {"export", file("theirs.txt"), "--as", "c", "--clean"},
	} {
		code, out, errs := run(t, "", append([]string{"bench"}, args...)...)
		require.Zero(t, code, "%v: %s", args, errs)
		golden(t, name, out)
	}
}

func TestBenchDescribe_WritesASheetThatReads(t *testing.T) {
	dir := files(t)
	t.Setenv("URBO_DATA", filepath.Join(dir, "data"))
	sheets := filepath.Join(dir, "data", "sheets")
	require.NoError(t, os.MkdirAll(sheets, 0o700))
	_, sheet, _ := run(t, "", "bench", "describe", filepath.Join(dir, "mine.txt"), "--sheet", "clicker")
	require.NoError(t, os.WriteFile(filepath.Join(sheets, "clicker.yaml"), []byte(sheet), 0o600))
	_, out, errs := run(t, "", "bench", "decode", filepath.Join(dir, "mine.txt"))
	assert.Empty(t, errs)
	assert.Contains(t, out, "clicker  bits=1011001001100001010       3")
	require.NoError(t, os.WriteFile(filepath.Join(sheets, "nec.yaml"), []byte(strings.Replace(sheet, "clicker", "nec",
		1)), 0o600))
	_, _, errs = run(t, "", "sheet", "list")
	assert.Contains(t, errs, "there are two of this name", "a built-in line code is not replaced by accident")
}

func TestBenchExport_EveryFormatReadsBack(t *testing.T) {
	dir := files(t)
	for _, as := range []string{"vcd", "csv", "wav", "text", "c"} {
		out := filepath.Join(dir, "out."+as)
		code, _, errs := run(t, "", "bench", "export", filepath.Join(dir, "drawer.txt#3"), "--as", as, "--out", out)
		require.Zero(t, code, errs)
		code, said, errs := run(t, "", "bench", "compare", filepath.Join(dir, "mine.txt"), out, "--png",
			filepath.Join(dir, as+".png"))
		require.Zero(t, code, errs)
		assert.Contains(t, said, "The same signal.", as)
		assert.FileExists(t, filepath.Join(dir, as+".png"))
	}
}

func TestBench_BadCallsSayWhatToDo(t *testing.T) {
	dir := files(t)
	mine := filepath.Join(dir, "mine.txt")
	samples := filepath.Join(dir, "air.sigmf-data")
	require.NoError(t, os.WriteFile(samples, []byte{1, 2, 3, 4}, 0o600))
	picture := filepath.Join(dir, "picture.wav")
	require.NoError(t, os.WriteFile(picture, []byte("\x89PNG\r\n\x1a\n"), 0o600))
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"import", picture}, 1, "this is a picture (PNG)"},
		{[]string{"import", samples}, 1, "without them give --rate and --datatype"},
		{[]string{"import", mine, "--format", "mp3"}, 1, "there are wav, vcd"},
		{[]string{"describe", mine + "#2"}, 1, "it has only 1 press"},
		{[]string{"describe", mine + "#x"}, 2, "the number of a press, from 1"},
		{[]string{"describe", filepath.Join(dir, "nothing")}, 1, "no such file"},
		{[]string{"compare", mine}, 2, "got 1 argument, wanted two FILEs"},
		{[]string{"compare", mine, mine, "--png", "/nowhere/x.png"}, 1, "write /nowhere/x.png"},
		{[]string{"export"}, 2, "name a FILE, or give --code"},
		{[]string{"export", mine, "--as", "mp3"}, 2, "c, csv, text, vcd, wav can be written"},
		{[]string{"export", "--code", "nec address"}, 2, "write FIELD=VALUE"},
		{[]string{"export", "--code", "nec address=300 command=1"}, 1, "address is 300: it is 0 to 255"},
		{[]string{"export", "--code", "hop66 encrypted=1 serial=1 button=1 status=0"}, 1, "cannot be replayed"},
	} {
		code, _, errs := run(t, "", append([]string{"bench"}, c.args...)...)
		assert.Equal(t, c.code, code, "%v", c.args)
		assert.Contains(t, errs, c.says)
	}
}

func TestPackCheck_WithoutAService(t *testing.T) {
	good := `{"format":"urbo pack","version":"1.3","devices":[{"slug":"lamp","name":"Lamp","keys":[{"name":"power","codes":[{"sheet":"nec","fields":{"address":1,"command":2}}]}]}]}`
	code, out, errs := run(t, good, "pack", "check", "-")
	require.Zero(t, code, errs)
	assert.Equal(t, "Good. Version 1.3: 1 device with 1 key.\n", out)
	code, _, errs = run(t, strings.Replace(good, `"nec"`, `"nek"`, 1), "pack", "check", "-")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "devices[0] (lamp).keys[0].codes[0]")
}
