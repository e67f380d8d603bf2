package journal_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/happening"
	"urbo/service/journal"
	"urbo/store"
)

// chain publishes a capture, a press that it led to, and what came of that, among other things. It returns their ids.
func (d *desk) chain() (ids []string) {
	cause := ""
	for _, what := range []happening.What{
		happening.DeviceChanged{DeviceID: "l", Device: "lamp", Title: "Lamp", Added: true},
		happening.DeviceChanged{DeviceID: "l", Device: "lamp", Title: "Lamp", Changes: []string{"name"}},
		happening.DeviceRemoved{DeviceID: "l", Device: "lamp", Title: "Lamp", Keys: 2},
	} {
		d.note("between")
		h := happening.Happening{ID: store.NewID(), Cause: cause, What: what}
		d.stream.Publish(h)
		cause = h.ID
		ids = append(ids, h.ID)
	}
	d.stream.Publish(happening.Happening{Cause: ids[1],
		What: happening.DeviceChanged{Device: "fan", Title: "Fan", Added: true}})
	return ids
}

func TestFind_AnswersByDeviceKindAndTime(t *testing.T) {
	dir := t.TempDir()
	d := newDesk(t, dir)
	d.chain()
	require.NoError(t, d.close())
	again := newDesk(t, dir)
	t.Cleanup(func() { require.NoError(t, again.close()) })
	again.note("not written yet")
	texts := func(q journal.Query) (out []string) {
		t.Helper()
		found, err := again.Find(t.Context(), q)
		require.NoError(t, err)
		for _, h := range found.Entries {
			l, _ := h.What.Tell()
			out = append(out, l.Text)
		}
		return out
	}
	assert.Equal(t, []string{"Removed Lamp with 2 keys", "Changed Lamp: name", "Added Lamp"},
		texts(journal.Query{Device: "l", Limit: 10}))
	assert.Equal(t, []string{"Added Fan", "Removed Lamp with 2 keys"}, texts(journal.Query{Kind: "device", Limit: 2}))
	assert.Equal(t, "not written yet", texts(journal.Query{Kind: "house", Limit: 1})[0])
	assert.Empty(t, texts(journal.Query{Since: time.Now().Add(time.Hour), Limit: 10}))
	assert.Len(t, texts(journal.Query{Since: time.Now().Add(-time.Hour), Limit: 100}), 8)
}

func TestWhy_FollowsCausesBothWays(t *testing.T) {
	dir := t.TempDir()
	d := newDesk(t, dir)
	ids := d.chain()
	check := func(d *desk) {
		t.Helper()
		found, err := d.Why(t.Context(), ids[1])
		require.NoError(t, err)
		var texts []string
		for _, h := range found {
			l, _ := h.What.Tell()
			texts = append(texts, l.Text)
		}
		assert.Equal(t, []string{"Added Lamp", "Changed Lamp: name", "Removed Lamp with 2 keys", "Added Fan"}, texts)
	}
	check(d) // before it is written
	require.NoError(t, d.close())
	again := newDesk(t, dir)
	t.Cleanup(func() { require.NoError(t, again.close()) })
	check(again)
	_, err := again.Why(t.Context(), "nobody")
	assert.ErrorIs(t, err, store.ErrNotFound)
}
