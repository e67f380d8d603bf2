package e2e

import (
	"bufio"
	"bytes"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// base begins the topics of the demo.
const base = "urbo/saltmarsh-observatory/"

// listener is mosquitto_sub, and what it heard: topics with their payloads.
type listener struct {
	t    *testing.T
	mu   sync.Mutex
	said []string
}

// hears is mosquitto_sub with some arguments, until the test ends.
func hears(t *testing.T, args ...string) *listener {
	t.Helper()
	l := &listener{t: t}
	cmd := exec.CommandContext(t.Context(), "mosquitto_sub", append(args, "-v")...)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	done := make(chan struct{})
	go func() {
		defer close(done)
		for lines := bufio.NewScanner(out); lines.Scan(); {
			l.mu.Lock()
			l.said = append(l.said, lines.Text())
			l.mu.Unlock()
		}
	}()
	t.Cleanup(func() {
		_ = cmd.Process.Kill()
		<-done
		_ = cmd.Wait()
	})
	return l
}

// heard is what it heard so far.
func (l *listener) heard() []string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return slices.Clone(l.said)
}

// until waits until it hears a text.
func (l *listener) until(text string) {
	l.t.Helper()
	if !assert.Eventually(l.t, func() bool {
		return slices.ContainsFunc(l.heard(), func(s string) bool { return strings.Contains(s, text) })
	}, patience, tick, text) {
		l.t.Fatal("heard: " + strings.Join(l.heard(), "\n"))
	}
}

// last is what it heard last that contains a text.
func (l *listener) last(text string) string {
	all := l.heard()
	for _, s := range slices.Backward(all) {
		if strings.Contains(s, text) {
			return s
		}
	}
	return ""
}

// ownBroker is how programs sign in at the demo's broker.
func ownBroker(t *testing.T, r *running, token string) []string {
	t.Helper()
	var m wire.MQTT
	r.ok(&m, "mqtt", "show")
	host, port, err := net.SplitHostPort(m.Listens)
	require.NoError(t, err)
	return []string{"-h", host, "-p", port, "-u", "urbo.program", "-P", token}
}

// publish is mosquitto_pub.
func publish(t *testing.T, at []string, args ...string) error {
	t.Helper()
	out, err := exec.CommandContext(t.Context(), "mosquitto_pub", slices.Concat(at, args)...).CombinedOutput()
	if err != nil {
		t.Log(string(out))
	}
	return err
}

// TestMQTT_AtTheHousesOwnBroker: Debian's clients listen, want, press, start, run and say; in both versions.
func TestMQTT_AtTheHousesOwnBroker(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	token := r.owner()
	var program wire.Token
	r.ok(&program, "token", "add", "panel", "--right", "use")
	at := ownBroker(t, r, program.Secret)
	r.ok(nil, "tell", "boardwalk", "power", "off")
	l := hears(t, slices.Concat(at, []string{"-t", "#"})...)
	l.until(base + `is/boardwalk/power {"value":"off"`)
	l.until(base + "measured/dome/humidity {")
	l.until(base + "here yes")
	for _, version := range []string{"5", "311"} {
		v := append([]string{"-V", version}, at...)
		require.NoError(t, publish(t, v, "-t", base+"want/boardwalk/power", "-m", "ON"))
		r.becomes(token, "boardwalk", "power", "on")
		l.until(base + `is/boardwalk/power {"value":"on"`)
		require.NoError(t, publish(t, v, "-q", "2", "-t", base+"want/boardwalk/power", "-m", `{"value":false}`))
		r.becomes(token, "boardwalk", "power", "off")
	}
	l.until(`"by":"token panel"`)
	r.ok(nil, "tell", "amplifier", "volume", "10")
	r.ok(nil, "tell", "amplifier", "power", "on")
	for range 3 { // each of them counts
		require.NoError(t, publish(t, at, "-q", "1", "-t", base+"want/amplifier/volume", "-m", "+2"))
	}
	l.until(base + `is/amplifier/volume {"value":16`)
	require.NoError(t, publish(t, at, "-t", base+"press/boardwalk/power", "-m", `{"times":2}`))
	l.until(`"topic":"press/boardwalk/power","outcome":"done"`)
	r.heard(token, "radio", "channel-up")
	l.until(base + "heard/radio/channel-up {")
	require.NoError(t, publish(t, at, "-t", base+"say", "-m", "dew heaters on"))
	r.becomes(token, "dew-c", "power", "on")
	require.NoError(t, publish(t, at, "-t", base+"start/closed-up", "-n"))
	l.until(base + "occasion/dome closed-up")
	require.NoError(t, publish(t, at, "-t", base+"end/closed-up", "-n"))
	l.until(base + "occasion/dome none")
	require.NoError(t, publish(t, at, "-t", base+"run/fanfare", "-n"))
	l.until(`"topic":"run/fanfare","outcome":"under way"`)
	out, err := exec.CommandContext(t.Context(), "mosquitto_rr", slices.Concat(at, []string{"-V", "5", "-W", "20", "-t",
		base + "want/screen/position", "-e", "panel/answer", "-m", "sideways"})...).CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Contains(t, string(out), `"outcome":"refused"`)

	// a word of one's own; a rename takes the old topics back
	r.ok(nil, "mqtt", "word", "screen/position", "D", "down")
	require.NoError(t, publish(t, at, "-t", base+"want/screen/position", "-m", "D"))
	r.comes(token, "screen", "position", "down")
	r.ok(nil, "device", "set", "radio", "--slug", "wireless")
	l.until(base + "is/wireless/power {")
	late := hears(t, slices.Concat(at, []string{"-t", base + "is/#"})...)
	late.until(base + "is/wireless/channel")
	assert.Empty(t, late.last("is/radio/"))

	// off is off
	r.ok(nil, "mqtt", "set", "off")
	l.until(base + "here no")
	before := r.presses()
	require.NoError(t, publish(t, at, "-t", base+"want/boardwalk/power", "-m", "on"))
	assert.Empty(t, hearsNothing(t, at, base+"is/#"))
	assert.Equal(t, before, r.presses())
}

// hearsNothing is what comes within a second of subscribing.
func hearsNothing(t *testing.T, at []string, filter string) string {
	t.Helper()
	out, _ := exec.CommandContext(t.Context(), "mosquitto_sub", slices.Concat(at, []string{"-W", "1", "-t", filter,
		"-v"})...).Output()
	return string(out)
}

// TestMQTT_OnlyWhatOneMay walks the rights of tokens at the house's own broker.
func TestMQTT_OnlyWhatOneMay(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	token := r.owner()
	var dome, watch, tell wire.Token
	r.ok(&dome, "token", "add", "dome", "--right", "see", "--right", "use", "--room", "Dome")
	r.ok(&watch, "token", "add", "watch", "--scope", "watch")
	r.ok(&tell, "token", "add", "meter", "--right", "tell", "--measurement", "mixer/power")
	all := hears(t, slices.Concat(ownBroker(t, r, token), []string{"-t", "#"})...)
	all.until(base + "is/boardwalk/power")

	inDome := hears(t, slices.Concat(ownBroker(t, r, dome.Secret), []string{"-t", "#"})...)
	inDome.until(base + "is/shutter/position")
	ask := func(token, topic, payload string) {
		t.Helper()
		require.NoError(t, publish(t, ownBroker(t, r, token), "-t", base+topic, "-m", payload))
	}
	before := r.presses()
	ask(dome.Secret, "want/boardwalk/power", "on")
	ask(dome.Secret, "want/nothing-there/power", "on")
	ask(dome.Secret, "start/public-talk", "")
	ask(dome.Secret, "run/fanfare", "")
	ask(dome.Secret, "say", "lights on")
	ask(watch.Secret, "want/dew-a/power", "on")
	ask(watch.Secret, "say", "dew heaters on")
	ask(watch.Secret, "press/boardwalk/power", "")
	ask(tell.Secret, "want/dew-a/power", "on")
	ask(dome.Secret, "want/dew-a/power", "on")
	all.until(`"topic":"want/dew-a/power","outcome":"done"`)
	assert.Equal(t, before+1, r.presses(), "only what one may")
	refused := func(what string) (reason string) {
		return strings.SplitN(all.last(`"topic":"`+what+`","outcome":"refused"`), `"by"`, 2)[0]
	}
	assert.Equal(t, strings.ReplaceAll(refused("want/boardwalk/power"), "boardwalk", "X"),
		strings.ReplaceAll(refused("want/nothing-there/power"), "nothing-there", "X"), "what is not theirs is unknown")
	assert.NotEmpty(t, refused("press/boardwalk/power"))
	for _, said := range inDome.heard() {
		assert.NotContains(t, said, "boardwalk", said)
		assert.NotContains(t, said, "amplifier", said)
		assert.NotContains(t, said, "receipt", said)
	}
	for _, wrong := range [][2]string{{"urbo.program", "wrong"}, {"urbo.house", token}, {"urbo.program", ""},
		{"owner", token}} {
		assert.Error(t, publish(t, []string{"-h", "127.0.0.1", "-p", ownBroker(t, r, token)[3], "-u", wrong[0], "-P",
			wrong[1]}, "-t", base+"want/dew-a/power", "-m", "off"))
	}
	r.ok(nil, "token", "remove", "dome")
	assert.Error(t, publish(t, ownBroker(t, r, dome.Secret), "-t", base+"want/dew-a/power", "-m", "off"))
}

// TestMQTT_WhatIsNotAskedAsItShouldBePressesNothing sends what brokers and programs get wrong.
func TestMQTT_WhatIsNotAskedAsItShouldBePressesNothing(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	token := r.owner()
	at := ownBroker(t, r, token)
	l := hears(t, slices.Concat(at, []string{"-t", base + "receipt"})...)
	l.ready(at)
	before := r.presses()
	big := filepath.Join(t.TempDir(), "big")
	require.NoError(t, os.WriteFile(big, bytes.Repeat([]byte("on"), 5<<20), 0o600))
	_ = publish(t, at, "-t", base+"want/boardwalk/power", "-f", big) // it is hung up on
	for _, args := range [][]string{
		{"-t", base + "want/boardwalk/power", "-m", "off", "-r"},
		{"-t", base + "want/boardwalk/power", "-n"},
		{"-t", base + "want/boardwalk/power", "-m", "{"},
		{"-t", base + "want/boardwalk/power", "-m", `{"value":[1]}`},
		{"-t", base + "want/boardwalk/power", "-m", `{"value":"on","when":"now"}`},
		{"-t", base + "want/boardwalk/power", "-m", "\xff\xfe"},
		{"-t", base + "want/boardwalk/power", "-m", strings.Repeat("on", 4000)},
		{"-t", base + "want/boardwalk", "-m", "on"},
		{"-t", base + "want/boardwalk/power/now", "-m", "on"},
		{"-t", base + "want/room/nowhere/power", "-m", "on"},
		{"-t", base + "press/boardwalk/power", "-m", `{"times":100}`},
		{"-t", base + "press/boardwalk/power", "-m", `{"hold_ms":3600000}`},
		{"-t", base + "press/dew/on", "-n"},
		{"-t", base + "is/boardwalk/power", "-m", "on", "-r"},
		{"-t", base + "receipt", "-m", "done"},
		{"-t", "urbo/station/lecture/down", "-m", "{}"},
		{"-t", base + "say", "-m", "louder"},
	} {
		assert.NoError(t, publish(t, at, args...))
	}
	l.until(`"topic":"say","outcome":"refused"`)
	assert.Equal(t, before, r.presses())
	assert.NotContains(t, strings.Join(l.heard(), "\n"), "receipt done")
	assert.Contains(t, r.ok(nil, "journal", "--search", "retain"), "publish such messages without retain")
	assert.Contains(t, hearsNothing(t, at, base+"is/boardwalk/power"), `{"value":`, "nobody else says what it is at")
}

// ready waits until it is subscribed: it hears what became of something.
func (l *listener) ready(at []string) {
	l.t.Helper()
	require.Eventually(l.t, func() bool {
		_ = publish(l.t, at, "-t", base+"say", "-m", "nothing at all")
		return len(l.heard()) > 0
	}, patience, tick)
}

// TestMQTT_AtABrokerOfSomebodyElses goes with TLS, an account and a CA of its own; the broker is restarted, and the
// house is killed.
func TestMQTT_AtABrokerOfSomebodyElses(t *testing.T) {
	t.Parallel()
	b := newBroker(t)
	r := start(t, "", "demo")
	token := r.owner()
	host, port, err := net.SplitHostPort(strings.TrimPrefix(b.url, "mqtts://"))
	require.NoError(t, err)
	at := []string{"--cafile", b.file("ca.pem"), "-h", host, "-p", port, "-u", "garden", "-P", "secret of garden"}
	reach := []string{"--broker", b.url, "--user", "house", "--password-file", b.file("house")}
	assert.Contains(t, r.urbo(append([]string{"mqtt", "test"}, reach...)...).err, "certificate")
	reach = append(reach, "--broker-ca", b.file("ca.pem"))
	assert.Contains(t, r.ok(nil, append([]string{"mqtt", "test"}, reach...)...), "MQTT 5")
	assert.Contains(t, r.urbo("mqtt", "test", "--broker", "mqtt://127.0.0.1:1").err, "reach the broker")
	wrong := r.urbo("mqtt", "test", "--broker", b.url, "--user", "house", "--password-file", b.file("garden"),
		"--broker-ca", b.file("ca.pem"))
	assert.Contains(t, wrong.err, "is the user right, and the password?")

	require.NoError(t, publish(t, at, "-r", "-t", base+"want/boardwalk/power", "-m", "on")) // from before
	r.ok(nil, append([]string{"mqtt", "set", "on"}, reach...)...)
	l := hears(t, slices.Concat(at, []string{"-t", base + "#"})...)
	l.until(base + "is/boardwalk/power {")
	l.until(base + "here yes")
	before := r.presses()
	require.NoError(t, publish(t, at, "-t", base+"want/boardwalk/power", "-m", "on"))
	l.until("this needs the right to use")
	require.NoError(t, publish(t, at, "-r", "-t", base+"want/boardwalk/power", "-m", "on"))
	l.until("publish it without retain")
	assert.Equal(t, before, r.presses(), "whoever speaks there may only see, until it is given more")
	r.ok(nil, "mqtt", "set", "--right", "see", "--right", "use")
	r.ok(nil, "tell", "boardwalk", "power", "off")
	require.Eventually(t, func() bool {
		_ = publish(t, at, "-t", base+"want/boardwalk/power", "-m", "on")
		return r.fact(token, "boardwalk", "power") == "on"
	}, patience, tick)

	b.process.end(syscall.SIGKILL)
	r.ok(nil, "set", "boardwalk", "power", "off")
	b.begin()
	again := hears(t, slices.Concat(at, []string{"-t", base + "#"})...)
	again.until(base + `is/boardwalk/power {"value":"off"`)
	again.until(base + "here yes")
	assert.Equal(t, "off", r.fact(token, "boardwalk", "power"), "nothing is pressed again")

	r.kill()
	again.until(base + "here no")
}
