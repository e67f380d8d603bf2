package e2e

import (
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// far is a hold that means: a short press from the far end of the room.
const far = -1

// touch presses a key of a handset on the stage for so long.
func (r *running) touch(token, handset, key string, holdMS int) {
	r.t.Helper()
	how := wire.HandsetPress{HoldMS: max(holdMS, 0), Far: holdMS == far}
	require.Equal(r.t, http.StatusNoContent, r.http(token, "POST", "/api/stage/handsets/"+handset+"/keys/"+key+"/press",
		how, nil))
}

// lesson reads a lesson.
func (r *running) lesson(token, id string) (l wire.Lesson) {
	r.t.Helper()
	require.Equal(r.t, http.StatusOK, r.http(token, "GET", "/api/lessons/"+id, nil, &l))
	return l
}

// take presses a key of a handset, and waits for the judgement of it.
func (r *running) take(token, id, handset, key string, holdMS int) (l wire.Lesson) {
	r.t.Helper()
	before := ""
	if last := r.lesson(token, id).Last; last != nil {
		before = last.CaptureID
	}
	r.touch(token, handset, key, holdMS)
	require.Eventually(r.t, func() bool {
		l = r.lesson(token, id)
		return l.Last != nil && l.Last.CaptureID != before
	}, patience, tick)
	return l
}

// TestLesson_EveryDeviceOfTheDemoIsLearned goes through all handsets of the stage.
func TestLesson_EveryDeviceOfTheDemoIsLearned(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--pace", "8")
	token := r.owner()
	for _, d := range []struct {
		slug string
		keys []string
		code string // line code of what is learned; "" is a signal of its own
	}{
		{"projector", []string{"on", "freeze"}, "nec-wide"},
		{"amplifier", []string{"power", "input-4"}, "sirc15"},
		{"radio", []string{"power", "7", "channel-up"}, "rc5"},
		{"heat-pump", []string{"on-off", "warmer"}, "skarrow-s9"},
		{"mixer", []string{"power", "speed-4", "sweep"}, "twin32"},
		{"boardwalk", []string{"power", "red"}, "nec"},
		{"dew-a", []string{"on"}, "pt2262"},
		{"dew-b", []string{"on", "off"}, "pt2262"},
		{"dew-c", []string{"off"}, "pt2262"},
		{"screen", []string{"up", "down", "stop"}, "ev1527"},
		{"door", []string{"opened", "closed"}, "ev1527"},
		{"clicker", []string{"a", "d"}, ""},
	} {
		var known wire.Device
		if r.http(token, "GET", "/api/devices/"+d.slug, nil, &known) == http.StatusNotFound {
			require.Equal(t, http.StatusCreated, r.http(token, "POST", "/api/devices",
				wire.NewDevice{Slug: d.slug, Name: "Learned " + d.slug, Keys: d.keys}, nil))
		}
		var l wire.Lesson
		require.Equal(t, http.StatusCreated, r.http(token, "POST", "/api/lessons",
			wire.NewLesson{Device: d.slug, Keys: d.keys}, &l))
		for presses := 0; l.State == "running" && presses < 12*len(d.keys); presses++ {
			l = r.take(token, l.ID, d.slug, l.Key, 0)
		}
		require.Equal(t, "done", l.State, "%s: %+v", d.slug, l.Last)
		for _, k := range l.Keys {
			require.NotNil(t, k.Code, "%s/%s", d.slug, k.Name)
			assert.Equal(t, d.code, k.Code.Sheet, "%s/%s", d.slug, k.Name)
		}
	}
	// The spare shutter handset counts: it is followed, and says what it takes to send.
	require.Equal(t, http.StatusCreated, r.http(token, "POST", "/api/devices",
		wire.NewDevice{Slug: "second-shutter", Name: "Second shutter", Kind: "shutter", Keys: []string{"up"}}, nil))
	var l wire.Lesson
	require.Equal(t, http.StatusCreated, r.http(token, "POST", "/api/lessons", wire.NewLesson{Device: "second-shutter"},
		&l))
	l = r.take(token, l.ID, "shutter-spare", "up", 0)
	assert.Equal(t, "rolling", l.Last.Verdict)
	assert.Contains(t, l.Last.Text, "can be followed")
	l = r.take(token, l.ID, "shutter-spare", "up", 0)
	require.Equal(t, "done", l.State)
	assert.True(t, l.Keys[0].Rolling)
	assert.Contains(t, r.urbo("press", "second-shutter/up").err, "pair a handset")
	var lines []wire.DeviceLine
	r.ok(&lines, "device", "list", "second")
	assert.Equal(t, 1, lines[0].KeysHeard)
	r.ok(nil, "device", "follow", "second-shutter/up", "--none")
	assert.Equal(t, 1, r.urbo("device", "follow", "second-shutter/up", "--none").code)
	assert.Equal(t, 2, r.urbo("device", "follow", "second-shutter/up").code)
	assert.Contains(t, r.ok(nil, "device", "follow", "screen/up", "ev1527", "id=110596", "key=1"),
		"also followed where it is heard: ev1527 id=110596 key=1")
}

// TestLesson_TheFaultsThatPeopleMake provokes them on the stage.
func TestLesson_TheFaultsThatPeopleMake(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--pace", "5")
	token := r.owner()
	var l wire.Lesson
	require.Equal(t, http.StatusCreated, r.http(token, "POST", "/api/lessons",
		wire.NewLesson{Device: "projector", Keys: []string{"on", "off"}}, &l))
	for _, fault := range []struct {
		handset, key string
		hold         int
		verdict      string
		says         string
	}{
		{"projector", "on", 15, "too-short", "10 cm from the receiver"},
		{"projector", "on", 2500, "too-long", "let go at once"},
		{"projector", "on", far, "too-weak", "Hold the handset closer"},
		{"projector", "on", 0, "accepted", "to be sure"},
		{"projector", "on", 0, "accepted", "Both takes agree"},
		{"projector", "on", 0, "other-key", `That is the code of "on"`},
		{"amplifier", "power", 0, "accepted", ""}, // one key alone says little about the handset
		{"dew-a", "on", 0, "other-medium", "by radio, and the other keys by infrared"},
	} {
		l = r.take(token, l.ID, fault.handset, fault.key, fault.hold)
		assert.Equal(t, fault.verdict, l.Last.Verdict)
		assert.Contains(t, l.Last.Text, fault.says)
	}
}

func TestLesson_GoesOnAfterAPowerCut(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	r := start(t, data, "demo", "--pace", "3")
	token := r.owner()
	var l wire.Lesson
	require.Equal(t, http.StatusCreated, r.http(token, "POST", "/api/lessons",
		wire.NewLesson{Device: "projector", Keys: []string{"on", "off", "menu"}}, &l))
	r.take(token, l.ID, "projector", "on", 0)
	r.take(token, l.ID, "projector", "on", 0)
	l = r.take(token, l.ID, "projector", "off", 0)
	require.Equal(t, "off", l.Key)
	r.kill()

	again := start(t, data, "demo", "--pace", "3")
	after := again.lesson(token, l.ID)
	assert.Equal(t, "running", after.State)
	assert.Equal(t, "off", after.Key)
	assert.Equal(t, "settled", after.Keys[0].State)
	assert.Len(t, after.Takes, 1, "the take before the cut counts")
	after = again.take(token, l.ID, "projector", "off", 0)
	assert.Equal(t, "menu", after.Key)
}

func TestLearn_PausesAcceptsAndResumesInTheTerminal(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--pace", "5")
	token := r.owner()
	res := run(t, "", []string{"URBO_SERVER=" + r.socket}, "learn", "projector", "--resume")
	assert.Equal(t, 1, res.code)
	assert.Contains(t, res.err, "no lesson of projector waits")

	// The four faults that people make most, in the terminal.
	learn := r.follow("learn", "projector", "on", "off")
	learn.until(`Press "on"`)
	for _, fault := range []struct {
		key  string
		hold int
		says string
	}{{"on", 15, "Too short"}, {"on", 2500, "Held too long"}, {"on", far, "Too weak"}, {"on", 0, "to be sure"}, {"on", 0, "Both takes agree"}, {"on", 0, `That is the code of "on"`}} {
		r.touch(token, "projector", fault.key, fault.hold)
		learn.until(fault.says)
	}
	learn.enter("finish")
	learn.until("Done: 1 of 2")
	require.NoError(t, learn.cmd.Wait())

	learn = r.follow("learn", "boardwalk", "spare")
	learn.until(`Press "spare"`)
	r.touch(token, "amplifier", "power", 0)
	learn.until("from another handset than the other keys: it is sirc15, and theirs is nec")
	learn.until("Type accept")
	learn.enter("accept")
	learn.until("to be sure")
	learn.enter("pause")
	learn.until(`It goes on with "spare"`)
	require.NoError(t, learn.cmd.Wait())

	learn = r.follow("learn", "boardwalk", "--resume")
	learn.until(`Press "spare" again`)
	r.touch(token, "amplifier", "power", 0)
	learn.until("spare is learned: sirc15")
}

func TestDevice_IsChangedByHandAndBack(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	token := r.owner()
	r.ok(nil, "device", "add", "Spare socket", "--slug", "spare", "--kind", "socket")
	assert.Contains(t, r.ok(nil, "device", "code", "spare/on", "switches", "01101", "10100", "on"),
		"spare/on sends pt2262 values=F00F00F0FF0F")
	assert.Contains(t, r.ok(nil, "device", "code", "spare/on", "nec", "address=0x39", "command=0b10"),
		"nec address=57 command=2")
	assert.Contains(t, r.ok(nil, "device", "show", "spare"),
		"on sends what boardwalk/power sends: one press moves both devices.")
	r.ok(nil, "press", "spare/on")
	r.becomes(token, "boardwalk", "power", "on")
	assert.Contains(t, r.ok(nil, "device", "undo", "spare/on"), "pt2262")
	assert.Contains(t, r.ok(nil, "device", "code", "spare/off", "2000/1000 350/700 350", "--hz", "38000"),
		"train of 5 durations")
	assert.Contains(t, r.ok(nil, "device", "set", "spare", "--slug", "porch", "--room", "Outside"),
		"Spare socket (porch)")
	assert.Contains(t, r.ok(nil, "device", "show", "spare"), "Outside", "the old slug goes on working")
	for _, wrong := range [][]string{
		{"device", "code", "porch/on"},
		{"device", "code", "porch/on", "nec", "address=1", "--capture", "x"},
		{"device", "set", "porch"},
	} {
		res := r.urbo(wrong...)
		assert.Equal(t, 2, res.code, "%v: %s", wrong, res.err)
	}
	r.ok(nil, "device", "remove", "porch", "--yes")
	assert.NotContains(t, r.ok(nil, "device", "list"), "porch")

	// The same on a phone: what is odd, undo, settings, and a lesson whose faults are answered.
	require.Zero(t, r.urbo("device", "code", "boardwalk/red", "nec", "address=57", "command=2").code)
	b := open(t, r, 390, 844)
	b.click("Boardwalk lights")
	b.click("Advice (1)")
	b.see("power and red send the same")
	b.click("Codes")
	b.click("Undo the last change of red")
	b.click("Advice")
	b.see("Nothing is odd here.")
	b.click("Settings")
	b.click("Change settings")
	b.fill("Room", "Car park")
	b.click("Save")
	b.see("Car park")
	b.visit(r, "/devices/projector/lesson")
	b.click("Start the lesson")
	b.see(`Press "on"`)
	for _, fault := range []struct {
		hold int
		says string
	}{{15, "Too short"}, {2500, "Held too long"}, {far, "Too weak"}, {0, "to be sure"}} {
		r.touch(token, "projector", "on", fault.hold)
		b.see(fault.says)
	}
	b.click("Pause")
	b.see(`It goes on with "on"`)
	b.click("Go on")
	r.touch(token, "projector", "on", 0)
	b.see(`Press "off"`)
	r.touch(token, "projector", "on", 0)
	b.see(`That is the code of "on"`)
	b.click("It is on purpose: take it")
	b.see("to be sure")
}

func TestPack_GoesFromOneHouseToAnother(t *testing.T) {
	t.Parallel()
	from := start(t, "", "demo")
	file := filepath.Join(t.TempDir(), "all.json")
	from.ok(nil, "pack", "export", "--all", "--out", file)
	assert.Contains(t, from.ok(nil, "pack", "check", file),
		"Good. Version 1.4: 13 devices with 66 keys; 2 groups, 2 sequences, 3 occasions, 2 boards.")

	to := start(t, "", "serve")
	assert.Contains(t, to.ok(nil, "pack", "import", file), "Nothing was changed")
	assert.Contains(t, to.ok(nil, "device", "list"), "No devices yet")
	to.ok(nil, "pack", "import", file, "--yes")
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, string(data), to.ok(nil, "pack", "export", "--all"), "byte for byte")
	assert.Contains(t, to.ok(nil, "occasion", "plan", "closed-up"), "dew-a")
	assert.Contains(t, to.ok(nil, "device", "show", "heat-pump"), "skarrow-s9, which is not known here")
	assert.Contains(t, to.ok(nil, "pack", "import", file), "the same is there")

	broken := filepath.Join(t.TempDir(), "broken.json")
	for _, wrong := range []struct{ from, to, says string }{
		{`"sheet": "nec"`, `"sheet": "nek"`, "unknown line code"},
		{`"slug": "boardwalk"`, `"slug": "amplifier"`, "is there twice"},
		{`"version": "1.4"`, `"version": "9.0"`, "reads version 1.x"},
		{`"format"`, `"format`, "byte "},
	} {
		require.NoError(t, os.WriteFile(broken, []byte(strings.Replace(string(data), wrong.from, wrong.to, 1)), 0o600))
		res := to.urbo("pack", "import", broken, "--conflict", "replace", "--yes")
		assert.Equal(t, 1, res.code)
		assert.Contains(t, res.err, wrong.says)
	}
	assert.Equal(t, string(data), to.ok(nil, "pack", "export", "--all"), "a broken pack changed nothing")

	// The same in the console: what would happen first, and only then it happens.
	to.ok(nil, "device", "remove", "boardwalk", "--yes")
	b := open(t, to, 390, 844)
	b.see("Lecture amplifier")
	b.pick("broken.json", strings.Replace(string(data), `"version": "1.4"`, `"version": "9.0"`, 1))
	b.see("reads version 1.x")
	b.pick("all.json", string(data))
	b.see("is added")
	b.see("the same is here already")
	assert.NotContains(t, to.ok(nil, "device", "list"), "boardwalk")
	b.see("is added as public-talk-2")
	b.click("Import")
	b.see("Imported.")
	b.see("Boardwalk lights")
	assert.Contains(t, to.ok(nil, "board", "export", "public-night-2"), "boardwalk/colour")
}
