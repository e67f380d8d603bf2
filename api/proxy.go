package api

import (
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"slices"
	"strings"
)

// ParseProxies reads the addresses and networks of reverse proxies.
func ParseProxies(texts []string) ([]netip.Prefix, error) {
	var out []netip.Prefix
	for _, text := range texts {
		p, err := netip.ParsePrefix(text)
		if err != nil {
			a, err := netip.ParseAddr(text)
			if err != nil {
				return nil, fmt.Errorf("proxy %.60q: write an address or a network, such as 127.0.0.1 or 10.0.0.0/24",
					text)
			}
			p = netip.PrefixFrom(a, a.BitLen())
		}
		out = append(out, p.Masked())
	}
	return out, nil
}

// forwarded takes the word of named proxies for who asks, and by which name. What others say of it is passed over.
func forwarded(proxies []netip.Prefix) func(http.Handler) http.Handler {
	named := func(a netip.Addr) bool {
		return slices.ContainsFunc(proxies, func(p netip.Prefix) bool { return p.Contains(a) })
	}
	return func(next http.Handler) http.Handler {
		if len(proxies) == 0 {
			return next
		}
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if !named(address(r)) {
				next.ServeHTTP(w, r)
				return
			}
			hops := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
			for _, hop := range slices.Backward(hops) { // the last one that no proxy of ours stands for
				a, err := netip.ParseAddr(strings.TrimSpace(hop))
				if err != nil {
					break
				}
				r.RemoteAddr = net.JoinHostPort(a.Unmap().String(), "0")
				if !named(a.Unmap()) {
					break
				}
			}
			if host := r.Header.Get("X-Forwarded-Host"); host != "" && len(host) <= 253 {
				r.Host = host
			}
			next.ServeHTTP(w, r)
		})
	}
}
