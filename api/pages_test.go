package api_test

import (
	"fmt"
	"net/http"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/api"
	"urbo/core/device"
	"urbo/core/happening"
	"urbo/service/lessons"
	"urbo/store"
	"urbo/wire"
)

func TestJournalAndCaptures_ArePaged(t *testing.T) {
	s := newSite(t)
	for _, key := range []string{"on", "off", "on"} {
		var before []wire.Capture
		s.must("GET", "/api/captures", nil, &before)
		s.must("POST", "/api/stage/handsets/dew-a/keys/"+key+"/press", nil, nil)
		s.eventually(func() bool {
			var now []wire.Capture
			s.must("GET", "/api/captures", nil, &now)
			return len(now) > len(before)
		}, "heard")
	}
	var all, paged []wire.Capture // a slow machine may hear a press in two
	s.eventually(func() bool {
		s.must("GET", "/api/captures", nil, &all)
		return !slices.ContainsFunc(all, func(c wire.Capture) bool { return !c.Stored })
	}, "stored")
	require.GreaterOrEqual(t, len(all), 3)
	for before := ""; ; before = paged[len(paged)-1].ID {
		path := "/api/captures?limit=2"
		if before != "" {
			path += "&before=" + before
		}
		var page []wire.Capture
		s.must("GET", path, nil, &page)
		assert.LessOrEqual(t, len(page), 2)
		if paged = append(paged, page...); len(page) < 2 {
			break
		}
	}
	require.Len(t, paged, len(all))
	for i := range all {
		assert.Equal(t, all[i].ID, paged[i].ID)
	}

	var page wire.JournalPage
	s.must("GET", "/api/journal?limit=1", nil, &page)
	require.Len(t, page.Entries, 1)
	assert.Equal(t, page.Entries[0].ID, page.More, "a page that was cut says how to go on")
	var whole wire.JournalPage
	s.must("GET", "/api/journal?limit=500", nil, &whole)
	assert.Empty(t, whole.More)
	status, detail := s.call("GET", "/api/journal?limit=1000", nil, nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, detail, "limit is at most 500")
}

func TestLesson_StepsOverHTTP(t *testing.T) {
	s := newSite(t)
	s.must("POST", "/api/devices", wire.NewDevice{Name: "Lamp", Keys: []string{"on", "off"}}, nil)
	var l wire.Lesson
	s.must("POST", "/api/lessons", wire.NewLesson{Device: "lamp"}, &l)
	steps := "/api/lessons/" + l.ID + "/steps"
	for _, c := range []struct {
		step wire.LessonStep
		key  string
	}{
		{wire.LessonStep{Do: "skip"}, "off"}, {wire.LessonStep{Do: "back"}, "on"},
		{wire.LessonStep{Do: "add", Key: "glow"}, "on"},
		{wire.LessonStep{Do: "redo", Key: "glow"}, "glow"},
	} {
		s.must("POST", steps, c.step, &l)
		assert.Equal(t, c.key, l.Key, "%+v", c.step)
	}
	for says, step := range map[string]wire.LessonStep{
		"no such key": {Do: "redo", Key: "x"}, "use a-z": {Do: "add", Key: "No!"},
		"do is one of skip, back": {Do: "dance"},
	} {
		status, detail := s.call("POST", steps, step, nil)
		assert.Equal(t, http.StatusUnprocessableEntity, status)
		assert.Contains(t, detail, says)
	}
	s.must("POST", steps, wire.LessonStep{Do: "finish"}, &l)
	assert.Equal(t, "ended", l.State)
	status, _ := s.call("POST", steps, wire.LessonStep{Do: "skip"}, nil)
	assert.Equal(t, http.StatusConflict, status)
	status, detail := s.call("GET", "/api/lessons/nothing", nil, nil)
	assert.Equal(t, http.StatusNotFound, status)
	assert.Contains(t, detail, "list them")
}

func TestDevice_IsChangedAndRemovedOverHTTP(t *testing.T) {
	s := newSite(t)
	s.must("POST", "/api/devices", wire.NewDevice{Name: "Lamp", Keys: []string{"on"}}, nil)
	name, transmitter := "Reading lamp", "lecture/ir-out"
	var d wire.Device
	s.must("PATCH", "/api/devices/lamp", wire.DeviceChange{Name: &name, Transmitter: &transmitter}, &d)
	assert.Equal(t, []string{name, transmitter}, []string{d.Name, d.Transmitter})
	s.must("PUT", "/api/devices/lamp/keys/on", []wire.Code{{Sheet: "nec",
		Fields: map[string]any{"address": 1, "command": 2}, Repeats: device.Repeated(3)}}, &d)
	assert.Equal(t, "hand", d.Keys[0].Codes[0].Source)
	var p wire.Press
	s.must("POST", "/api/devices/lamp/keys/on/press", wire.PressRequest{Times: 2}, &p)
	assert.Equal(t, 2, p.Times)
	assert.Greater(t, p.TookMS, 800.0, "two presses of a frame and three repeats each")
	s.must("DELETE", "/api/devices/lamp", nil, nil)
	status, _ := s.call("GET", "/api/devices/lamp", nil, nil)
	assert.Equal(t, http.StatusNotFound, status)
}

func TestStage_RefusesWhatIsNotThere(t *testing.T) {
	s := newSite(t)
	status, detail := s.call("POST", "/api/stage/handsets/lamp/keys/on/press", nil, nil)
	assert.Equal(t, http.StatusNotFound, status)
	assert.Contains(t, detail, "there are projector")
	status, detail = s.call("POST", "/api/stage/handsets/dew-a/keys/dim/press", wire.HandsetPress{HoldMS: 10}, nil)
	assert.Equal(t, http.StatusNotFound, status)
	assert.Contains(t, detail, "only on, off")
	status, _ = s.call("POST", "/api/stage/handsets/dew-a/keys/on/press", wire.HandsetPress{HoldMS: 99_999}, nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	var about wire.About
	s.must("GET", "/api/about", nil, &about)
	assert.Equal(t, []string{"stage"}, about.Parts)
}

// TestProblems_WhatTheDiskRefusesIsNobodysBadInput: it was answered as 422.
func TestProblems_WhatTheDiskRefusesIsNobodysBadInput(t *testing.T) {
	for err, want := range map[error]int{
		store.ErrFull: http.StatusInsufficientStorage, store.ErrBusy: http.StatusServiceUnavailable,
		store.ErrDisk: http.StatusInternalServerError,
	} {
		for _, around := range []error{lessons.ErrStep, device.ErrCode, device.ErrName} {
			assert.Equal(t, want, api.StatusOf(fmt.Errorf("keep lamp/on: %w: %w", around, err)))
		}
	}
}

func TestConsole_AMissingPartIsNotThePageItself(t *testing.T) {
	s := newSite(t)
	resp, err := http.Get(s.url + "/assets/index-0123abcd.js")
	require.NoError(t, err)
	defer resp.Body.Close()
	assert.Equal(t, http.StatusNotFound, resp.StatusCode, "of another version: the page loads itself again")
}

func TestHold_AKeyIsHeldAndLetGoOverHTTP(t *testing.T) {
	s := newSite(t)
	s.must("POST", "/api/devices", wire.NewDevice{Name: "Lamp", Keys: []string{"on"}}, nil)
	status, detail := s.call("POST", "/api/devices/lamp/keys/on/hold", nil, nil)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, detail, "not learned yet")
	s.must("PUT", "/api/devices/lamp/keys/on", []wire.Code{{Sheet: "nec",
		Fields: map[string]any{"address": 1, "command": 2}}}, nil)
	press := s.as("press")
	var held wire.Held
	press.must("POST", "/api/devices/lamp/keys/on/hold", wire.HoldRequest{LeaseMS: 5000}, &held)
	press.must("POST", "/api/held/"+held.ID, wire.HoldRequest{LeaseMS: 5000}, &held)
	var p wire.Press
	press.must("DELETE", "/api/held/"+held.ID, nil, &p)
	assert.Equal(t, happening.Sent, p.Outcome)
	assert.Equal(t, held.ID, p.ID)
	status, _ = press.call("POST", "/api/held/"+held.ID, nil, nil)
	assert.Equal(t, http.StatusConflict, status, "it is not held any more")
	status, _ = press.call("DELETE", "/api/held/nothing", nil, nil)
	assert.Equal(t, http.StatusNotFound, status)
	status, _ = s.as("watch").call("POST", "/api/devices/lamp/keys/on/hold", nil, nil)
	assert.Equal(t, http.StatusForbidden, status)
	status, detail = s.call("POST", "/api/devices/lamp/keys/on/press", wire.PressRequest{Times: 50, HoldMS: 20_000},
		nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, detail, "fewer times, or hold it for less")
}
