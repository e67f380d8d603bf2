package api_test

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/api"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/mqttface"
	"urbo/service"
	"urbo/service/access"
	"urbo/stage"
	"urbo/station"
	"urbo/station/onstage"
	"urbo/station/websocket"
	"urbo/wire"
)

// site is a running house with its HTTP face, as a caller with a token sees it.
type site struct {
	t     testing.TB
	house *service.House
	url   string
	token string
}

// newSite runs a house on a fast stage until the test ends. The caller has the owner's scope.
func newSite(t testing.TB) *site {
	t.Helper()
	s, err := stage.New(stage.Options{Pace: 20, Seed: 1})
	require.NoError(t, err)
	door := &websocket.Door{}
	house, err := service.Open(t.Context(), service.Config{Dir: t.TempDir(), Version: "test",
		Transports: []station.Transport{onstage.New(s, "lecture"), door}, Extra: []service.Runner{s}})
	require.NoError(t, err)
	face, err := mqttface.New(t.Context(), house, mqttface.Given{})
	require.NoError(t, err)
	handler := api.New(house, api.Options{Hosts: []string{"observatory.test"}, Door: door,
		Faces: []api.Face{api.StageFace(s)}, MQTT: face})
	ctx, cancel := context.WithCancel(context.Background())
	server := httptest.NewUnstartedServer(handler)
	requests, endRequests := context.WithCancel(context.Background())
	server.Config = api.Server(requests, handler, func(ctx context.Context, _ net.Conn) context.Context { return ctx })
	connections := api.NewConnections()
	house.Access.OnRevoked(connections.Revoked)
	server.Listener = connections.Listener(server.Listener)
	server.Start()
	done := make(chan struct{})
	go func() { defer close(done); _ = house.Run(ctx) }()
	t.Cleanup(func() {
		endRequests()
		connections.Empty()
		server.Close()
		cancel()
		<-done
		require.NoError(t, house.Close())
	})
	_, secret, err := house.Access.AddToken(t.Context(), newToken("test", "owner"), grant.By{})
	require.NoError(t, err)
	return &site{t, house, server.URL, secret}
}

// as is the same site for a caller with another scope.
func (s *site) as(scope string) *site {
	_, secret, err := s.house.Access.AddToken(s.t.Context(), newToken("a "+scope, scope), grant.By{})
	require.NoError(s.t, err)
	return &site{s.t, s.house, s.url, secret}
}

// call does a request and reads the answer into out, where given. It returns the status and the problem's detail.
func (s *site) call(method, path string, in, out any, change ...func(*http.Request)) (int, string) {
	s.t.Helper()
	var body io.Reader
	if in != nil {
		data, err := json.Marshal(in)
		require.NoError(s.t, err)
		body = bytes.NewReader(data)
	}
	req, err := http.NewRequestWithContext(s.t.Context(), method, s.url+path, body)
	require.NoError(s.t, err)
	if s.token != "" {
		req.Header.Set("Authorization", "Bearer "+s.token)
	}
	req.Header.Set("Content-Type", "application/json")
	req.Close = true // a server of another test had this port before, and its connections are kept
	for _, f := range change {
		f(req)
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	if method == http.MethodHead {
		return resp.StatusCode, ""
	}
	if resp.StatusCode >= 400 {
		assert.Contains(s.t, resp.Header.Get("Content-Type"), "problem+json", "%s %s", method, path)
		var p struct {
			Detail string `json:"detail"`
			Errors []struct{ Message, Location string }
		}
		require.NoError(s.t, json.Unmarshal(data, &p), string(data))
		for _, e := range p.Errors {
			p.Detail += "; " + e.Message + " " + e.Location
		}
		return resp.StatusCode, p.Detail
	}
	if out != nil {
		require.NoError(s.t, json.Unmarshal(data, out), string(data))
	}
	return resp.StatusCode, ""
}

// must is call for what has to succeed.
func (s *site) must(method, path string, in, out any) {
	s.t.Helper()
	status, detail := s.call(method, path, in, out)
	require.Less(s.t, status, 300, detail)
}

// eventually waits for a condition.
func (s *site) eventually(f func() bool, what string) {
	s.t.Helper()
	require.Eventually(s.t, f, 10*time.Second, 5*time.Millisecond, what)
}

func (s *site) fact(appliance, name string) string {
	var st wire.Stage
	s.must("GET", "/api/stage", nil, &st)
	for _, a := range st.Appliances {
		for _, f := range a.Facts {
			if a.Slug == appliance && f.Name == name {
				return f.Value
			}
		}
	}
	return ""
}

func TestEverythingNeedsASignInOrAToken(t *testing.T) {
	s := newSite(t)
	nobody := &site{t, s.house, s.url, ""}
	var document struct {
		Paths map[string]map[string]struct {
			Security []map[string][]string `json:"security"`
		} `json:"paths"`
	}
	s.must("GET", "/api/openapi.json", nil, &document)
	open := map[string]bool{"POST /api/sign-in": true}
	count := 0
	for path, methods := range document.Paths {
		for method, op := range methods {
			method = strings.ToUpper(method)
			if open[method+" "+path] {
				assert.Equal(t, []map[string][]string{{}}, op.Security, "%s needs nothing, and says so", path)
				continue
			}
			count++
			assert.NotEmpty(t, op.Security, "%s %s must say that it needs a scope", method, path)
			url := strings.NewReplacer("{", "", "}", "").Replace(path)
			status, detail := nobody.call(method, url, nil, nil)
			assert.Equal(t, http.StatusUnauthorized, status, "%s %s: %s", method, path, detail)
		}
	}
	assert.Greater(t, count, 20)
	status, _ := nobody.call("GET", "/api/openapi.json", nil, nil)
	assert.Equal(t, http.StatusUnauthorized, status)
	nobody.token = "wrong"
	status, detail := nobody.call("GET", "/api/devices", nil, nil)
	assert.Equal(t, http.StatusUnauthorized, status)
	assert.Contains(t, detail, "urbo token add")

	resp, err := http.Get(s.url + "/healthz")
	require.NoError(t, err)
	require.NoError(t, resp.Body.Close())
	assert.Equal(t, http.StatusOK, resp.StatusCode)
}

func TestScopes_WatchLooksPressPressesOwnerChanges(t *testing.T) {
	s := newSite(t)
	s.must("POST", "/api/devices", wire.NewDevice{Name: "Lamp", Keys: []string{"on"}}, nil)
	for _, c := range []struct {
		scope, method, path string
		in                  any
		want                int
	}{
		{"watch", "GET", "/api/devices", nil, 200},
		{"watch", "POST", "/api/devices/lamp/keys/on/press", nil, 403},
		{"press", "POST", "/api/devices/lamp/keys/on/press", nil, 409}, // not learned
		{"press", "DELETE", "/api/devices/lamp", nil, 403},
		{"station", "GET", "/api/devices", nil, 403},
		{"owner", "DELETE", "/api/devices/lamp", nil, 204},
	} {
		status, detail := s.as(c.scope).call(c.method, c.path, c.in, nil)
		assert.Equal(t, c.want, status, "%s: %s %s: %s", c.scope, c.method, c.path, detail)
		require.NoError(t, s.house.Access.RemoveToken(t.Context(), "a "+c.scope, grant.By{}))
	}
}

func TestTicket_SignsInOnceAndTheCookieWorks(t *testing.T) {
	s := newSite(t)
	_, ticket, _, _ := s.house.Access.Link(t.Context(), s.house.Access.Owner().ID, 1)
	body := wire.SignIn{Ticket: ticket}
	data, _ := json.Marshal(body)
	resp, err := http.Post(s.url+"/api/sign-in", "application/json", bytes.NewReader(data))
	require.NoError(t, err)
	require.NoError(t, resp.Body.Close())
	require.Equal(t, http.StatusNoContent, resp.StatusCode)
	cookie := resp.Cookies()[0]
	assert.True(t, cookie.HttpOnly)
	assert.Equal(t, http.SameSiteStrictMode, cookie.SameSite)

	nobody := &site{t, s.house, s.url, ""}
	withCookie := func(r *http.Request) { r.AddCookie(cookie) }
	var me wire.Me
	status, detail := nobody.call("GET", "/api/me", nil, &me, withCookie)
	require.Equal(t, 200, status, detail)
	assert.Equal(t, []string{"owner", "person", "owner"}, []string{me.Name, me.Kind, me.Role})

	status, detail = nobody.call("POST", "/api/sign-in", body, nil)
	assert.Equal(t, http.StatusUnauthorized, status, "a ticket works once")
	assert.Contains(t, detail, "urbo person link")

	status, _ = nobody.call("POST", "/api/sign-out", nil, nil, withCookie)
	require.Equal(t, http.StatusNoContent, status)
	status, _ = nobody.call("GET", "/api/me", nil, nil, withCookie)
	assert.Equal(t, http.StatusUnauthorized, status)
}

func TestForeignPagesAreRefused(t *testing.T) {
	s := newSite(t)
	status, detail := s.call("GET", "/api/devices", nil, nil, func(r *http.Request) { r.Host = "evil.example" })
	assert.Equal(t, http.StatusMisdirectedRequest, status)
	assert.Contains(t, detail, "--host")
	status, _ = s.call("GET", "/api/devices", nil, nil, func(r *http.Request) { r.Host = "observatory.test:8433" })
	assert.Equal(t, 200, status)

	resp := func(origin string) int {
		req, _ := http.NewRequestWithContext(t.Context(), "POST", s.url+"/api/tickets", nil)
		req.Header.Set("Authorization", "Bearer "+s.token)
		req.Header.Set("Origin", origin)
		r, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		require.NoError(t, r.Body.Close())
		return r.StatusCode
	}
	assert.Equal(t, http.StatusForbidden, resp("http://evil.example"))
	assert.Equal(t, http.StatusCreated, resp(s.url))
}

func TestUnknownNames_AnswerWithTheNearest(t *testing.T) {
	s := newSite(t)
	s.must("POST", "/api/devices", wire.NewDevice{Name: "Boardwalk lights", Slug: "boardwalk", Kind: "light"}, nil)
	status, detail := s.call("POST", "/api/devices/bordwalk/keys/power/press", nil, nil)
	assert.Equal(t, http.StatusNotFound, status)
	assert.Contains(t, detail, "nearest are boardwalk")
	status, detail = s.call("POST", "/api/devices/boardwalk/keys/read/press", nil, nil)
	assert.Equal(t, http.StatusNotFound, status)
	assert.Contains(t, detail, "nearest are red")
	status, detail = s.call("GET", "/api/nothing", nil, nil)
	assert.Equal(t, http.StatusNotFound, status)
	assert.Contains(t, detail, "openapi.json")
}

func TestBadBodies_AreRefusedWithAReason(t *testing.T) {
	s := newSite(t)
	s.must("POST", "/api/devices", wire.NewDevice{Name: "Lamp", Keys: []string{"on"}}, nil)
	for _, c := range []struct {
		method, path string
		in           any
		says         string
	}{
		{"POST", "/api/devices", wire.NewDevice{Name: "  "}, "is empty"},
		{"POST", "/api/devices", wire.NewDevice{Name: "a\u202eb"}, "control characters"},
		{"POST", "/api/devices", wire.NewDevice{Name: strings.Repeat("x", 200)}, "name has at most 80 characters"},
		{"POST", "/api/devices", wire.NewDevice{Name: "Lamp", Slug: "La Mp"}, "use a-z"},
		{"POST", "/api/devices", wire.NewDevice{Name: "Lamp two", Kind: "lihgt"}, "there are television, set-top-box"},
		{"POST", "/api/devices", map[string]any{"name": "x", "colour": "red"}, "colour is not known here"},
		{"PUT", "/api/devices/lamp/keys/on", []wire.Code{{Sheet: "nec",
			Fields: map[string]any{"address": 256, "command": 1}}}, "0 to 255"},
		{"PUT", "/api/devices/lamp/keys/on", []wire.Code{{Sheet: "nec", Fields: map[string]any{"address": 1}}},
			"command is missing"},
		{"PUT", "/api/devices/lamp/keys/on", []wire.Code{{Sheet: "nex"}}, "unknown line code"},
		{"PUT", "/api/devices/lamp/keys/on", []wire.Code{{Train: []int{500, 0, 500}, CarrierHz: 38000}},
			"number 2 is 0"},
		{"POST", "/api/lessons", wire.NewLesson{Device: "lamp", Keys: []string{"on", "on"}}, "twice"},
	} {
		status, detail := s.call(c.method, c.path, c.in, nil)
		assert.Equal(t, http.StatusUnprocessableEntity, status, "%v", c.in)
		assert.Contains(t, detail, c.says, "%v", c.in)
	}
	status, detail := s.call("POST", "/api/devices", wire.NewDevice{Name: "Lamp"}, nil)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, detail, "choose another short name")
	status, _ = s.call("POST", "/api/devices", wire.NewDevice{Name: "x", Keys: []string{strings.Repeat("y", 2<<20)}},
		nil)
	assert.Equal(t, http.StatusRequestEntityTooLarge, status)
}

// TestStory is the thinnest whole slice over HTTP: press on a handset, lesson, replay, true state, journal.
func TestStory(t *testing.T) {
	s := newSite(t)
	s.must("POST", "/api/devices", wire.NewDevice{Name: "Dew heater A", Slug: "dew-a", Kind: "socket"}, nil)
	var l wire.Lesson
	s.must("POST", "/api/lessons", wire.NewLesson{Device: "dew-a", Keys: []string{"on"}}, &l)
	status, detail := s.call("POST", "/api/lessons", wire.NewLesson{Device: "dew-a"}, nil)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, detail, "the lesson for dew-a")

	for range 2 {
		before := ""
		if l.Last != nil {
			before = l.Last.CaptureID
		}
		s.must("POST", "/api/stage/handsets/dew-a/keys/on/press", nil, nil)
		s.eventually(func() bool {
			s.must("GET", "/api/lessons/"+l.ID, nil, &l)
			return l.Last != nil && l.Last.CaptureID != before
		}, "the lesson hears the handset")
	}
	assert.Equal(t, "done", l.State)
	assert.Equal(t, "settled", l.Keys[0].State)

	var d wire.Device
	s.must("GET", "/api/devices/dew-a", nil, &d)
	require.Len(t, d.Keys[0].Codes, 1)
	assert.Equal(t, "pt2262", d.Keys[0].Codes[0].Sheet)
	assert.InDelta(t, 340*1.06, d.Keys[0].Codes[0].Unit, 8, "the handset's own unit is kept")

	s.must("POST", "/api/stage/handsets/dew-a/keys/off/press", nil, nil)
	s.eventually(func() bool { return s.fact("dew-a", "power") == "off" }, "the handset turns it off")
	s.eventually(func() bool {
		var cs []wire.Capture
		s.must("GET", "/api/captures", nil, &cs)
		return len(cs) == 3 && cs[0].Stored && len(cs[0].Keys) == 0 && cs[1].Keys[0].String() == "dew-a/on"
	}, "three captures are stored, and two belong to the key")

	var p wire.Press
	s.must("POST", "/api/devices/dew-a/keys/on/press", wire.PressRequest{Times: 1}, &p)
	assert.Equal(t, happening.Sent, p.Outcome)
	assert.Equal(t, "on", s.fact("dew-a", "power"))
	s.eventually(func() bool {
		var page wire.JournalPage
		s.must("GET", "/api/journal", nil, &page)
		pressed, echoed := false, false
		for _, e := range page.Entries {
			pressed = pressed || e.Kind == "press" && e.By == "token test" && e.ID == p.ID
			echoed = echoed || e.Kind == "echo" && e.CauseID == p.ID
		}
		return pressed && echoed
	}, "the journal says who asked, and the echo names its cause")
}

func TestEvents_StreamWhatHappensAndGoOnWhereTheyWere(t *testing.T) {
	s := newSite(t)
	listen := func(last string) (*http.Response, func(want string) string) {
		ctx, cancel := context.WithCancel(t.Context())
		t.Cleanup(cancel)
		req, _ := http.NewRequestWithContext(ctx, "GET", s.url+"/api/events", nil)
		req.Header.Set("Authorization", "Bearer "+s.token)
		req.Header.Set("Last-Event-ID", last)
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		t.Cleanup(func() { _ = resp.Body.Close() })
		return resp, func(want string) string { return nextEvent(t, resp.Body, want) }
	}
	resp, next := listen("")
	assert.Equal(t, "text/event-stream", resp.Header.Get("Content-Type"))
	next("about")
	s.must("POST", "/api/devices", wire.NewDevice{Name: "Lamp"}, nil)
	next("device")
	id := next("entry") // what one happening says has its id at its end
	s.must("POST", "/api/devices", wire.NewDevice{Name: "Fan"}, nil)
	s.must("DELETE", "/api/devices/fan", nil, nil)

	_, again := listen(id)
	again("about")
	again("device")
	assert.NotEqual(t, id, again("entry"), "the second device comes after the first")
	again("device-removed")
	_, lost := listen("0123-99")
	lost("about")
	lost("reset")
}

// nextEvent reads a stream up to an event of a name and returns its id.
func nextEvent(t *testing.T, body io.Reader, want string) string {
	t.Helper()
	id, name := "", ""
	var line []byte
	b := make([]byte, 1)
	for {
		if _, err := body.Read(b); err != nil {
			t.Fatalf("waiting for %s: %v", want, err)
		}
		if b[0] != '\n' {
			line = append(line, b[0])
			continue
		}
		key, value, _ := strings.Cut(string(line), ": ")
		line = line[:0]
		switch key {
		case "id":
			id = value
		case "event":
			name = value
		case "":
			if name == want {
				return id
			}
			name = ""
		}
	}
}

func TestAway_PressSaysWhatIsInTheWay(t *testing.T) {
	s := newSite(t)
	s.must("POST", "/api/devices", wire.NewDevice{Name: "Lamp", Keys: []string{"on"}}, nil)
	s.must("PUT", "/api/devices/lamp/keys/on", []wire.Code{{Train: []int{500, 500, 500}, FrequencyHz: 315_000_000}},
		nil)
	status, detail := s.call("POST", "/api/devices/lamp/keys/on/press", nil, nil)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, detail, "sends from 433.67 MHz to 434.17 MHz")
}

func TestAccess_RightsAreNamedInRefusals(t *testing.T) {
	status, detail := newSite(t).as("watch").call("POST", "/api/devices/lamp/keys/on/press", nil, nil)
	assert.Equal(t, http.StatusForbidden, status)
	assert.Contains(t, detail, "this needs the right to use (press and set)")
}

// newToken is a token with the rights of a word, for the whole house.
func newToken(name, word string) access.NewToken {
	rights, _ := grant.ParseRights([]string{strings.ToLower(word)})
	return access.NewToken{Name: name, Station: word == "Station" || word == "station", Rights: rights,
		Where: grant.Everywhere}
}
