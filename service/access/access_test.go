package access_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/service/access"
	"urbo/service/library"
	"urbo/store"
	"urbo/wire"
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
	d.Access = access.New(s, func() time.Time { return d.now })
	return d
}

func TestTicket_WorksOnceAndNotForLong(t *testing.T) {
	d := newDoor(t)
	ticket, end := d.Ticket()
	assert.Equal(t, d.now.Add(access.TicketLife), end)
	session, err := d.SignIn(t.Context(), ticket)
	require.NoError(t, err)
	who, err := d.Session(t.Context(), session)
	require.NoError(t, err)
	assert.Equal(t, access.Owner, who.Scope)
	_, err = d.SignIn(t.Context(), ticket)
	assert.ErrorIs(t, err, access.ErrTicket)

	late, _ := d.Ticket()
	d.now = d.now.Add(access.TicketLife + time.Second)
	_, err = d.SignIn(t.Context(), late)
	assert.ErrorIs(t, err, access.ErrTicket)
	_, err = d.SignIn(t.Context(), "")
	assert.ErrorIs(t, err, access.ErrTicket)
}

func TestSession_EndsByTimeAndBySigningOut(t *testing.T) {
	d := newDoor(t)
	signIn := func() string {
		ticket, _ := d.Ticket()
		s, err := d.SignIn(t.Context(), ticket)
		require.NoError(t, err)
		return s
	}
	first, second := signIn(), signIn()
	require.NoError(t, d.SignOut(t.Context(), first))
	_, err := d.Session(t.Context(), first)
	assert.ErrorIs(t, err, access.ErrNobody)
	_, err = d.Session(t.Context(), second)
	require.NoError(t, err)
	d.now = d.now.Add(access.SessionLife + time.Second)
	_, err = d.Session(t.Context(), second)
	assert.ErrorIs(t, err, access.ErrNobody)
	signIn()
	var left int64
	require.NoError(t, d.store.Read(t.Context()).Model(&store.Session{}).Count(&left).Error)
	assert.EqualValues(t, 1, left, "sessions that are over are swept out")
}

func TestToken_IsKeptAsAHashOnly(t *testing.T) {
	d := newDoor(t)
	made, err := d.AddToken(t.Context(), wire.NewToken{Name: "  wall   tablet ", Scope: "watch"})
	require.NoError(t, err)
	assert.Equal(t, "wall tablet", made.Name)
	assert.Len(t, made.Secret, 48)
	var row store.Token
	require.NoError(t, d.store.Read(t.Context()).Take(&row).Error)
	assert.NotContains(t, row.Hash, made.Secret)

	who, err := d.Token(t.Context(), made.Secret)
	require.NoError(t, err)
	assert.Equal(t, access.Caller{Name: "token wall tablet", Scope: access.Watch}, who)
	listed, err := d.Tokens(t.Context())
	require.NoError(t, err)
	require.Len(t, listed, 1)
	assert.Empty(t, listed[0].Secret, "a secret is shown once")
	require.NotNil(t, listed[0].Used)
	assert.WithinDuration(t, d.now, *listed[0].Used, time.Second)

	_, err = d.AddToken(t.Context(), wire.NewToken{Name: "wall tablet", Scope: "press"})
	assert.ErrorIs(t, err, library.ErrTaken)
	require.NoError(t, d.RemoveToken(t.Context(), "wall tablet"))
	_, err = d.Token(t.Context(), made.Secret)
	assert.ErrorIs(t, err, access.ErrNobody)
	assert.ErrorIs(t, d.RemoveToken(t.Context(), "wall tablet"), access.ErrUnknown)
}

func TestScopes(t *testing.T) {
	may := map[access.Scope][]access.Scope{
		access.Owner: {access.Owner, access.Press, access.Watch}, access.Press: {access.Press, access.Watch}, access.Watch: {access.Watch}, access.Station: nil, "": nil,
	}
	for has, allowed := range may {
		for _, wanted := range []access.Scope{access.Owner, access.Press, access.Watch} {
			err := access.Caller{Name: "x", Scope: has}.May(wanted)
			if assert.ObjectsAreEqual(true, contains(allowed, wanted)) {
				assert.NoError(t, err, "%s for %s", has, wanted)
			} else {
				assert.ErrorIs(t, err, access.ErrScope, "%s for %s", has, wanted)
			}
		}
	}
}

func contains(all []access.Scope, one access.Scope) bool {
	for _, s := range all {
		if s == one {
			return true
		}
	}
	return false
}
