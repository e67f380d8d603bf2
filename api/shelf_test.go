package api_test

import (
	"bytes"
	"encoding/json"
	"image"
	"image/png"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// strand puts learned lights and a code set of them into a site.
func strand(s *site) {
	s.must("POST", "/api/devices", wire.NewDevice{Name: "Strand", Keys: []string{"power", "red", "white"}}, nil)
	for i, key := range []string{"power", "red", "white"} {
		code := wire.Code{Sheet: "nec", Fields: map[string]any{"address": 57, "command": i + 1}}
		s.must("PUT", "/api/devices/strand/keys/"+key, []wire.Code{code}, nil)
	}
	s.must("POST", "/api/sets", wire.NewSet{Device: "strand", Slug: "corvane-strand", Name: "Corvane Strand"}, nil)
}

func TestShelf_OverHTTP(t *testing.T) {
	s := newSite(t)
	strand(s)
	var sets []wire.CodeSet
	s.must("GET", "/api/sets", nil, &sets)
	require.Len(t, sets, 1)
	assert.Len(t, sets[0].Keys, 3)
	s.must("POST", "/api/devices", wire.NewDevice{Name: "Lights", Keys: []string{"on-off", "crimson"}}, nil)
	for key, text := range map[string]string{"on-off": "nec address=57 command=1",
		"crimson": "nec address=0x39 command=0b10"} {
		s.must("POST", "/api/devices/lights/keys/"+key+"/code", wire.HandCode{Text: text}, nil)
	}
	var m wire.Matches
	s.must("GET", "/api/devices/lights/matches", nil, &m)
	require.Len(t, m.Sets, 1)
	assert.Equal(t, []string{"white"}, m.Sets[0].More)
	var d wire.Device
	s.must("POST", "/api/devices/lights/adopt", wire.Adopt{Set: "corvane-strand"}, &d)
	assert.Len(t, d.Keys, 3)

	var pack json.RawMessage
	s.must("GET", "/api/packs?sets=corvane-strand", nil, &pack)
	assert.Contains(t, string(pack), `"devices":[],"sets":[{"slug":"corvane-strand"`)
	status, detail := s.call("DELETE", "/api/sets/corvane-pier", nil, nil)
	assert.Equal(t, http.StatusNotFound, status)
	assert.Contains(t, detail, "there are corvane-strand")
	status, _ = s.call("DELETE", "/api/sets/corvane-strand", nil, nil)
	assert.Equal(t, http.StatusNoContent, status)
	s.must("GET", "/api/sets", nil, &sets)
	assert.Empty(t, sets)
}

func TestAudition_OverHTTP(t *testing.T) {
	s := newSite(t)
	strand(s)
	s.must("POST", "/api/devices", wire.NewDevice{Name: "Lights", Kind: "light"}, nil)
	for _, c := range []struct {
		in     wire.NewAudition
		status int
		says   string
	}{
		{wire.NewAudition{Device: "moon"}, http.StatusNotFound, "unknown device"},
		{wire.NewAudition{Device: "lights", Function: "blank"}, http.StatusUnprocessableEntity,
			"choose another function"},
		{wire.NewAudition{Device: "lights", Sets: []string{"corvane-pier"}}, http.StatusNotFound, "unknown code set"},
		{wire.NewAudition{Device: "lights", PauseMS: 31_000}, http.StatusUnprocessableEntity,
			"pause_ms is at most 30000"},
		{wire.NewAudition{Device: "lights", Sweep: &wire.Sweep{Sheet: "nec", Fields: map[string]any{"command": 1},
			Field: "address", To: 999}}, http.StatusUnprocessableEntity, "0 to 255"},
		{wire.NewAudition{Device: "lights", Sweep: &wire.Sweep{Sheet: "hop66", Fields: map[string]any{},
			Field: "serial"}}, http.StatusUnprocessableEntity, "pair a handset"},
	} {
		status, detail := s.call("POST", "/api/auditions", c.in, nil)
		assert.Equal(t, c.status, status, detail)
		assert.Contains(t, detail, c.says)
	}
	var a wire.Audition
	s.must("POST", "/api/auditions", wire.NewAudition{Device: "lights", PauseMS: 500}, &a)
	status, detail := s.call("POST", "/api/auditions", wire.NewAudition{Device: "strand"}, nil)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, detail, "the audition for lights")
	status, detail = s.call("POST", "/api/auditions/"+a.ID+"/steps", wire.AuditionStep{Do: "keep"}, nil)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, detail, "no key was confirmed")
	s.must("POST", "/api/auditions/"+a.ID+"/steps", wire.AuditionStep{Do: "finish"}, &a)
	assert.Contains(t, []string{"ended", "nothing"}, a.Phase)
	status, _ = s.call("GET", "/api/auditions/none", nil, nil)
	assert.Equal(t, http.StatusNotFound, status)
}

func TestPictures_AreServedAsWhatTheyAre(t *testing.T) {
	s := newSite(t)
	s.must("POST", "/api/devices", wire.NewDevice{Name: "Lamp"}, nil)
	var drawn bytes.Buffer
	require.NoError(t, png.Encode(&drawn, image.NewGray(image.Rect(0, 0, 40, 30))))
	send := func(method string, body []byte) *http.Response {
		req, err := http.NewRequestWithContext(t.Context(), method, s.url+"/api/devices/lamp/picture",
			bytes.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+s.token)
		r, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		t.Cleanup(func() { _ = r.Body.Close() })
		return r
	}
	assert.Equal(t, http.StatusNotFound, send("GET", nil).StatusCode, "it has none")
	assert.Equal(t, http.StatusUnprocessableEntity, send("POST", []byte("<svg onload=alert(1)>")).StatusCode)
	assert.Equal(t, http.StatusOK, send("POST", drawn.Bytes()).StatusCode)
	r := send("GET", nil)
	assert.Equal(t, "image/png", r.Header.Get("Content-Type"))
	assert.Contains(t, r.Header.Get("Cache-Control"), "private")
	assert.Equal(t, "nosniff", r.Header.Get("X-Content-Type-Options"))
	assert.Equal(t, http.StatusOK, send("DELETE", nil).StatusCode)
	var d wire.Device
	s.must("GET", "/api/devices/lamp", nil, &d)
	assert.Empty(t, d.Picture)
}

func TestKeys_AreRenamedHeldAndRemovedOverHTTP(t *testing.T) {
	s := newSite(t)
	strand(s)
	name, hold := "crimson", "repeat"
	var d wire.Device
	s.must("PATCH", "/api/devices/strand/keys/red", wire.KeyChange{Name: &name, Hold: &hold}, &d)
	assert.Equal(t, "repeat", d.Keys[1].Hold)
	var p wire.Press
	s.must("POST", "/api/devices/strand/keys/crimson/press", wire.PressRequest{Times: 1, HoldMS: 1000}, &p)
	assert.InDelta(t, 1000, p.TookMS, 120)
	s.must("DELETE", "/api/devices/strand/keys/crimson", nil, &d)
	assert.Len(t, d.Keys, 2)
	taken := "power"
	for _, c := range []struct {
		in     wire.KeyChange
		status int
	}{{wire.KeyChange{Name: &taken}, http.StatusConflict}, {wire.KeyChange{Name: new(string)},
		http.StatusUnprocessableEntity}} {
		status, _ := s.call("PATCH", "/api/devices/strand/keys/white", c.in, nil)
		assert.Equal(t, c.status, status)
	}
	status, detail := s.call("POST", "/api/devices/strand/keys/white/code",
		wire.HandCode{Text: "nec address=57 comand=1"}, nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, detail, `no field "comand"`)
	var found []wire.DeviceLine
	s.must("GET", "/api/devices?search=STRA", nil, &found)
	require.Len(t, found, 1)
	assert.Equal(t, 2, found[0].KeysLearned)
	s.must("GET", "/api/devices?search=moon", nil, &found)
	assert.Empty(t, found)
}
