package outgoing_test

import (
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/outgoing"
	"urbo/service/requests"
)

// TestSend_GoesToTheNamedHostAndNowhereElse with a text and a token, and reads no more of the answer than it bears.
func TestSend_GoesToTheNamedHostAndNowhereElse(t *testing.T) {
	t.Parallel()
	var asked []string
	other := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {
		asked = append(asked,
			"other")
	}))
	defer other.Close()
	mux := http.NewServeMux()
	mux.HandleFunc("/lamp", func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		asked = append(asked, r.Method+" "+string(body)+" "+r.Header.Get("Authorization"))
		_, _ = w.Write([]byte(strings.Repeat("x", 1<<20)))
	})
	mux.HandleFunc("/here", func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, "/lamp",
			http.StatusTemporaryRedirect)
	})
	mux.HandleFunc("/away", func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, other.URL,
			http.StatusTemporaryRedirect)
	})
	mux.HandleFunc("/round", func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, "/round",
			http.StatusTemporaryRedirect)
	})
	mux.HandleFunc("/broken", func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(500) })
	s := httptest.NewServer(mux)
	defer s.Close()
	send := func(path string) error {
		return outgoing.Send(t.Context(), requests.Request{URL: s.URL + path, Method: "POST", Token: "secret"}, "on")
	}
	require.NoError(t, send("/lamp"))
	require.NoError(t, send("/here"))
	assert.Equal(t, []string{"POST on Bearer secret", "POST on Bearer secret"}, asked)
	assert.ErrorContains(t, send("/away"), "another host")
	assert.ErrorContains(t, send("/round"), "too often")
	assert.ErrorContains(t, send("/broken"), "500")
	assert.Len(t, asked, 2, "nobody else is asked")
	// a name that leads to this machine is refused; the address itself, and localhost, are meant
	named := strings.Replace(s.URL, "127.0.0.1", "ip6-localhost.localdomain", 1)
	assert.Error(t, outgoing.Send(t.Context(), requests.Request{URL: named, Method: "GET"}, ""))
}
