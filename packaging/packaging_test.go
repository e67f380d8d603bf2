// Package packaging is how Urbo is installed on a machine that runs for years.
package packaging_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// unit is the unit with a program that is there, for systemd's own checks.
func unit(t *testing.T) string {
	t.Helper()
	if _, err := exec.LookPath("systemd-analyze"); err != nil {
		t.Skip("systemd-analyze is not installed")
	}
	text, err := os.ReadFile("urbo.service")
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "urbo.service")
	there := strings.ReplaceAll(string(text), "/usr/bin/urbo", "/bin/true")
	require.NoError(t, os.WriteFile(path, []byte(there), 0o600))
	return path
}

func TestUnit_IsAsSystemdWantsItAndLittleExposed(t *testing.T) {
	path := unit(t)
	out, err := exec.Command("systemd-analyze", "verify", path).CombinedOutput()
	require.NoError(t, err, string(out))
	assert.NotContains(t, string(out), "urbo.service:", "no warning")
	out, err = exec.Command("systemd-analyze", "security", "--offline=true", "--no-pager", path).CombinedOutput()
	require.NoError(t, err, string(out))
	level := regexp.MustCompile(`exposure level for urbo.service: ([0-9.]+)`).FindSubmatch(out)
	require.NotNil(t, level, string(out))
	exposed, err := strconv.ParseFloat(string(level[1]), 64)
	require.NoError(t, err)
	assert.Less(t, exposed, 2.0)
}

func TestScripts_AreReadByAnyShell(t *testing.T) {
	all, err := filepath.Glob("*.sh")
	require.NoError(t, err)
	require.NotEmpty(t, all)
	for _, script := range all {
		out, err := exec.Command("sh", "-n", script).CombinedOutput()
		assert.NoError(t, err, "%s: %s", script, out)
	}
}
