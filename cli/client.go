package cli

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"urbo/api"
	"urbo/wire"
)

// socketName is the Unix socket inside the data directory.
const socketName = "urbo.sock"

// errNobodyAnswers is wrapped where no service runs.
var errNobodyAnswers = errors.New("no Urbo answers")

// client calls a service's HTTP API.
type client struct {
	http  http.Client
	base  string
	where string // for messages
	token string
	// terminal says that somebody sits in front of it, on the machine of the service.
	terminal bool
}

// client finds the service: --server, or the socket of the one on this machine.
func (a *app) client() (*client, error) {
	server := a.server
	if server == "" {
		dir, err := dataDir()
		if err != nil {
			return nil, err
		}
		server = "unix:" + filepath.Join(dir, socketName)
	}
	return a.clientAt(server)
}

// clientAt is a client of the service at an address.
func (a *app) clientAt(server string) (*client, error) {
	c := &client{where: server}
	if path, ok := strings.CutPrefix(server, "unix:"); ok {
		c.base, c.terminal = "http://urbo", a.attended()
		c.http.Transport = &http.Transport{DialContext: func(ctx context.Context, _, _ string) (net.Conn, error) {
			var d net.Dialer
			return d.DialContext(ctx, "unix", path)
		}}
		return c, nil
	}
	u, err := url.Parse(server)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
		return nil, usageError{fmt.Errorf("--server %q: write unix:PATH or http://HOST:PORT", server)}
	}
	c.base = strings.TrimSuffix(server, "/")
	t, err := a.roots()
	if err != nil {
		return nil, err
	}
	if t != nil {
		c.http.Transport = t
	}
	c.token, err = a.credential()
	return c, err
}

// credential is the token of --token-file or URBO_TOKEN; "" where there is none.
func (a *app) credential() (string, error) {
	if a.tokenFile == "" {
		return os.Getenv("URBO_TOKEN"), nil
	}
	data, err := os.ReadFile(a.tokenFile)
	if err != nil {
		return "", fmt.Errorf("read the token: %w", err)
	}
	return strings.TrimSpace(string(data)), nil
}

// do calls an operation: in is the request's body (nil for none), out takes the answer's (nil for none).
func (c *client) do(ctx context.Context, method, path string, in, out any) error {
	var body io.Reader
	if in != nil {
		data, err := json.Marshal(in)
		if err != nil {
			return err
		}
		body = bytes.NewReader(data)
	}
	return c.stream(ctx, method, path, body, out)
}

// stream is do for a request's body that is read as it goes.
func (c *client) stream(ctx context.Context, method, path string, body io.Reader, out any) error {
	resp, err := c.send(ctx, method, path, body)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	if out == nil || resp.StatusCode == http.StatusNoContent {
		return nil
	}
	if err := decode(resp.Body, out); err != nil {
		return fmt.Errorf("read the answer of %s: %w", c.where, err)
	}
	return nil
}

func (c *client) send(ctx context.Context, method, path string, body io.Reader) (*http.Response, error) {
	req, err := http.NewRequestWithContext(ctx, method, c.base+"/api"+path, body)
	if err != nil {
		return nil, err
	}
	if body != nil {
		req.Header.Set("Content-Type", "application/json")
	}
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	if c.terminal {
		req.Header.Set(api.TerminalHeader, "1")
	}
	resp, err := c.http.Do(req)
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		var op *net.OpError
		if errors.As(err, &op) && op.Op == "dial" {
			return nil, fmt.Errorf("%w at %s: start one with urbo serve or urbo demo, or name it with --server",
				errNobodyAnswers, c.where)
		}
		return nil, fmt.Errorf("call %s: %w", c.where, err)
	}
	if resp.StatusCode >= 400 {
		defer resp.Body.Close()
		return nil, refusal(resp)
	}
	return resp, nil
}

// refusalError is what the service refused.
type refusalError struct {
	status        int
	title, detail string
}

func (r *refusalError) Error() string { return r.detail }

// refusal reads a problem.
func refusal(resp *http.Response) error {
	var p wire.Problem
	if err := json.NewDecoder(io.LimitReader(resp.Body, 1<<20)).Decode(&p); err != nil || p.Detail == "" {
		return fmt.Errorf("the service answered %s", resp.Status)
	}
	if resp.StatusCode == http.StatusUnauthorized {
		p.Detail += ": name a token with --token-file, or in URBO_TOKEN"
	}
	return &refusalError{resp.StatusCode, p.Title, p.Detail}
}

// decode reads JSON. Numbers stay as they are written: a field may have more digits than a float keeps.
func decode(data io.Reader, out any) error {
	d := json.NewDecoder(data)
	d.UseNumber()
	return d.Decode(out)
}

// errStop ends a stream of events from inside.
var errStop = errors.New("enough")

// events calls f with every event until ctx ends or f returns an error; errStop is no failure. ready is called once
// the stream is open, so that nothing after it is missed.
func (c *client) events(ctx context.Context, ready func() error, f func(name string, data []byte) error) error {
	resp, err := c.send(ctx, http.MethodGet, "/events", nil)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	if ready != nil {
		if err := ready(); err != nil {
			return err
		}
	}
	lines := bufio.NewScanner(resp.Body)
	lines.Buffer(make([]byte, 64<<10), 4<<20)
	name := ""
	for lines.Scan() {
		switch key, value, _ := strings.Cut(lines.Text(), ": "); key {
		case "event":
			name = value
		case "data":
			if err := f(name, []byte(value)); err != nil {
				if errors.Is(err, errStop) {
					return nil
				}
				return err
			}
		case "":
			name = ""
		}
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	return fmt.Errorf("the service at %s went away", c.where)
}

// parseKey reads DEVICE/KEY.
func parseKey(s string) (wire.KeyRef, error) {
	device, key, ok := strings.Cut(s, "/")
	if !ok || device == "" || key == "" || strings.Contains(key, "/") {
		return wire.KeyRef{}, usageError{fmt.Errorf("%q: write DEVICE/KEY, like boardwalk/power", s)}
	}
	return wire.KeyRef{Device: device, Key: strings.ToLower(key)}, nil
}

func (c *client) pressKey(ctx context.Context, k wire.KeyRef, r wire.PressRequest) (wire.Press, error) {
	var p wire.Press
	path, body := "/devices/"+url.PathEscape(k.Device), any(r)
	if k.Device == reins {
		path, body = "/reins", nil
	}
	err := c.do(ctx, http.MethodPost, path+"/keys/"+url.PathEscape(k.Key)+"/press", body, &p)
	return p, err
}

func sortStrings(s []string) { slices.Sort(s) }
