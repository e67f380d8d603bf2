// Package outgoing sends the named requests of a house over HTTP.
package outgoing

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"syscall"
	"time"

	"urbo/service/requests"
)

const (
	// patience is how long a request may take, with its answer.
	patience = 10 * time.Second
	// fetching is how long it may take to fetch a text.
	fetching = 30 * time.Second
	// mostAnswer is how much of an answer is read: nothing of it is used.
	mostAnswer = 64 << 10
	// mostRedirects is how often an address may lead on, to the same host.
	mostRedirects = 3
)

// Send sends a request with a text as its body. It goes to the host that was named and nowhere else: redirects to
// another one are refused, and so is a name that leads to this machine itself, or to where no name of a network leads.
func Send(ctx context.Context, r requests.Request, text string) error {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, r.Method, r.URL, strings.NewReader(text))
	if err != nil {
		return err
	}
	if text == "" {
		req.Body, req.ContentLength = http.NoBody, 0
	} else {
		req.Header.Set("Content-Type", "text/plain; charset=utf-8")
	}
	if r.Token != "" {
		req.Header.Set("Authorization", "Bearer "+r.Token)
	}
	req.Header.Set("User-Agent", "urbo")
	client := clientFor(req)
	resp, err := client.Do(req)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	_, _ = io.Copy(io.Discard, io.LimitReader(resp.Body, mostAnswer))
	if resp.StatusCode >= http.StatusMultipleChoices {
		return fmt.Errorf("the answer is %s", resp.Status)
	}
	return nil
}

// clientFor is a client that goes to the host of a request and nowhere else.
func clientFor(req *http.Request) *http.Client {
	dialer := &net.Dialer{Timeout: patience, Control: control(req.URL.Hostname())}
	transport := &http.Transport{DialContext: dialer.DialContext, DisableKeepAlives: true,
		MaxResponseHeaderBytes: mostAnswer, TLSHandshakeTimeout: patience}
	return &http.Client{Transport: transport, CheckRedirect: func(next *http.Request, via []*http.Request) error {
		if len(via) > mostRedirects {
			return errors.New("it leads on too often")
		}
		if next.URL.Host != via[0].URL.Host {
			return fmt.Errorf("it leads on to another host, %.60s", next.URL.Host)
		}
		return nil
	}}
}

// Fetch fetches a text of at most so many bytes. tag is what came with the text before; where nothing is new, text is
// nil.
func Fetch(ctx context.Context, address, tag string, most int64) (text []byte, newTag string, err error) {
	ctx, cancel := context.WithTimeout(ctx, fetching)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, "", err
	}
	req.Header.Set("User-Agent", "urbo")
	req.Header.Set("Accept", "text/calendar, */*;q=0.5")
	if tag != "" {
		req.Header.Set("If-None-Match", tag)
	}
	resp, err := clientFor(req).Do(req)
	if err != nil {
		return nil, "", withoutAddress(err)
	}
	defer resp.Body.Close()
	switch {
	case resp.StatusCode == http.StatusNotModified && tag != "":
		return nil, tag, nil
	case resp.StatusCode != http.StatusOK:
		return nil, "", fmt.Errorf("the answer is %s", resp.Status)
	}
	if text, err = io.ReadAll(io.LimitReader(resp.Body, most)); err != nil {
		return nil, "", withoutAddress(err)
	}
	return text, resp.Header.Get("ETag"), nil
}

// withoutAddress is an error without the address, which may be secret.
func withoutAddress(err error) error {
	var of *url.Error
	if errors.As(err, &of) {
		return of.Err
	}
	return err
}

// control refuses where a host's name leads to. An address that was written as such, and localhost, are meant.
func control(host string) func(network, address string, c syscall.RawConn) error {
	_, err := netip.ParseAddr(host)
	meant := err == nil || host == "localhost"
	return func(_, address string, _ syscall.RawConn) error {
		at, err := netip.ParseAddrPort(address)
		if err != nil {
			return err
		}
		ip := at.Addr().Unmap()
		if !meant && (ip.IsLoopback() || ip.IsUnspecified() || ip.IsLinkLocalUnicast() || ip.IsMulticast()) {
			return fmt.Errorf("%s leads to %s, which is no host of a network: write the address itself where that is "+
				"meant",
				host, ip)
		}
		return nil
	}
}
