package e2e

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// TestDevice_IsLookedAfterInTheConsole changes what belongs to a device beside its codes.
func TestDevice_IsLookedAfterInTheConsole(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	token := r.owner()
	b := open(t, r, 1280, 800)
	b.visit(r, "/devices/boardwalk/settings")
	b.click("Change settings")
	b.choose("Switched by", "a key for on and one for off")
	b.fill("Least time between two presses", "0.4")
	b.fill("Type plate", "CS 7-119")
	b.pick("plan.png", "this is no picture")
	b.see("neither PNG nor JPEG")
	b.fill("Short name", "projector")
	b.click("Save")
	b.see("name is taken")
	b.until(`document.querySelectorAll('form [role=alert]').length === 1`) // it stands in one place
	b.fill("Short name", "boardwalk")
	b.until(`!document.body.innerText.includes("name is taken")`) // and leaves with its cause
	b.click("Save")
	b.click("Use")
	b.see("CS 7-119")
	b.see("0.4 s")

	b.click("Codes")
	b.click("Change white")
	b.fill("Say by hand what it sends", "nec address=57 command=2")
	b.click("Save")
	b.click("Advice (2)")
	b.see("power and white send the same")
	b.click("Codes")
	b.click("Undo the last change of white")
	b.click("Advice (1)")
	b.see("learn both")
	b.until(`!document.body.innerText.includes("send the same")`)
	b.click("Codes")

	b.click("Change breathe")
	b.fill("Name of the key", "pulse")
	b.choose("Held down", "again and again")
	b.click("Save")
	b.until(`[...document.querySelectorAll('dt')].some(e => e.innerText === 'pulse')`)
	b.click("Change pulse")
	b.click("Remove the key")
	b.click("Remove it with its codes")
	b.until(`![...document.querySelectorAll('dt')].some(e => e.innerText === 'pulse')`)

	b.click("Use")
	b.until(`[...document.querySelectorAll('button')].some(e => e.innerText === 'brighter')`)
	b.eval(`(e => {
		e.dispatchEvent(new PointerEvent('pointerdown', {bubbles: true}));
		window.since = performance.now();
		window.up = () => e.dispatchEvent(new PointerEvent('pointerup', {bubbles: true}));
	})([...document.querySelectorAll('button')].find(e => e.innerText === 'brighter'))`)
	b.until(`performance.now() > window.since + 1800`)
	b.eval(`up()`)
	require.Eventually(t, func() bool {
		var captures []wire.Capture
		require.Equal(t, 200, r.http(token, "GET", "/api/captures", nil, &captures))
		return slices.ContainsFunc(captures, func(c wire.Capture) bool {
			return c.Echo && len(c.Readings) > 0 &&
				c.Readings[0].Repeats >= 8
		})
	}, patience, tick, "a held key goes on")
	var page wire.JournalPage
	require.Equal(t, 200, r.http(token, "GET", "/api/journal", nil, &page))
	assert.Equal(t, 1, strings.Count(fmt.Sprint(page), "Pressed boardwalk/brighter"), "and is one press")

	b.click("Arrange")
	b.clickIn("Handset", "power")
	b.click("empty place, row 1, place 3")
	b.click("Save")
	b.see("Tap a key to press it")
	b.click("Settings")
	b.click("On the phone")
	b.until(`document.querySelector('svg[role=img][aria-label*="/sign-in?to=%2Fdevices%2Fboardwalk#"] path')?.getAttribute('d').length > 1000`)
	b.see("This address works on this machine only")

	var d wire.Device
	r.ok(&d, "device", "show", "boardwalk")
	assert.Equal(t, []string{"", "", "power"}, d.Face[0])
	assert.EqualValues(t, "two-keys", d.Power)
	assert.Equal(t, 400, d.GapMS)
	assert.Len(t, d.Keys, 6)

	var drawn bytes.Buffer
	require.NoError(t, png.Encode(&drawn, image.NewGray(image.Rect(0, 0, 40, 30))))
	file := filepath.Join(t.TempDir(), "lights.png")
	require.NoError(t, os.WriteFile(file, drawn.Bytes(), 0o600))
	r.ok(nil, "device", "picture", "boardwalk", file)
	b.click("Use")
	b.until(`document.querySelector('img[alt="Boardwalk lights"]')?.naturalWidth === 40`)
}

// TestDevice_IsLookedAfterInTheTerminal does so by commands, and tries them wrongly.
func TestDevice_IsLookedAfterInTheTerminal(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--pace", "4")
	token := r.owner()
	assert.Contains(t, r.ok(nil, "device", "set", "projector", "--warm-up", "20s", "--plate-hz", "433920000", "--face",
		"on . off / ok"), "warms up     20s")
	assert.Contains(t, r.ok(nil, "device", "set-key", "boardwalk/dim", "--name", "dimmer", "--hold", "repeat"),
		"boardwalk/dimmer sends nec")
	r.ok(nil, "press", "boardwalk/power")
	r.becomes(token, "boardwalk", "power", "on")
	assert.Regexp(t, `20\d\d ms on the air`, r.ok(nil, "press", "boardwalk/dimmer", "--hold", "2s"))
	assert.Contains(t, r.ok(nil, "device", "code", "boardwalk/both", "nec", "address=57", "command=2", "then", "nec",
		"address=57", "command=5", "--gap", "60ms"), ", then nec")
	r.ok(nil, "press", "boardwalk/both")
	r.becomes(token, "boardwalk", "power", "off")
	r.ok(nil, "device", "remove", "boardwalk/both", "--yes")

	big := filepath.Join(t.TempDir(), "big.png")
	require.NoError(t, os.WriteFile(big, bytes.Repeat([]byte("x"), 40<<20), 0o600))
	for says, args := range map[string][]string{
		`unknown key "both"`:          {"device", "remove", "boardwalk/both", "--yes"},
		"more than 2 MB":              {"device", "picture", "boardwalk", big},
		"it cannot stand on the face": {"device", "set", "boardwalk", "--face", "dance"},
		"two-keys, none":              {"device", "set", "boardwalk", "--power", "maybe"},
		"use a-z, 0-9 and single -":   {"device", "set-key", "boardwalk/red", "--name", "red\x07"},
		"is no signal":                {"device", "code", "boardwalk/odd", "500"},
		"ten positions":               {"device", "code", "boardwalk/odd", "switches", "01101", "1010", "on"},
		"write it like 12, 0x0c":      {"device", "code", "boardwalk/odd", "nec", "address=x"},
	} {
		res := r.urbo(args...)
		assert.Equal(t, 1, res.code, says)
		assert.Contains(t, strings.ReplaceAll(res.err, "\n", " "), says)
	}
}

// TestShelf_GivesAndTakesInTheConsole gives a device the codes of a set that its owner knows by name.
func TestShelf_GivesAndTakesInTheConsole(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--pace", "4")
	token := r.owner()
	b := open(t, r, 390, 844)
	b.click("Look at the code sets")
	b.see("Velopt VX-30")
	b.eval(`[...document.querySelectorAll('summary')].find(e => e.innerText.includes('Velopt VX-40')).click()`)
	b.eval(`document.querySelector('details[open]').scrollIntoView()`)
	b.until(`document.querySelector('details[open] [role=combobox]')`)
	b.eval(`document.querySelector('details[open] [role=combobox]').dispatchEvent(new MouseEvent('mousedown', {bubbles: true, button: 0}))`)
	b.until(`document.querySelector('[role=option]')`)
	b.eval(`[...document.querySelectorAll('[role=option]')].find(e => e.innerText === 'Lecture projector').click()`)
	b.until(`!document.querySelector('[role=option]')`)
	b.eval(`document.querySelector('details[open] button[type=submit]').click()`)
	b.see("Lecture projector has the keys that it had not learned.")
	r.ok(nil, "press", "projector/on")
	r.becomes(token, "projector", "power", "warming up")

	b.choose("Learned keys of", "Dew heater A")
	b.click("Put a copy on the shelf")
	b.see("Pellow P3 stands on the shelf now.")
	assert.Contains(t, r.ok(nil, "shelf", "show", "dew-a"), "Pellow P3 (dew-a), code set of a socket")
}
