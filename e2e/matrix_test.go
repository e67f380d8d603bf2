package e2e

import (
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/speech"
	"urbo/wire"
)

// doing is one way to switch the boardwalk, which is outside, by one face: it says whether it was let.
type doing struct {
	face string
	do   func(t *testing.T, r *running, token string) bool
}

// ways are the ways by which a program with a token comes in.
var ways = []doing{
	{"HTTP, a press", func(_ *testing.T, r *running, token string) bool {
		return r.http(token, "POST", "/api/devices/boardwalk/keys/power/press", wire.PressRequest{}, nil) < 300
	}},
	{"HTTP, a wish", func(_ *testing.T, r *running, token string) bool {
		return r.http(token, "POST", "/api/devices/boardwalk/set", map[string]any{"wants": []map[string]string{{
			"control": "power", "value": "on"}}}, nil) < 300
	}},
	{"Web of Things", func(_ *testing.T, r *running, token string) bool {
		return r.http(token, "PUT", "/api/things/boardwalk/properties/power", "on", nil) < 300
	}},
	{"Web of Things, an action", func(_ *testing.T, r *running, token string) bool {
		return r.http(token, "POST", "/api/things/boardwalk/actions/press", map[string]string{"key": "power"},
			nil) < 300
	}},
	{"a phrase", func(_ *testing.T, r *running, token string) bool {
		return r.http(token, "POST", "/api/phrase", wire.Phrase{Text: "boardwalk on", Act: true}, nil) < 300
	}},
}

// TestMatrix_OfRightsThroughEveryFace walks through every face with no credential, a wrong one, a hook's secret, and
// one of each role: only those who may use the boardwalk switch it, by whichever way they come.
func TestMatrix_OfRightsThroughEveryFace(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--broker-listen", "127.0.0.1:0")
	owner := r.owner()
	made := func(args ...string) string {
		var k wire.Token
		r.ok(&k, append([]string{"token", "add"}, args...)...)
		return k.Secret
	}
	var hook wire.Hook
	r.ok(&hook, "hook", "add", "fan", "--sequence", "fanfare")
	assistant := r.registers(owner, "Lantern")
	linked := func(where wire.Where) string {
		link, _ := r.asks(func(url.Values) {}, assistant.ID)
		status, held := r.trades(assistant, codeForm(r.saysYes(owner, link, where).Query().Get("code")))
		require.Equal(t, http.StatusOK, status)
		return held["access_token"].(string)
	}
	pressed := r.presses()
	for _, who := range []struct {
		name, token string
		may         bool
	}{ // those who may not come first: nothing was pressed until the others come
		{"nobody", "", false}, {"somebody wrong", strings.Repeat("a", 64), false},
		{"who watches", made("watches", "--scope", "watch"), false},
		{"of another room", made("dome", "--right", "see", "--right", "use", "--room", "Dome"), false},
		{"who tells", made("meter", "--right", "tell", "--measurement", "mixer/power"), false},
		{"a station", made("garden", "--scope", "station"), false},
		{"a hook's secret", hook.Address[strings.LastIndex(hook.Address, "/")+1:], false},
		{"an assistant of another room", linked(wire.Where{Rooms: []string{"Dome"}}), false},
		{"owner", owner, true},
		{"who presses", made("presses", "--scope", "press"), true},
		{"of its room", made("outside", "--right", "see", "--right", "use", "--room", "Outside"), true},
		{"an assistant", linked(wire.Where{House: true}), true},
	} {
		name := who.name
		for _, w := range ways {
			assert.Equal(t, who.may, w.do(t, r, who.token), "%s, %s", w.face, name)
		}
		// MQTT
		err := publish(t, ownBroker(t, r, who.token), "-t", base+"want/boardwalk/power", "-m", "off")
		if name == "nobody" || name == "somebody wrong" || name == "a station" || name == "a hook's secret" {
			assert.Error(t, err, "MQTT, %s", name)
		} else {
			assert.NoError(t, err, "MQTT, %s", name)
		}
		if !who.may {
			assert.Equal(t, pressed, r.presses(), "nothing is pressed for %s", name)
		}
		// what is there, and what is spoken
		things := r.http(who.token, "GET", "/api/things/boardwalk", nil, nil)
		sees := who.may || name == "who watches"
		assert.Equal(t, sees, things == http.StatusOK, "its description, %s: %d", name, things)
		resp, _ := r.request(who.token, "POST", "/api/speech", strings.NewReader(string(speech.WriteWAV(nil))))
		uses := who.may || strings.Contains(name, "another room")
		assert.Equal(t, uses, resp.StatusCode == http.StatusUnprocessableEntity, "speech, %s: %d", name,
			resp.StatusCode)
		// what only who keeps the house may
		for _, path := range []string{"/api/hooks", "/api/requests", "/api/calendars", "/api/assistants", "/api/mqtt",
			"/api/faces"} {
			status := r.http(who.token, "GET", path, nil, nil)
			assert.Equal(t, name == "owner", status == http.StatusOK, "%s, %s: %d", path, name, status)
		}
	}
	// a hook lets its one thing happen, and nothing else
	assert.Equal(t, http.StatusAccepted, r.http("", "POST", "/hook/"+hook.Address[strings.LastIndex(hook.Address,
		"/")+1:], nil, nil))
	assert.Equal(t, http.StatusNotFound, r.http(owner, "POST", "/hook/"+strings.Repeat("a", 64), nil, nil))
	// the addresses that are open say nothing of the house
	for _, path := range []string{"/.well-known/wot", "/.well-known/oauth-authorization-server"} {
		resp, data := r.request("", "GET", path, nil)
		assert.Equal(t, http.StatusOK, resp.StatusCode, path)
		for _, secret := range []string{"Saltmarsh", "boardwalk", "Dome", "Lantern"} {
			assert.NotContains(t, string(data), secret, path)
		}
	}
}
