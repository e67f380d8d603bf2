package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestServe_ListensOnLoopbackAndItsSocketOnly: whatever else reaches a house is off until somebody turns it on.
func TestServe_ListensOnLoopbackAndItsSocketOnly(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	r := start(t, data, "serve")
	_, port, _ := strings.Cut(strings.TrimPrefix(r.url, "http://"), ":")
	assert.Equal(t, []string{"tcp 127.0.0.1:" + port, "unix " + filepath.Join(data, "urbo.sock")}, r.listens())
}

// listens are the sockets that others may talk to, by the tables of the kernel.
func (r *running) listens() (out []string) {
	r.t.Helper()
	proc := fmt.Sprintf("/proc/%d/", r.cmd.Process.Pid)
	own := map[string]bool{}
	open, err := os.ReadDir(proc + "fd")
	require.NoError(r.t, err)
	for _, f := range open {
		if to, err := os.Readlink(proc + "fd/" + f.Name()); err == nil && strings.HasPrefix(to, "socket:[") {
			own[strings.TrimSuffix(strings.TrimPrefix(to, "socket:["), "]")] = true
		}
	}
	for _, table := range []string{"tcp", "tcp6", "udp", "udp6", "raw", "raw6", "packet", "unix"} {
		text, err := os.ReadFile(proc + "net/" + table)
		if os.IsNotExist(err) { // a kernel without it
			continue
		}
		require.NoError(r.t, err)
		for _, line := range strings.Split(string(text), "\n")[1:] {
			f := strings.Fields(line)
			switch {
			case table == "unix":
				const accepts = "00010000"
				if len(f) >= 8 && own[f[6]] && f[3] == accepts {
					out = append(out, "unix "+f[7])
				}
			case table == "packet":
				if len(f) >= 9 && own[f[8]] {
					out = append(out, "packet")
				}
			case len(f) >= 10 && own[f[9]] && (f[3] == "0A" || !strings.HasPrefix(table, "tcp")):
				out = append(out, table+" "+address(f[1]))
			}
		}
	}
	return out
}

// address is an address of the kernel's tables of IPv4 in words.
func address(text string) string {
	ip, port, _ := strings.Cut(text, ":")
	n, err := strconv.ParseUint(ip, 16, 32)
	p, portErr := strconv.ParseUint(port, 16, 16)
	if err != nil || portErr != nil {
		return text
	}
	return fmt.Sprintf("%d.%d.%d.%d:%d", byte(n), byte(n>>8), byte(n>>16), byte(n>>24), p)
}
