package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// TestJobs_TakeWhatAPersonWouldGuessFirst does the jobs of docs/tasks.md as somebody would who has not read it: what
// they type does it, or is answered with what does.
func TestJobs_TakeWhatAPersonWouldGuessFirst(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo") // not at a pace: a screen takes its time
	token := r.owner()
	for _, job := range []struct {
		name, typed string
		code        int
		answer      string // in what it prints
	}{
		{"learn an undeclared device", "learn|Bed lamp", 1, `urbo device add "Bed lamp"`},
		{"learn an undeclared device", "device|add|Bed lamp", 0, "urbo learn bed-lamp"},
		{"relearn", "device|learn|boardwalk/red", 2, "urbo learn DEVICE"},
		{"rename", "device|rename|boardwalk", 2, "urbo device set DEVICE --name NAME"},
		{"rename a key", "device|set-key|clicker/a|--name|first", 0, "first"},
		{"add a key", "device|add-key|boardwalk|blink", 2, "urbo device code DEVICE/KEY CODE writes one"},
		{"a code from the web", "device|code|bed-lamp/on|NEC|0x9C6340BF|32", 0, "nec address=57 command=2"},
		{"a code from the web", "device|code|bed-lamp/off|9000 -4500 560 -560 560 -1690 560", 0, "off"},
		{"a code from the web", "device|code|bed-lamp/dim|0000 006D 0003 0000 004C 0026 000D 001B 000D 0600", 0, "dim"},
		{"which transmitter", "press|boardwalk/red|--from|lecture", 1, "there are dome/radio-out, lecture/ir-out"},
		{"which transmitter", "press|boardwalk/red|--from|lecture/ir-out", 0, "through lecture/ir-out"},
		{"three presses with a pause", "press|radio/volume-up|--times|3|--pause|10ms", 0, "Sent radio/volume-up"},
		{"once", "press|radio|volume-up", 0, "Sent radio/volume-up"},
		{"five times", "press|radio/volume-up|5", 2, "urbo press radio/volume-up --times 5"},
		{"five times", "press|radio/volume-up|--times|5", 0, "Sent radio/volume-up"},
		{"volume by five", "set|amplifier|power|on|volume|+5", 0, "volume"},
		{"channel 47", "set|radio|47", 2, "set radio CONTROL VALUE, once or more, of power (off, on), volume, channel"},
		{"channel 47", "set|radio|power|on|channel|47", 0, "47"},
		{"half a shutter", "set|screen|half", 0, "50%"},
		{"a quarter of a shutter", "set|screen|position|25 %", 0, "25%"},
		{"cool 24 °C", "set|heat-pump|power|ON|mode|cool|target|24°C", 0, "24"},
		{"last night, by whom", "journal|last night", 0, ""}, // nothing happened here then, where it is day now
		{"today, by whom", "journal|today", 0, "asked by"},
		{"last night, by whom", "who|boardwalk", 2, "urbo journal says what happened and who asked"},
		{"last night, by whom", "journal|boardwalk", 2, "--device boardwalk"},
		{"undo", "undo|amplifier", 2, "urbo set DEVICE --undo"},
		{"undo", "set|amplifier|--undo", 0, "volume"},
		{"a page for the family", "board|add|Family", 0, "Added family"},
		{"move house", "backup|" + filepath.Join(t.TempDir(), "house.backup"), 0, "Wrote "},
		{"an unknown weather sensor", "sensor", 2, "urbo measurement list"},
		{"share codes", "device|share|boardwalk", 2, "urbo pack export DEVICE"},
		{"share codes", "pack|export|boardwalk", 0, `"format": "urbo pack"`},
		{"one handset for two devices", "device|follow|screen/up", 2, "give a CODE"},
		{"one handset for two devices", "device|follow|screen/up|ev1527|id=0x1b204|key=1", 0, "screen"},
		{"at boot", "start", 2, "urbo serve runs the service"},
		{"update", "update", 2, "docs/run-it-for-good.md"},
		{"nothing happens", "why", 2, "urbo press DEVICE/KEY --explain"},
		{"nothing happens", "press|boardwalk/red|--explain", 0, "✓"},
	} {
		argv := strings.Split(job.typed, "|")
		res := r.urbo(argv...)
		assert.Equal(t, job.code, res.code, "%s: urbo %s: %s%s", job.name, strings.Join(argv, " "), res.out, res.err)
		assert.Contains(t, res.out+res.err, job.answer, "%s: urbo %s", job.name, strings.Join(argv, " "))
	}
	r.becomes(token, "screen", "position", "25 % down")

	// curl and cron: one device, nothing else
	var cron wire.Token
	r.ok(&cron, "token", "add", "cron", "--right", "use", "--device", "boardwalk")
	assert.Equal(t, 200, r.http(cron.Secret, "POST", "/api/devices/boardwalk/keys/red/press", nil, nil))
	assert.Equal(t, 404, r.http(cron.Secret, "POST", "/api/devices/radio/keys/power/press", nil, nil))
	env := []string{"URBO_SERVER=" + r.url, "URBO_TOKEN=" + strings.Repeat("0", len(cron.Secret))}
	res := run(t, "", env, "device", "list")
	assert.Equal(t, 1, res.code)
	assert.Contains(t, res.err, "token")
	assert.Contains(t, res.err, "urbo token")

	// a port that is in use
	res = run(t, "", nil, "serve", "--data", t.TempDir(), "--listen", strings.TrimPrefix(r.url, "http://"))
	assert.Equal(t, 1, res.code)
	assert.Contains(t, res.err, "--listen")

	// the whole house on another machine
	file := filepath.Join(t.TempDir(), "house.backup")
	r.ok(nil, "backup", file)
	there := t.TempDir()
	res = run(t, "", nil, "restore", file, "--data", there, "--yes")
	require.Zero(t, res.code, res.err)
	moved := start(t, there, "serve")
	assert.Contains(t, moved.ok(nil, "device", "show", "bed-lamp"), "nec address=57 command=2")
	_, err := os.Stat(file)
	require.NoError(t, err)
}

// TestJobs_ThePauseIsBetweenPresses, and the last one is not waited after.
func TestJobs_ThePauseIsBetweenPresses(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	r.ok(nil, "press", "boardwalk/red", "--times", "3", "--pause", "700ms")
	var page wire.JournalPage
	require.Equal(t, 200, r.http(r.owner(), "GET", "/api/journal?kind=press&limit=3", nil, &page))
	require.Len(t, page.Entries, 3)
	for n := range 2 {
		assert.GreaterOrEqual(t, page.Entries[n].At.Sub(page.Entries[n+1].At), 700*time.Millisecond)
	}
}
