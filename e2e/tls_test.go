package e2e

import (
	"crypto/tls"
	"crypto/x509"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/firmware/wifi/wifitest"
	"urbo/wire"
)

// TestTLS_ALocalAuthority makes one, serves with it, and reaches the house through the command line, an outpost and a
// browser's library, each of which trusts it.
func TestTLS_ALocalAuthority(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	res := run(t, "", nil, "serve", "--tls", "--data", data, "--listen", "127.0.0.1:0")
	assert.Equal(t, 1, res.code)
	assert.Contains(t, res.err, "make one with urbo tls new")
	require.Zero(t, run(t, "", nil, "tls", "new", "urbo.test", "--data", data).code)
	r := start(t, data, "serve", "--tls")
	require.Regexp(t, "^https://", r.url)
	authority := filepath.Join(data, "tls", "authority.pem")
	token := "URBO_TOKEN=" + r.owner()
	res = run(t, "", []string{token}, "device", "list", "--server", r.url)
	assert.Equal(t, 1, res.code)
	assert.Contains(t, res.err, "certificate")
	res = run(t, "", []string{token}, "device", "list", "--server", r.url, "--ca", authority)
	assert.Zero(t, res.code, res.err)

	var s wire.Station
	r.ok(&s, "station", "add", "garden")
	begin(t, []string{"URBO_TOKEN=" + s.Secret, "URBO_CA=" + authority}, binary, "outpost", "--to", r.url, "--serial",
		newBoard(t, "bench").line.Path)
	require.Eventually(t, func() bool {
		r.ok(&s, "station", "show", "garden")
		return s.Here
	}, patience, tick)

	pem, err := os.ReadFile(authority)
	require.NoError(t, err)
	pool := x509.NewCertPool()
	require.True(t, pool.AppendCertsFromPEM(pem))
	client := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool}}}
	get := func(path string) (*http.Response, string) {
		resp, err := client.Get(r.url + path)
		require.NoError(t, err)
		defer resp.Body.Close()
		body, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		return resp, string(body)
	}
	var shown struct{ Fingerprint string }
	require.NoError(t, decode(run(t, "", nil, "tls", "show", "--data", data, "--output", "json").out, &shown))
	resp, page := get("/trust")
	assert.Equal(t, http.StatusOK, resp.StatusCode)
	assert.Contains(t, page, shown.Fingerprint, "what the page says can be compared")
	_, der := get("/trust/authority.crt")
	got, err := x509.ParseCertificate([]byte(der))
	require.NoError(t, err)
	assert.True(t, got.IsCA)
}

// TestTLS_AWiFiBoard writes the files of a board for a house with TLS: it trusts the house's authority, dials its
// address, and asks for a name in its certificate.
func TestTLS_AWiFiBoard(t *testing.T) {
	t.Parallel()
	wifitest.Bench(t)
	data := t.TempDir()
	require.Zero(t, run(t, "", nil, "tls", "new", "urbo.test", "--data", data).code)
	r := start(t, data, "serve", "--tls")
	folder := filepath.Join(t.TempDir(), "shed")
	res := r.urbo("station", "add", "shed", "--wifi", "rp2040", "--house", r.url, "--out", folder)
	require.Zero(t, res.code, res.err)
	assert.Contains(t, res.out, "Copy all 7 files")
	joins(t, folder)
	wifitest.Start(t, folder, "{}").Says("at the house, as shed")
}
