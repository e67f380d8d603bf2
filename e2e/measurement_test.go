package e2e

import (
	"net"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// TestMeasurements_ComeFromTheBrokerAndOverHTTP: values and cues come in as messages of Debian's broker, which goes
// away
// and comes back; programs push others.
func TestMeasurements_ComeFromTheBrokerAndOverHTTP(t *testing.T) {
	t.Parallel()
	b := newBroker(t)
	data := t.TempDir()
	at := []string{"serve", "--broker", b.url, "--broker-user", "house", "--broker-password-file", b.file("house"),
		"--broker-ca", b.file("ca.pem")}
	r := start(t, data, at...)
	r.ok(nil, "measurement", "describe", "dome/humidity", "--unit", "%", "--topic", "club/dome", "--pointer",
		"/humidity",
		"--battery", "/battery", "--least", "0", "--most", "100")
	r.ok(nil, "errand", "add", `errand lamp when message "club/lamp" at "/state" is "go" do notify "the lamp is lit"`)
	r.ok(nil, "errand", "add", `errand low when battery dome/humidity low do notify "a new battery"`)
	publish := func(topic, text string) error {
		u, err := url.Parse(b.url)
		require.NoError(t, err)
		host, port, err := net.SplitHostPort(u.Host)
		require.NoError(t, err)
		out, err := exec.CommandContext(t.Context(), "mosquitto_pub", "--cafile", b.file("ca.pem"), "-h", host, "-p",
			port,
			"-u", "garden", "-P", "secret of garden", "-t", topic, "-m", text).CombinedOutput()
		if err != nil {
			t.Log(string(out))
		}
		return err
	}
	humidity := func(want float64, payload string) {
		t.Helper()
		require.Eventually(t, func() bool {
			if publish("club/dome", payload) != nil {
				return false
			}
			var m wire.Gauge
			res := r.urbo("measurement", "show", "dome/humidity", "--output", "json")
			return res.code == 0 && decode(res.out, &struct{ Measurement *wire.Gauge }{&m}) == nil && m.Value == want
		}, patience, tick, payload)
	}
	humidity(71.5, `{"humidity":71.5,"battery":80}`)
	for _, bad := range []string{`{"humidity":"wet"}`, `{`, "", `{"humidity":400}`} {
		require.NoError(t, publish("club/dome", bad))
	}
	require.Eventually(t, func() bool {
		return strings.Contains(r.ok(nil, "measurement", "list"), "more than the most")
	}, patience, tick)
	b.process.end(syscall.SIGTERM)
	b.begin()
	humidity(64, `{"humidity":64,"battery":3}`)
	why := func(errand, want string) {
		t.Helper()
		require.Eventually(t, func() bool { return strings.Contains(r.ok(nil, "errand", "why", errand), want) },
			patience,
			tick, errand)
	}
	why("low", "battery dome/humidity low")
	require.NoError(t, publish("club/lamp", `{"state":"stop"}`))
	require.NoError(t, publish("club/lamp", `{"state":"go"}`))
	why("lamp", "ran")
	assert.Equal(t, 1, strings.Count(r.ok(nil, "errand", "why", "lamp"), "ran"))

	// programs push theirs, with a token that may tell and do nothing else
	r.ok(nil, "measurement", "tell", "warm/temperature", "21.5", "--unit", "°C")
	r.ok(nil, "measurement", "describe", "dome/dew-point", "--unit", "°C", "--worked", "dew-point", "--of",
		"warm/temperature", "--of", "dome/humidity")
	require.Eventually(t, func() bool {
		return strings.Contains(r.ok(nil, "measurement", "list"), "14.4 °C")
	}, patience, tick)
	for text, want := range map[string]string{"NaN": "is no number", "warm": "is no number"} {
		res := r.urbo("measurement", "tell", "warm/temperature", text)
		assert.Equal(t, 2, res.code)
		assert.Contains(t, res.err, want)
	}
	res := r.urbo("measurement", "tell", "dome/dew-point", "3")
	assert.Contains(t, res.err, "worked out from others")
	res = r.urbo("measurement", "remove", "dome/humidity")
	assert.Contains(t, res.err, "used by dome/dew-point")

	csv := filepath.Join(t.TempDir(), "humidity.csv")
	r.ok(nil, "measurement", "export", "dome/humidity", "--out", csv)
	text, err := os.ReadFile(csv)
	require.NoError(t, err)
	assert.Contains(t, string(text), "at,least,mean,most,count,unit\n")
	assert.Contains(t, string(text), ",71.5,1,%")

	// what was measured is known after a restart, and a chart shows it
	r.stop()
	r = start(t, data, at...)
	assert.Contains(t, r.ok(nil, "measurement", "list"), "64 %")
	assert.Contains(t, r.ok(nil, "measurement", "show", "dome/humidity"), "71.5 |")
	r.owner()
	page := open(t, r, 1280, 800)
	page.visit(r, "/automate")
	page.click("Chart of dome/humidity")
	page.see("club/dome /humidity")
	page.until(`!!document.querySelector('.uplot canvas')`)
	page.click("Describe")
	page.fill("Most plausible", "95")
	page.click("Save")
	page.until(`!document.querySelector('form')`)
	assert.Contains(t, r.ok(nil, "measurement", "show", "dome/humidity", "--output", "json"), `"most": 95`)
}
