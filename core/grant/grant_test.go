package grant_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/fault"
	"urbo/core/grant"
)

// TestGrant_EveryRoleRightAndPlace walks the table of roles: what each may do, inside and outside of its rooms.
func TestGrant_EveryRoleRightAndPlace(t *testing.T) {
	dome := grant.Where{Rooms: []string{"dome"}}
	inside := grant.Target{Device: "shutter", Room: "dome"}
	outside := grant.Target{Device: "radio", Room: "warm-room"}
	roomless := grant.Target{Device: "lamp"}
	for role, may := range map[grant.Role][]grant.Right{
		grant.Owner:    {"see", "use", "tell", "arrange", "teach", "keep"},
		grant.Resident: {"see", "use", "tell", "arrange"},
		grant.Visitor:  {"see", "use"},
		"newer":        nil, // a role of a later version may do nothing
	} {
		for _, right := range grant.Rights {
			whole, part := grant.Of(role, grant.Everywhere), grant.Of(role, dome)
			has := slices.Contains(may, right)
			for _, target := range []grant.Target{inside, outside, roomless, {}} {
				assert.Equal(t, has, whole.May(right, target) == nil, "%s %s %v", role, right, target)
				assert.Equal(t, has && target == inside, part.May(right, target) == nil, "%s %s %v in the dome", role,
					right, target)
			}
			assert.Equal(t, has, whole.May(right) == nil)
			require.Error(t, part.May(right), "the whole house is more than a room")
		}
	}
}

func TestGrant_AllTargetsHaveToBeWithin(t *testing.T) {
	g := grant.Of(grant.Visitor, grant.Where{Rooms: []string{"lecture"}, Devices: []string{"boardwalk"},
		Measurements: []string{"dome/humidity"}})
	projector := grant.Target{Device: "projector", Room: "lecture"}
	require.NoError(t, g.May(grant.Use, projector, grant.Target{Device: "boardwalk", Room: "outside"}))
	require.NoError(t, g.May(grant.See, grant.Target{Measurement: "dome/humidity"}))
	err := g.May(grant.Use, projector, grant.Target{Device: "shutter", Room: "dome"})
	require.ErrorIs(t, err, grant.ErrRefused)
	assert.Equal(t, fault.Refused, fault.Of(err))
	assert.Error(t, grant.Of(grant.Owner, grant.Where{}).May(grant.See, grant.Target{}), "nowhere is nothing")
}

func TestCheckRole_SaysWhatIsMissing(t *testing.T) {
	dome := grant.Where{Rooms: []string{"dome"}}
	assert.NoError(t, grant.CheckRole(grant.Resident, dome))
	assert.NoError(t, grant.CheckRole(grant.Owner, grant.Everywhere))
	assert.ErrorContains(t, grant.CheckRole(grant.Owner, dome), "whole house")
	assert.ErrorContains(t, grant.CheckRole(grant.Visitor, grant.Everywhere), "which rooms")
	assert.ErrorContains(t, grant.CheckRole("king", dome), "owner, resident, visitor or guest")
	assert.ErrorContains(t, grant.CheckRole(grant.Resident, grant.Where{}), "which rooms")
	boards := grant.Where{Boards: []string{"b1"}}
	assert.NoError(t, grant.CheckRole(grant.Guest, boards))
	assert.ErrorContains(t, grant.CheckRole(grant.Guest, dome), "boards, and nothing else")
	assert.ErrorContains(t, grant.CheckRole(grant.Visitor, boards), "boards are for guests")
	assert.Error(t, grant.Of(grant.Guest, boards).May(grant.See, grant.Target{Device: "lamp", Room: "dome"}),
		"a board is no part of the house")
}

func TestParseRights_OldWordsGoOn(t *testing.T) {
	for words, want := range map[string][]grant.Right{"press": {"see", "use", "tell"}, "watch": {"see"},
		"owner": grant.Rights, "use": {"see", "use"}, "teach": {"see", "teach"}} {
		got, err := grant.ParseRights([]string{words})
		require.NoError(t, err)
		assert.Equal(t, want, got, words)
	}
	_, err := grant.ParseRights([]string{"fly"})
	assert.ErrorIs(t, err, grant.ErrRole)
	assert.Equal(t, "press", grant.RightsText([]grant.Right{"see", "use", "tell"}))
	assert.Equal(t, "see teach", grant.RightsText([]grant.Right{"see", "teach"}))
}
