package api

import (
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestForwarded_OnlyNamedProxiesAreBelieved(t *testing.T) {
	proxies, err := ParseProxies([]string{"127.0.0.1", "10.1.0.0/16"})
	require.NoError(t, err)
	for _, c := range []struct{ from, forwarded, host, wantFrom, wantHost string }{
		{"127.0.0.1:5", "192.0.2.9", "urbo.test", "192.0.2.9", "urbo.test"},
		{"192.0.2.1:5", "192.0.2.9", "urbo.test", "192.0.2.1", "inner"},
		// whoever claims more is not believed
		{"127.0.0.1:5", "198.51.100.7, 192.0.2.9, 10.1.2.3", "", "192.0.2.9", "inner"},
		{"10.1.9.9:5", "nonsense", "", "10.1.9.9", "inner"},
		{"127.0.0.1:5", "", "", "127.0.0.1", "inner"},
		{"[::1]:5", "192.0.2.9", "", "::1", "inner"},
	} {
		r := httptest.NewRequest(http.MethodGet, "http://inner/", nil)
		r.RemoteAddr = c.from
		if c.forwarded != "" {
			r.Header.Set("X-Forwarded-For", c.forwarded)
		}
		if c.host != "" {
			r.Header.Set("X-Forwarded-Host", c.host)
		}
		forwarded(proxies)(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
			assert.Equal(t, c.wantFrom, address(r).String(), "%+v", c)
			assert.Equal(t, c.wantHost, r.Host, "%+v", c)
		})).ServeHTTP(httptest.NewRecorder(), r)
	}
	_, err = ParseProxies([]string{"proxy.test"})
	assert.ErrorContains(t, err, "write an address or a network")
}
