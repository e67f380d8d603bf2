package e2e

import (
	"io"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	ical "github.com/emersion/go-ical"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// at calls a secret address, and returns the status and the body.
func at(t *testing.T, method, address, key string) (int, string) {
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), method, address, nil)
	require.NoError(t, err)
	if key != "" {
		r.Header.Set("Idempotency-Key", key)
	}
	resp, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp.StatusCode, string(body)
}

// TestHooks_LetOneThingHappen: a sequence, an errand, a cue; once for each key, slowed, revoked, and over a restart.
func TestHooks_LetOneThingHappen(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	r := start(t, data, "demo")
	token := r.owner()
	r.ok(nil, "tell", "boardwalk", "power", "off")
	r.ok(nil, "errand", "add", `errand ring when hook bell do set boardwalk/power to on`)
	r.ok(nil, "sequence", "add", "Dark", "set boardwalk/power to off")
	var bell, dark, coming wire.Hook
	r.ok(&bell, "hook", "add", "bell")
	r.ok(&dark, "hook", "add", "dark", "--sequence", "dark")
	r.ok(&coming, "hook", "add", "coming", "--calendar")
	local := func(h wire.Hook) string { return r.url + h.Address[strings.Index(h.Address, "/hook/"):] }

	code, _ := at(t, "GET", local(bell), "")
	assert.Equal(t, http.StatusMethodNotAllowed, code, "what only looks does nothing")
	code, body := at(t, "POST", local(bell), "")
	require.Equal(t, http.StatusAccepted, code, body)
	r.becomes(token, "boardwalk", "power", "on")
	assert.Contains(t, r.ok(nil, "journal", "--search", "bell"), "bell")

	// many calls with one key are one
	var done, again atomic.Int32
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			code, body := at(t, "POST", local(dark), "the same")
			if code == http.StatusAccepted && strings.Contains(body, `"again":true`) {
				again.Add(1)
			} else if code == http.StatusAccepted {
				done.Add(1)
			}
		})
	}
	all.Wait()
	assert.Equal(t, int32(1), done.Load())
	assert.Equal(t, int32(7), again.Load())
	r.becomes(token, "boardwalk", "power", "off")
	var slowed bool
	for range 20 {
		code, _ := at(t, "POST", local(bell), "")
		slowed = slowed || code == http.StatusTooManyRequests
	}
	assert.True(t, slowed, "once a second, ten at once")

	// its secret opens nothing else
	secret := dark.Address[strings.LastIndex(dark.Address, "/")+1:]
	assert.Equal(t, http.StatusUnauthorized, r.http(secret, "GET", "/api/devices", nil, nil))
	code, _ = at(t, "POST", r.url+"/hook/"+token, "")
	assert.Equal(t, http.StatusNotFound, code, "a token is no hook")
	assert.NotContains(t, r.ok(nil, "hook", "list"), secret)

	// it reaches what it reached when it was made
	r.ok(nil, "sequence", "change", "dark", "set (boardwalk/power off, amplifier/power on)")
	code, body = at(t, "POST", local(dark), "another")
	assert.Equal(t, http.StatusForbidden, code, body)
	assert.Contains(t, body, "more than when the hook was made")
	r.ok(nil, "sequence", "change", "dark", "set boardwalk/power to off")

	// a calendar program reads when errands are due
	code, body = at(t, "GET", r.url+coming.Address[strings.Index(coming.Address, "/calendar/"):], "")
	require.Equal(t, http.StatusOK, code)
	cal, err := ical.NewDecoder(strings.NewReader(body)).Decode()
	require.NoError(t, err)
	assert.NotEmpty(t, cal.Events())

	r.stop()
	r = start(t, data, "demo")
	code, body = at(t, "POST", local(dark), "the same")
	assert.Equal(t, http.StatusAccepted, code)
	assert.Contains(t, body, `"again":true`, "also after a restart")
	r.ok(nil, "hook", "remove", "dark")
	code, _ = at(t, "POST", local(dark), "")
	assert.Equal(t, http.StatusNotFound, code)
	r.stop()
	assert.NotContains(t, r.stderr.String(), secret)
}
