package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestConsole_Automate runs a sequence, answers what it asks, holds a control for a time and sets a group, on the page.
func TestConsole_Automate(t *testing.T) {
	r := start(t, "", "demo")
	b := open(t, r, 1280, 900)
	b.visit(r, "/automate")
	b.see("Nothing is under way")
	b.click("New sequence")
	b.fill("Name", "Good night")
	b.fill("Steps", "set boardwalk/power to of")
	b.click("Save")
	b.see("line 1, column 5")
	b.fill("Steps", "set dew/power to off\nset boardwalk/power to off for 1 h and back\nset heat-pump/target to "+
		"20\nwait 1 h")
	b.click("Save")
	b.see("4 steps")
	b.click("Run Good night")
	b.see("step 4 of 4: wait 1 h")
	b.see("then on") // what is held comes back
	var runs []struct{ ID, Name, Phase, Asks, Says string }
	r.ok(&runs, "run", "list")
	require.Len(t, runs, 1)
	assert.Equal(t, "good-night", runs[0].Name)
	b.click("Stop Good night")
	b.see("stopped by owner")
	b.click("Set boardwalk power back now")
	b.see("Nothing is under way")
	r.ok(nil, "sequence", "add", "Tells", `notify "the dome is open"`)
	r.ok(nil, "sequence", "run", "tells")
	b.see("tells says: the dome is open")
	b.click("Put away")
	b.until(`!document.body.innerText.includes("tells says")`)
	b.click("New occasion")
	b.fill("Name", "Short talk")
	b.fill("What it wants", "set amplifier/volume by +3")
	b.click("Save")
	b.see("an occasion wants a value")
	b.fill("What it wants", "set amplifier/power to on")
	b.click("Save")
	b.click("Start Short talk")
	b.see("in force in Lecture room")
	b.click("End Short talk")
	b.click("What it wants: Short talk")
	b.see("1 press")
	b.click("Dew heaters power: on")
	b.see("on")
}
