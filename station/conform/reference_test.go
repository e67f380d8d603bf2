package conform_test

import (
	"bytes"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/station"
	"urbo/station/linktest"
)

// tap sees what goes over a line, both ways.
type tap struct {
	net.Conn
	mu      sync.Mutex
	in, out bytes.Buffer
}

func (w *tap) Read(p []byte) (int, error) {
	n, err := w.Conn.Read(p)
	w.mu.Lock()
	defer w.mu.Unlock()
	w.in.Write(p[:n])
	return n, err
}

func (w *tap) Write(p []byte) (int, error) {
	w.mu.Lock()
	w.out.Write(p)
	w.mu.Unlock()
	return w.Conn.Write(p)
}

// TestReferenceStation_KeepsTheRules runs the station that stands beside the document, and holds what it and Urbo say
// against the schema.
func TestReferenceStation_KeepsTheRules(t *testing.T) {
	t.Parallel()
	python, err := exec.LookPath("python3")
	if err != nil && os.Getenv("CI") == "" {
		t.Skip("python3 is missing: install python3")
	}
	require.NoError(t, err)
	linktest.ConformInRealTime(t, func(check func(station.Link)) {
		path := filepath.Join(t.TempDir(), "station.sock")
		cmd := exec.CommandContext(t.Context(), python, "../../docs/reference-station.py", "--listen", path)
		cmd.Stderr = os.Stderr
		require.NoError(t, cmd.Start())
		var conn net.Conn
		require.Eventually(t, func() bool {
			conn, err = net.Dial("unix", path)
			return err == nil
		}, 20*time.Second, 10*time.Millisecond)
		w := &tap{Conn: conn}
		l := station.NewLines(station.Origin{Over: station.Serial, Address: path}, w)
		check(l)
		require.NoError(t, l.Close())
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
		w.mu.Lock()
		lines := append(bytes.Split(bytes.TrimSpace(w.in.Bytes()), []byte("\n")),
			bytes.Split(bytes.TrimSpace(w.out.Bytes()), []byte("\n"))...)
		w.mu.Unlock()
		summed := 0
		for _, line := range lines {
			message, sum, has := bytes.Cut(line, []byte(" #"))
			if has {
				summed++
				assert.Equal(t, string(station.AppendSum(message)), string(line), "%s", sum)
			}
			linktest.Valid(t, message)
		}
		assert.Greater(t, summed, 20, "check sums are used")
	})
}
