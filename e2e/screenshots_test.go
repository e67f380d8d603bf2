package e2e

import (
	"flag"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

var (
	screenshots = flag.String("screenshots", "", "directory to write the README's screenshots to")
	every       = flag.Bool("every", false, "with -screenshots: each page in each size, also those that the README "+
		"does not show")
)

// sizes are the two windows that pages are looked at in.
var sizes = []struct {
	name          string
	width, height int64
}{{"desk", 1280, 800}, {"phone", 390, 844}}

// TestScreenshots makes the pictures of the README from the demo. It runs only where a directory is named.
func TestScreenshots(t *testing.T) {
	if *screenshots == "" {
		t.Skip("name a directory with -screenshots, or run make screenshots")
	}
	for _, size := range sizes {
		t.Run(size.name, func(t *testing.T) {
			r := start(t, "", "demo")
			token := r.owner()
			b := open(t, r, size.width, size.height)
			shot := func(name string, only ...string) { t.Helper(); b.shoot(name, size.name, only) }
			handset := func(device, key string) {
				t.Helper()
				require.Equal(t, 204, r.http(token, "POST", "/api/stage/handsets/"+device+"/keys/"+key+"/press", nil,
					nil))
			}
			b.visit(r, "/devices")
			b.see("Lecture projector")
			shot("devices", "desk")
			b.do(chromedp.KeyEvent("k", chromedp.KeyModifiers(2)))
			b.fill("In plain words", "lights red for ten minutes")
			b.see("1 press")
			shot("say", "desk")
			b.click("Close")
			b.visit(r, "/house/faces")
			b.see("Connected at")
			shot("faces", "none")
			r.ok(nil, "set", "amplifier", "power", "on", "input", "2", "volume", "+2")
			b.visit(r, "/devices/amplifier")
			b.named("power on")
			shot("controls", "desk")
			b.visit(r, "/devices/radio")
			b.see("marsh radio")
			shot("controls-digits", "none")
			b.visit(r, "/devices/screen")
			b.click("position: down")
			b.see("down…")
			shot("controls-travel", "none")
			b.visit(r, "/devices/heat-pump")
			r.ok(nil, "set", "heat-pump", "power", "on", "mode", "heating", "target", "21")
			b.named("power on")
			shot("controls-comfort", "none")
			b.click("Change controls")
			b.click("Frames that carry everything")
			b.see("16 to 30")
			shot("controls-frames", "none")
			b.visit(r, "/devices/amplifier")
			b.click("Change controls")
			b.click("Change volume")
			shot("controls-edit", "none")
			b.click("More that can be said")
			b.see("Key that dims while it is held")
			shot("controls-more", "none")
			b.click("Cancel")
			b.click("Ask me about volume")
			b.see("does the first press only show it")
			shot("controls-ask", "none")
			b.click("Cancel")
			b.click("Other devices")
			b.see("Has its power from")
			shot("controls-others", "none")
			b.visit(r, "/devices/shutter/codes")
			shot("controls-followed", "none")
			b.click("Pair one")
			b.choose("What the device obeys", "rolling-code shutters (roll56)")
			b.click("Make it")
			b.see("Hold the program key")
			b.click("Send pair")
			b.see("once more")
			b.eval(`document.querySelector('section[aria-label="A handset of Urbo’s own"]').scrollIntoView()`)
			shot("controls-pair", "none")
			r.ok(nil, "device", "add", "Second screen", "--slug", "second", "--kind", "screen", "--room",
				"Lecture room")
			r.ok(nil, "device", "code", "second/up", "ev1527", "id=316087", "key=1")
			b.visit(r, "/devices/second")
			b.click("Add controls")
			b.see("How long does the full way take?")
			b.eval(`document.querySelector('section[aria-label="Controls"]').scrollIntoView()`)
			shot("controls-wizard", "none")
			r.ok(nil, "device", "remove", "second", "--yes")
			b.visit(r, "/devices/dew-c")
			b.named("power ?")
			shot("controls-doubt", "none")
			b.visit(r, "/devices/boardwalk")
			b.named("breathe")
			b.click("on")
			b.see("Now?")
			shot("controls-offers", "none")
			r.ok(nil, "device", "code", "boardwalk/breathe", "nec", "address=57", "command=2")
			b.visit(r, "/devices/boardwalk")
			b.clickIn("Handset", "power")
			b.see("power: sent")
			shot("device", "none")
			b.visit(r, "/devices/boardwalk/codes")
			shot("device-codes", "none")
			if *every { // the forms of the device's page
				r.ok(nil, "device", "picture", "boardwalk", filepath.Join(*screenshots, "devices-"+size.name+".png"))
				b.click("Change amber")
				b.see("Held down")
				shot("device-code")
				b.click("Use")
				b.click("Arrange")
				b.clickIn("Handset", "power")
				shot("device-arrange")
				b.click("Settings")
				b.click("Change settings")
				b.click("On the phone")
				shot("device-settings")
			}

			b.visit(r, "/devices/projector/lesson")
			b.click("Start the lesson")
			b.see("Press \"on\"")
			handset("projector", "on")
			b.see("Good. Let go")
			shot("lesson-asking", "desk")
			handset("projector", "on")
			b.see("Press \"off\"")
			handset("projector", "on")
			b.see("That is the code of")
			shot("lesson-refusing", "none")
			for _, key := range []string{"off", "source"} {
				handset("projector", key)
				b.see("Press \"" + key + "\" again")
				handset("projector", key)
				b.until("!document.body.innerText.includes('Press \"" + key + "\"')")
			}
			b.click("Finish")
			b.see("keys learned")
			shot("lesson-settled", "none")

			b.visit(r, "/devices/mixer/audition")
			b.see("29 codes")
			shot("audition-choice", "none")
			b.choose("Kind of device", "fan")
			b.choose("Pause between two codes", "1 s")
			b.see("7 codes")
			b.click("Start the audition")
			r.becomes(token, "mixer", "power", "on")
			b.click("It reacted")
			for _, answer := range []string{"Did the device react?", "ready for a key?", "do \"speed 1\"",
				"do \"speed 2\""} {
				b.see(answer)
				b.click("Yes")
			}
			b.see("Did the device do \"speed 3\"?")
			b.click("No")
			b.see("Did the device do \"speed 4\"?")
			shot("audition", "desk")
			for range 2 {
				b.click("No")
				time.Sleep(time.Second)
			}
			b.see("does not fit")
			shot("audition-refused", "none")
			b.click("Finish")
			b.see("The audition is over")
			shot("audition-over", "none")
			b.visit(r, "/shelf")
			b.see("Corvane Strand")
			shot("shelf", "none")
			b.visit(r, "/which")
			b.see("Listening")
			handset("amplifier", "mute")
			b.see("Lecture amplifier")
			handset("radio", "channel-up")
			b.see("Weather radio")
			shot("which", "none")
			b.visit(r, "/devices/mixer/lesson")
			b.click("Press keys in any order, name them later")
			b.see("Press any key")
			for _, key := range []string{"power", "speed-1", "speed-1"} {
				handset("mixer", key)
				time.Sleep(700 * time.Millisecond)
			}
			b.see("Learned as")
			shot("lesson-free", "none")
			b.click("Finish")

			b.visit(r, "/house/stage")
			b.see("Weather radio")
			shot("stage", "desk")
			b.visit(r, "/house/journal")
			b.see("asked by")
			shot("journal", "desk")
			b.visit(r, "/house/rooms")
			b.see("Warm room")
			shot("rooms", "none")
			b.visit(r, "/house/people")
			r.ok(nil, "person", "add", "Night watch", "--role", "resident")
			r.ok(nil, "person", "add", "Lecturer", "--role", "visitor", "--room", "Lecture room", "--until", "48h")
			b.see("visitor")
			b.click("Sign-in link for Lecturer")
			b.see("It works once")
			shot("people", "desk")
			b.visit(r, "/house/access")
			b.see("Signed-in browsers")
			shot("access", "none")
			r.ok(nil, "station", "airtime", "lecture/radio-out", "0.03") // 1,080 ms: nearly used up by what was sent
			r.ok(nil, "press", "dew-a/on", "--times", "2")
			b.visit(r, "/house/stations")
			b.see("an hour on the air")
			shot("stations", "desk")
			b.click("Try all transmitters")
			b.see("outside is away")
			b.eval(`document.querySelector('section[aria-label="Who hears whom"]').scrollIntoView()`)
			shot("station-test", "none")
			b.click("Add a station")
			b.eval(`window.scrollTo(0, 0)`)
			b.fill("Name", "garden")
			b.see("nothing to open in its router")
			shot("station-add", "none")
			b.click("Add it")
			b.see("This token is shown only now")
			b.eval(`window.scrollTo(0, 0)`)
			shot("station-waits", "none")
			if *every { // a device that is auditioned by what it shows, and a mains failure
				r.ok(nil, "device", "add", "Second heat pump", "--slug", "second-pump", "--kind", "air-conditioner")
				b.visit(r, "/devices/second-pump/audition")
				b.see("cooling at 24°")
				shot("climate-choice", "none")
				b.click("Start the audition")
				b.see("Say when it shows")
				shot("climate", "none")
				b.visit(r, "/house/about")
				b.click("They failed, and are back")
				b.see("may be at something else now")
				shot("outage", "none")
				r.ok(nil, "device", "remove", "second-pump", "--yes")
			}
			r.ok(nil, "device", "remove", "clicker", "--yes") // its signal is unknown again
			r.ok(nil, "sequence", "add", "Before a talk",
				"set heat-pump/target to 20; wait 10 min; set amplifier/power to on")
			r.ok(nil, "sequence", "run", "before-a-talk", "--no-wait")
			r.ok(nil, "sequence", "run", "quiet-please")
			b.visit(r, "/automate")
			b.see("step 2 of 3: wait 10 min")
			b.see("then 1")
			shot("automate", "desk")
			b.visit(r, "/bench")
			b.see("Open a recording")
			b.drop("drawer.txt", strings.Repeat(strings.TrimSpace(clicker())+"\n", 10)+codeText(t,
				"nec address=57 command=2")+codeText(t, "sirc15 address=107 command=22"))
			b.see("3 different")
			shot("import", "none")
			b.eval(`[...document.querySelectorAll('a')].find(e => e.innerText.includes('19 bits')).click()`)
			b.see("fingerprint")
			shot("bench", "desk")
			handset("clicker", "c")
			b.until(`document.querySelector('[role=status] a[href^="/bench/"]')?.innerText.includes("no known")`)
			b.choose("Another signal", "no known line code")
			b.see("The same kind of frame with other bits")
			b.eval(`document.querySelector('section[aria-label="Lay others over it"]').scrollIntoView()`)
			shot("overlay", "none")
		})
	}
}

// TestScreenshotsOfBoards makes the pictures of boards: their faces, an occasion, details, editing.
func TestScreenshotsOfBoards(t *testing.T) {
	if *screenshots == "" {
		t.Skip("name a directory with -screenshots, or run make screenshots")
	}
	for _, size := range sizes {
		t.Run(size.name, func(t *testing.T) {
			r := start(t, "", "demo")
			token := r.owner()
			b := open(t, r, size.width, size.height)
			shot := func(name string, only ...string) { t.Helper(); b.shoot(name, size.name, only) }
			b.visit(r, "/boards/observatory")
			b.see("Heat pump")
			shot("board", "phone")
			b.visit(r, "/boards/public-night")
			b.see("Fanfare")
			r.ok(nil, "tell", "amplifier", "power", "off")
			r.ok(nil, "occasion", "start", "public-talk", "--no-wait")
			b.named("Lecture amplifier on")
			b.see("in force")
			require.Equal(t, 204, r.http(token, "POST", "/api/stage/handsets/amplifier/keys/input-1/press", nil, nil))
			b.see("differs")
			shot("board-occasion", "desk")
			b.tap("Public talk")
			b.see("1 press.")
			shot("board-plan", "none")
			b.click("Close")
			b.click("Details of Lecture amplifier volume")
			b.see("Undo")
			shot("board-details", "none")
			b.click("Close")
			b.visit(r, "/boards/dome")
			b.see("Dome humidity")
			shot("board-dome", "none")
			b.click("Edit")
			b.see("Add to the board")
			shot("board-edit", "none")
			b.visit(r, "/wall/public-night")
			b.see("Fanfare")
			shot("board-wall", "none")
			_, err := chromedp.Call(b.ctx, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{
				Features: []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: "dark"}}})
			require.NoError(t, err)
			b.visit(r, "/boards/public-night")
			b.see("Fanfare")
			shot("board-dark", "none")
		})
	}
}

// shoot writes a picture of a page, where it is one of those that are wanted in this size.
func (b *browser) shoot(name, size string, only []string) {
	b.t.Helper()
	if len(only) > 0 && !slices.Contains(only, size) && !*every {
		return
	}
	time.Sleep(400 * time.Millisecond) // fonts and transitions; a picture is no assertion
	png, err := chromedp.Run(b.ctx, chromedp.CaptureScreenshot())
	require.NoError(b.t, err)
	require.NoError(b.t, os.WriteFile(filepath.Join(*screenshots, name+"-"+size+".png"), png, 0o644))
}
