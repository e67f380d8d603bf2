// Package wifitest runs the files of a Wi-Fi board in a real MicroPython, on a virtual board, for tests.
package wifitest

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Bench gives the folder of the bench, and leaves a test out where Node's packages cannot be had. In CI they have to
// be there.
func Bench(t *testing.T) string {
	t.Helper()
	_, here, _, _ := runtime.Caller(0)
	folder := filepath.Join(filepath.Dir(filepath.Dir(here)), "bench")
	if _, err := os.Stat(filepath.Join(folder, "node_modules", "rp2040js")); err != nil {
		if os.Getenv("CI") == "" {
			t.Skip("the bench's packages are missing: cd firmware/wifi/bench && npm ci")
		}
		require.NoError(t, err, "cd firmware/wifi/bench && npm ci")
	}
	return folder
}

// Board is a board on the bench.
type Board struct {
	t      *testing.T
	orders io.WriteCloser

	mu   sync.Mutex
	said []map[string]any
	news chan struct{}
}

// Start runs the files of a folder on the bench until the test ends; options are those of bench.mjs, as JSON.
func Start(t *testing.T, folder, options string) *Board {
	t.Helper()
	cmd := exec.CommandContext(t.Context(), "node", filepath.Join(Bench(t), "bench.mjs"), folder, options)
	cmd.Stderr = os.Stderr
	orders, err := cmd.StdinPipe()
	require.NoError(t, err)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	v := &Board{t: t, orders: orders, news: make(chan struct{}, 1)}
	read := make(chan struct{})
	go func() {
		defer close(read)
		lines := bufio.NewScanner(out)
		for lines.Scan() {
			var one map[string]any
			if json.Unmarshal(lines.Bytes(), &one) != nil {
				continue
			}
			v.mu.Lock()
			v.said = append(v.said, one)
			v.mu.Unlock()
			select {
			case v.news <- struct{}{}:
			default:
			}
		}
	}()
	t.Cleanup(func() {
		_ = orders.Close()
		<-read
		_ = cmd.Wait()
	})
	return v
}

// Order tells the bench what happens, as a line of JSON.
func (v *Board) Order(text string) {
	v.t.Helper()
	_, err := fmt.Fprintln(v.orders, text)
	require.NoError(v.t, err)
}

// Await waits for something that the board says.
func (v *Board) Await(what string, fits func(map[string]any) bool) map[string]any {
	v.t.Helper()
	over := time.After(60 * time.Second)
	for {
		v.mu.Lock()
		for i, one := range v.said {
			if fits(one) {
				v.said = v.said[i+1:]
				v.mu.Unlock()
				return one
			}
		}
		said := fmt.Sprint(v.said)
		v.mu.Unlock()
		select {
		case <-v.news:
		case <-over:
			require.Fail(v.t, "the board does not say "+what, said)
		}
	}
}

// Says waits for words at the board's serial console.
func (v *Board) Says(part string) {
	v.t.Helper()
	v.Await(part, func(m map[string]any) bool { s, _ := m["says"].(string); return strings.Contains(s, part) })
}
