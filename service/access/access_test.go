package access_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/service/access"
	"urbo/service/stream"
	"urbo/store"
)

// door is a doorkeeper with a clock that the test moves.
type door struct {
	*access.Access
	store *store.Store
	now   time.Time
}

func newDoor(t *testing.T) *door {
	t.Helper()
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	d := &door{store: s, now: time.Date(2026, 3, 1, 21, 0, 0, 0, time.UTC)}
	d.Access, err = access.Open(t.Context(), s, stream.New(0, time.Now), func() time.Time { return d.now })
	require.NoError(t, err)
	return d
}

func TestTicket_WorksOnceAndNotForLong(t *testing.T) {
	d := newDoor(t)
	ticket, end, err := ownerLink(d)
	require.NoError(t, err)
	assert.Equal(t, d.now.Add(access.TicketLife), end)
	_, session, err := d.SignIn(t.Context(), ticket, "", "")
	require.NoError(t, err)
	who, err := d.Session(t.Context(), session, "192.0.2.8")
	require.NoError(t, err)
	assert.Equal(t, grant.All, who.Grant)
	assert.Equal(t, grant.Person, who.By.Kind)
	_, _, err = d.SignIn(t.Context(), ticket, "Browser \x1b 7", "192.0.2.7")
	assert.ErrorIs(t, err, access.ErrTicket)

	late, _, _ := ownerLink(d)
	d.now = d.now.Add(access.TicketLife + time.Second)
	_, _, err = d.SignIn(t.Context(), late, "Browser \x1b 7", "192.0.2.7")
	assert.ErrorIs(t, err, access.ErrTicket)
	_, _, err = d.SignIn(t.Context(), "", "Browser \x1b 7", "192.0.2.7")
	assert.ErrorIs(t, err, access.ErrTicket)
}

func TestSession_EndsByTimeAndBySigningOut(t *testing.T) {
	d := newDoor(t)
	signIn := func() string {
		ticket, _, _ := ownerLink(d)
		_, s, err := d.SignIn(t.Context(), ticket, "Browser \x1b 7", "192.0.2.7")
		require.NoError(t, err)
		return s
	}
	first, second := signIn(), signIn()
	who, err := d.Session(t.Context(), first, "192.0.2.8")
	require.NoError(t, err)
	require.NoError(t, d.SignOut(t.Context(), who))
	_, err = d.Session(t.Context(), first, "192.0.2.8")
	assert.ErrorIs(t, err, access.ErrNobody)
	_, err = d.Session(t.Context(), second, "192.0.2.8")
	require.NoError(t, err)
	d.now = d.now.Add(access.SessionLife + time.Second)
	_, err = d.Session(t.Context(), second, "192.0.2.8")
	assert.ErrorIs(t, err, access.ErrNobody)
	d.now = d.now.Add(-2 * access.SessionLife)
	_, err = d.Session(t.Context(), second, "192.0.2.8")
	require.NoError(t, err)
	d.now = d.now.Add(2 * access.SessionLife)
	signIn()
	d.now = d.now.Add(-2 * access.SessionLife)
	_, err = d.Session(t.Context(), second, "192.0.2.8")
	assert.ErrorIs(t, err, access.ErrNobody, "sessions that are over are swept out")
}

func TestToken_IsKeptAsAHashOnly(t *testing.T) {
	d := newDoor(t)
	made, secret, err := d.AddToken(t.Context(), newToken("  wall   tablet ", "Watch"), grant.Named("test"))
	require.NoError(t, err)
	assert.Equal(t, "wall tablet", made.Name)
	assert.Len(t, secret, 48)
	assert.NotContains(t, made.Hash, secret)

	who, err := d.Token(t.Context(), secret, "192.0.2.9")
	require.NoError(t, err)
	assert.Equal(t, "token wall tablet", who.By.Name)
	assert.Equal(t, []grant.Right{grant.See}, who.Grant.Rights)
	assert.Equal(t, access.Credential{ID: made.ID}, who.Door)
	listed, err := d.Tokens(t.Context())
	require.NoError(t, err)
	require.Len(t, listed, 1)
	require.NotNil(t, listed[0].Used)
	assert.WithinDuration(t, d.now, *listed[0].Used, time.Second)
	assert.Equal(t, "192.0.2.9", listed[0].From)

	_, _, err = d.AddToken(t.Context(), newToken("wall tablet", "Press"), grant.Named("test"))
	assert.ErrorIs(t, err, device.ErrTaken)
	require.NoError(t, d.RemoveToken(t.Context(), "wall tablet", grant.Named("test")))
	_, err = d.Token(t.Context(), secret, "192.0.2.9")
	assert.ErrorIs(t, err, access.ErrNobody)
	assert.ErrorIs(t, d.RemoveToken(t.Context(), "wall tablet", grant.Named("test")), access.ErrUnknown)
}

// TestToken_IsUsedWithoutAWriteWhichFollowsLater: on a full disk, programs can still look.
func TestToken_IsUsedWithoutAWriteWhichFollowsLater(t *testing.T) {
	d := newDoor(t)
	_, secret, err := d.AddToken(t.Context(), newToken("wall", "Watch"), grant.Named("test"))
	require.NoError(t, err)
	_, err = d.Token(t.Context(), secret, "192.0.2.9")
	require.NoError(t, err)
	rows, err := d.store.Access().Tokens(t.Context())
	require.NoError(t, err)
	assert.Nil(t, rows[0].Used)
	over, end := context.WithCancel(t.Context())
	end()
	require.NoError(t, d.Run(over))
	rows, err = d.store.Access().Tokens(t.Context())
	require.NoError(t, err)
	require.NotNil(t, rows[0].Used)
	assert.WithinDuration(t, d.now, *rows[0].Used, time.Second)
}

// TestAccess_TheJournalKnowsOfTokensAndSignIns: they left no entry.
func TestAccess_TheJournalKnowsOfTokensAndSignIns(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	events := stream.New(0, time.Now)
	told := events.Subscribe()
	a, err := access.Open(t.Context(), s, events, time.Now)
	require.NoError(t, err)
	_, secret, err := a.AddToken(t.Context(), newToken("wall", "Watch"), grant.Named("somebody"))
	require.NoError(t, err)
	require.NoError(t, a.RemoveToken(t.Context(), "wall", grant.Named("somebody")))
	ticket, _, _ := ownerLink(&door{Access: a})
	_, _, err = a.SignIn(t.Context(), ticket, "", "")
	require.NoError(t, err)
	var texts []string
	all, _ := told.Waiting()
	for _, h := range all {
		l, _ := h.What.Tell()
		texts = append(texts, h.By.Name+": "+l.Text)
		assert.NotContains(t, l.Text, secret)
	}
	assert.Equal(t, []string{"somebody: Made the token wall (watch)", "somebody: Removed the token wall",
		"owner: A browser signed in for owner"}, texts)
}

// TestTicket_WhoMakesTheirOwnLeavesThoseOfOthers: a resident who asks on and on keeps no owner from letting people in.
func TestTicket_WhoMakesTheirOwnLeavesThoseOfOthers(t *testing.T) {
	d := newDoor(t)
	p, err := d.AddPerson(t.Context(), access.NewPerson{Name: "Night watch", Role: grant.Resident,
		Where: grant.Everywhere}, grant.Named("test"))
	require.NoError(t, err)
	made := 0
	for err == nil {
		if _, _, _, err = d.OwnLink(t.Context(), p.ID); err == nil {
			made++
		}
	}
	require.ErrorIs(t, err, access.ErrTickets)
	assert.Equal(t, 5, made)
	_, _, _, err = d.Link(t.Context(), p.ID, 1)
	assert.NoError(t, err, "an owner makes one for them all the same")
}

func TestTicket_NonePushesAnotherOut(t *testing.T) {
	d := newDoor(t)
	first, _, err := ownerLink(d)
	require.NoError(t, err)
	for err == nil {
		_, _, err = ownerLink(d)
	}
	require.ErrorIs(t, err, access.ErrTickets)
	assert.ErrorContains(t, err, "wait for 15 minutes")
	_, _, err = d.SignIn(t.Context(), first, "", "")
	require.NoError(t, err, "the first of them works")
	_, _, err = ownerLink(d)
	assert.NoError(t, err, "and there is room again")
}

func TestSession_IsListedAndEndedAndTellsWhoeverGoesOn(t *testing.T) {
	d := newDoor(t)
	ticket, _, _ := ownerLink(d)
	_, cookie, err := d.SignIn(t.Context(), ticket, "Browser  \x1b[2J 7", "192.0.2.7")
	require.NoError(t, err)
	all, err := d.Sessions(t.Context())
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, "Browser �[2J 7", all[0].Agent)
	assert.Equal(t, "192.0.2.7", all[0].From)
	assert.Equal(t, d.now, all[0].Created.UTC())

	who, err := d.Session(t.Context(), cookie, "192.0.2.8")
	require.NoError(t, err)
	gone, err := d.Revoked(t.Context(), who)
	require.NoError(t, err)
	select {
	case <-gone:
		t.Fatal("nobody has ended it")
	default:
	}
	over, end := context.WithCancel(t.Context())
	end()
	require.NoError(t, d.Run(over)) // writes the use
	require.NoError(t, d.EndSession(t.Context(), all[0].ID, grant.Named("test")))
	<-gone
	_, err = d.Revoked(t.Context(), who)
	assert.ErrorIs(t, err, access.ErrNobody, "whoever comes just after the end is told")
	assert.ErrorIs(t, d.EndSession(t.Context(), all[0].ID, grant.Named("test")), access.ErrUnknown)
	all, err = d.Sessions(t.Context())
	require.NoError(t, err)
	assert.Empty(t, all)
}

// ownerLink makes a sign-in link for the owner.
func ownerLink(d *door) (string, time.Time, error) {
	_, code, end, err := d.Link(context.Background(), d.Owner().ID, 1)
	return code, end, err
}

// newToken is a token with the rights of a word, for the whole house.
func newToken(name, word string) access.NewToken {
	rights, _ := grant.ParseRights([]string{strings.ToLower(word)})
	return access.NewToken{Name: name, Station: word == "Station" || word == "station", Rights: rights,
		Where: grant.Everywhere}
}
