package e2e

import (
	"os"
	"os/exec"
	"os/user"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/station/pty"
	"urbo/wire"
)

// TestPeople_SomebodyIsLetInFromTheConsoleAndSeesTheirRoom lets a visitor in on a desk; the visitor opens the link on a
// phone, sees one room, sets something, and is taken out again.
func TestPeople_SomebodyIsLetInFromTheConsoleAndSeesTheirRoom(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	owner := visit(t, r.link, 1280, 800)
	owner.see("What is your name?") // the first one here
	owner.fill("Your name", "Keeper")
	owner.click("Use this name")
	owner.see("Devices")
	owner.visit(r, "/house/people")
	owner.see("Keeper")
	owner.click("Let somebody in")
	owner.fill("Name", "Lecturer")
	owner.choose("Role", "visitor")
	owner.click("Lecture room")
	owner.click("Let in, and show the link")
	owner.see("Sign-in link for Lecturer")
	owner.see("It works once")
	owner.see("/sign-in#")
	link, err := value[string](owner, `[...document.querySelectorAll('section')].map(e => e.innerText.match(/http\S+sign-in#\w+/)?.[0]).find(Boolean)`)
	require.NoError(t, err)

	phone := openLink(t, link, 390, 844)
	phone.see("Lecture room")
	phone.visit(r, "/devices")
	phone.see("Lecture amplifier")
	text, err := value[string](phone, "document.body.innerText")
	require.NoError(t, err)
	for _, hidden := range []string{"Boardwalk lights", "Dome shutter", "Bench", "Add a device", "Code sets"} {
		assert.NotContains(t, text, hidden)
	}
	phone.click("Lecture amplifier")
	phone.see("power")
	text, err = value[string](phone, "document.body.innerText")
	require.NoError(t, err)
	for _, hidden := range []string{"Change controls", "It is really", "Settings"} {
		assert.NotContains(t, text, hidden)
	}
	phone.visit(r, "/house/people")
	phone.see("Journal")
	phone.visit(r, "/devices/boardwalk")
	phone.see("unknown device")

	phone.visit(r, "/automate")
	phone.see("Quiet, please")
	text, err = value[string](phone, "document.body.innerText")
	require.NoError(t, err)
	for _, hidden := range []string{"Fanfare", "Dew heaters", "New sequence", "New group", "Change"} {
		assert.NotContains(t, text, hidden)
	}
	phone.click("Run Quiet, please")
	phone.see("Nothing is under way")

	// what happens elsewhere does not reach them; what happens in their room does
	r.ok(nil, "set", "amplifier", "power", "on")
	phone.visit(r, "/house/journal")
	phone.see("Pressed amplifier/power")
	r.ok(nil, "press", "boardwalk/red")
	r.ok(nil, "press", "amplifier/mute")
	phone.see("Pressed amplifier/mute")
	text, err = value[string](phone, "document.body.innerText")
	require.NoError(t, err)
	assert.NotContains(t, text, "boardwalk")

	owner.see("1 browser")
	owner.click("Remove Lecturer")
	owner.see("Remove for good")
	owner.click("Remove Lecturer")
	owner.until(`!document.body.innerText.includes("Lecturer")`)
	phone.visit(r, "/devices")
	phone.see("Sign in")
}

// TestToken_ForOneRoomFromATerminal is a program that may see and use one room.
func TestToken_ForOneRoomFromATerminal(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	var token wire.Token
	r.ok(&token, "token", "add", "dome screen", "--right", "use", "--room", "dome")
	env := []string{"URBO_SERVER=" + r.url, "URBO_TOKEN=" + token.Secret}
	list := run(t, "", env, "device", "list")
	assert.Contains(t, list.out, "dew-a")
	assert.NotContains(t, list.out, "amplifier")
	assert.Zero(t, run(t, "", env, "press", "dew-a/on").code)
	res := run(t, "", env, "press", "amplifier/power")
	assert.Equal(t, 1, res.code)
	assert.Contains(t, res.err, "unknown device")
	res = run(t, "", env, "tell", "dew-a", "power", "on")
	assert.Equal(t, 1, res.code)
	assert.Contains(t, res.err, "this needs the right to tell")
	res = run(t, "", env, "set", "dew", "power", "off")
	assert.Zero(t, res.code, res.err)
	res = run(t, "", env, "set", "lecture", "power", "off")
	assert.Equal(t, 1, res.code)
	assert.NotContains(t, run(t, "", env, "journal").out, "amplifier")
	assert.NotEmpty(t, r.ok(nil, "journal", "--by", "token dome screen"))
	r.ok(nil, "room", "rename", "dome", "Cupola")
	assert.Contains(t, run(t, "", env, "device", "list").out, "Cupola", "a right is for the room, whatever its name")
}

// TestPeople_AnOwnerAtATerminalIsNamedByTheJournal says which user an owner is: what is typed is that person's, what
// runs without a terminal stays a program's, and a resident cannot be one.
func TestPeople_AnOwnerAtATerminalIsNamedByTheJournal(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	me, err := user.Current()
	require.NoError(t, err)
	typed := func(args ...string) string {
		line, err := pty.Open()
		require.NoError(t, err)
		defer line.Close()
		in, err := os.OpenFile(line.Path, os.O_RDWR|syscall.O_NOCTTY, 0)
		require.NoError(t, err)
		defer in.Close()
		cmd := exec.CommandContext(t.Context(), binary, args...)
		cmd.Env, cmd.Stdin = append(os.Environ(), "URBO_SERVER="+r.socket), in
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, string(out))
		return string(out)
	}
	typed("set", "amplifier", "power", "on")
	assert.Contains(t, r.ok(nil, "journal"), "asked by "+me.Username+", command line")

	r.ok(nil, "person", "change", "owner", "--name", "Keeper", "--user", me.Username)
	assert.Contains(t, r.ok(nil, "person", "list"), me.Username)
	typed("set", "amplifier", "power", "off")
	assert.Contains(t, r.ok(nil, "journal", "--count", "3"), "asked by Keeper, command line")
	r.ok(nil, "set", "amplifier", "power", "on") // as a timer does
	assert.Contains(t, r.ok(nil, "journal", "--count", "3"), "asked by "+me.Username+", command line")

	r.ok(nil, "person", "add", "Night watch")
	res := r.urbo("person", "change", "Night watch", "--user", "watchman")
	assert.Equal(t, 1, res.code)
	assert.Contains(t, res.err, "only an owner can be a user of this machine")
	res = r.urbo("person", "change", "Night watch", "--role", "owner", "--user", me.Username)
	assert.Equal(t, 1, res.code)
	assert.Contains(t, res.err, "the user "+me.Username+" is Keeper already")
	res = r.urbo("person", "change", "Keeper", "--user", "two words")
	assert.Contains(t, res.err, "as whoami prints it")
}
