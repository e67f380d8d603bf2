package journal_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/happening/sample"
	"urbo/service/journal"
)

// TestJournal_KeepsEveryTypeWithWhoAskedAndWhatItIsAbout sends one happening of each type through the disk.
func TestJournal_KeepsEveryTypeWithWhoAskedAndWhatItIsAbout(t *testing.T) {
	dir := t.TempDir()
	d := newDesk(t, dir)
	told := map[string]string{}
	for _, h := range sample.All() {
		h.ID = "x" + h.ID
		d.stream.Publish(h)
		if l, ok := h.What.Tell(); ok {
			told[h.ID] = l.Text
		}
	}
	require.NoError(t, d.close())
	d = newDesk(t, dir)
	t.Cleanup(func() { require.NoError(t, d.close()) })
	page, err := d.Find(t.Context(), journal.Query{Limit: 500})
	require.NoError(t, err)
	for _, h := range page.Entries {
		l, _ := h.What.Tell()
		if told[h.ID] == "" {
			continue
		}
		assert.Equal(t, told[h.ID], l.Text)
		assert.Equal(t, sample.By, h.By)
		device, _ := h.About()
		assert.Equal(t, l.DeviceID, device)
		delete(told, h.ID)
	}
	assert.Empty(t, told, "these are lost")
	page, err = d.Find(t.Context(), journal.Query{By: "NIGHT watch", Kind: "press", Limit: 10})
	require.NoError(t, err)
	assert.Len(t, page.Entries, 2)
	page, err = d.Find(t.Context(), journal.Query{Words: "boardwalk li", Device: "d1", Limit: 1})
	require.NoError(t, err)
	require.Len(t, page.Entries, 1)
	assert.True(t, page.More)
}
