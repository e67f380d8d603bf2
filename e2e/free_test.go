package e2e

import (
	"io"
	"os"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// TestFreeLesson_KeysAreNamedAfterTheyWerePressed learns three keys of the screen's handset on a phone.
func TestFreeLesson_KeysAreNamedAfterTheyWerePressed(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--pace", "4")
	token := r.owner()
	r.ok(nil, "device", "remove", "screen", "--yes")
	r.ok(nil, "device", "add", "Projection screen", "--slug", "screen")
	b := open(t, r, 390, 844)
	b.visit(r, "/devices/screen/lesson")
	b.click("Press keys in any order, name them later")
	b.see("Press any key of the handset")
	for _, step := range []struct{ key, says string }{
		{"down", `A new key: "key-1"`}, {"up", `A new key: "key-2"`}, {"up", `Learned as "key-2"`}, {"down", `Learned as "key-1"`}, {"down", `That is "key-1", which is learned already`}, {"stop", `A new key: "key-3"`},
	} {
		r.touch(token, "screen", step.key, 0)
		b.see(step.says)
	}
	for from, to := range map[string]string{"key 1": "down", "key 2": "up"} {
		b.fill("Name for "+from, to)
		b.eval(`document.querySelector('[data-key="` + strings.ReplaceAll(from, " ", "-") + `"] button[type=submit]').click()`)
		b.until(`document.querySelector('[data-key="` + to + `"]')`)
	}
	b.click("Drop key 3")
	b.click("Finish")
	b.see("Done: 2 of 2 keys learned.")
	r.ok(nil, "press", "screen/down")
	r.becomes(token, "screen", "movement", "moving down")

	b.visit(r, "/which")
	b.see("Listening")
	r.touch(token, "screen", "up", 0)
	b.see("Projection screen")
	r.touch(token, "mixer", "speed-2", 0)
	b.see("It is speed 2 of the code set Aldergate Swirl")
	b.click("Look at it on the bench, or make it a key")
	b.see("twin32")
}

// TestWhich_SaysWhoseKeyWasPressed asks in the terminal, and learns freely there.
func TestWhich_SaysWhoseKeyWasPressed(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--pace", "4")
	token := r.owner()
	asking := func(args []string, hear func()) (out string) {
		cmd := exec.Command(binary, args...)
		cmd.Env = append(os.Environ(), "URBO_SERVER="+r.socket)
		errs, err := cmd.StderrPipe()
		require.NoError(t, err)
		var text strings.Builder
		cmd.Stdout = &text
		require.NoError(t, cmd.Start())
		_, err = errs.Read(make([]byte, 100)) // it listens now
		require.NoError(t, err)
		hear()
		require.NoError(t, cmd.Wait())
		return text.String()
	}
	assert.Equal(t, "boardwalk/red, which sends nec address=57 command=5.\n",
		asking([]string{"which"}, func() { r.touch(token, "boardwalk", "red", 0) }))
	r.ok(nil, "device", "remove", "clicker", "--yes")
	strange := asking([]string{"which"}, func() { r.touch(token, "clicker", "b", 0) })
	require.Contains(t, strange, "No device here has it: a signal without a known line code. Make it a key: urbo "+
		"device code DEVICE/KEY --capture ")
	id := strings.TrimSpace(strange[strings.LastIndex(strange, " "):])
	assert.Contains(t, r.ok(nil, "device", "code", "mixer/extra", "--capture", id), "mixer/extra sends")
	res := r.urbo("which", "--within", "100ms")
	assert.Equal(t, 1, res.code)
	assert.Contains(t, res.err, "nothing was heard within 100ms")

	r.ok(nil, "device", "remove", "radio", "--yes")
	r.ok(nil, "device", "add", "Radio", "--slug", "radio")
	cmd := exec.Command(binary, "learn", "radio", "--free", "--takes", "1")
	cmd.Env = append(os.Environ(), "URBO_SERVER="+r.socket)
	in, err := cmd.StdinPipe()
	require.NoError(t, err)
	var text strings.Builder
	cmd.Stdout = &text
	require.NoError(t, cmd.Start())
	device := func() (d wire.Device) { r.ok(&d, "device", "show", "radio"); return d }
	var l []wire.Lesson
	require.Eventually(t, func() bool { r.http(token, "GET", "/api/lessons", nil, &l); return len(l) > 0 }, patience,
		tick)
	r.touch(token, "radio", "power", 0)
	require.Eventually(t, func() bool { return len(device().Keys) == 1 }, patience, tick)
	_, err = io.WriteString(in, "name key-1 power\nfinish\n")
	require.NoError(t, err)
	require.NoError(t, cmd.Wait(), text.String())
	assert.Equal(t, "power", device().Keys[0].Name)
	assert.Contains(t, text.String(), "key-1 is learned: rc5 address=17 command=12")
}
