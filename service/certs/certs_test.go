package certs_test

import (
	"crypto/tls"
	"crypto/x509"
	"io/fs"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/service/certs"
)

// leaf is the certificate that a keeper shows to somebody who calls.
func leaf(t *testing.T, k *certs.Keeper) *x509.Certificate {
	t.Helper()
	pair, err := k.Config().GetCertificate(&tls.ClientHelloInfo{})
	require.NoError(t, err)
	return pair.Leaf
}

func TestLocalAuthority_IsTrustedAndRenewsItsCertificate(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "tls")
	_, err := certs.KeepLocal(dir, time.Now)
	require.ErrorIs(t, err, fs.ErrNotExist)
	require.ErrorContains(t, err, "urbo tls new")
	now := time.Now()
	a, err := certs.Make(dir, []string{"urbo.test", "192.0.2.7"}, now)
	require.NoError(t, err)
	assert.Equal(t, []string{"urbo.test", "192.0.2.7"}, a.Hosts)
	k, err := certs.KeepLocal(dir, func() time.Time { return now })
	require.NoError(t, err)
	first := leaf(t, k)
	roots := x509.NewCertPool()
	require.True(t, roots.AppendCertsFromPEM(a.PEM))
	for _, host := range a.Hosts {
		_, err = first.Verify(x509.VerifyOptions{Roots: roots, DNSName: host})
		require.NoError(t, err, host)
	}
	assert.Less(t, first.NotAfter.Sub(first.NotBefore), 398*24*time.Hour, "phones refuse longer ones")
	for _, key := range []string{"authority.key", "service.key"} {
		info, err := os.Stat(filepath.Join(dir, key))
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o600), info.Mode(), key)
	}

	now = now.Add(350 * 24 * time.Hour)
	again := leaf(t, k)
	assert.True(t, again.NotAfter.After(first.NotAfter), "it is made anew before it ends")
	b, err := certs.Make(dir, []string{"other.test"}, now)
	require.NoError(t, err)
	assert.Equal(t, a.Fingerprint, b.Fingerprint, "who trusts the house goes on doing so")
	now = now.Add(time.Minute)
	assert.Equal(t, []string{"other.test"}, leaf(t, k).DNSNames)
	_, err = certs.Make(dir, []string{"other.test"}, now.Add(12*365*24*time.Hour))
	assert.ErrorContains(t, err, "make another")
}

func TestKeep_ReadsChangedFilesAndKeepsWhatItHas(t *testing.T) {
	one, two := t.TempDir(), t.TempDir()
	now := time.Now()
	for dir, host := range map[string]string{one: "one.test", two: "two.test"} {
		_, err := certs.Make(dir, []string{host}, now)
		require.NoError(t, err)
	}
	cert, key := filepath.Join(one, "service.pem"), filepath.Join(one, "service.key")
	k, err := certs.Keep(cert, key, func() time.Time { return now })
	require.NoError(t, err)
	put := func(name string, data []byte) {
		require.NoError(t, os.WriteFile(filepath.Join(one, name), data, 0o600))
		now = now.Add(time.Minute)
	}
	put("service.pem", []byte("half of a certifi"))
	assert.Equal(t, []string{"one.test"}, leaf(t, k).DNSNames)
	for _, name := range []string{"service.pem", "service.key"} {
		data, err := os.ReadFile(filepath.Join(two, name))
		require.NoError(t, err)
		put(name, data)
	}
	assert.Equal(t, []string{"two.test"}, leaf(t, k).DNSNames)
	_, err = certs.Keep(cert, filepath.Join(one, "authority.key"), time.Now)
	assert.ErrorIs(t, err, certs.ErrTLS)
}
