package e2e

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
	"urbo/wire"
)

var (
	days = flag.Int("days", 0, "how many days of use TestWeek_IsFlat lives through, with two restarts; 0 leaves it out")
	busy = flag.Int("busy", 300, "how many presses of handsets a day of it has; the rest is in proportion")
)

// used is what a service takes at the end of a day.
type used struct {
	memory, database, files, goroutines int
}

// TestWeek_IsFlat lives through days that are far busier than any: handsets, presses, settings, measurements, pages, a
// lesson a day, a restart and a power cut. What it takes does not grow with the days, and the database only by what is
// told in the journal, up to what is kept of that.
//
//	URBO_BIN=$PWD/bin/urbo go test ./e2e -run TestWeek -days 7 -v -timeout 2h
func TestWeek_IsFlat(t *testing.T) {
	if *days == 0 {
		t.Skip("-days 0")
	}
	data := t.TempDir()
	begin := func() *running { return start(t, data, "demo", "--pace", "50") }
	r := begin()
	token := r.owner()
	random := rand.New(rand.NewPCG(7, 7))
	var all []used
	for day := range *days {
		switch {
		case day > 0 && day%5 == 3:
			r.stop()
			r = begin()
		case day > 0 && day%5 == 0:
			r.kill()
			r = begin()
		}
		for n := range *busy {
			r.moment(token, random, n)
		}
		r.relearns(token)
		var u used
		require.Eventually(t, func() bool { // at rest
			before := u
			u = r.uses(token, data)
			return u.files == before.files && u.database == before.database
		}, patience, 2*time.Second)
		all = append(all, u)
		t.Logf("day %d: %.1f MB of memory, %.2f MB of database, %d descriptors, %d goroutines", day+1,
			float64(u.memory)/1e6, float64(u.database)/1e6, u.files, u.goroutines)
	}
	first, last := all[0], all[len(all)-1]
	assert.LessOrEqual(t, last.files, first.files+5, "descriptors")
	assert.LessOrEqual(t, last.goroutines, first.goroutines+10, "goroutines")
	assert.Less(t, last.memory, first.memory*3/2, "memory")
	if len(all) > 2 {
		early, late := all[1].database-first.database, last.database-all[len(all)-2].database
		assert.Less(t, late, early*3/2+1<<20, "what a day adds to the database")
	}
}

// moment is a part of a day.
func (r *running) moment(token string, random *rand.Rand, n int) {
	r.t.Helper()
	handsets := []string{"boardwalk/power", "boardwalk/red", "boardwalk/amber", "dew-a/on", "dew-a/off", "radio/power",
		"amplifier/volume-up", "shutter/up", "shutter/stop"}
	handset, key, _ := strings.Cut(handsets[random.IntN(len(handsets))], "/")
	r.touch(token, handset, key, 0)
	switch {
	case n%3 == 0:
		require.Equal(r.t, 200, r.http(token, "POST", "/api/devices/boardwalk/keys/red/press", nil, nil))
	case n%10 == 1:
		value := []string{"on", "off"}[random.IntN(2)]
		require.Equal(r.t, 200, r.http(token, "POST", "/api/devices/dew-a/set",
			wire.SetRequest{Wants: []control.Want{{Control: "power", Value: value}}}, nil))
	case n%10 == 2:
		require.Equal(r.t, 200, r.http(token, "POST", "/api/measurements/dome/humidity",
			wire.Measured{Value: 60 + 10*random.Float64(), Unit: "%"}, nil))
	case n%10 == 4:
		for _, page := range []string{"/", "/api/devices", "/api/journal", "/api/captures", "/api/boards", "/metrics"} {
			require.Equal(r.t, 200, r.http(token, "GET", page, nil, nil), page)
		}
	}
}

// relearns learns two keys of the projector again.
func (r *running) relearns(token string) {
	r.t.Helper()
	var l wire.Lesson
	require.Equal(r.t, 201, r.http(token, "POST", "/api/lessons", wire.NewLesson{Device: "projector",
		Keys: []string{"menu", "ok"}}, &l))
	require.Eventually(r.t, func() bool {
		l = r.lesson(token, l.ID)
		if l.State == "running" && l.Key != "" {
			r.touch(token, "projector", l.Key, 0)
		}
		return l.State == "done"
	}, patience, 300*time.Millisecond)
}

// uses looks at what the service takes now.
func (r *running) uses(token, data string) (u used) {
	r.t.Helper()
	pid := r.cmd.Process.Pid
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	require.NoError(r.t, err)
	u.memory = 1024 * number(r.t, status, `VmRSS:\s+(\d+) kB`)
	open, err := os.ReadDir(fmt.Sprintf("/proc/%d/fd", pid))
	require.NoError(r.t, err)
	u.files = len(open)
	parts, err := filepath.Glob(data + "/urbo.db*")
	require.NoError(r.t, err)
	for _, part := range parts {
		info, err := os.Stat(part)
		require.NoError(r.t, err)
		u.database += int(info.Size())
	}
	_, figures := r.request(token, "GET", "/metrics", nil)
	u.goroutines = number(r.t, figures, `(?m)^go_goroutines (\d+)$`)
	return u
}

// number is the number that a pattern finds in a text.
func number(t *testing.T, text []byte, pattern string) int {
	t.Helper()
	found := regexp.MustCompile(pattern).FindSubmatch(text)
	require.NotNil(t, found, "%s in %s", pattern, text)
	n, err := strconv.Atoi(string(found[1]))
	require.NoError(t, err)
	return n
}
