// Package certs is TLS for a home: a local authority that the house makes itself, the certificate that it signs for the
// service, and certificates from files, which are read anew when they change.
package certs

import (
	"crypto"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/hex"
	"encoding/pem"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"urbo/core/fault"
)

// ErrTLS is wrapped by errors about certificates and keys.
var ErrTLS = fault.New(fault.Invalid, "TLS")

// How long what is made lasts. Phones refuse certificates that last longer than the second, whoever signs them.
const (
	authorityLife   = 10 * 365 * 24 * time.Hour
	certificateLife = 390 * 24 * time.Hour
	// renewBefore is how long before its end the certificate is made anew.
	renewBefore = 60 * 24 * time.Hour
)

// Files of a local authority, in a directory of their own.
const (
	Dir           = "tls" // in the data directory
	authorityCert = "authority.pem"
	authorityKey  = "authority.key"
	serviceCert   = "service.pem"
	serviceKey    = "service.key"
)

// Authority is a local authority as it may be shown.
type Authority struct {
	PEM         []byte // its certificate
	Boards      []byte // the same as small boards can read it; nil where its key is not there
	Fingerprint string // SHA-256 of it, in groups of two
	Expires     time.Time
	Hosts       []string // that the service's certificate is for
}

// Make makes a local authority in a directory, and a certificate of the service for some names and addresses. Where
// there is one already it is kept, and the certificate is made anew.
func Make(dir string, hosts []string, now time.Time) (Authority, error) {
	if len(hosts) == 0 {
		return Authority{}, fmt.Errorf("%w: name the hosts that browsers reach this machine by", ErrTLS)
	}
	for _, h := range hosts {
		if err := CheckHost(h); err != nil {
			return Authority{}, err
		}
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return Authority{}, fmt.Errorf("make %s: %w", dir, err)
	}
	if _, err := os.Stat(filepath.Join(dir, authorityCert)); errors.Is(err, fs.ErrNotExist) {
		template := &x509.Certificate{Subject: pkix.Name{CommonName: "Urbo, " + hosts[0]}, IsCA: true,
			BasicConstraintsValid: true, MaxPathLenZero: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageCRLSign}
		bind(template, hosts)
		if err := issue(dir, authorityCert, authorityKey, template, nil, nil, now, authorityLife); err != nil {
			return Authority{}, err
		}
	}
	if err := sign(dir, hosts, now); err != nil {
		return Authority{}, err
	}
	return Show(dir)
}

// sign makes the service's certificate.
func sign(dir string, hosts []string, now time.Time) error {
	authority, key, err := read(filepath.Join(dir, authorityCert), filepath.Join(dir, authorityKey))
	if err != nil {
		return err
	}
	if now.After(authority.NotAfter) {
		return fmt.Errorf("%w: the authority in %s is over since %s: remove that directory and make another", ErrTLS,
			dir,
			authority.NotAfter.Format(time.DateOnly))
	}
	template := &x509.Certificate{Subject: pkix.Name{CommonName: hosts[0]}, KeyUsage: x509.KeyUsageDigitalSignature,
		ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}}
	for _, h := range hosts {
		if err := mayBeFor(authority, h, dir); err != nil {
			return err
		}
		if ip := net.ParseIP(h); ip != nil {
			template.IPAddresses = append(template.IPAddresses, ip)
		} else {
			template.DNSNames = append(template.DNSNames, h)
		}
	}
	return issue(dir, serviceCert, serviceKey, template, authority, key, now, certificateLife)
}

// serial is a number that no other certificate has.
func serial() (*big.Int, error) { return rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120)) }

// issue makes one certificate with its key; without a parent it signs itself.
func issue(dir, certFile, keyFile string, template, parent *x509.Certificate, signer crypto.Signer, now time.Time,
	life time.Duration) error {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	template.SerialNumber, err = serial()
	if err != nil {
		return err
	}
	template.NotBefore, template.NotAfter = now.Add(-24*time.Hour), now.Add(life)
	if parent == nil {
		parent, signer = template, key
	}
	der, err := x509.CreateCertificate(rand.Reader, template, parent, &key.PublicKey, signer)
	if err != nil {
		return fmt.Errorf("%w: make a certificate: %w", ErrTLS, err)
	}
	private, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return err
	}
	return errors.Join(
		write(filepath.Join(dir, keyFile), &pem.Block{Type: "PRIVATE KEY", Bytes: private}, 0o600),
		write(filepath.Join(dir, certFile), &pem.Block{Type: "CERTIFICATE", Bytes: der}, 0o644))
}

// write puts a file in place as a whole.
func write(path string, block *pem.Block, mode os.FileMode) error {
	if err := os.WriteFile(path+".new", pem.EncodeToMemory(block), mode); err != nil {
		return err
	}
	return os.Rename(path+".new", path)
}

// read reads a certificate and its key.
func read(certFile, keyFile string) (*x509.Certificate, crypto.Signer, error) {
	pair, err := tls.LoadX509KeyPair(certFile, keyFile)
	if err != nil {
		return nil, nil, fmt.Errorf("%w: read %s and %s: %w", ErrTLS, certFile, keyFile, err)
	}
	key, ok := pair.PrivateKey.(crypto.Signer)
	if !ok {
		return nil, nil, fmt.Errorf("%w: %s cannot sign", ErrTLS, keyFile)
	}
	return pair.Leaf, key, nil
}

// Show is the authority of a directory. The error wraps fs.ErrNotExist where there is none.
func Show(dir string) (Authority, error) {
	text, err := os.ReadFile(filepath.Join(dir, authorityCert))
	if err != nil {
		return Authority{}, fmt.Errorf("%w: there is no local authority yet: make one with urbo tls new: %w", ErrTLS,
			err)
	}
	block, _ := pem.Decode(text)
	if block == nil {
		return Authority{}, fmt.Errorf("%w: %s is no certificate", ErrTLS, filepath.Join(dir, authorityCert))
	}
	cert, err := x509.ParseCertificate(block.Bytes)
	if err != nil {
		return Authority{}, fmt.Errorf("%w: %s: %w", ErrTLS, filepath.Join(dir, authorityCert), err)
	}
	service, _, err := read(filepath.Join(dir, serviceCert), filepath.Join(dir, serviceKey))
	if err != nil {
		return Authority{}, err
	}
	boards, err := forBoards(dir)
	if err != nil {
		slog.Warn("boards cannot speak TLS with this house", "error", err)
	}
	return Authority{PEM: text, Boards: boards, Fingerprint: fingerprint(block.Bytes), Expires: cert.NotAfter,
		Hosts: hostsOf(service)}, nil
}

func hostsOf(c *x509.Certificate) []string {
	hosts := slices.Clone(c.DNSNames)
	for _, ip := range c.IPAddresses {
		hosts = append(hosts, ip.String())
	}
	return hosts
}

func fingerprint(der []byte) string {
	sum := sha256.Sum256(der)
	text := strings.ToUpper(hex.EncodeToString(sum[:]))
	var groups []string
	for i := 0; i < len(text); i += 4 {
		groups = append(groups, text[i:i+4])
	}
	return strings.Join(groups, " ")
}

// Keeper keeps a certificate, and reads it anew when its files change.
type Keeper struct {
	certFile, keyFile string
	dir               string // of the local authority that makes it anew; "" for none
	now               func() time.Time

	mu      sync.Mutex
	pair    *tls.Certificate
	stamp   string // of the files as they were read
	checked time.Time
}

// checkEvery is how often the files are looked at, at most.
const checkEvery = 5 * time.Second

// Keep reads a certificate and its key. The error says what is wrong with them.
func Keep(certFile, keyFile string, now func() time.Time) (*Keeper, error) {
	k := &Keeper{certFile: certFile, keyFile: keyFile, now: now}
	return k, k.load()
}

// KeepLocal is Keep for the certificate of a local authority, which is made anew before it ends.
func KeepLocal(dir string, now func() time.Time) (*Keeper, error) {
	if _, err := Show(dir); err != nil {
		return nil, err
	}
	k := &Keeper{certFile: filepath.Join(dir, serviceCert), keyFile: filepath.Join(dir, serviceKey), dir: dir, now: now}
	return k, k.load()
}

// load reads the files. The caller holds mu, or is the only one.
func (k *Keeper) load() error {
	stamp := k.look()
	pair, err := tls.LoadX509KeyPair(k.certFile, k.keyFile)
	if err != nil {
		return fmt.Errorf("%w: read %s and %s: %w", ErrTLS, k.certFile, k.keyFile, err)
	}
	k.pair, k.stamp, k.checked = &pair, stamp, k.now()
	return nil
}

// look tells the files' times and sizes.
func (k *Keeper) look() string {
	text := ""
	for _, path := range []string{k.certFile, k.keyFile} {
		if info, err := os.Stat(path); err == nil {
			text += fmt.Sprint(info.ModTime().UnixNano(), info.Size(), " ")
		}
	}
	return text
}

// Config is how TLS is spoken with it.
func (k *Keeper) Config() *tls.Config {
	return &tls.Config{MinVersion: tls.VersionTLS12, NextProtos: []string{"http/1.1"},
		GetCertificate: func(*tls.ClientHelloInfo) (*tls.Certificate, error) { return k.certificate(), nil }}
}

// certificate is the one that counts now. What cannot be read does not take the place of what could.
func (k *Keeper) certificate() *tls.Certificate {
	k.mu.Lock()
	defer k.mu.Unlock()
	now := k.now()
	if now.Sub(k.checked) < checkEvery {
		return k.pair
	}
	k.checked = now
	if k.dir != "" && k.pair.Leaf.NotAfter.Sub(now) < renewBefore {
		if err := sign(k.dir, hostsOf(k.pair.Leaf), now); err != nil {
			slog.Error("the certificate is not made anew", "error", err)
		}
	}
	if k.look() != k.stamp {
		if err := k.load(); err != nil {
			slog.Error("the certificate changed and cannot be read; the one before goes on", "error", err)
		}
	}
	return k.pair
}
