package api_test

import (
	"bufio"
	"context"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/api"
	"urbo/core/board"
	"urbo/core/control"
	"urbo/wire"
)

// guest lets a guest in, for one board with two tiles.
func guest(t *testing.T) (*site, *visitor) {
	s := newSite(t)
	s.lit("lamp", "Lecture room", 1)
	s.lit("shutter", "Dome", 2)
	s.must("POST", "/api/boards", wire.NewBoard{Name: "Public night", Sections: []wire.SectionText{{
		Tiles: []wire.TileText{{ID: "t1", Kind: board.Control, Of: "lamp/power"},
			{ID: "t2", Kind: board.Note, Text: "Welcome"}}}}}, nil)
	s.must("POST", "/api/boards", wire.NewBoard{Name: "Dome", Sections: []wire.SectionText{{
		Tiles: []wire.TileText{{ID: "t1", Kind: board.Control, Of: "shutter/power"}}}}}, nil)
	until := time.Now().Add(time.Hour)
	v := s.signedIn(wire.NewPerson{Name: "Audience", Role: "guest", Until: &until,
		Where: wire.Where{Boards: []string{"public-night"}}})
	v.cookie.Name = strings.Replace(v.cookie.Name, "urbo_session", "urbo_guest", 1)
	return s, v
}

// TestGuests_HaveNoRouteButTheirBoards walks every operation.
func TestGuests_HaveNoRouteButTheirBoards(t *testing.T) {
	s, v := guest(t)
	operations := api.Operations(s.house)
	require.Greater(t, len(operations), 100)
	open := 0
	for _, o := range operations {
		if strings.HasSuffix(o.Where, "the boards of a guest") {
			open++
			continue
		}
		if o.Right == "" {
			continue
		}
		for _, names := range [][2]string{{"lamp", "public-night"}, {"nothing", "nothing"}} {
			path := "/api" + strings.NewReplacer("{device}", names[0], "{board}", names[1], "{key}",
				"on").Replace(o.Path)
			status, detail := v.call(o.Method, path, nil, nil)
			assert.Equal(t, http.StatusForbidden, status, o.ID)
			if o.Method != http.MethodHead {
				assert.Contains(t, detail, "a guest link reaches its boards only", o.ID)
			}
		}
	}
	assert.Equal(t, 7, open, "me, sign-out, events, and four of boards")
	status, detail := v.call("GET", "/api/openapi.json", nil, nil)
	assert.Equal(t, http.StatusForbidden, status)
	assert.Contains(t, detail, "a guest link")

	var all []wire.BoardLine
	v.call("GET", "/api/boards", nil, &all)
	assert.Equal(t, []wire.BoardLine{{Slug: "public-night", Name: "Public night", Tiles: 2}}, all)
	var b wire.Board
	status, _ = v.call("GET", "/api/boards/public-night", nil, &b)
	require.Equal(t, http.StatusOK, status)
	assert.Empty(t, b.Sections[0].Tiles[0].Device, "nothing that leads elsewhere")
	_, other := v.call("GET", "/api/boards/dome", nil, nil)
	_, none := v.call("GET", "/api/boards/doom", nil, nil)
	assert.Equal(t, strings.Replace(other, "dome", "doom", 1), none)
	for _, path := range []string{"/api/boards/dome/state", "/api/boards/home/state"} {
		status, _ = v.call("GET", path, nil, nil)
		assert.Equal(t, http.StatusNotFound, status)
	}
	status, _ = v.call("POST", "/api/boards/dome/tiles/t1/use", wire.TileUse{Tell: "on"}, nil)
	assert.Equal(t, http.StatusNotFound, status)
	var state wire.BoardState
	v.call("GET", "/api/boards/public-night/state", nil, &state)
	assert.Len(t, state.Tiles, 1)
	var answer wire.TileAnswer
	status, detail = v.call("POST", "/api/boards/public-night/tiles/t1/use", wire.TileUse{Tell: "off"}, &answer)
	assert.Equal(t, http.StatusOK, status, detail)
	status, detail = v.call("POST", "/api/boards/public-night/tiles/t1/use",
		wire.TileUse{Wants: []control.Want{{Control: "power", Value: "on"}}}, &answer)
	assert.Equal(t, http.StatusOK, status, detail)
	assert.True(t, answer.Done || answer.Reason != "", "what came of it is said")
	status, _ = v.call("POST", "/api/boards/public-night/tiles/t1/use", wire.TileUse{Key: "off"}, nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status, "only what the tile offers")

	var page wire.JournalPage
	s.must("GET", "/api/journal", nil, &page)
	theirs := func(e wire.Entry) bool { return strings.Contains(e.By, "Audience") }
	assert.True(t, slices.ContainsFunc(page.Entries, theirs), "the journal says who it was")
}

func TestGuests_ALinkWorksOnSoManyPhonesUntilItsDate(t *testing.T) {
	s, _ := guest(t)
	until := time.Now().Add(time.Hour)
	status, detail := s.call("POST", "/api/people", wire.NewPerson{Name: "Late", Role: "guest",
		Where: wire.Where{Boards: []string{"dome"}}}, nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, detail, "say until when")
	for _, where := range []wire.Where{{}, {House: true}, {Boards: []string{"dome"}, Rooms: []string{"Dome"}}} {
		odd := wire.NewPerson{Name: "Odd", Role: "guest", Until: &until, Where: where}
		status, _ = s.call("POST", "/api/people", odd, nil)
		assert.Equal(t, http.StatusUnprocessableEntity, status)
	}
	status, _ = s.call("POST", "/api/people", wire.NewPerson{Name: "Odd", Role: "visitor",
		Where: wire.Where{Boards: []string{"dome"}}}, nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	var link wire.Ticket
	s.must("POST", "/api/people/Audience/link", wire.LinkPhones{Phones: 2}, &link)
	assert.WithinDuration(t, until, link.Expires, time.Minute)
	status, detail = s.call("POST", "/api/people/owner/link", wire.LinkPhones{Phones: 2}, nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status, detail)
	_, code, _ := strings.Cut(link.Link, "#")
	for n, want := range []int{http.StatusNoContent, http.StatusNoContent, http.StatusUnauthorized} {
		resp, err := http.Post(s.url+"/api/sign-in", "application/json", strings.NewReader(`{"ticket":"`+code+`"}`))
		require.NoError(t, err)
		require.NoError(t, resp.Body.Close())
		assert.Equal(t, want, resp.StatusCode, "phone %d", n+1)
		if want == http.StatusNoContent {
			assert.True(t, strings.HasPrefix(resp.Cookies()[0].Name, "urbo_guest_"), "it takes nobody's place")
		}
	}
}

// TestGuests_HearThatTheirTilesChangedAndNoMore listens, and is removed with the page open.
func TestGuests_HearThatTheirTilesChangedAndNoMore(t *testing.T) {
	s, v := guest(t)
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, s.url+"/api/events", nil)
	require.NoError(t, err)
	r.AddCookie(v.cookie)
	resp, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer resp.Body.Close()
	require.Equal(t, http.StatusOK, resp.StatusCode)
	lines := bufio.NewScanner(resp.Body)
	next := func() (text string) {
		for lines.Scan() {
			if text = lines.Text(); text != "" {
				return text
			}
		}
		return ""
	}
	assert.Equal(t, []string{"event: tiles", "data: {}"}, []string{next(), next()}, "from now on")
	s.must("POST", "/api/devices/shutter/tell", wire.TellRequest{Control: "power", Value: "on"}, nil)
	s.must("POST", "/api/devices/lamp/tell", wire.TellRequest{Control: "power", Value: "on"}, nil)
	assert.Equal(t, []string{"event: tiles", "data: {}"}, []string{next(), next()})
	s.must("DELETE", "/api/people/Audience", nil, nil)
	for text := next(); text != ""; text = next() {
		assert.Contains(t, []string{"event: tiles", "data: {}"}, text, "nothing else is heard")
	}
	status, _ := v.call("GET", "/api/boards", nil, nil)
	assert.Equal(t, http.StatusUnauthorized, status)
}
