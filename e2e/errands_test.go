package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// TestErrands_AreWrittenInTheConsoleAndCome writes two errands as a new user would, one by what is offered and one by
// typing, and lets the calendar come to them.
func TestErrands_AreWrittenInTheConsoleAndCome(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--at", "2026-12-05 15:30", "--pace", "60")
	token := r.owner()
	r.ok(nil, "tell", "boardwalk", "power", "off")
	b := open(t, r, 390, 844)
	b.visit(r, "/automate")
	b.click("New errand")
	b.click("Typed")
	b.fill("Errand", "errand lit ")
	for _, word := range []string{"when", "dusk", "do", "set", "boardwalk/power", "to", "on"} {
		b.clickIn("Errands", word)
	}
	b.see("It would be due Sat 2026-12-05")
	b.click("Save")
	b.see("dusk")
	b.click("New errand")
	b.click("Typed")
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
	b.click("Why: dark")
	b.see("amplifier/power becomes on: did not run")
	b.see("sun up: no")
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
		"errand a when at 7:00 do send lamp":               "unknown request",
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
	require.NotEmpty(t, due, "the demo has its own")
	for _, d := range due {
		assert.NotEqual(t, "lit", d.Errand)
	}
	r.ok(nil, "errand", "remove", "lit")
	res := r.urbo("errand", "show", "lit")
	require.Equal(t, 1, res.code)
	assert.Contains(t, res.err, "nearest are ")
}

// menu picks a value of the menu with a label.
func (b *browser) menu(label, value string) {
	b.t.Helper()
	field := `[...document.querySelectorAll('select')].find(e => document.querySelector('label[for="' + e.id + '"]')?.innerText === ` +
		quote(label) + `)`
	b.until(field + `?.querySelector('option[value="` + value + `"]')`)
	b.eval(`(() => {
		const e = ` + field + `;
		Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(e, ` + quote(value) + `);
		e.dispatchEvent(new Event('change', {bubbles: true}));
	})()`)
}

// TestErrands_AreBuiltOfPartsByAStranger: boardwalk on at dusk, off at eleven, without a word of the grammar; then one
// is rehearsed, put on trial and made real, and its parts are changed.
func TestErrands_AreBuiltOfPartsByAStranger(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	r.owner()
	b := open(t, r, 1280, 900)
	b.visit(r, "/automate")
	b.click("New errand")
	b.fill("Name", "lights on")
	b.menu("It begins", "sun")
	b.menu("The sun", "dusk")
	b.menu("Control", "boardwalk/power")
	b.menu("Value", "on")
	b.see("It would be due Sat 2026-12-05 16:22")
	b.click("Save")
	b.see("lights-on")
	b.click("New errand")
	b.fill("Name", "lights off")
	b.menu("It begins", "time")
	b.fill("Times", "23:00")
	b.menu("Control", "boardwalk/power")
	b.menu("Value", "off")
	b.see("It would be due Sat 2026-12-05 23:00")
	b.click("Save")
	b.see("lights-off")
	assert.Equal(t, "errand lights-on\nwhen dusk\ndo set boardwalk/power to on",
		strings.Split(r.ok(nil, "errand", "show", "lights-on"), "\nIt is")[0])
	assert.Equal(t, "errand lights-off\nwhen at 23:00\ndo set boardwalk/power to off",
		strings.Split(r.ok(nil, "errand", "show", "lights-off"), "\nIt is")[0])

	b.click("Rehearse lights-on")
	b.click("the coming 7 days")
	b.see("it would run 7 times")
	b.click("Rehearse lights-on")
	b.click("Put on trial: lights-on")
	b.see("on trial: it comes, and nothing is pressed")
	assert.Contains(t, r.ok(nil, "errand", "list"), "on trial")
	b.click("Make it real: lights-on")
	b.until(`!document.body.innerText.includes("on trial: it comes")`)

	b.click("Change lights-off")
	b.click("Parts")
	b.click("Only if something is so")
	b.menu("Condition", "is")
	b.see("only if")
	b.menu("Control", "amplifier/power") // of the condition, which stands first
	b.see("amplifier/power is on")
	b.click("Typed")
	b.until(`document.querySelector('textarea')?.value.includes("only if amplifier/power is on")`)
	b.click("Save")
	require.Eventually(t, func() bool {
		return strings.Contains(r.ok(nil, "errand", "show", "lights-off"), "only if amplifier/power is on")
	}, patience, tick)

	b.click("Quiet …")
	b.click("Quiet for 4 h")
	b.see("Quiet until Sat 2026-12-05 16:0")
	b.click("End quiet")
	b.until(`!document.body.innerText.includes("Quiet until")`)

	// the day, as it was: a moment before the house began nothing was known; now it is
	b.eval(`(() => {
		const e = document.querySelector('input[type=range]');
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(e, 60);
		e.dispatchEvent(new Event('input', {bubbles: true}));
		e.dispatchEvent(new Event('change', {bubbles: true}));
	})()`)
	b.see("The house at 01:00")
	b.see("Nothing is known of that time")
	b.click("Back to now")
}
