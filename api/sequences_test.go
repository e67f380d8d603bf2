package api_test

import (
	"net/http"
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// over waits until a run has ended.
func (s *site) over(r wire.Run) wire.Run {
	s.t.Helper()
	for range 20 {
		ask := url.Values{"wait_ms": {"5000"}, "phase": {string(r.Phase)}, "seen": {"0"}}
		s.must("GET", "/api/runs/"+r.ID+"?"+ask.Encode(), nil, &r)
		if r.Over != nil {
			return r
		}
	}
	require.Fail(s.t, "it does not end", "%+v", r)
	return r
}

func TestSequences_AreWrittenRunAndStopped(t *testing.T) {
	s := newSite(t)
	s.lit("lamp-a", "Dome", 1)
	s.lit("lamp-b", "Outside", 2)
	s.must("POST", "/api/groups", wire.NewGroup{Slug: "lamps", Name: "Lamps", Members: []string{"lamp-a", "lamp-b"}},
		nil)
	for steps, says := range map[string]string{
		"":                         "there are none",
		"set lamp-c/power to on":   "line 1, column 5: unknown device",
		"set lamp-a/power to half": `line 1, column 5: control power: "half": there are off, on`,
		"press lamp-a/onn":         "line 1, column 7: ",
		"press lamps/on":           "a key is pressed on one device",
		"run none":                 "there are no sequences yet",
	} {
		status, detail := s.call("POST", "/api/sequences", wire.NewSequence{Name: "Wrong", Steps: steps}, nil)
		assert.Contains(t, []int{http.StatusUnprocessableEntity, http.StatusNotFound, http.StatusConflict}, status,
			steps)
		assert.Contains(t, detail, says, steps)
	}
	var one wire.Sequence
	s.must("POST", "/api/sequences", wire.NewSequence{Name: "Light up", Steps: "set lamps/power to on\nwait 1 h"}, &one)
	assert.Equal(t, "light-up", one.Slug)
	assert.Equal(t, 2, one.Count)
	assert.Equal(t, "set lamps/power to on\nthen wait 1 h", one.Steps)
	var r wire.Run
	s.must("POST", "/api/sequences/light-up/run", nil, &r)
	status, detail := s.call("POST", "/api/sequences/light-up/run", nil, nil)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, detail, "let this one follow it")
	require.Eventually(t, func() bool {
		s.must("GET", "/api/runs/"+r.ID, nil, &r)
		return r.Step == 2
	}, 10*time.Second, 5*time.Millisecond)
	assert.Equal(t, "wait 1 h", r.Says)
	s.must("POST", "/api/runs/"+r.ID+"/stop", nil, &r)
	assert.EqualValues(t, "stopped", r.End)
	require.Len(t, r.Log, 2)
	assert.EqualValues(t, "sent", r.Log[0].Outcome)
	var state []wire.GroupControl
	s.must("GET", "/api/rooms/outside/state", nil, &state)
	require.Len(t, state, 1)
	assert.Equal(t, "on", state[0].Value)
	assert.Equal(t, []string{"off", "on"}, state[0].Choices)
	status, _ = s.call("POST", "/api/runs/"+r.ID+"/stop", nil, nil)
	assert.Equal(t, http.StatusConflict, status)
	status, _ = s.call("POST", "/api/runs/none/stop", nil, nil)
	assert.Equal(t, http.StatusNotFound, status)
	s.must("DELETE", "/api/sequences/light-up", nil, nil)
	status, _ = s.call("GET", "/api/sequences/light-up", nil, nil)
	assert.Equal(t, http.StatusNotFound, status)
}

func TestHolds_OverTheNetwork(t *testing.T) {
	s := newSite(t)
	s.lit("lamp-a", "Dome", 1)
	s.lit("lamp-b", "Outside", 2)
	on := map[string]any{"wants": []map[string]string{{"control": "power", "value": "on"}}, "for_ms": 3_600_000}
	status, detail := s.call("POST", "/api/devices/lamp-a/set", on, nil)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, detail, "urbo tell lamp-a power VALUE")
	s.must("POST", "/api/devices/lamp-a/tell", wire.TellRequest{Control: "power", Value: "off"}, nil)
	s.must("POST", "/api/rooms/dome/set", on, nil)
	var all []wire.Hold
	s.must("GET", "/api/holds", nil, &all)
	require.Len(t, all, 1)
	assert.Equal(t, "off", all[0].Back)
	assert.InDelta(t, 3600, all[0].Until.Sub(all[0].Since).Seconds(), 1)
	outside := s.signedIn(wire.NewPerson{Name: "Porter", Role: "visitor",
		Where: wire.Where{Rooms: []string{"Outside"}}})
	outside.call("GET", "/api/holds", nil, &all)
	assert.Empty(t, all)
	s.must("GET", "/api/holds", nil, &all)
	status, _ = outside.call("POST", "/api/holds/"+all[0].ID+"/end", nil, nil)
	assert.Equal(t, http.StatusNotFound, status)
	s.must("POST", "/api/holds/"+all[0].ID+"/end", nil, nil)
	require.Eventually(t, func() bool {
		var state []wire.ControlState
		s.must("GET", "/api/devices/lamp-a/state", nil, &state)
		return state[0].Value == "off"
	}, 10*time.Second, 5*time.Millisecond)
	status, _ = s.call("POST", "/api/devices/lamp-a/set", map[string]any{"for_ms": -1,
		"wants": []map[string]string{{"control": "power", "value": "on"}}}, nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
}

// TestSequences_OfWhoSeesAPart: what somebody does not see stays nameless, and cannot be asked for by writing steps.
func TestSequences_OfWhoSeesAPart(t *testing.T) {
	s := newSite(t)
	s.lit("lamp-a", "Dome", 1)
	s.lit("lamp-b", "Outside", 2)
	add := func(name, steps string) {
		s.must("POST", "/api/sequences", wire.NewSequence{Name: name, Steps: steps}, nil)
	}
	add("dome", "set lamp-a/power to on")
	add("both", "run dome then set lamp-b/power to on then wait 1 h")
	add("outside", "set lamp-b/power to on")
	add("notice", `notify "x"`)
	v := s.signedIn(wire.NewPerson{Name: "Lecturer", Role: "resident", Where: wire.Where{Rooms: []string{"Dome"}}})
	var all []wire.Sequence
	v.call("GET", "/api/sequences", nil, &all)
	var names []string
	for _, one := range all {
		names = append(names, one.Name+": "+one.Steps)
	}
	assert.Equal(t, []string{"both: ", "dome: set lamp-a/power to on"}, names)
	for path, want := range map[string]int{"dome": http.StatusCreated, "both": http.StatusForbidden,
		"outside": http.StatusNotFound, "notice": http.StatusNotFound, "none": http.StatusNotFound} {
		status, _ := v.call("POST", "/api/sequences/"+path+"/run", nil, nil)
		assert.Equal(t, want, status, path)
	}
	var r, seen wire.Run
	s.must("POST", "/api/sequences/both/run", wire.RunRequest{Follow: true}, &r)
	status, _ := v.call("GET", "/api/runs/"+r.ID, nil, &seen)
	assert.Equal(t, http.StatusOK, status)
	assert.Empty(t, seen.Says)
	assert.Empty(t, seen.Log)
	status, _ = v.call("POST", "/api/runs/"+r.ID+"/stop", nil, nil)
	assert.Equal(t, http.StatusForbidden, status)
	s.must("POST", "/api/runs/"+r.ID+"/stop", nil, nil)

	for _, c := range []struct {
		steps, says string
	}{
		{"set lamp-a/power to off", ""},
		{"set lamp-b/power to off", `unknown device "lamp-b"`},
		{"set lamp-z/power to off", `unknown device "lamp-z"`},
		{"run outside", `unknown device "outside"`},
		{"run both", "not in what you may arrange"},
		{"set room/outside/power to off", "unknown device"},
		{"if dome/humidity above 3 do wait 1 s", "unknown device"},
	} {
		status, detail := v.call("POST", "/api/sequences", wire.NewSequence{Name: "of mine", Steps: c.steps}, nil)
		if c.says != "" {
			assert.NotEqual(t, http.StatusCreated, status, c.steps)
			assert.Contains(t, detail, c.says, c.steps)
			assert.NotContains(t, detail, "nearest", c.steps)
			continue
		}
		assert.Equal(t, http.StatusCreated, status, "%s: %s", c.steps, detail)
	}
	steps := "set lamp-a/power to on then set lamp-b/power to on"
	status, _ = v.call("PATCH", "/api/sequences/dome", wire.SequenceChange{Steps: &steps}, nil)
	assert.NotEqual(t, http.StatusOK, status)
	status, _ = v.call("DELETE", "/api/sequences/outside", nil, nil)
	assert.Equal(t, http.StatusNotFound, status)
	visitor := s.signedIn(wire.NewPerson{Name: "Guest", Role: "visitor", Where: wire.Where{Rooms: []string{"Dome"}}})
	status, _ = visitor.call("POST", "/api/sequences", wire.NewSequence{Name: "x", Steps: "press lamp-a/on"}, nil)
	assert.Equal(t, http.StatusForbidden, status)
	status, _ = visitor.call("POST", "/api/sequences/of-mine/run", nil, &r)
	assert.Equal(t, http.StatusCreated, status)
	assert.EqualValues(t, "done", s.over(r).End)
}

func TestHistory_OfAPath(t *testing.T) {
	s := newSite(t)
	s.lit("lamp-a", "Dome", 1)
	s.must("POST", "/api/devices/lamp-a/tell", wire.TellRequest{Control: "power", Value: "off"}, nil)
	s.must("POST", "/api/measurements/lamp-a/power", wire.Measured{Value: 0.4, Unit: "W"}, nil)
	s.must("POST", "/api/measurements/dome/humidity", wire.Measured{Value: 71, Unit: "%"}, nil)
	v := s.signedIn(wire.NewPerson{Name: "Porter", Role: "visitor", Where: wire.Where{Rooms: []string{"Dome"}}})
	var h wire.History
	last := func(path string) string {
		s.must("GET", "/api/history?path="+path, nil, &h)
		if len(h.Facts) == 0 {
			return ""
		}
		return h.Facts[len(h.Facts)-1].Value
	}
	s.eventually(func() bool { return last("lamp-a/power") == "off" }, "a control")
	s.eventually(func() bool { return last("lamp-a/power&kind=measurement") == "0.4" },
		"a measurement of the same name")
	s.eventually(func() bool { return last("dome/humidity") == "71" }, "a measurement")
	assert.Empty(t, last("lamp-a/on"), "a key that nobody pressed")
	assert.Equal(t, "key", h.Kind)
	for path, want := range map[string]int{"nothing/power": 404, "lamp-a/nothing": 404, "lamp-a": 422,
		"lamp-a/power&limit=0": 422, "lamp-a/power&kind=other": 422,
		"lamp-a/power&since=2026-02-02T00:00:00Z&until=2026-01-01T00:00:00Z": 422} {
		status, _ := s.call("GET", "/api/history?path="+path, nil, nil)
		assert.Equal(t, want, status, path)
	}
	status, _ := v.call("GET", "/api/history?path=lamp-a/power", nil, nil)
	assert.Equal(t, 200, status)
	status, _ = v.call("GET", "/api/history?path=dome/humidity", nil, nil)
	assert.NotEqual(t, 200, status)
}
