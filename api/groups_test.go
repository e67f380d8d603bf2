package api_test

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// lit gives a device two keys of power and its control.
func (s *site) lit(slug, room string, address int) {
	s.must("POST", "/api/devices", wire.NewDevice{Slug: slug, Name: slug, Room: room, Kind: "socket"}, nil)
	for command, key := range []string{"off", "on"} {
		s.must("PUT", "/api/devices/"+slug+"/keys/"+key, []wire.Code{{Sheet: "nec",
			Fields: map[string]any{"address": address, "command": command}}}, nil)
	}
	var p wire.Proposal
	s.must("GET", "/api/devices/"+slug+"/controls/proposal", nil, &p)
	s.must("POST", "/api/devices/"+slug+"/controls", p.Controls, nil)
}

func TestGroups_AreSetTogetherAndKeepWhoIsInThem(t *testing.T) {
	s := newSite(t)
	s.lit("lamp-a", "Dome", 1)
	s.lit("lamp-b", "Dome", 2)
	s.lit("lamp-c", "Outside", 3)
	s.must("POST", "/api/groups", wire.NewGroup{Name: "Dome lamps", Members: []string{"lamp-a", "lamp-b"}}, nil)
	var all wire.Group
	s.must("POST", "/api/groups", wire.NewGroup{Slug: "all", Name: "All", Members: []string{"dome-lamps", "lamp-c"}},
		&all)
	assert.Equal(t, 3, all.Devices)

	var answer wire.GroupAnswer
	on := map[string]any{"wants": []map[string]string{{"control": "power", "value": "on"}}}
	s.must("POST", "/api/groups/all/set", on, &answer)
	assert.True(t, answer.Done, "%+v", answer)
	assert.Len(t, answer.Devices, 3)
	require.Len(t, answer.State, 1)
	assert.Equal(t, "on", answer.State[0].Value)
	s.must("POST", "/api/devices/lamp-b/set", map[string]any{"wants": []map[string]string{{"control": "power",
		"value": "off"}}},
		nil)
	var state []wire.GroupControl
	s.must("GET", "/api/groups/all/state", nil, &state)
	assert.Equal(t, "mixed", state[0].Value)
	_, detail := s.call("POST", "/api/groups/all/set", map[string]any{"wants": []map[string]string{{"control": "volume",
		"value": "3"}}}, nil)
	assert.Contains(t, detail, "no device of all has it")

	// slugs are one space
	for _, slug := range []string{"lamp-a", "all"} {
		status, _ := s.call("POST", "/api/groups", wire.NewGroup{Slug: slug, Name: "x", Members: []string{}}, nil)
		assert.Equal(t, http.StatusConflict, status, slug)
	}
	status, detail := s.call("POST", "/api/devices", wire.NewDevice{Slug: "all", Name: "x"}, nil)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, detail, `a group "all" is there already`)
	status, detail = s.call("PATCH", "/api/groups/dome-lamps", map[string]any{"members": []string{"all"}}, nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, detail, "would be in itself")

	// a device that is removed comes back into its groups
	s.must("DELETE", "/api/devices/lamp-a", nil, nil)
	var groups []wire.Group
	s.must("GET", "/api/groups", nil, &groups)
	assert.Equal(t, []string{"lamp-b"}, groups[1].Members)
	s.must("POST", "/api/removed-devices/lamp-a/restore", nil, nil)
	s.must("GET", "/api/groups", nil, &groups)
	assert.Equal(t, []string{"lamp-a", "lamp-b"}, groups[1].Members)

	// who sees one device of it sees the group, and may not use it
	v := s.signedIn(wire.NewPerson{Name: "Lecturer", Role: "visitor", Where: wire.Where{Rooms: []string{"Dome"}}})
	v.call("GET", "/api/groups", nil, &groups)
	require.Len(t, groups, 2)
	assert.Equal(t, []string{"dome-lamps"}, groups[0].Members, "what is out of reach stays nameless")
	status, _ = v.call("POST", "/api/groups/all/set", on, nil)
	assert.Equal(t, http.StatusForbidden, status)
	status, _ = v.call("GET", "/api/groups/all/state", nil, nil)
	assert.Equal(t, http.StatusForbidden, status, "it tells of what they do not see")
	status, _ = v.call("GET", "/api/groups/dome-lamps/state", nil, nil)
	assert.Equal(t, http.StatusOK, status)
	status, _ = s.as("watch").call("GET", "/api/groups/all/state", nil, nil)
	assert.Equal(t, http.StatusOK, status)
	status, _ = v.call("POST", "/api/groups/dome-lamps/set", on, nil)
	assert.Equal(t, http.StatusOK, status)
	outside := s.signedIn(wire.NewPerson{Name: "Porter", Role: "visitor",
		Where: wire.Where{Rooms: []string{"Outside"}}})
	status, _ = outside.call("GET", "/api/groups/dome-lamps/state", nil, nil)
	assert.Equal(t, http.StatusNotFound, status)
	s.must("DELETE", "/api/groups/all", nil, nil)
	s.must("POST", "/api/devices", wire.NewDevice{Slug: "all", Name: "x"}, nil)
}
