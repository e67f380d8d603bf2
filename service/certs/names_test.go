package certs_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"math/big"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/service/certs"
)

func TestMake_RefusesWhatIsNoName(t *testing.T) {
	for _, host := range []string{"", "http://urbo.test", "urbo.test:8080", "*.urbo.test", "urbo test", "-urbo.test",
		"a..b",
		"urbo.test.", "999.1.1.1", "1.2.3", "fe80::1%eth0", "ü.test", "a/b", "x\x1b[2J", strings.Repeat("a",
			64) + ".test",
		strings.Repeat("a.", 130) + "test"} {
		dir := filepath.Join(t.TempDir(), "tls")
		_, err := certs.Make(dir, []string{"urbo.test", host}, time.Now())
		require.ErrorIs(t, err, certs.ErrTLS, "%q", host)
		assert.NoDirExists(t, dir, "nothing is made")
	}
	for _, host := range []string{"urbo", "urbo.lan", "URBO.local", "x-1.home.arpa", "2.example", "::1", "fd00::7",
		"10.0.0.7"} {
		require.NoError(t, certs.CheckHost(host), host)
	}
}

// TestMake_TheAuthoritySpeaksForThisHouseOnly has its key sign for another name.
func TestMake_TheAuthoritySpeaksForThisHouseOnly(t *testing.T) {
	dir := t.TempDir()
	a, err := certs.Make(dir, []string{"house.example", "198.51.100.7", "urbo.lan"}, time.Now())
	require.NoError(t, err)
	pair, err := tls.LoadX509KeyPair(filepath.Join(dir, "authority.pem"), filepath.Join(dir, "authority.key"))
	require.NoError(t, err)
	roots := x509.NewCertPool()
	require.True(t, roots.AppendCertsFromPEM(a.PEM))
	for host, trusted := range map[string]bool{"house.example": true, "door.house.example": true, "urbo.lan": true,
		"kitchen.local": true, "bank.example": false, "example": false, "xhouse.example": false} {
		key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
		require.NoError(t, err)
		template := &x509.Certificate{SerialNumber: big.NewInt(9), DNSNames: []string{host},
			NotBefore: time.Now().Add(-time.Hour),
			NotAfter:  time.Now().Add(time.Hour), ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}}
		der, err := x509.CreateCertificate(rand.Reader, template, pair.Leaf, &key.PublicKey, pair.PrivateKey)
		require.NoError(t, err)
		leaf, err := x509.ParseCertificate(der)
		require.NoError(t, err)
		_, err = leaf.Verify(x509.VerifyOptions{Roots: roots, DNSName: host})
		assert.Equal(t, trusted, err == nil, "%s: %v", host, err)
	}
	_, err = certs.Make(dir, []string{"bank.example"}, time.Now())
	require.ErrorContains(t, err, "bound to the names that it was made for")
	_, err = certs.Make(dir, []string{"203.0.113.9"}, time.Now())
	require.ErrorContains(t, err, "make another")
	_, err = certs.Make(dir, []string{"other.local", "192.168.7.7", "198.51.100.7"}, time.Now())
	require.NoError(t, err, "what is of a home may come later")
}
