package journal_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/signal"
	"urbo/service/journal"
	"urbo/service/stream"
	"urbo/store"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

// desk is a journal that is written when the test says so.
type desk struct {
	*journal.Journal
	t      *testing.T
	store  *store.Store
	stream *stream.Stream
}

// newDesk makes a journal on a database in a directory.
func newDesk(t *testing.T, dir string) *desk {
	t.Helper()
	s, err := store.Open(dir)
	require.NoError(t, err)
	last, err := s.Happenings().LastSeq(t.Context())
	require.NoError(t, err)
	events := stream.New(last, time.Now)
	return &desk{journal.New(s, events), t, s, events}
}

// close writes what waits and closes the database.
func (d *desk) close() error {
	d.stream.Close()
	defer d.store.Close()
	return d.Run(context.Background())
}

func (d *desk) note(texts ...any) {
	for _, text := range texts {
		d.stream.Publish(happening.Happening{What: happening.HouseNote{Text: fmt.Sprint(text)}})
	}
}

func (d *desk) page(before string, limit int) (out []string, last string) {
	d.t.Helper()
	page, err := d.Find(d.t.Context(), journal.Query{Before: before, Limit: limit})
	entries := page.Entries
	require.NoError(d.t, err)
	for _, e := range entries {
		l, _ := e.What.Tell()
		out, last = append(out, l.Text), e.ID
	}
	return out, last
}

func TestEntries_ArePagedAcrossWhatIsWrittenAndWhatIsNot(t *testing.T) {
	dir := t.TempDir()
	d := newDesk(t, dir)
	d.note(1, 2, 3, 4)
	require.NoError(t, d.close())
	d = newDesk(t, dir)
	d.note(5, 6)
	page, last := d.page("", 3)
	assert.Equal(t, []string{"6", "5", "4"}, page)
	page, last = d.page(last, 2)
	assert.Equal(t, []string{"3", "2"}, page)
	page, _ = d.page(last, 5)
	assert.Equal(t, []string{"1"}, page)
	_, last = d.page("", 1)
	page, _ = d.page(last, 2)
	assert.Equal(t, []string{"5", "4"}, page)
	require.NoError(t, d.close())
	d = newDesk(t, dir)
	page, _ = d.page("", 50)
	assert.Equal(t, []string{"6", "5", "4", "3", "2", "1"}, page, "nothing twice, nothing lost")
	require.NoError(t, d.close())
}

func TestJournal_KeepsWhatHappenedAndNotOnlyItsWords(t *testing.T) {
	dir := t.TempDir()
	d := newDesk(t, dir)
	receipt := happening.Receipt{DeviceID: "x", Device: "lamp", Key: "power", Times: 2, Station: "s", Port: "p",
		Outcome: happening.Unknown, Reason: "no answer", Took: 5}
	for _, what := range []happening.What{happening.Pressed{Receipt: receipt},
		happening.DeviceRemoved{DeviceID: "x", Device: "lamp", Title: "Lamp", Keys: 1},
		happening.StationUsed{Station: "s"}} {
		d.stream.Publish(happening.Happening{By: grant.Named("somebody"), Cause: "c", What: what})
	}
	require.NoError(t, d.close())
	d = newDesk(t, dir)
	page, err := d.Find(t.Context(), journal.Query{Limit: 10})
	entries := page.Entries
	require.NoError(t, err)
	require.Len(t, entries, 2, "what is no news has no entry")
	assert.Equal(t, happening.DeviceRemoved{DeviceID: "x", Device: "lamp", Title: "Lamp", Keys: 1}, entries[0].What)
	assert.Equal(t, happening.Pressed{Receipt: receipt}, entries[1].What)
	assert.Equal(t, grant.Named("somebody"), entries[1].By)
	texts, _ := d.page("", 2)
	assert.Equal(t, []string{"Removed Lamp with 1 key", "Pressed lamp/power 2 times: no answer"}, texts)
	require.NoError(t, d.close())
}

func TestFlush_KeepsWhatCouldNotBeWrittenAndOfALotTheNewest(t *testing.T) {
	d := newDesk(t, t.TempDir())
	require.NoError(t, d.store.Close()) // nothing can be written any more
	d.note("one")
	require.Error(t, d.close())
	all, _ := d.Waiting()
	assert.Len(t, all, 1, "it is still there, and would be tried again")

	d = newDesk(t, t.TempDir())
	require.NoError(t, d.store.Close())
	for range 1200 {
		long := happening.Capture{Trains: []signal.Reception{{Train: make(signal.Train, 4001)}}}
		d.stream.Publish(happening.Happening{What: happening.HeardOf(long)})
	}
	d.note("last")
	require.Error(t, d.close())
	all, size := d.Waiting()
	assert.Less(t, size, 20<<20, "what waits in memory is bounded")
	l, _ := all[len(all)-1].What.Tell()
	assert.Equal(t, "last", l.Text)
}
