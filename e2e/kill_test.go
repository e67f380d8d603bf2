package e2e

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	_ "modernc.org/sqlite" // to look into the database

	"urbo/core/control"
	"urbo/core/happening"
	steps "urbo/core/run"
	"urbo/wire"
)

var kills = flag.Int("kills", 3, "how often TestKill_AtAnyMoment cuts the power")

// counted is a line code of one's own whose field counts up with every press.
const counted = `sheet: counted
title: A code that counts
medium: infrared
carrier_hz: 38000
unit_us: 500
order: msb
code: {style: mark, zero: [1, 1], one: [2, 1]}
fields:
  - {name: key, bits: 8}
  - {name: count, bits: 16, counter: true}
frames:
  message:
    - lead: [8, 4]
    - field: key
    - field: count
    - pulses: [1]
press:
  - repeat: [message]
    repeats: 1
    gap_us: 40000
`

// load does what people do until the service is gone, and remembers what was acknowledged.
type load struct {
	r       *running
	token   string
	notes   atomic.Int64 // the last that was acknowledged
	presses atomic.Int64
	mu      sync.Mutex
	devices []string
}

func (l *load) run(stop <-chan struct{}, round int) *sync.WaitGroup {
	var people sync.WaitGroup
	again := func(f func(n int) bool) {
		people.Go(func() {
			for n := 0; ; n++ {
				select {
				case <-stop:
					return
				default:
				}
				if !f(n) {
					return
				}
			}
		})
	}
	again(func(int) bool {
		text := strconv.FormatInt(l.notes.Load()+1, 10)
		if !l.ask("PATCH", "/api/devices/dew-a", wire.DeviceChange{Notes: &text}) {
			return false
		}
		l.notes.Add(1)
		return true
	})
	again(func(int) bool {
		var p wire.Press
		if !l.r.try(l.token, "POST", "/api/devices/counter/keys/on/press", wire.PressRequest{Times: 1}, &p) {
			return false
		}
		if p.Outcome == happening.Sent {
			l.presses.Add(1)
		}
		return true
	})
	again(func(n int) bool { // one sets a volume, which is many presses, and the next one a way
		return l.set("amplifier", "power", []string{"on", "off"}[n%2]) &&
			l.set("amplifier", "volume", strconv.Itoa(10+n%9))
	})
	again(func(n int) bool { return l.set("screen", "position", []string{"down", "up", "50"}[n%3]) })
	again(func(n int) bool {
		slug := fmt.Sprintf("d-%d-%d", round, n)
		if !l.ask("POST", "/api/devices", wire.NewDevice{Name: slug, Keys: []string{"on"}}) {
			return false
		}
		l.mu.Lock()
		defer l.mu.Unlock()
		l.devices = append(l.devices, slug)
		return true
	})
	again(func(int) bool { // each step of a run presses a key of its own, once
		var r wire.Run
		if !l.r.try(l.token, "POST", "/api/sequences/ladder/run", wire.RunRequest{Follow: true}, &r) {
			return false
		}
		return l.r.try(l.token, "GET", "/api/runs/"+r.ID+"?wait_ms=5000&seen="+strconv.Itoa(r.Logged)+"&phase="+
			string(r.Phase), nil, nil)
	})
	again(func(int) bool { // held over each other, and now and then only one
		return l.ask("POST", "/api/devices/dew-b/set", wire.SetRequest{Wants: []control.Want{{Control: "power",
			Value: "on"}}, ForMS: 200 + rand.Int64N(500)})
	})
	again(func(int) bool {
		return l.ask("POST", "/api/stage/handsets/boardwalk/keys/power/press", wire.HandsetPress{})
	})
	return &people
}

// set sets a control. That it is refused is an answer.
func (l *load) set(device, name, value string) bool {
	return l.ask("POST", "/api/devices/"+device+"/set", wire.SetRequest{Wants: []control.Want{{Control: name,
		Value: value}}})
}

// beliefs looks at what is believed after a cut: nothing may be certain by
// what was pressed before it.
func (l *load) beliefs(t *testing.T, began time.Time) {
	var states []wire.DeviceState
	require.Equal(t, 200, l.r.http(l.token, "GET", "/api/state", nil, &states))
	for _, d := range states {
		for _, c := range d.Controls {
			// the demo tells what nobody said before
			if c.Word == control.Certain && c.Source != control.Told && c.At.Before(began) {
				assert.Fail(t, "certain after a cut", "%s %+v", d.Device, c)
			}
		}
	}
}

// returns looks at what was under way at a cut: nothing is begun again, and what was held goes back.
func (l *load) returns(t *testing.T) {
	var runs []wire.Run
	require.Equal(t, 200, l.r.http(l.token, "GET", "/api/runs", nil, &runs))
	for _, r := range runs {
		assert.Contains(t, []steps.Phase{steps.Waiting, steps.InStep, steps.Ended}, r.Phase)
		assert.True(t, r.Phase != steps.InStep || r.Logged > 0, "a run that was in a step is not begun again: %+v", r)
	}
	var holds []wire.Hold
	var state []wire.ControlState
	back := assert.Eventually(t, func() bool {
		holds, state = nil, nil
		return l.r.http(l.token, "GET", "/api/holds", nil, &holds) == 200 && len(holds) == 0 &&
			l.r.http(l.token, "GET", "/api/devices/dew-b/state", nil, &state) == 200 && state[0].Value != "on"
	}, patience, 20*time.Millisecond, "what was held is back")
	if !back {
		require.Fail(t, "not back", "%+v %+v\n%s", holds, state, l.r.urbo("journal", "--device", "dew-b", "--count",
			"40").out)
	}
	if state[0].Value == "" { // a press of which nobody knows whether it went out, before the cut
		l.tell(t)
	}
}

// tell says that the heater is off.
func (l *load) tell(t *testing.T) {
	require.Equal(t, 200, l.r.http(l.token, "POST", "/api/devices/dew-b/tell",
		wire.TellRequest{Control: "power", Value: "off"}, nil))
}

func (l *load) ask(method, path string, body any) bool {
	return l.r.try(l.token, method, path, body, nil)
}

// try calls the API of a service that may be gone: then it is false.
func (r *running) try(token, method, path string, in, out any) bool {
	data, err := json.Marshal(in)
	if err != nil {
		return false
	}
	req, err := http.NewRequestWithContext(r.t.Context(), method, r.url+path, bytes.NewReader(data))
	if err != nil {
		return false
	}
	req.Header.Set("Authorization", "Bearer "+token)
	req.Header.Set("Content-Type", "application/json")
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return false
	}
	defer resp.Body.Close()
	answer, err := io.ReadAll(resp.Body)
	if err != nil {
		return false // it was not acknowledged whole
	}
	assert.Less(r.t, resp.StatusCode, 500, "%s %s: %s", method, path, answer)
	return out == nil || json.Unmarshal(answer, out) == nil
}

// TestKill_AtAnyMoment cuts the power under load, again and again, on one data directory. scripts/kills.sh does it 300
// times.
func TestKill_AtAnyMoment(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(data, "sheets"), 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(data, "sheets", "counted.yaml"), []byte(counted), 0o600))
	l := &load{}
	for round := range *kills {
		began := time.Now()
		l.r = start(t, data, "demo", "--pace", "20")
		if round == 0 {
			l.token = l.r.owner()
			require.Equal(t, 201, l.r.http(l.token, "POST", "/api/devices",
				wire.NewDevice{Name: "Counter", Keys: []string{"on"}}, nil))
			code := []wire.Code{{Sheet: "counted", Fields: map[string]any{"key": 5, "count": 0}}}
			require.Equal(t, 200, l.r.http(l.token, "PUT", "/api/devices/counter/keys/on", code, nil))
			l.ladder(t)
		}
		if round > 0 {
			require.Contains(t, l.r.ok(nil, "journal", "--count", "200"), "Urbo did not end by itself the last time")
			l.beliefs(t, began)
			l.returns(t)
		}
		stop := make(chan struct{})
		people := l.run(stop, round)
		after := time.NewTimer(time.Duration(30+rand.IntN(700)) * time.Millisecond)
		<-after.C
		l.r.kill()
		close(stop)
		people.Wait()
		l.check(t, data)
	}
	t.Logf("%d changes, %d presses, %d devices were acknowledged, or were done as the power went", l.notes.Load(),
		l.presses.Load(), len(l.devices))
	assert.Positive(t, l.presses.Load()*l.notes.Load())
}

// ladder makes a device with a key for each step of a sequence.
func (l *load) ladder(t *testing.T) {
	d := wire.NewDevice{Name: "Ladder", Keys: []string{"k1", "k2", "k3", "k4", "k5", "k6"}}
	require.Equal(t, 201, l.r.http(l.token, "POST", "/api/devices", d, nil))
	steps := ""
	for i, k := range d.Keys {
		code := []wire.Code{{Sheet: "nec", Fields: map[string]any{"address": 200, "command": i}}}
		require.Equal(t, 200, l.r.http(l.token, "PUT", "/api/devices/ladder/keys/"+k, code, nil))
		steps += "press ladder/" + k + "\nwait 10 ms\n"
	}
	require.Equal(t, 201, l.r.http(l.token, "POST", "/api/sequences", wire.NewSequence{Name: "Ladder", Steps: steps},
		nil))
	l.tell(t)
}

// check looks at what is on disk after a cut.
func (l *load) check(t *testing.T, data string) {
	db, err := sql.Open("sqlite", filepath.Join(data, "urbo.db"))
	require.NoError(t, err)
	defer db.Close()
	ask := func(query string, args ...any) (out string) {
		t.Helper()
		require.NoError(t, db.QueryRow(query, args...).Scan(&out), query)
		return out
	}
	require.Equal(t, "ok", ask("PRAGMA integrity_check"))
	notes, err := strconv.ParseInt(ask("SELECT coalesce(json_extract(traits, '$.notes'), '0') FROM devices WHERE slug "+
		"= 'dew-a'"), 10, 64)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, notes, l.notes.Load(), "an acknowledged change is there")
	l.notes.Store(notes)
	next, err := strconv.ParseInt(ask("SELECT coalesce((SELECT next FROM turns WHERE sheet = 'counted'), 0)"), 10, 64)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, next, l.presses.Load(), "no count comes twice")
	l.presses.Store(next)
	assert.Equal(t, "0", ask("SELECT count(*) FROM (SELECT cause_id FROM journal WHERE json_extract(document, "+
		"'$.device') = 'ladder' AND what = 'pressed' GROUP BY cause_id, json_extract(document, '$.key') "+
		"HAVING count(*) > 1)"), "no step of a run is pressed twice")
	for _, slug := range l.devices {
		require.Equal(t, "1", ask("SELECT count(*) FROM devices WHERE slug = ?", slug), slug)
	}
	assert.Equal(t, ask("SELECT count(*) FROM devices WHERE slug != 'heat-pump'"),
		ask("SELECT count(DISTINCT device_id) FROM keys"),
		"no device came without its keys; the heat pump has none")
}
