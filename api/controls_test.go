package api_test

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
	"urbo/wire"
)

func TestControls_AreAskedAboutAgainAndAnswered(t *testing.T) {
	s := newSite(t)
	s.lit("lamp", "Dome", 1)
	var asked wire.Proposal
	s.must("GET", "/api/devices/lamp/controls/questions?control=power", nil, &asked)
	require.NotEmpty(t, asked.Questions)
	var d wire.Device
	s.must("POST", "/api/devices/lamp/controls/answers", wire.Answers{Answers: []control.Answer{
		{Control: "power", Field: "goes_off_s", Text: "4h"},
		{Control: "power", Field: "warm_up_ms", Text: "2,5 s"}}}, &d)
	assert.Equal(t, []int{14_400, 2500}, []int{d.Controls[0].GoesOffS, d.Controls[0].WarmUpMS})
	s.must("GET", "/api/devices/lamp/controls/questions?control=power", nil, &asked)
	stands := map[string]string{}
	for _, q := range asked.Questions {
		stands[q.Field] = q.Stands
	}
	assert.Equal(t, "4h", stands["goes_off_s"])
	for says, a := range map[string]control.Answer{
		"write a time such as":       {Control: "power", Field: "warm_up_ms", Text: "soon"},
		"there is no such control":   {Control: "bass", Field: "most", Text: "9"},
		"nothing is asked about":     {Control: "power", Field: "colour", Text: "9"},
		"goes off after 2 s, and wa": {Control: "power", Field: "goes_off_s", Text: "2s"},
	} {
		status, detail := s.call("POST", "/api/devices/lamp/controls/answers",
			wire.Answers{Answers: []control.Answer{{Control: "power", Field: "warm_up_ms", Text: "9s"}, a}}, nil)
		assert.Equal(t, http.StatusUnprocessableEntity, status, says)
		assert.Contains(t, detail, says)
	}
	s.must("GET", "/api/devices/lamp", nil, &d)
	assert.Equal(t, 2500, d.Controls[0].WarmUpMS, "of answers of which one is refused none counts")
}

func TestControls_AChangedFormSaysWhatItForgets(t *testing.T) {
	s := newSite(t)
	s.lit("lamp", "Dome", 1)
	source := control.Control{Name: "source", Kind: control.Selector, Values: []string{"a", "b"}, Round: "on"}
	put := func() (d wire.Device) {
		s.must("PUT", "/api/devices/lamp/controls/source", source, &d)
		return d
	}
	s.must("DELETE", "/api/devices/lamp/controls/power", nil, nil)
	put()
	s.must("POST", "/api/devices/lamp/tell", wire.TellRequest{Control: "source", Value: "b"}, nil)
	source.Values = []string{"a", "b", "network"}
	assert.Empty(t, put().Remarks, "b is b still")
	source.Values = []string{"a", "network"}
	assert.Equal(t, []string{"What source is at is not known any more: b means something else now."}, put().Remarks)
}

func TestLinks_AreMadeShownAndTakenBack(t *testing.T) {
	s := newSite(t)
	s.lit("player", "Dome", 1)
	s.lit("screen", "Dome", 2)
	link := wire.LinkRequest{Device: "player", Control: "power", Value: "on", Sets: "power", To: "on"}
	var d wire.Device
	s.must("PUT", "/api/devices/screen/links", link, &d)
	require.Len(t, d.Links, 1)
	assert.Equal(t, "player", d.Links[0].Device)
	s.must("PATCH", "/api/devices/player", map[string]any{"slug": "disc-player"}, nil)
	s.must("GET", "/api/devices/screen", nil, &d)
	assert.Equal(t, "disc-player", d.Links[0].Device, "it follows the device, whatever it is called")
	s.must("PUT", "/api/devices/screen/feed", wire.FeedRequest{Device: "disc-player"}, &d)
	require.NotNil(t, d.Fed)
	status, detail := s.call("PUT", "/api/devices/disc-player/feed", wire.FeedRequest{Device: "screen"}, nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, detail, "leads in a circle")

	var pack map[string]any
	s.must("GET", "/api/packs?devices=screen", nil, &pack)
	device := pack["devices"].([]any)[0].(map[string]any)
	assert.NotContains(t, device, "links", "a pack has nothing of this house's other devices")
	assert.NotContains(t, device, "fed")

	var after wire.Device
	s.must("DELETE", "/api/devices/screen/links?of=disc-player&control=power&value=on&sets=power", nil, nil)
	s.must("DELETE", "/api/devices/screen/feed", nil, &after)
	assert.Empty(t, after.Links)
	assert.Nil(t, after.Fed)
	status, _ = s.call("DELETE", "/api/devices/screen/links?of=disc-player&control=power&value=on&sets=power", nil, nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
}
