package certs

import (
	"crypto/x509"
	"fmt"
	"net"
	"net/netip"
	"regexp"
	"slices"
	"strings"
)

// homes are the ends of names that no public name has (RFC 6762, 8375, 6761, and what routers use at home).
var homes = []string{"local", "lan", "home", "home.arpa", "internal", "localhost", "test"}

// private are the addresses that a home has: none of them is reached from elsewhere.
var private = prefixes("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "169.254.0.0/16", "127.0.0.0/8",
	"100.64.0.0/10",
	"192.0.2.0/24", "::1/128", "fc00::/7", "fe80::/10")

func prefixes(texts ...string) []*net.IPNet {
	out := make([]*net.IPNet, len(texts))
	for i, text := range texts {
		_, out[i], _ = net.ParseCIDR(text)
	}
	return out
}

var label = regexp.MustCompile(`^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$`)

// CheckHost says whether a text is a name or an address that a certificate can be for. The error wraps ErrTLS.
func CheckHost(host string) error {
	if _, err := netip.ParseAddr(host); err == nil && !strings.Contains(host, "%") {
		return nil
	}
	labels := strings.Split(strings.ToLower(host), ".")
	last := labels[len(labels)-1]
	if len(host) > 253 || slices.ContainsFunc(labels, func(l string) bool { return !label.MatchString(l) }) ||
		strings.Trim(last, "0123456789") == "" {
		return fmt.Errorf("%w: %.60q is neither a name nor an address: write urbo.lan or 192.168.1.20, without "+
			"http:// "+
			"and port", ErrTLS, host)
	}
	return nil
}

// bind binds an authority to the names and addresses of this house: whoever gets its key can speak for no other.
func bind(authority *x509.Certificate, hosts []string) {
	authority.PermittedDNSDomainsCritical = true
	authority.PermittedDNSDomains = slices.Clone(homes)
	authority.PermittedIPRanges = slices.Clone(private)
	for _, h := range hosts {
		if ip := net.ParseIP(h); ip != nil {
			if !slices.ContainsFunc(private, func(n *net.IPNet) bool { return n.Contains(ip) }) {
				if four := ip.To4(); four != nil {
					ip = four
				}
				authority.PermittedIPRanges = append(authority.PermittedIPRanges, &net.IPNet{IP: ip,
					Mask: net.CIDRMask(8*len(ip), 8*len(ip))})
			}
			continue
		}
		if !within(strings.ToLower(h), homes) {
			authority.PermittedDNSDomains = append(authority.PermittedDNSDomains, strings.ToLower(h))
		}
	}
}

// within says whether a name is one of some domains, or lies in one.
func within(name string, domains []string) bool {
	return slices.ContainsFunc(domains, func(d string) bool { return name == d || strings.HasSuffix(name, "."+d) })
}

// mayBeFor says whether an authority may sign for a host. The error wraps ErrTLS.
func mayBeFor(authority *x509.Certificate, host, dir string) error {
	if len(authority.PermittedDNSDomains) == 0 { // made by a version that did not bind it
		return nil
	}
	ok := false
	if ip := net.ParseIP(host); ip != nil {
		ok = slices.ContainsFunc(authority.PermittedIPRanges, func(n *net.IPNet) bool { return n.Contains(ip) })
	} else {
		ok = within(strings.ToLower(host), authority.PermittedDNSDomains)
	}
	if !ok {
		return fmt.Errorf("%w: the authority is bound to the names that it was made for, and %s is none of them: "+
			"remove %s "+
			"and make another, which phones have to trust anew", ErrTLS, host, dir)
	}
	return nil
}
