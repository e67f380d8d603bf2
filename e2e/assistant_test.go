package e2e

import (
	"bufio"
	"encoding/json"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

const backTo = "http://127.0.0.1:9/linked"

// registers registers an assistant that leads people back to a place where nobody is.
func (r *running) registers(token, name string) wire.Assistant {
	r.t.Helper()
	var a wire.Assistant
	require.Equal(r.t, http.StatusCreated, r.http(token, "POST", "/api/assistants", wire.NewAssistant{Name: name,
		Redirects: []string{backTo}}, &a))
	return a
}

// plain is a browser that follows nothing.
var plain = &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}

// asks begins a link; it gives the id of the request, or where else it leads.
func (r *running) asks(change func(url.Values), id string) (link string, resp *http.Response) {
	r.t.Helper()
	q := url.Values{"client_id": {id}, "redirect_uri": {backTo}, "response_type": {"code"}, "state": {"s1"},
		"scope": {"see use offline_access"}, "code_challenge": {"E9Melhoa2OwvFrEMTJguCHaoeK1t8URWbuGJSstw-cM"},
		"code_challenge_method": {"S256"}}
	change(q)
	resp, err := plain.Get(r.url + "/assistant/authorize?" + q.Encode())
	require.NoError(r.t, err)
	_, _ = io.Copy(io.Discard, resp.Body)
	_ = resp.Body.Close()
	_, link, _ = strings.Cut(resp.Header.Get("Location"), "/link?request=")
	return link, resp
}

// saysYes answers a request, and gives where that leads.
func (r *running) saysYes(token, link string, where wire.Where) *url.URL {
	r.t.Helper()
	var to wire.LinkTo
	require.Equal(r.t, http.StatusOK, r.http(token, "POST", "/api/links/asked/"+link, wire.LinkAnswer{Yes: true,
		Rights: []string{"see", "use"}, Where: where}, &to))
	u, err := url.Parse(to.To)
	require.NoError(r.t, err)
	return u
}

// verifier is what the code challenge of asks is made of (RFC 7636, appendix B).
const verifier = "dBjftJeZ4CVP-mB92K27uhbUJU1p1r_wW1gFWFOEjXk"

// trades asks for tokens.
func (r *running) trades(a wire.Assistant, form url.Values) (int, map[string]any) {
	r.t.Helper()
	req, err := http.NewRequestWithContext(r.t.Context(), http.MethodPost, r.url+"/assistant/token",
		strings.NewReader(form.Encode()))
	require.NoError(r.t, err)
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	req.SetBasicAuth(a.ID, a.Secret)
	resp, err := http.DefaultClient.Do(req)
	require.NoError(r.t, err)
	defer resp.Body.Close()
	var out map[string]any
	data, err := io.ReadAll(resp.Body)
	require.NoError(r.t, err)
	_ = json.Unmarshal(data, &out)
	return resp.StatusCode, out
}

func codeForm(code string) url.Values {
	return url.Values{"grant_type": {"authorization_code"}, "code": {code}, "redirect_uri": {backTo},
		"code_verifier": {verifier}}
}

func refreshForm(token any) url.Values {
	text, _ := token.(string)
	return url.Values{"grant_type": {"refresh_token"}, "refresh_token": {text}}
}

// status is what a token gets of the things.
func (r *running) status(token any) int {
	text, _ := token.(string)
	return r.http(text, "GET", "/api/things", nil, nil)
}

// TestAssistant_ForAClientThatOthersWrote lets an OAuth client link itself, read, get its next tokens, and end the
// link.
func TestAssistant_ForAClientThatOthersWrote(t *testing.T) {
	t.Parallel()
	if _, err := os.Stat("clients/node_modules"); err != nil {
		t.Skip("the clients are not installed: make test installs them")
	}
	r := start(t, "", "demo")
	token := r.owner()
	a := r.registers(token, "Lantern")
	c := exec.CommandContext(t.Context(), "timeout", "60", "node", "link.mjs", r.url, a.ID, a.Secret, backTo)
	c.Dir = "clients"
	in, err := c.StdinPipe()
	require.NoError(t, err)
	out, err := c.StdoutPipe()
	require.NoError(t, err)
	c.Stderr = os.Stderr
	require.NoError(t, c.Start())
	lines := bufio.NewScanner(out)
	require.True(t, lines.Scan())
	resp, err := plain.Get(lines.Text())
	require.NoError(t, err)
	_ = resp.Body.Close()
	_, link, is := strings.Cut(resp.Header.Get("Location"), "/link?request=")
	require.True(t, is, resp.Header)
	_, err = io.WriteString(in, r.saysYes(token, link, wire.Where{House: true}).String()+"\n")
	require.NoError(t, err)
	require.True(t, lines.Scan())
	var got struct {
		Lasts                     int
		Kind, After               string
		Reads, Old, Next, Revoked int
		Rotated                   bool
	}
	require.NoError(t, json.Unmarshal(lines.Bytes(), &got), lines.Text())
	require.NoError(t, c.Wait())
	assert.InDelta(t, 3600, got.Lasts, 5)
	assert.Equal(t, "bearer", strings.ToLower(got.Kind))
	assert.Equal(t, []int{200, 401, 200, 401}, []int{got.Reads, got.Old, got.Next, got.Revoked})
	assert.True(t, got.Rotated)
	assert.Equal(t, "invalid_grant", got.After)
}

// TestAssistant_IsRefused tries what a hostile assistant, or somebody who listens, would.
func TestAssistant_IsRefused(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	token := r.owner()
	a := r.registers(token, "Lantern")
	for name, change := range map[string]func(url.Values){
		"another host":  func(q url.Values) { q.Set("redirect_uri", "http://evil.127.0.0.1:9/linked") },
		"a longer path": func(q url.Values) { q.Set("redirect_uri", backTo+"/more") },
		"another port":  func(q url.Values) { q.Set("redirect_uri", "http://127.0.0.1:10/linked") },
		"no address":    func(q url.Values) { q.Del("redirect_uri") },
		"nobody":        func(q url.Values) { q.Set("client_id", "a0") },
	} {
		link, resp := r.asks(change, a.ID)
		assert.Empty(t, link, name)
		assert.NotEqual(t, 3, resp.StatusCode/100, "%s: nobody is sent anywhere: %s", name, resp.Header.Get("Location"))
	}
	for name, change := range map[string]func(url.Values){
		"no challenge":    func(q url.Values) { q.Del("code_challenge"); q.Del("code_challenge_method") },
		"a plain one":     func(q url.Values) { q.Set("code_challenge_method", "plain") },
		"a token at once": func(q url.Values) { q.Set("response_type", "token") },
		"nothing":         func(q url.Values) { q.Set("scope", "openid") },
		"a room":          func(q url.Values) { q.Set("scope", "see room:nowhere") },
	} {
		link, resp := r.asks(change, a.ID)
		assert.Empty(t, link, name)
		if resp.StatusCode/100 == 3 {
			back, err := url.Parse(resp.Header.Get("Location"))
			require.NoError(t, err)
			assert.True(t, strings.HasPrefix(back.String(), backTo+"?") || strings.HasPrefix(back.String(), backTo+"#"),
				name)
			assert.Contains(t, back.String(), "error=", name)
		}
	}
	// only who may keep the house says yes
	link, _ := r.asks(func(url.Values) {}, a.ID)
	require.NotEmpty(t, link)
	assert.Equal(t, http.StatusUnauthorized, r.http("", "GET", "/api/links/asked/"+link, nil, nil))
	assert.Equal(t, http.StatusUnauthorized, r.http("", "POST", "/api/links/asked/"+link, wire.LinkAnswer{Yes: true},
		nil))
	// a room alone, with a code that is good once
	back := r.saysYes(token, link, wire.Where{Rooms: []string{"Lecture room"}})
	assert.Equal(t, "s1", back.Query().Get("state"))
	assert.Equal(t, r.url, back.Query().Get("iss"))
	assert.Equal(t, http.StatusNotFound, r.http(token, "POST", "/api/links/asked/"+link, wire.LinkAnswer{Yes: true,
		Rights: []string{"see"}, Where: wire.Where{House: true}}, nil), "it is answered once")
	code := back.Query().Get("code")
	status, first := r.trades(a, codeForm(code))
	require.Equal(t, http.StatusOK, status, first)
	assert.NotContains(t, first, "id_token")
	var things []wire.Thing
	require.Equal(t, http.StatusOK, r.http(first["access_token"].(string), "GET", "/api/things", nil, &things))
	for _, thing := range things {
		assert.NotEqual(t, "Boardwalk lights", thing.Title, "what is elsewhere is not seen")
	}
	assert.NotEmpty(t, things)
	assert.Equal(t, http.StatusNotFound, r.http(first["access_token"].(string), "PUT",
		"/api/things/boardwalk/properties/power", "on", nil))
	assert.Equal(t, http.StatusForbidden, r.http(first["access_token"].(string), "GET", "/api/assistants", nil, nil))
	status, second := r.trades(a, codeForm(code))
	assert.Equal(t, http.StatusBadRequest, status)
	assert.Equal(t, "invalid_grant", second["error"])
	assert.Equal(t, http.StatusUnauthorized, r.status(first["access_token"]), "a second use ends the link")
	status, _ = r.trades(a, refreshForm(first["refresh_token"]))
	assert.Equal(t, http.StatusBadRequest, status)
	assert.Contains(t, r.ok(nil, "journal", "--search", "used twice"), "Lantern")

	linked := func() map[string]any {
		link, _ := r.asks(func(url.Values) {}, a.ID)
		status, held := r.trades(a, codeForm(r.saysYes(token, link, wire.Where{House: true}).Query().Get("code")))
		require.Equal(t, http.StatusOK, status, held)
		return held
	}
	// wrong verifier, wrong secret, another assistant's code
	other := r.registers(token, "Beacon")
	link, _ = r.asks(func(url.Values) {}, a.ID)
	form := codeForm(r.saysYes(token, link, wire.Where{House: true}).Query().Get("code"))
	form.Set("code_verifier", strings.Repeat("x", 43))
	status, _ = r.trades(a, form)
	assert.Equal(t, http.StatusBadRequest, status)
	link, _ = r.asks(func(url.Values) {}, a.ID)
	status, _ = r.trades(other, codeForm(r.saysYes(token, link, wire.Where{House: true}).Query().Get("code")))
	assert.Equal(t, http.StatusBadRequest, status)
	status, _ = r.trades(wire.Assistant{ID: a.ID, Secret: "guessed"}, refreshForm("x.y"))
	assert.Equal(t, http.StatusUnauthorized, status)
	status, _ = r.trades(a, url.Values{"grant_type": {"client_credentials"}})
	assert.Equal(t, http.StatusBadRequest, status)
	// an old token that comes again ends the link
	held := linked()
	status, next := r.trades(a, refreshForm(held["refresh_token"]))
	require.Equal(t, http.StatusOK, status)
	assert.Equal(t, http.StatusUnauthorized, r.status(held["access_token"]))
	assert.Equal(t, http.StatusOK, r.status(next["access_token"]))
	status, _ = r.trades(a, refreshForm(held["refresh_token"]))
	assert.Equal(t, http.StatusBadRequest, status)
	assert.Equal(t, http.StatusUnauthorized, r.status(next["access_token"]), "somebody else has it, too")
	// a link that the owner ended, and an assistant that is removed
	held = linked()
	assert.Contains(t, r.ok(nil, "assistant", "list"), "the whole house")
	r.ok(nil, "assistant", "unlink", "Lantern")
	assert.Equal(t, http.StatusUnauthorized, r.status(held["access_token"]))
	held = linked()
	r.ok(nil, "assistant", "remove", "Lantern")
	assert.Equal(t, http.StatusUnauthorized, r.status(held["access_token"]))
	for _, address := range []string{"http://lantern.example/x", "https://a.example/#x", "lantern",
		"https://u:p@a.example/",
		"javascript:alert(1)"} {
		assert.Contains(t, r.urbo("assistant", "add", "Bad", "--redirect", address).err, "assistant", address)
	}
}

// TestAssistant_StandInInTheConsole links the demo's stand-in by its page and the house's, lets it switch something,
// and ends the link.
func TestAssistant_StandInInTheConsole(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	token := r.owner()
	r.ok(nil, "tell", "boardwalk", "power", "off")
	b := open(t, r, 1280, 800)
	b.do(chromedp.Navigate(r.standin()))
	b.see("It is not linked")
	b.click("Link it")
	b.see("Stand-in asks to be linked")
	b.click("Link it")
	b.see("Linked.")
	b.see("Boardwalk lights")
	b.eval("document.querySelector('[name=text]').value = 'boardwalk on'")
	b.click("Say it")
	b.see("Boardwalk lights on")
	r.becomes(token, "boardwalk", "power", "on")
	assert.Contains(t, r.ok(nil, "journal", "--search", "assistant"), "Stand-in")
	b.click("End the link")
	b.see("It is not linked")
	b.click("Link it")
	b.see("Stand-in asks to be linked")
	b.click("No")
	b.see("the house said no")
}

// standin is the address of the demo's stand-in assistant.
func (r *running) standin() string {
	r.t.Helper()
	var all []wire.Assistant
	r.ok(&all, "assistant", "list")
	require.Len(r.t, all, 1)
	return strings.TrimSuffix(all[0].Redirects[0], "linked")
}
