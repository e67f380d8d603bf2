package journal_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/service/event"
	"urbo/service/journal"
	"urbo/store"
	"urbo/wire"
)

func texts(t *testing.T, j *journal.Journal, before string, limit int) (out []string, last string) {
	t.Helper()
	entries, err := j.Entries(t.Context(), before, limit)
	require.NoError(t, err)
	for _, e := range entries {
		out = append(out, e.Text)
		last = e.ID
	}
	return out, last
}

func TestEntries_ArePagedAcrossWhatIsWrittenAndWhatIsNot(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	j := journal.New(s, &event.Hub{}, time.Now)
	write := func(from, to int) {
		for n := from; n <= to; n++ {
			j.Write(wire.Entry{Kind: "house", Text: fmt.Sprint(n)})
		}
	}
	flush := func() {
		ctx, cancel := context.WithCancel(t.Context())
		cancel()
		require.NoError(t, j.Run(ctx), "the last thing it does is to write")
	}
	write(1, 4)
	flush()
	write(5, 6)
	page, last := texts(t, j, "", 3)
	assert.Equal(t, []string{"6", "5", "4"}, page)
	page, last = texts(t, j, last, 2)
	assert.Equal(t, []string{"3", "2"}, page)
	page, _ = texts(t, j, last, 5)
	assert.Equal(t, []string{"1"}, page)
	flush()
	page, _ = texts(t, j, "", 50)
	assert.Equal(t, []string{"6", "5", "4", "3", "2", "1"}, page, "nothing twice, nothing lost")
}

func TestFlush_KeepsWhatCouldNotBeWritten(t *testing.T) {
	dir := t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	j := journal.New(s, &event.Hub{}, time.Now)
	j.Write(wire.Entry{ID: "same", Kind: "house", Text: "one"})
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	require.NoError(t, j.Run(gone))
	j.Write(wire.Entry{ID: "same", Kind: "house", Text: "again"}) // the database refuses a second of this id
	j.Write(wire.Entry{Kind: "house", Text: "two"})
	assert.Error(t, j.Run(gone))
	page, _ := texts(t, j, "", 10)
	assert.Contains(t, page, "two", "it is still there, and tried again")
	require.NoError(t, s.Close())
}
