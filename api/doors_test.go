package api_test

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// dial opens a connection of its own and writes to it.
func (s *site) dial(text string) net.Conn {
	s.t.Helper()
	c, err := net.Dial("tcp", strings.TrimPrefix(s.url, "http://"))
	require.NoError(s.t, err)
	s.t.Cleanup(func() { _ = c.Close() })
	_, err = io.WriteString(c, text)
	require.NoError(s.t, err)
	return c
}

// TestDoors_WhoeverHasNoTokenIsRefusedBeforeTheBodyIsRead: one byte of a promised body kept a connection for ever.
func TestDoors_WhoeverHasNoTokenIsRefusedBeforeTheBodyIsRead(t *testing.T) {
	s := newSite(t)
	for _, path := range []string{"/api/devices", "/api/packs", "/api/bench/import", "/api/devices/lamp/picture"} {
		c := s.dial("POST " + path + " HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n" +
			"Content-Length: 200000\r\n\r\n{")
		in := bufio.NewReader(c)
		resp, err := http.ReadResponse(in, nil)
		require.NoError(t, err, path)
		assert.Equal(t, http.StatusUnauthorized, resp.StatusCode, path)
		_, _ = io.Copy(io.Discard, resp.Body)
		_, err = in.ReadByte() // the server hangs up by itself
		assert.Error(t, err, path)
	}
}

// TestDoors_SlowCallersKeepNobodyOut: three thousand that say nothing locked everybody out.
func TestDoors_SlowCallersKeepNobodyOut(t *testing.T) {
	s := newSite(t)
	starts := []string{"", "G", "GET / HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: ",
		"POST /api/sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nContent-Length: " +
			"200\r\n\r\n{"}
	var all sync.WaitGroup
	for i := range 8 {
		all.Go(func() {
			for n := range 200 {
				c, err := net.Dial("tcp", strings.TrimPrefix(s.url, "http://"))
				if err != nil {
					continue
				}
				t.Cleanup(func() { _ = c.Close() })
				_, _ = io.WriteString(c, starts[(i+n)%len(starts)])
			}
		})
	}
	all.Wait()
	for range 20 {
		http.DefaultClient.CloseIdleConnections() // each with a connection of its own
		status, detail := s.call("GET", "/api/devices", nil, nil)
		require.Equal(t, 200, status, detail)
	}
}

// TestDoors_ASlowBodyOfSomebodyKnownIsReadToItsEnd: slow is no crime.
func TestDoors_ASlowBodyOfSomebodyKnownIsReadToItsEnd(t *testing.T) {
	s := newSite(t)
	body := `{"name": "Lamp"}`
	c := s.dial(fmt.Sprintf("POST /api/devices HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer %s\r\n"+
		"Content-Type: application/json\r\nContent-Length: %d\r\n\r\n", s.token, len(body)))
	for i := range body {
		_, err := io.WriteString(c, body[i:i+1])
		require.NoError(t, err)
	}
	resp, err := http.ReadResponse(bufio.NewReader(c), nil)
	require.NoError(t, err)
	assert.Equal(t, http.StatusCreated, resp.StatusCode)
}

// listen opens an event stream, reads its first event, and tells when it ends.
func (s *site) listen(change func(*http.Request)) (ended chan struct{}) {
	s.t.Helper()
	req, err := http.NewRequestWithContext(s.t.Context(), "GET", s.url+"/api/events", nil)
	require.NoError(s.t, err)
	change(req)
	resp, err := http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	s.t.Cleanup(func() { _ = resp.Body.Close() })
	require.Equal(s.t, 200, resp.StatusCode)
	in := bufio.NewReader(resp.Body)
	_, err = in.ReadString('\n')
	require.NoError(s.t, err)
	ended = make(chan struct{})
	go func() { defer close(ended); _, _ = io.Copy(io.Discard, in) }()
	return ended
}

func TestDoors_RevokingEndsTheEventStream(t *testing.T) {
	s := newSite(t)
	watcher := s.as("watch")
	bearer := func(token string) func(*http.Request) {
		return func(r *http.Request) { r.Header.Set("Authorization", "Bearer "+token) }
	}
	ofToken := watcher.listen(bearer(watcher.token))
	_, ticket, _, err := s.house.Access.Link(t.Context(), s.house.Access.Owner().ID, 1)
	require.NoError(t, err)
	_, cookie, err := s.house.Access.SignIn(t.Context(), ticket, "A browser", "192.0.2.7")
	require.NoError(t, err)
	name := "urbo_session_" + s.house.ID
	ofSession := s.listen(func(r *http.Request) { r.AddCookie(&http.Cookie{Name: name, Value: cookie}) })
	other := s.listen(bearer(s.token))

	status, detail := s.call("DELETE", "/api/tokens/a%20watch", nil, nil)
	require.Equal(t, 204, status, detail)
	<-ofToken
	var sessions []wire.Session
	status, detail = s.call("GET", "/api/sessions", nil, &sessions)
	require.Equal(t, 200, status, detail)
	require.Len(t, sessions, 1)
	assert.Equal(t, "A browser", sessions[0].Browser)
	assert.False(t, sessions[0].This)
	assert.Equal(t, "127.0.0.1", sessions[0].From, "it was last used for the stream")
	status, detail = s.call("DELETE", "/api/sessions/"+sessions[0].ID, nil, nil)
	require.Equal(t, 204, status, detail)
	<-ofSession
	select {
	case <-other:
		t.Error("another one's stream ended too")
	default:
	}
}

func TestDoors_EventStreamsAreBounded(t *testing.T) {
	s := newSite(t)
	for range 64 {
		s.listen(func(r *http.Request) { r.Header.Set("Authorization", "Bearer "+s.token) })
	}
	after := ""
	status, detail := s.call("GET", "/api/events", nil, nil)
	assert.Equal(t, http.StatusServiceUnavailable, status)
	assert.Contains(t, detail, "64 event streams of this caller are open")
	req, err := http.NewRequestWithContext(t.Context(), "GET", s.url+"/api/events", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+s.token)
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	after = resp.Header.Get("Retry-After")
	require.NoError(t, resp.Body.Close())
	assert.NotEmpty(t, after)
}

// TestDoors_GuessesAreSlowed: the first wrong ones are answered at once, soon each takes a second, and more than that
// are refused with when to come back. Whoever is known is not held up.
func TestDoors_GuessesAreSlowed(t *testing.T) {
	s := newSite(t)
	began := time.Now()
	var all sync.WaitGroup
	var mu sync.Mutex
	got := map[int]int{}
	for range 40 {
		all.Go(func() {
			wrong := &site{t, s.house, s.url, "wrong"}
			status, _ := wrong.call("GET", "/api/devices", nil, nil)
			mu.Lock()
			defer mu.Unlock()
			got[status]++
		})
	}
	status, _ := s.call("GET", "/api/devices", nil, nil)
	assert.Equal(t, 200, status)
	all.Wait()
	assert.GreaterOrEqual(t, got[http.StatusTooManyRequests], 20)
	assert.LessOrEqual(t, got[http.StatusUnauthorized], 10+int(time.Since(began)/time.Second)+5)
	nobody := &site{t, s.house, s.url, ""}
	status, detail := nobody.call("POST", "/api/sign-in", wire.SignIn{Ticket: "guess"}, nil)
	assert.Contains(t, []int{http.StatusTooManyRequests, http.StatusUnauthorized}, status, detail)
}

// TestDoors_IdleConnectionsOfOneTokenKeepNobodyOut: 1,279 of them locked a browser out, also after their token was
// gone.
func TestDoors_IdleConnectionsOfOneTokenKeepNobodyOut(t *testing.T) {
	s := newSite(t)
	watcher := s.as("watch")
	var idle []net.Conn
	for range 300 {
		c := s.dial("GET /api/me HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer " + watcher.token + "\r\n\r\n")
		resp, err := http.ReadResponse(bufio.NewReader(c), nil)
		require.NoError(t, err)
		require.Equal(t, 200, resp.StatusCode)
		_, _ = io.Copy(io.Discard, resp.Body)
		idle = append(idle, c)
	}
	ends := func(c net.Conn, within time.Duration) bool {
		require.NoError(t, c.SetReadDeadline(time.Now().Add(within)))
		_, err := c.Read(make([]byte, 1))
		var timeout net.Error
		return !errors.As(err, &timeout) || !timeout.Timeout()
	}
	for _, c := range idle[:300-128] {
		assert.True(t, ends(c, patience), "the oldest have to make room")
	}
	assert.False(t, ends(idle[299], tick), "the newest have not")
	status, _ := s.call("DELETE", "/api/tokens/a%20watch", nil, nil)
	require.Equal(t, 204, status)
	for _, c := range idle[300-128:] {
		assert.True(t, ends(c, patience), "no token, no connection")
	}
}

// TestDoors_ABodyThatDoesNotComeEndsTheConnection: one byte of a thousand stood for more than a minute.
func TestDoors_ABodyThatDoesNotComeEndsTheConnection(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	began := time.Now()
	var open []net.Conn
	for _, head := range []string{"POST /api/sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\n",
		"POST /api/devices HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer " + s.token + "\r\n",
		"POST /api/bench/import?name=a.wav HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer " + s.token + "\r\n"} {
		open = append(open, s.dial(head+"Content-Type: application/json\r\nContent-Length: 1000\r\n\r\n{"))
	}
	for _, c := range open {
		require.NoError(t, c.SetReadDeadline(began.Add(45*time.Second)))
		said, err := io.ReadAll(c)
		var timeout net.Error
		assert.False(t, errors.As(err, &timeout) && timeout.Timeout(), "it is closed soon after its time: %s", said)
	}
}
