package e2e

import (
	"bytes"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/prometheus/client_golang/prometheus/testutil/promlint"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// TestFirst_AHouseWithoutAReceiverSaysSo where somebody wants to hear a handset: in the terminal and in the console.
func TestFirst_AHouseWithoutAReceiverSaysSo(t *testing.T) {
	t.Parallel()
	r := start(t, "", "serve")
	const deaf = "no receiver is here"
	assert.Contains(t, r.ok(nil, "device", "add", "Night lamp"), "urbo learn night-lamp\n")
	lesson := r.follow("learn", "night-lamp")
	lesson.waitErr(deaf)
	lesson.until("Press any key of the handset")
	lesson.enter("finish")
	res := r.urbo("which")
	assert.Equal(t, 1, res.code)
	assert.Contains(t, res.err, deaf)
	assert.Contains(t, res.err, "urbo station add")
	assert.Contains(t, r.ok(nil, "device", "add", "Reading lamp", "--kind", "lamp"), "with 6 keys to learn")
	assert.Contains(t, r.urbo("device", "add", "More", "--kind", "tv").err, "there are television, ")

	b := open(t, r, 390, 844)
	for _, page := range []string{"/boards", "/devices", "/which", "/devices/night-lamp/lesson"} {
		b.visit(r, page)
		b.see("No receiver is here")
	}
	b.click("Attach a station")
	b.see("No station yet")

	// boards that are not plugged in, may not be opened, or are none
	missing := filepath.Join(t.TempDir(), "tty")
	r.ok(nil, "station", "add", "garden", "--serial", missing)
	plain := filepath.Join(t.TempDir(), "plain")
	require.NoError(t, os.WriteFile(plain, nil, 0o600))
	r.ok(nil, "station", "add", "shed", "--serial", plain)
	trouble := func(name string) string {
		var s wire.Station
		r.ok(&s, "station", "show", name)
		return s.Trouble
	}
	require.Eventually(t, func() bool { return trouble("garden") != "" && trouble("shed") != "" }, patience, tick)
	assert.Equal(t, missing+": not plugged in", trouble("garden"))
	assert.Contains(t, trouble("shed"), "it is no serial port")
	assert.Contains(t, r.ok(nil, "station", "list"), "not plugged in")
	assert.Contains(t, r.ok(nil, "journal", "--kind", "station"), missing+": not plugged in")
	b.see(missing + ": not plugged in")
	b.visit(r, "/which")
	b.see("garden: not seen yet: " + missing)
}

// TestFirst_SignInByAnyWayThatALinkComes: in a tab that shows the sign-in page, pasted, and from a phone's camera.
func TestFirst_SignInByAnyWayThatALinkComes(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	link := func() string {
		var ticket wire.Ticket
		r.ok(&ticket, "person", "link")
		return ticket.Link
	}
	b := visit(t, r.url+"/devices", 1280, 800)
	b.see("Or paste a sign-in link here")
	b.fill("Or paste a sign-in link here", "http://127.0.0.1/sign-in#0123")
	b.click("Sign in")
	b.see("sign-in link")
	b.fill("Or paste a sign-in link here", " "+link()+" ")
	b.click("Sign in")
	b.until(`/What is your name|Devices/.test(document.body.innerText)`)

	b = visit(t, r.url+"/sign-in", 1280, 800)
	b.see("Or paste a sign-in link here")
	b.eval(`location.hash = '` + strings.SplitAfter(link(), "#")[1] + `'`)
	b.until(`/What is your name|Devices/.test(document.body.innerText)`)
	if named, _ := value[bool](b, `document.body.innerText.includes('What is your name')`); named {
		b.click("Later")
	}
	b.until(`document.readyState === 'complete' && location.pathname.startsWith('/boards/')`)
	b.visit(r, "/devices/boardwalk/settings")
	b.click("On the phone")
	b.see("It signs that phone in")
	code, err := value[string](b, `document.body.innerText.match(/http\S+sign-in\S+#\w+/)[0]`)
	require.NoError(t, err)
	at, err := url.Parse(code)
	require.NoError(t, err)
	assert.Equal(t, "/devices/boardwalk", at.Query().Get("to"))
	phone := visit(t, code, 390, 844)
	phone.until(`/What is your name|Boardwalk/.test(document.body.innerText)`)
	if named, _ := value[bool](phone, `document.body.innerText.includes('What is your name')`); named {
		phone.click("Later")
	}
	phone.see("Boardwalk lights")
	phone.until(`location.pathname === '/devices/boardwalk'`)

	// a program gets no link by itself
	var made wire.Token
	r.ok(&made, "token", "add", "wall", "--right", "see")
	assert.Equal(t, http.StatusForbidden, r.http(made.Secret, "POST", "/api/tickets", nil, nil))
}

// TestFirst_NothingHappens asks why, in the terminal and in the console, and looks after the house.
func TestFirst_NothingHappens(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	said := r.ok(nil, "press", "boardwalk/power", "--explain")
	assert.Contains(t, said, "✓ boardwalk/power sends nec address=57 command=2")
	assert.Contains(t, said, "✓ It goes out through lecture/ir-out.")
	assert.Contains(t, said, "urbo station test lecture")
	assert.Contains(t, r.ok(nil, "press", "projector/menu", "--explain"), "✗ projector/menu is not learned.")
	assert.Contains(t, r.urbo("press", "boardwalk/nothing", "--explain").err, "nearest are")
	assert.Contains(t, r.ok(nil, "press", "Boardwalk/POWER"), "Sent")
	assert.Contains(t, r.ok(nil, "device", "show", "Boardwalk lights"), "boardwalk")

	assert.Contains(t, r.urbo("device", "set", "boardwalk", "--transmitter", "lecture/radio-out").err,
		"lecture/radio-out sends radio, and the device listens to infrared: there are lecture/ir-out")
	assert.Contains(t, r.urbo("device", "set-key", "boardwalk/red", "--transmitter", "lecture/radio-out").err,
		"lecture/radio-out sends radio, and the device listens to infrared: there are lecture/ir-out")
	assert.Contains(t, r.ok(nil, "device", "set-key", "boardwalk/red", "--transmitter", "lecture/ir-out"),
		"through lecture/ir-out")
	assert.Contains(t, r.ok(nil, "device", "show", "boardwalk"), "command=5 through lecture/ir-out")
	assert.NotContains(t, r.ok(nil, "device", "set-key", "boardwalk/red", "--transmitter", ""), "through")
	assert.Contains(t, r.ok(nil, "device", "list", "heat"), "sends all that it shows")

	b := open(t, r, 390, 844)
	b.visit(r, "/devices/boardwalk")
	b.until(`document.title === 'Boardwalk lights · Urbo'`)
	b.clickIn("Handset", "red")
	b.click("Does nothing happen?")
	b.see("It goes out through lecture/ir-out.")
	b.click("Put away")

	doctor := r.urbo("doctor")
	assert.Contains(t, doctor.out, " GB of the disk are free.")
	assert.Contains(t, doctor.out, "✓ The station lecture is here since ")
	var all []wire.Setting
	r.ok(&all, "config")
	for _, s := range all {
		if s.Name == "listen" {
			assert.Equal(t, wire.Setting{Name: "listen", Value: "127.0.0.1:8433", Variable: "URBO_LISTEN"}, s)
		}
	}

	// what a monitor reads, with a token that may see the whole house
	var monitor, screen wire.Token
	r.ok(&monitor, "token", "add", "monitor", "--right", "see")
	r.ok(&screen, "token", "add", "door screen", "--right", "see", "--room", "Dome")
	answer, figures := r.request(monitor.Secret, "GET", "/metrics", nil)
	assert.Equal(t, http.StatusOK, answer.StatusCode)
	assert.Contains(t, string(figures), "\nurbo_presses_total{outcome=\"sent\"} 2\n")
	odd, err := promlint.New(bytes.NewReader(figures)).Lint() // what promtool check metrics looks for
	require.NoError(t, err)
	assert.Empty(t, odd)
	assert.Equal(t, http.StatusForbidden, r.http(screen.Secret, "GET", "/metrics", nil, nil))
	assert.Equal(t, http.StatusUnauthorized, r.http("", "GET", "/metrics", nil, nil))

	// while the house is away, it says so in sight, and nothing can be pressed
	b.visit(r, "/devices/boardwalk")
	b.see("Boardwalk lights")
	b.eval(`window.scrollTo(0, document.body.scrollHeight)`)
	r.stop()
	b.until(`(e => e && e.getBoundingClientRect().top >= 0)(
		[...document.querySelectorAll('[role=status]')].find(e => /not answer|away/i.test(e.innerText)))`)
	b.until(`document.querySelector('[inert] [data-key], [inert] button')`)
}
