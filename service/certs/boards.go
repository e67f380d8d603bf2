package certs

import (
	"crypto/rand"
	"crypto/x509"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"path/filepath"
)

// forBoards is the authority of a directory as small boards can read it, in PEM: the same name and key, without the
// bounds to this house, which their TLS does not know and therefore refuses. It is for devices that speak with this
// house only.
func forBoards(dir string) ([]byte, error) {
	authority, key, err := read(filepath.Join(dir, authorityCert), filepath.Join(dir, authorityKey))
	if err != nil {
		return nil, err
	}
	number, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120))
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
	for _, h := range a.Hosts {
		if net.ParseIP(h) == nil {
			return h
		}
	}
	return append(a.Hosts, "")[0]
}
