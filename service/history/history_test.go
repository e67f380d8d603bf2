package history_test

import (
	"context"
	"errors"
	"math"
	"strconv"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/happening"
	"urbo/core/measure"
	"urbo/service/history"
	"urbo/service/stream"
	"urbo/store"
)

// disk is a database that can be full for a while.
type disk struct {
	*store.Store
	full   atomic.Bool
	writes atomic.Int64
	leapt  atomic.Int64 // by how much the calendar clock was set forward
}

func (d *disk) PutFacts(ctx context.Context, all []store.Fact) error {
	d.writes.Add(1)
	if d.full.Load() {
		return errors.New("disk full")
	}
	return d.Store.PutFacts(ctx, all)
}

// follow runs a history in fake time.
func follow(t *testing.T, act func(t *testing.T, d *disk, s *stream.Stream, h *history.History)) {
	t.Helper()
	synctest.Test(t, func(t *testing.T) {
		db, err := store.Open(t.TempDir())
		require.NoError(t, err)
		d := &disk{Store: db}
		s := stream.New(0, time.Now)
		h := history.New(history.Config{Store: d, Stream: s, Now: time.Now,
			Calendar: func(at time.Time) time.Time { return at.Add(time.Duration(d.leapt.Load())) }})
		done := make(chan struct{})
		go func() { defer close(done); assert.NoError(t, h.Run(t.Context())) }()
		act(t, d, s, h)
		s.Close()
		<-done
		require.NoError(t, db.Close())
	})
}

func values(t *testing.T, h *history.History, q history.Query) (out []string) {
	t.Helper()
	facts, _, err := h.Find(t.Context(), q)
	require.NoError(t, err)
	for _, f := range facts {
		out = append(out, f.Value)
	}
	return out
}

func believed(s *stream.Stream, value, source string) {
	s.Publish(happening.Happening{What: happening.Believed{DeviceID: "d1", Control: "power", Value: value,
		Source: source}})
}

var power = history.Query{Kind: history.Control, Of: "d1", Name: "power"}

func TestHistory_NotesWhatChanged(t *testing.T) {
	follow(t, func(t *testing.T, _ *disk, s *stream.Stream, h *history.History) {
		began := time.Now()
		believed(s, "on", "sent")
		believed(s, "on", "sent") // only trusted otherwise
		time.Sleep(time.Minute)
		believed(s, "", "heard")
		time.Sleep(time.Minute)
		believed(s, "off", "told")
		s.Publish(happening.Happening{What: happening.Heard{DeviceID: "d1", Key: "power"}})
		s.Publish(happening.Happening{What: happening.Heard{DeviceID: "d1", Key: "power", Echo: true}})
		s.Publish(happening.Happening{What: happening.Heard{Signal: "of nobody"}})
		time.Sleep(3 * time.Second)
		assert.Equal(t, []string{"on", "", "off"}, values(t, h, power))
		late := power
		late.Since = began.Add(90 * time.Second)
		assert.Equal(t, []string{"", "off"}, values(t, h, late), "with what was so then")
		late.Until = began.Add(100 * time.Second)
		assert.Equal(t, []string{""}, values(t, h, late))
		assert.Len(t, values(t, h, history.Query{Kind: history.Key, Of: "d1", Name: "power"}), 1)
		first := power
		first.Limit = 2
		facts, more, err := h.Find(t.Context(), first)
		require.NoError(t, err)
		assert.Len(t, facts, 2)
		assert.True(t, more)
		for _, wrong := range []history.Query{{Limit: -1}, {Limit: 5001}, {Since: began, Until: began.Add(-1)}} {
			_, _, err = h.Find(t.Context(), wrong)
			require.ErrorIs(t, err, history.ErrQuery)
		}
	})
}

// TestHistory_ThinsMeasurements: of a flood the last value in a moment counts, and what does not change is noted now
// and then.
func TestHistory_ThinsMeasurements(t *testing.T) {
	follow(t, func(t *testing.T, d *disk, s *stream.Stream, h *history.History) {
		put := func(v float64) {
			s.Publish(happening.Happening{What: happening.Measured{Measurement: "dome/humidity", Value: v}})
		}
		q := history.Query{Kind: history.Measurement, Of: "dome/humidity"}
		for n := range 100 {
			put(float64(n))
			time.Sleep(100 * time.Millisecond)
		}
		time.Sleep(3 * time.Second)
		got := values(t, h, q)
		assert.LessOrEqual(t, len(got), 7)
		assert.Equal(t, "99", got[len(got)-1])
		n := len(got)
		for range 40 {
			put(99)
			time.Sleep(15 * time.Second)
		}
		assert.Len(t, values(t, h, q), n+1, "in ten minutes")
		writes := d.writes.Load()
		time.Sleep(time.Hour)
		assert.Equal(t, writes, d.writes.Load(), "nothing happened, and nothing is done")
	})
}

func TestHistory_WritesLaterWhereTheDiskIsFull(t *testing.T) {
	follow(t, func(t *testing.T, d *disk, s *stream.Stream, h *history.History) {
		d.full.Store(true)
		believed(s, "on", "sent")
		time.Sleep(10 * time.Second)
		believed(s, "off", "sent")
		time.Sleep(10 * time.Second)
		d.full.Store(false)
		time.Sleep(3 * time.Second)
		assert.Equal(t, []string{"on", "off"}, values(t, h, power))
	})
}

// TestHistory_ForgetsNothingWithAClockThatLeapt: a clock that is a year ahead for a day makes nothing too old.
func TestHistory_ForgetsNothingWithAClockThatLeapt(t *testing.T) {
	follow(t, func(t *testing.T, d *disk, s *stream.Stream, h *history.History) {
		const year = 365 * 24 * time.Hour
		believed(s, "on", "told")
		live := func(days int) {
			for n := range days * 24 {
				s.Publish(happening.Happening{What: happening.Measured{Measurement: "dome/humidity",
					Value: float64(n)}})
				time.Sleep(time.Hour)
			}
		}
		live(3)
		d.leapt.Store(int64(year))
		live(1)
		assert.Equal(t, []string{"on"}, values(t, h, power), "the clock may be wrong")
		d.leapt.Store(0)
		live(5)
		assert.Equal(t, []string{"on"}, values(t, h, power), "it was wrong")
		d.leapt.Store(int64(year))
		live(5)
		assert.Empty(t, values(t, h, power), "it was a year")
	})
}

func TestHistory_IsBounded(t *testing.T) {
	db, err := store.Open(t.TempDir())
	require.NoError(t, err)
	now := time.UnixMilli(1_800_000_000_000)
	var all []store.Fact
	for n := range 100 {
		all = append(all, store.Fact{AtMS: now.UnixMilli() + int64(n), Kind: "key", Of: "d1", Name: "on",
			Value: strconv.Itoa(n)})
	}
	require.NoError(t, db.PutFacts(t.Context(), all))
	require.NoError(t, db.PruneFacts(t.Context(), now.Add(20*time.Millisecond), 50))
	facts, err := db.Facts(t.Context(), store.FactQuery{Kind: "key", Of: "d1", Name: "on", Limit: 1000})
	require.NoError(t, err)
	assert.Len(t, facts, 50)
	assert.Equal(t, "50", facts[0].Value)
	require.NoError(t, db.Close())
}

// BenchmarkChart_AYear charts a year of a value each minute in 800 spans, as it is kept after that year, and the same
// year as if nothing of it had been made coarser.
func BenchmarkChart_AYear(b *testing.B) {
	db, err := store.Open(b.TempDir())
	require.NoError(b, err)
	now := time.Now()
	since := now.AddDate(-1, 0, 0)
	var all []store.Fact
	for at := since; at.Before(now); at = at.Add(time.Minute) {
		all = append(all, store.Fact{AtMS: at.UnixMilli(), Kind: history.Measurement, Of: "dome/humidity",
			Value: strconv.FormatFloat(60+20*math.Sin(float64(at.Unix())/40_000), 'f', 1, 64)})
	}
	require.NoError(b, db.PutFacts(b.Context(), all))
	h := history.New(history.Config{Store: db, Stream: stream.New(0, time.Now), Now: time.Now,
		Calendar: func(at time.Time) time.Time { return at }})
	chart := func(b *testing.B) {
		for b.Loop() {
			spans, _, err := h.Chart(b.Context(), "dome/humidity", since, now, 800)
			require.NoError(b, err)
			require.Greater(b, len(spans), 300)
		}
	}
	b.Run("whole", chart)
	require.NoError(b, db.ThinMeasured(b.Context(), now.Add(-measure.Raw), now.AddDate(0, 0, -90),
		(5*time.Minute).Milliseconds(), time.Hour.Milliseconds()))
	b.Run("kept", chart)
	require.NoError(b, db.Close())
}
