package certs

import (
	"crypto/rand"
	"crypto/x509"
	"encoding/pem"
	"fmt"
	"net"
	"path/filepath"
	"slices"
	"strings"
)

// forBoards is the authority of a directory as small boards can read it, in PEM: the same name and key, without the
// bounds to this house, which their TLS does not know and therefore refuses. It is for devices that speak with this
// house only.
func forBoards(dir string) ([]byte, error) {
	authority, key, err := read(filepath.Join(dir, authorityCert), filepath.Join(dir, authorityKey))
	if err != nil {
		return nil, err
	}
	number, err := serial()
	if err != nil {
		return nil, err
	}
	template := &x509.Certificate{SerialNumber: number, Subject: authority.Subject,
		SubjectKeyId: authority.SubjectKeyId, NotBefore: authority.NotBefore, NotAfter: authority.NotAfter, IsCA: true,
		BasicConstraintsValid: true, MaxPathLenZero: true, KeyUsage: authority.KeyUsage}
	der, err := x509.CreateCertificate(rand.Reader, template, template, key.Public(), key)
	if err != nil {
		return nil, fmt.Errorf("%w: make a certificate for boards: %w", ErrTLS, err)
	}
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), nil
}

// Name is a name of the house that its certificate is for, whatever address it is reached at; an address where it has
// no name.
func (a Authority) Name() string {
	if i := slices.IndexFunc(a.Hosts, func(h string) bool { return net.ParseIP(h) == nil }); i >= 0 {
		return a.Hosts[i]
	}
	return strings.Join(a.Hosts[:min(1, len(a.Hosts))], "")
}
