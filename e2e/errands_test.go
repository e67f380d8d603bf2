package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// TestErrands_AreWrittenInTheConsoleAndCome writes two errands as a new user would, one by what is offered and one by
// typing, and lets the calendar come to them.
func TestErrands_AreWrittenInTheConsoleAndCome(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--at", "2026-12-05 16:05", "--pace", "60")
	token := r.owner()
	r.ok(nil, "tell", "boardwalk", "power", "off")
	b := open(t, r, 390, 844)
	b.visit(r, "/automate")
	b.click("New errand")
	b.fill("Errand", "errand lit ")
	for _, word := range []string{"when", "dusk", "do", "set", "boardwalk/power", "to", "on"} {
		b.clickIn("Errands", word)
	}
	b.see("It would be due Sat 2026-12-05")
	b.click("Save")
	b.see("dusk")
	b.click("New errand")
	b.fill("Errand", "errand dark when at 25:00 do turn off boardwalk")
	b.see("there is no 25:00")
	b.fill("Errand", "errand dark when amplifier/power becomes on only if sun up do turn off boardwalk")
	b.see("Understood.")
	b.click("Save")
	b.see("when amplifier/power becomes on")
	r.comes(token, "boardwalk", "power", "on")
	b.see("ran")

	// why it did not
	r.ok(nil, "set", "amplifier", "power", "on")
	b.see("did not run, sun up: no")
	b.click("Why, and change: dark")
	b.see("amplifier/power becomes on: did not run")
	assert.Contains(t, r.ok(nil, "errand", "why", "dark"), "sun up: no")
	assert.Contains(t, r.ok(nil, "journal", "--search", "dark"), "skipped: sun up: no")

	// a rename of what it is about reprints it; a removal stops it, and says so
	r.ok(nil, "device", "set", "boardwalk", "--slug", "path")
	assert.Contains(t, r.ok(nil, "errand", "show", "lit"), "path/power")
	r.ok(nil, "device", "remove", "path", "--yes")
	assert.Contains(t, r.ok(nil, "errand", "list"), "gone: ")
	r.ok(nil, "device", "restore", "path")
	assert.NotContains(t, r.ok(nil, "errand", "list"), "gone: ")

	for text, want := range map[string]string{
		"errand a when sunst do turn on radio":             "expected what happens",
		"errand a when phrase \"hello\" do turn on radio":  "cannot do that yet",
		"errand lit when at 7:00 do turn on radio":         "another errand is called",
		"errand a when at 7:00 do set radio/power to blue": "there are off, on",
	} {
		res := r.urbo("errand", "add", text)
		assert.Equal(t, 1, res.code, text)
		assert.Contains(t, res.err, want)
	}
	assert.Contains(t, r.ok(nil, "errand", "quiet", "--for", "2h"), "No errand begins anything until")
	assert.Contains(t, r.ok(nil, "errand", "quiet", "--end"), "Errands do what they say.")
	assert.Contains(t, r.ok(nil, "errand", "off", "lit"), "is off")
	var due []wire.DueErrand
	r.ok(&due, "errand", "next")
	assert.Empty(t, due)
	r.ok(nil, "errand", "remove", "lit")
	res := r.urbo("errand", "show", "lit")
	require.Equal(t, 1, res.code)
	assert.Contains(t, res.err, "nearest are dark")
}
