package e2e

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// namespace is a network of its own, of which only root can make one.
type namespace struct {
	t    *testing.T
	name string
}

// namespaces makes two networks with a cable between them.
func namespaces(t *testing.T) (a, b namespace) {
	t.Helper()
	if os.Getuid() != 0 {
		t.Skip("only root makes networks")
	}
	for _, needed := range []string{"ip", "avahi-daemon", "avahi-browse", "dbus-daemon"} {
		if _, err := exec.LookPath(needed); err != nil {
			t.Skip(needed + " is not installed")
		}
	}
	id := fmt.Sprintf("%x", time.Now().UnixNano()%0xFFFFFF)
	a, b = namespace{t, "ua" + id}, namespace{t, "ub" + id}
	for _, n := range []namespace{a, b} {
		if out, err := exec.Command("ip", "netns", "add", n.name).CombinedOutput(); err != nil {
			t.Skipf("no networks can be made here: %s", out)
		}
		t.Cleanup(func() { _ = exec.Command("ip", "netns", "del", n.name).Run() })
	}
	ip := func(args ...string) {
		out, err := exec.Command("ip", args...).CombinedOutput()
		require.NoError(t, err, string(out))
	}
	ip("link", "add", "va"+id, "netns", a.name, "type", "veth", "peer", "name", "vb"+id, "netns", b.name)
	for n, at := range map[namespace]string{a: "va" + id, b: "vb" + id} {
		ip("-n", n.name, "addr", "add", map[namespace]string{a: "10.77.0.1/24", b: "10.77.0.2/24"}[n], "dev", at)
		ip("-n", n.name, "link", "set", at, "up")
		ip("-n", n.name, "link", "set", "lo", "up")
	}
	return a, b
}

// command is a command in the network.
func (n namespace) command(name string, args ...string) *exec.Cmd {
	c := exec.Command("ip", append([]string{"netns", "exec", n.name, name}, args...)...)
	c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL}
	return c
}

// starts starts a command that ends with the test.
func (n namespace) starts(c *exec.Cmd) {
	n.t.Helper()
	require.NoError(n.t, c.Start())
	n.t.Cleanup(func() {
		_ = syscall.Kill(-c.Process.Pid, syscall.SIGKILL)
		_ = c.Wait()
	})
}

// browses is a network with Debian's avahi in it; it gives what that finds of a type.
func (n namespace) browses() func(kind string) string {
	n.t.Helper()
	dir := n.t.TempDir()
	require.NoError(n.t, os.Chmod(dir, 0o755))
	bus := "unix:path=" + filepath.Join(dir, "bus")
	config := filepath.Join(dir, "bus.conf")
	require.NoError(n.t, os.WriteFile(config, []byte(`<busconfig><type>system</type><listen>`+bus+`</listen>
<policy context="default"><allow user="*"/><allow own="*"/><allow send_type="method_call"/><allow send_type="signal"/>
<allow send_type="method_return"/><allow send_type="error"/><allow receive_type="method_call"/>
<allow receive_type="signal"/><allow receive_type="method_return"/><allow receive_type="error"/></policy></busconfig>`),
		0o644))
	n.starts(n.command("dbus-daemon", "--config-file="+config, "--nofork"))
	require.Eventually(n.t, func() bool { _, err := os.Stat(filepath.Join(dir, "bus")); return err == nil }, patience,
		tick)
	avahi := filepath.Join(dir, "avahi.conf")
	require.NoError(n.t, os.WriteFile(avahi,
		[]byte("[server]\nuse-ipv4=yes\nuse-ipv6=no\n[publish]\ndisable-publishing=yes\n"),
		0o644))
	// a mount of its own keeps avahi's own files apart from those of the machine
	d := n.command("unshare", "-m", "sh", "-c", "mount -t tmpfs none /run && exec avahi-daemon -f "+avahi+
		" --no-drop-root --no-chroot --no-rlimits")
	d.Env = append(os.Environ(), "DBUS_SYSTEM_BUS_ADDRESS="+bus)
	n.starts(d)
	return func(kind string) string {
		c := n.command("timeout", "5", "avahi-browse", "-rpt", kind)
		c.Env = append(os.Environ(), "DBUS_SYSTEM_BUS_ADDRESS="+bus)
		out, _ := c.CombinedOutput()
		return string(out)
	}
}

// TestDiscovery_IsFoundFromTheNextMachine lets Debian's avahi look for a house in a network beside its own: it is
// there, with where the console and the Thing Descriptions are, and gone at once when it ends.
func TestDiscovery_IsFoundFromTheNextMachine(t *testing.T) {
	t.Parallel()
	here, there := namespaces(t)
	serve := here.command(binary, "serve", "--listen", "0.0.0.0:8433", "--data", t.TempDir())
	here.starts(serve)
	browse := there.browses()
	found := ""
	require.Eventually(t, func() bool {
		found = browse("_urbo._tcp")
		return strings.Contains(found, "10.77.0.1")
	}, patience, tick, "avahi finds the house")
	assert.Contains(t, found, ";8433;")
	assert.Contains(t, found, `"scheme=http"`)
	assert.Contains(t, browse("_http._tcp"), "10.77.0.1;8433")
	things := browse("_wot._tcp")
	assert.Contains(t, things, `"td=/.well-known/wot"`)
	assert.Contains(t, things, `"type=Directory"`)
	out, err := there.command("curl", "-s", "http://10.77.0.1:8433/.well-known/wot").CombinedOutput()
	require.NoError(t, err)
	assert.Contains(t, string(out), "ThingDirectory")

	require.NoError(t, syscall.Kill(-serve.Process.Pid, syscall.SIGTERM))
	require.Eventually(t, func() bool { return !strings.Contains(browse("_urbo._tcp"), "10.77.0.1") }, patience, tick,
		"it said goodbye")
}
