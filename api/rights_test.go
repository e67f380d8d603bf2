package api_test

import (
	"context"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/api"
	"urbo/core/control"
	"urbo/core/grant"
	"urbo/service/access"
	"urbo/wire"
)

// signedIn is the site for a person who was let in.
func (s *site) signedIn(n wire.NewPerson) *visitor {
	s.t.Helper()
	s.must("POST", "/api/people", n, nil)
	var link wire.Ticket
	s.must("POST", "/api/people/"+n.Name+"/link", nil, &link)
	_, code, _ := strings.Cut(link.Link, "#")
	_, cookie, err := s.house.Access.SignIn(s.t.Context(), code, "Chrome/150 (Linux)", "192.0.2.9")
	require.NoError(s.t, err)
	return &visitor{site: &site{s.t, s.house, s.url, ""}, cookie: &http.Cookie{Name: "urbo_session_" + s.house.ID,
		Value: cookie}}
}

// visitor is somebody with a browser.
type visitor struct {
	*site
	cookie *http.Cookie
}

func (v *visitor) call(method, path string, in, out any) (int, string) {
	v.t.Helper()
	return v.site.call(method, path, in, out, func(r *http.Request) { r.AddCookie(v.cookie) })
}

// two makes a site with a device in each of two rooms, and one in none.
func two(t *testing.T) *site {
	s := newSite(t)
	for slug, room := range map[string]string{"projector": "Lecture room", "shutter": "Dome", "lamp": ""} {
		s.must("POST", "/api/devices", wire.NewDevice{Slug: slug, Name: slug, Room: room, Keys: []string{"on"}}, nil)
	}
	return s
}

// TestRights_EveryOperationForEveryRoleInsideAndOutside walks the table of roles over every operation.
func TestRights_EveryOperationForEveryRoleInsideAndOutside(t *testing.T) {
	s := two(t)
	roles := map[string][]string{
		"owner":    {"see", "use", "tell", "arrange", "teach", "keep"},
		"resident": {"see", "use", "tell", "arrange"},
		"visitor":  {"see", "use"},
		"none":     nil,
	}
	callers := map[string]struct {
		role  string
		whole bool
		call  func(method, path string) int
	}{}
	person := func(name, role string, rooms ...string) {
		v := s.signedIn(wire.NewPerson{Name: name, Role: role, Where: wire.Where{Rooms: rooms}})
		callers[name] = struct {
			role  string
			whole bool
			call  func(method, path string) int
		}{role, len(rooms) == 0, func(method, path string) int {
			status, _ := v.call(method, path, nil, nil)
			return status
		}}
	}
	person("Keeper", "owner")
	person("Ward", "resident")
	person("Lecturer", "visitor", "Lecture room")
	person("Usher", "resident", "Lecture room")
	station := s.as("station")
	callers["station"] = struct {
		role  string
		whole bool
		call  func(method, path string) int
	}{"none", true, func(method, path string) int {
		status, _ := station.call(method, path, nil, nil)
		return status
	}}
	operations := api.Operations(s.house)
	require.Greater(t, len(operations), 90)
	for _, o := range operations {
		if o.ID == "restore-backup" || o.ID == "sign-out" { // these end something
			continue
		}
		for name, c := range callers {
			for device, room := range map[string]string{"projector": "inside", "shutter": "outside"} {
				path := "/api" + strings.NewReplacer("{device}", device, "{key}", "on", "{person}", "nobody", "{room}",
					"nowhere",
					"{station}", "nothing", "{port}", "out", "{name}", "power", "{place}", device, "{set}", "none",
					"{lesson}", "x", "{audition}", "x", "{press}", "x", "{capture}", "x", "{other}", "x", "{entry}",
					"x",
					"{control}", "power", "{session}", "x").Replace(o.Path)
				has := slices.Contains(roles[c.role], o.Right)
				within := c.whole || o.Where == "any part of the house" ||
					strings.HasPrefix(o.Where, "what the caller may reach") ||
					o.Where == "the device" && room == "inside" || strings.HasPrefix(o.Where, "the device of")
				if o.Method == "DELETE" && has && within && o.Where == "the device" {
					continue // it would be gone
				}
				if strings.Contains(o.Path, "/events") && has {
					continue // it goes on for ever
				}
				status := c.call(o.Method, path)
				refused := status == http.StatusForbidden || status == http.StatusNotFound && !within
				assert.Equal(t, !has || !within, refused, "%s as %s, %s: %d", o.ID, name, room, status)
				assert.NotEqual(t, http.StatusUnauthorized, status, o.ID)
				assert.Less(t, status, 500, o.ID)
			}
		}
	}
}

func TestRights_AVisitorSeesTheirRoomAndNothingElse(t *testing.T) {
	s := two(t)
	v := s.signedIn(wire.NewPerson{Name: "Lecturer", Role: "visitor",
		Where: wire.Where{Rooms: []string{"LECTURE room"}}})
	var lines []wire.DeviceLine
	status, _ := v.call("GET", "/api/devices", nil, &lines)
	require.Equal(t, 200, status)
	require.Len(t, lines, 1)
	assert.Equal(t, "projector", lines[0].Slug)
	_, there := v.call("GET", "/api/devices/shutter", nil, nil)
	_, nowhere := v.call("GET", "/api/devices/shatter", nil, nil)
	assert.Equal(t, strings.Replace(there, "shutter", "shatter", 1), nowhere, "what is out of reach is as unknown")
	var rooms []wire.Room
	v.call("GET", "/api/rooms", nil, &rooms)
	require.Len(t, rooms, 1)
	var me wire.Me
	v.call("GET", "/api/me", nil, &me)
	assert.Equal(t, wire.Me{Name: "Lecturer", Kind: "person", Role: "visitor", Rights: []string{"see", "use"},
		Where: wire.Where{Rooms: []string{"Lecture room"}}, Scope: "see use"}, me)
	var page wire.JournalPage
	v.call("GET", "/api/journal", nil, &page)
	for _, e := range page.Entries {
		assert.Equal(t, "projector", e.Device, e.Text)
	}
	require.NotEmpty(t, page.Entries)
	_, detail := v.call("POST", "/api/devices/projector/keys/on/press", wire.PressRequest{From: "lecture/ir-out"}, nil)
	assert.Contains(t, detail, "not learned", "it may be pressed")

	// a code that another device obeys, too, is not pressed
	code := []wire.Code{{Sheet: "nec", Fields: map[string]any{"address": 57, "command": 2}}}
	s.must("PUT", "/api/devices/projector/keys/on", code, nil)
	s.must("PUT", "/api/devices/shutter/keys/on", code, nil)
	status, detail = v.call("POST", "/api/devices/projector/keys/on/press", nil, nil)
	assert.Equal(t, http.StatusForbidden, status)
	assert.Contains(t, detail, "obeys that code, too")
	s.must("POST", "/api/devices/projector/controls", []control.Control{{Name: "power", Kind: control.Power,
		Keys: map[string]string{"on": "on"}}}, nil)
	wants := wire.SetRequest{Wants: []control.Want{{Control: "power", Value: "on"}}}
	status, detail = v.call("POST", "/api/devices/projector/set", wants, nil)
	assert.Equal(t, http.StatusForbidden, status, "nor by setting what it sets")
	assert.Contains(t, detail, "obeys that code, too")

	// nor is it said what it follows in another room
	s.must("POST", "/api/devices/shutter/controls", []control.Control{{Name: "power", Kind: control.Power,
		Keys: map[string]string{"on": "on"}}}, nil)
	s.must("PUT", "/api/devices/projector/links", wire.LinkRequest{Device: "shutter", Control: "power", Value: "on",
		Sets: "power", To: "on"}, nil)
	s.must("PUT", "/api/devices/projector/feed", wire.FeedRequest{Device: "shutter"}, nil)
	var d wire.Device
	v.call("GET", "/api/devices/projector", nil, &d)
	assert.Empty(t, d.Links)
	assert.Nil(t, d.Fed)

	// moved out of the room, it is out of reach at once
	s.must("PATCH", "/api/devices/projector", map[string]any{"room": "Dome"}, nil)
	status, _ = v.call("GET", "/api/devices/projector", nil, nil)
	assert.Equal(t, http.StatusNotFound, status)
}

func TestRights_ATokenForOneRoomAndWhatItHears(t *testing.T) {
	s := two(t)
	var token wire.Token
	s.must("POST", "/api/tokens", wire.NewToken{Name: "wall", Rights: []string{"see"},
		Where: wire.Where{Rooms: []string{"Dome"}, Measurements: []string{"dome/humidity"}}}, &token)
	assert.Equal(t, []string{"Dome"}, token.Where.Rooms)
	wall := &site{t, s.house, s.url, token.Secret}
	heard := make(chan string, 100)
	ctx, cancel := context.WithCancel(t.Context())
	t.Cleanup(cancel)
	req, err := http.NewRequestWithContext(ctx, "GET", s.url+"/api/events", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+wall.token)
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		defer resp.Body.Close()
		buffer := make([]byte, 64<<10)
		for {
			n, err := resp.Body.Read(buffer)
			if err != nil {
				return
			}
			heard <- string(buffer[:n])
		}
	}()
	s.must("PATCH", "/api/devices/projector", map[string]any{"maker": "Velopt"}, nil)
	s.must("POST", "/api/measurements/warm-room/temperature", wire.Measured{Value: 18}, nil)
	s.must("POST", "/api/measurements/dome/humidity", wire.Measured{Value: 71}, nil)
	s.must("PATCH", "/api/devices/shutter", map[string]any{"maker": "Ostrel"}, nil)
	text := ""
	for !strings.Contains(text, `"slug":"shutter"`) {
		select {
		case more := <-heard:
			text += more
		case <-time.After(10 * time.Second):
			t.Fatal("it hears nothing: " + text)
		}
	}
	assert.NotContains(t, text, "projector")
	assert.NotContains(t, text, "warm-room")
	assert.Contains(t, text, "dome/humidity")
	s.must("DELETE", "/api/tokens/wall", nil, nil)
	select {
	case <-ended:
	case <-time.After(10 * time.Second):
		t.Fatal("a token that was removed goes on hearing")
	}
	status, _ := wall.call("GET", "/api/devices", nil, nil)
	assert.Equal(t, http.StatusUnauthorized, status)
}

func TestPeople_RemovedLoweredAndTheLastOwner(t *testing.T) {
	s := two(t)
	ward := s.signedIn(wire.NewPerson{Name: "Ward", Role: "owner"})
	status, _ := ward.call("POST", "/api/tokens", wire.NewToken{Name: "theirs", Scope: "watch"}, nil)
	require.Equal(t, 201, status)
	status, detail := ward.call("DELETE", "/api/people/Owner", nil, nil)
	require.Equal(t, http.StatusNoContent, status, detail)
	status, detail = ward.call("DELETE", "/api/people/ward", nil, nil)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, detail, "the last owner cannot be removed")
	status, detail = ward.call("PATCH", "/api/people/ward", map[string]any{"role": "resident"}, nil)
	assert.Equal(t, http.StatusConflict, status, detail)
	status, detail = ward.call("PATCH", "/api/people/ward", map[string]any{"until": time.Now().Add(time.Hour)}, nil)
	assert.Equal(t, http.StatusConflict, status, detail)

	s.must("POST", "/api/people", wire.NewPerson{Name: "Keeper", Role: "owner"}, nil)
	s.must("PATCH", "/api/people/Ward", map[string]any{"role": "visitor",
		"where": map[string]any{"rooms": []string{"Dome"}}},
		nil)
	status, _ = ward.call("DELETE", "/api/devices/shutter", nil, nil)
	assert.Equal(t, http.StatusForbidden, status, "the browser that is open has the rights of now")
	s.must("DELETE", "/api/people/Ward", nil, nil)
	status, _ = ward.call("GET", "/api/devices", nil, nil)
	assert.Equal(t, http.StatusUnauthorized, status)
	var tokens []wire.Token
	s.must("GET", "/api/tokens", nil, &tokens)
	assert.False(t, slices.ContainsFunc(tokens, func(t wire.Token) bool { return t.Name == "theirs" }))

	for _, n := range []wire.NewPerson{{Name: "keeper", Role: "resident"}, {Name: "x", Role: "visitor"},
		{Name: "x", Role: "visitor", Where: wire.Where{Rooms: []string{"Cellar"}}}, {Name: "\u202e", Role: "owner"}} {
		status, detail = s.call("POST", "/api/people", n, nil)
		assert.GreaterOrEqual(t, status, 400, detail)
		assert.Less(t, status, 500, detail)
	}
}

func TestPeople_TwoOwnersWhoRemoveEachOther(t *testing.T) {
	s := newSite(t)
	people := s.house.Access
	_, err := people.AddPerson(t.Context(), access.NewPerson{Name: "Ward", Role: grant.Owner, Where: grant.Everywhere},
		grant.By{})
	require.NoError(t, err)
	done := make(chan error, 2)
	for _, name := range []string{"owner", "Ward"} {
		go func() { done <- people.RemovePerson(context.Background(), name, grant.By{}) }()
	}
	first, second := <-done, <-done
	assert.True(t, (first == nil) != (second == nil), "one of them stays: %v, %v", first, second)
	assert.Len(t, people.People(), 1)
}

func TestRooms_AreThingsOfTheirOwn(t *testing.T) {
	s := two(t)
	s.must("POST", "/api/devices", wire.NewDevice{Slug: "screen", Name: "Screen", Room: "lecture-ROOM"}, nil)
	var rooms []wire.Room
	s.must("GET", "/api/rooms", nil, &rooms)
	assert.Equal(t, []int{1, 2}, []int{rooms[0].Devices, rooms[1].Devices}, "another spelling is the same room")
	s.must("PATCH", "/api/rooms/lecture%20room", wire.NewRoom{Name: "Lecture hall"}, nil)
	var d wire.Device
	s.must("GET", "/api/devices/projector", nil, &d)
	assert.Equal(t, "Lecture hall", d.Room)
	var lines []wire.DeviceLine
	s.must("GET", "/api/devices?search=hall", nil, &lines)
	assert.Len(t, lines, 2)
	status, detail := s.call("DELETE", "/api/rooms/dome", nil, nil)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, detail, "shutter stands in Dome: move it first")
	status, _ = s.call("PATCH", "/api/rooms/dome", wire.NewRoom{Name: "LECTURE HALL"}, nil)
	assert.Equal(t, http.StatusConflict, status)
	s.must("DELETE", "/api/devices/shutter", nil, nil)
	s.must("DELETE", "/api/rooms/dome", nil, nil)
	s.must("POST", "/api/removed-devices/shutter/restore", nil, &d)
	assert.Empty(t, d.Room, "its room is gone")
}

func TestHouse_SaysWhereItStandsAndInWhichUnitsItThinks(t *testing.T) {
	s := newSite(t)
	var h wire.House
	s.must("GET", "/api/house", nil, &h)
	assert.True(t, h.Plausible)
	assert.Regexp(t, `^\d{4}-\d\d-\d\d \d\d:\d\d \w+day$`, h.Now)
	h.Now, h.Plausible = "", false
	assert.Equal(t, wire.House{}, h)
	s.must("PATCH", "/api/house", map[string]any{"name": "Saltmarsh Observatory", "latitude": 53.9, "longitude": 0.1,
		"zone": "Europe/London", "fahrenheit": true}, &h)
	s.must("PATCH", "/api/house", map[string]any{"twelve_hours": true}, &h)
	assert.Equal(t, []any{"Saltmarsh Observatory", 53.9, true, true}, []any{h.Name, *h.Latitude, h.Fahrenheit,
		h.TwelveHours})
	status, detail := s.call("PATCH", "/api/house", map[string]any{"zone": "Nowhere/Else"}, nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, detail, "write one like Europe/London")
	var now wire.House
	s.must("PATCH", "/api/house", map[string]any{"no_place": true}, &now)
	assert.Nil(t, now.Latitude)
	assert.Equal(t, "Europe/London", s.house.Home.Home().Zone, "a refusal changed nothing")
}
