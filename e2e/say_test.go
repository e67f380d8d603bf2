package e2e

import (
	"net/http"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"

	"urbo/wire"
)

// TestSay_InTheTerminal says things to the demo's house: done, asked back, taken back, waited for by an errand.
func TestSay_InTheTerminal(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	token := r.owner()
	r.ok(nil, "tell", "boardwalk", "power", "off")
	assert.Contains(t, r.ok(nil, "say", "turn", "the", "lights", "on", "and", "make", "them", "red"),
		"Boardwalk lights on, then Boardwalk lights: colour red")
	r.becomes(token, "boardwalk", "power", "on")
	r.becomes(token, "boardwalk", "colour", "red")
	assert.Contains(t, r.ok(nil, "say", "undo"), "set boardwalk/power to off")
	r.becomes(token, "boardwalk", "power", "off")

	before := r.presses()
	res := r.urbo("say", "volume", "22")
	assert.Equal(t, 3, res.code)
	assert.Contains(t, res.out, `urbo say "set amplifier/volume to 22"`)
	res = r.urbo("say", "don't", "turn", "the", "lights", "on")
	assert.Equal(t, 1, res.code)
	assert.Contains(t, res.err, "what is not to be done")
	assert.Contains(t, r.ok(nil, "say", "--dry", "lights on"), "It takes 1 press")
	assert.Equal(t, before, r.presses(), "nothing of that pressed")

	r.ok(nil, "name", "add", "Path Lights", "boardwalk")
	assert.Contains(t, r.urbo("name", "add", "path lights", "radio").err, "is a name of boardwalk")
	r.ok(nil, "say", "path lights on")
	r.becomes(token, "boardwalk", "power", "on")
	r.ok(nil, "device", "set", "boardwalk", "--slug", "planks")
	assert.Contains(t, r.ok(nil, "name", "list"), "planks", "a name goes with what it is of")

	// an errand that waits for a phrase comes before what the words mean
	out := r.ok(nil, "errand", "add", `errand gone when phrase "lights off" do set amplifier/power to off`)
	assert.Contains(t, out, "without this errand")
	assert.Contains(t, r.ok(nil, "say", "Lights off!"), "Set off gone")
	assert.Contains(t, r.ok(nil, "journal", "--search", "gone"), "gone")
	r.becomes(token, "boardwalk", "power", "on")
}

// TestSay_OnlyWhatOneMay: whoever says something may do no more by it than else.
func TestSay_OnlyWhatOneMay(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	say := func(token, text string, act bool) (int, wire.Understood) {
		var u wire.Understood
		code := r.http(token, "POST", "/api/phrase", wire.Phrase{Text: text, Act: act}, &u)
		return code, u
	}
	var watcher, dome wire.Token
	r.ok(&watcher, "token", "add", "watcher", "--scope", "watch")
	r.ok(&dome, "token", "add", "dome", "--right", "see", "--right", "use", "--room", "Dome")
	for token, want := range map[string]int{"": http.StatusUnauthorized, "wrong": http.StatusUnauthorized,
		watcher.Secret: http.StatusForbidden} {
		code, _ := say(token, "lights on", true)
		assert.Equal(t, want, code, token)
	}
	code, u := say(dome.Secret, "everything off", false)
	assert.Equal(t, http.StatusOK, code)
	assert.Equal(t, "set dew-a/power and dew-b/power and dew-c/power to off", u.Steps)
	for _, text := range []string{"lights on", "set boardwalk/power to on", "press boardwalk/power",
		"start public-talk",
		"public talk", "run fanfare", "dew heaters on and lights on"} {
		code, u = say(dome.Secret, text, true)
		assert.GreaterOrEqual(t, code, 400, "%s: %+v", text, u)
	}
	code, _ = say(dome.Secret, "dew heater a on", true)
	assert.Equal(t, http.StatusOK, code)
}

// TestSay_InTheConsole opens the field with Ctrl K: meaning and cost stand there before anything is done.
func TestSay_InTheConsole(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	token := r.owner()
	r.ok(nil, "tell", "boardwalk", "power", "off")
	b := open(t, r, 1280, 800)
	b.visit(r, "/devices")
	b.see("Lecture amplifier")
	b.do(chromedp.KeyEvent("k", chromedp.KeyModifiers(2)))
	b.see("Say what is to be done")
	b.fill("In plain words", "volume 22")
	b.see("Which one: Lecture amplifier: volume 22 or Weather radio: volume 22?")
	b.fill("In plain words", "never the lights")
	b.see("what is not to be done")
	b.fill("In plain words", "lights on")
	b.see("Boardwalk lights on")
	b.see("1 press")
	before := r.presses()
	b.do(chromedp.KeyEvent(kb.Enter))
	b.see("Done.")
	r.becomes(token, "boardwalk", "power", "on")
	assert.Equal(t, before+1, r.presses())
}
