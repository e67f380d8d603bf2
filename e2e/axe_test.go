package e2e

import (
	"os"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestConsole_HasNoSeriousTroubleForPeopleWhoCannotSeeOrPoint lets axe-core look at every page, in both sizes.
func TestConsole_HasNoSeriousTroubleForPeopleWhoCannotSeeOrPoint(t *testing.T) {
	t.Parallel()
	axe, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	require.NoError(t, err, "make test installs it")
	for _, size := range sizes {
		r := start(t, "", "demo", "--pace", "4")
		token := r.owner()
		r.touch(token, "boardwalk", "power", 0)
		r.touch(token, "clicker", "a", 0)
		b := open(t, r, size.width, size.height)
		look := func(page string) {
			t.Helper()
			b.until(`document.getAnimations().length === 0`) // colours on their way have no contrast yet
			b.do(chromedp.Evaluate[chromedp.Void](string(axe)))
			b.eval(`window.found = undefined; axe.run(document, {resultTypes: ['violations']}).then(r => {
				window.found = r.violations.filter(v => ['serious', 'critical'].includes(v.impact))
					.map(v => v.id + ': ' + v.nodes.map(n => n.html.slice(0,
						160) + ' ' + (n.any[0]?.message ?? '')).join(' | '));
			})`)
			b.until(`window.found`)
			found, err := value[[]string](b, "window.found")
			require.NoError(t, err)
			assert.Empty(t, found, "%s, %s", page, size.name)
		}
		pages := [][2]string{{"/boards/observatory", "Heat pump"}, {"/boards/public-night", "Fanfare"},
			{"/devices", "Air mixer"}, {"/bench", "Open a recording"},
			{"/automate", "Dew heaters"}, {"/automate/measurements/dome/humidity", "All measurements"}}
		if size.name == "desk" { // these are the same on a phone
			pages = append(pages, [][2]string{{"/devices/boardwalk", "What it may be"},
				{"/devices/projector/lesson", "Start the lesson"}, {"/shelf", "Corvane Strand"},
				{"/devices/mixer/audition", "29 codes"}, {"/house/stage", "Weather radio"}, {"/which", "Listening"},
				{"/house/journal", "Station dome is here"}, {"/house/people", "the whole house"}, {"/house/rooms",
					"Warm room"},
				{"/house/stations", "ir-out"}, {"/house/about", "They failed"},
				{"/devices/shutter/codes", "followed where"}, {"/devices/shutter/advice", "Advice"}}...)
		}
		for _, page := range pages {
			b.visit(r, page[0])
			b.see(page[1])
			look(page[0])
		}
		b.visit(r, "/automate")
		b.click("Why: dusk")
		b.click("Rehearse lived-in")
		b.click("the coming 7 days")
		b.see("it would run")
		b.click("New errand")
		b.fill("Name", "walk")
		b.see("It would be due")
		look("an errand that is written")
		b.visit(r, "/boards/dome")
		b.click("Details of Dew heaters")
		b.see("several devices")
		look("details of a tile")
		b.visit(r, "/boards/public-night")
		b.click("Edit")
		b.see("Add to the board")
		look("a board that is edited")
		for part, open := range map[string]string{"/settings": "Change settings", "/codes": "Change amber",
			"": "Arrange"} {
			b.visit(r, "/devices/boardwalk"+part)
			b.click(open)
			look("a device with its forms open" + part)
		}
		b.visit(r, "/devices/amplifier")
		b.click("Details of volume")
		b.see("It is really")
		look("details of a control")
		b.visit(r, "/devices/heat-pump")
		b.see("It has no")
		look("heating and cooling")
		b.click("Change controls")
		b.click("Frames that carry everything")
		b.see("celsius")
		look("frames")
		b.click("Change mode")
		look("a control's form")
		if size.name == "phone" {
			continue
		}
		b.visit(r, "/devices/projector/lesson")
		b.click("Start the lesson")
		b.see(`Press "on"`)
		look("a lesson")
		b.visit(r, "/devices/mixer/audition")
		b.click("Start the audition")
		b.see("1 of 29")
		look("an audition")
	}
}
