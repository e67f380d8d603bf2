// Package e2e drives the built binary on loopback as its users do: through its HTTP face, its command line, and its
// console in headless Chromium.
package e2e

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// patience is how long anything may take on a busy machine.
const patience = time.Minute

// tick is how often something is looked at that has to become true.
const tick = 20 * time.Millisecond

// binary is the built urbo.
var binary string

func TestMain(m *testing.M) {
	os.Exit(func() int {
		if binary = os.Getenv("URBO_BIN"); binary != "" { // make has built it already
			return m.Run()
		}
		dir, err := os.MkdirTemp("", "urbo-e2e-")
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer os.RemoveAll(dir)
		binary = filepath.Join(dir, "urbo")
		build := exec.Command("go", "build", "-o", binary, "urbo/cmd/urbo")
		build.Env = append(os.Environ(), "CGO_ENABLED=0")
		if out, err := build.CombinedOutput(); err != nil {
			fmt.Fprintf(os.Stderr, "build urbo: %v\n%s", err, out)
			return 1
		}
		return m.Run()
	}())
}

// running is a service that was started for a test.
type running struct {
	t      *testing.T
	cmd    *exec.Cmd
	url    string
	link   string // signs in once
	socket string // for URBO_SERVER
	stderr *bytes.Buffer
}

// start runs a command that serves, on a free port, until the test ends.
func start(t *testing.T, data string, args ...string) *running {
	t.Helper()
	return startAt(t, data, "127.0.0.1:0", args...)
}

// startAt is start at an address.
func startAt(t *testing.T, data, listen string, args ...string) *running {
	t.Helper()
	if data == "" {
		data = t.TempDir()
	}
	if args[0] == "demo" && !slices.Contains(args, "--at") { // its errands are at rest at noon
		args = append(args, "--at", "2026-12-05 12:00")
	}
	cmd := exec.Command(binary, append(args, "--listen", listen, "--data", data)...)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	r := &running{t: t, cmd: cmd, socket: "unix:" + filepath.Join(data, "urbo.sock"), stderr: &bytes.Buffer{}}
	cmd.Stderr = r.stderr
	require.NoError(t, cmd.Start())
	t.Cleanup(r.stop)
	lines := bufio.NewReader(out)
	first, err := lines.ReadString('\n')
	require.NoError(t, err, "the first line is the address; stderr: %s", r.stderr)
	r.url = strings.TrimSpace(first)
	require.Regexp(t, `^https?://127\.0\.0\.1:\d+$`, r.url)
	second, err := lines.ReadString('\n')
	require.NoError(t, err)
	_, r.link, _ = strings.Cut(strings.TrimSpace(second), "http")
	r.link = "http" + r.link
	go func() { _, _ = io.Copy(io.Discard, lines) }()
	return r
}

// stop ends the service as an operator would, and waits for it.
func (r *running) stop() {
	if r.cmd.ProcessState != nil {
		return
	}
	_ = r.cmd.Process.Signal(syscall.SIGTERM)
	ended := make(chan error, 1)
	go func() { ended <- r.cmd.Wait() }()
	select {
	case err := <-ended:
		if err != nil {
			r.t.Errorf("urbo ended with %v: %s", err, r.stderr)
		}
	case <-time.After(patience):
		_ = r.cmd.Process.Signal(syscall.SIGQUIT) // then it says where it stands
		time.AfterFunc(patience/10, func() { _ = r.cmd.Process.Kill() })
		<-ended
		r.t.Error("urbo did not stop: " + r.stderr.String())
	}
}

// kill ends it as a power cut would.
func (r *running) kill() {
	require.NoError(r.t, r.cmd.Process.Kill())
	_, _ = r.cmd.Process.Wait()
	r.cmd.ProcessState = &os.ProcessState{}
}

// result is what a command printed and how it ended.
type result struct {
	out, err string
	code     int
}

// urbo runs a command line against the service.
func (r *running) urbo(args ...string) result {
	r.t.Helper()
	return run(r.t, "", []string{"URBO_SERVER=" + r.socket}, args...)
}

// run runs a command line.
func run(t *testing.T, stdin string, env []string, args ...string) result {
	t.Helper()
	return runWithin(t, 2*patience, stdin, env, args...)
}

// runWithin is run for a command that may take longer.
func runWithin(t *testing.T, limit time.Duration, stdin string, env []string, args ...string) result {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), limit)
	defer cancel()
	cmd := exec.CommandContext(ctx, binary, args...)
	cmd.Env = append(os.Environ(), env...)
	cmd.Stdin = strings.NewReader(stdin)
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	err := cmd.Run()
	require.NoError(t, ctx.Err(), "urbo %v hangs: %s%s", args, &out, &errs)
	if err != nil {
		require.IsType(t, &exec.ExitError{}, err)
	}
	return result{out.String(), errs.String(), cmd.ProcessState.ExitCode()}
}

// ok runs a command line that has to succeed, and reads its JSON into out where given.
func (r *running) ok(out any, args ...string) string {
	r.t.Helper()
	if out != nil {
		args = append(args, "--output", "json")
	}
	res := r.urbo(args...)
	require.Zero(r.t, res.code, "urbo %v: %s", args, res.err)
	if out != nil {
		require.NoError(r.t, json.Unmarshal([]byte(res.out), out), res.out)
	}
	return res.out
}

// decode reads JSON.
func decode(text string, out any) error { return json.Unmarshal([]byte(text), out) }

// http calls the API with a token.
func (r *running) http(token, method, path string, in, out any) int {
	r.t.Helper()
	var body io.Reader
	if in != nil {
		data, err := json.Marshal(in)
		require.NoError(r.t, err)
		body = bytes.NewReader(data)
	}
	resp, data := r.request(token, method, path, body)
	if out != nil && resp.StatusCode < 300 {
		require.NoError(r.t, json.Unmarshal(data, out), string(data))
	}
	return resp.StatusCode
}

// request is one HTTP request with a token; its answer's body is read.
func (r *running) request(token, method, path string, body io.Reader) (*http.Response, []byte) {
	r.t.Helper()
	req, err := http.NewRequestWithContext(r.t.Context(), method, r.url+path, body)
	require.NoError(r.t, err)
	req.Header.Set("Authorization", "Bearer "+token)
	req.Header.Set("Content-Type", "application/json")
	resp, err := http.DefaultClient.Do(req)
	require.NoError(r.t, err)
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	require.NoError(r.t, err)
	return resp, data
}

// owner makes a token with all rights.
func (r *running) owner() string {
	r.t.Helper()
	var t wire.Token
	r.ok(&t, "token", "add", "tests", "--scope", "owner")
	return t.Secret
}

// fact is what is true of an appliance on the stage.
func (r *running) fact(token, appliance, name string) string {
	r.t.Helper()
	var s wire.Stage
	require.Equal(r.t, http.StatusOK, r.http(token, "GET", "/api/stage", nil, &s))
	for _, a := range s.Appliances {
		for _, f := range a.Facts {
			if a.Slug == appliance && f.Name == name {
				return f.Value
			}
		}
	}
	return ""
}

// becomes waits for the true state of an appliance.
func (r *running) becomes(token, appliance, name, want string) {
	r.t.Helper()
	is := func() bool { return r.fact(token, appliance, name) == want }
	if !assert.Eventually(r.t, is, patience, 20*time.Millisecond,
		"%s: %s should become %s", appliance, name, want) {
		r.t.Log(r.urbo("journal", "--count", "30").out)
		r.t.FailNow()
	}
}
