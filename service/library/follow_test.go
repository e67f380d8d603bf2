package library_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/service/library"
)

// rolling is a press of a rolling handset, which counts.
func rolling(counter int64) []line.Reading {
	return []line.Reading{{Sheet: "roll56", Confidence: 1, Rolling: true, Fields: line.Fields{
		"handset": line.Number(0x3131), "button": line.Number(2), "counter": line.Number(counter)}}}
}

func (h *house) follow(slug, key string, r line.Reading) error {
	_, err := h.Follow(h.t.Context(), ref(slug, key), []device.Code{{Sheet: r.Sheet, Fields: r.Fields}}, note)
	return err
}

func TestFollow_AnotherHandsetCountsAndIsNeverSent(t *testing.T) {
	dir := t.TempDir()
	l := open(t, dir)
	l.add(device.Device{Name: "Shutter", Kind: "shutter"})
	require.NoError(t, l.follow("shutter", "up", rolling(7)[0]))
	require.NoError(t, l.follow("shutter", "up", rolling(9)[0]), "the same handset, later")
	l = open(t, dir)
	d, err := l.Device("shutter")
	require.NoError(t, err)
	require.Len(t, d.Keys[0].Follows, 1)
	assert.Equal(t, 1, l.Lines("shutter")[0].Followed)
	found := l.Match(rolling(12), nil)
	require.Len(t, found, 1)
	assert.Equal(t, "shutter/up", found[0].String())
	_, _, err = l.Key(ref("shutter", "up"))
	require.ErrorIs(t, err, library.ErrNotLearned)
	assert.Contains(t, err.Error(), "urbo device pair shutter")

	// A pack takes it along, without what the handset counted.
	fresh := open(t, t.TempDir())
	_, err = fresh.Import(t.Context(), read(t, text(t, l)), library.Skip, note)
	require.NoError(t, err)
	assert.Len(t, fresh.Match(rolling(13), nil), 1)
	assert.Contains(t, text(t, fresh), `"counter": 0`)

	require.ErrorIs(t, l.follow("shutter", "up", line.Reading{Sheet: "roll57"}), device.ErrCode)
	_, err = l.Unfollow(t.Context(), ref("shutter", "up"), note)
	require.NoError(t, err)
	assert.Empty(t, l.Match(rolling(14), nil))
	_, err = l.Unfollow(t.Context(), ref("shutter", "up"), note)
	require.ErrorIs(t, err, device.ErrCode)
}

func TestPair_TheHandsetThatWasLearnedGoesOnToCount(t *testing.T) {
	l := open(t, t.TempDir())
	l.add(device.Device{Name: "Socket", Kind: "socket"})
	l.mustSet("socket", "on", nec(2))
	for range 12 { // again and again
		_, err := l.Pair("socket", "ev1527")
		require.NoError(t, err)
		_, err = l.Paired(t.Context(), "socket", note)
		require.NoError(t, err)
	}
	d, err := l.Device("socket")
	require.NoError(t, err)
	assert.Equal(t, "ev1527", d.Keys[0].Codes[0].Sheet)
	r := []line.Reading{{Sheet: "nec", Confidence: 1, Fields: nec(2).Fields}}
	require.Len(t, l.Match(r, nil), 1)
	assert.Equal(t, "socket/on", l.Match(r, nil)[0].String())
	require.ErrorIs(t, l.follow("socket", "on", line.Reading{Sheet: "ev1527", Fields: d.Keys[0].Codes[0].Fields}),
		device.ErrCode, "its own")
}

func TestCounters_SayWhereAHandsetCountsBack(t *testing.T) {
	l := open(t, t.TempDir())
	l.add(device.Device{Name: "Shutter", Kind: "shutter"})
	require.NoError(t, l.follow("shutter", "up", rolling(0)[0]))
	c := library.NewCounters(l.Library)
	at := time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)
	for _, p := range []struct {
		counter int64
		after   time.Duration
	}{{5, 0}, {6, time.Minute}, {4, 30 * time.Second}, {6, time.Minute}, {65_535, 2 * time.Minute},
		{1, 3 * time.Minute},
		{0, 4 * time.Minute}} { // one is late, one is heard twice, one begins anew after the last
		capture := happening.Capture{At: at.Add(p.after), Decoded: line.Decoded{Readings: rolling(p.counter)}}
		l.Recognise(&capture)
		l.stream.Publish(happening.Happening{What: happening.Heard{Capture: capture}})
	}
	ctx, end := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	go func() { ended <- c.Run(ctx) }()
	var first *happening.CounterBack
	for first == nil {
		batch, err := l.told.Next(t.Context())
		require.NoError(t, err)
		for _, h := range batch {
			if what, ok := h.What.(happening.CounterBack); ok {
				first = &what
			}
		}
	}
	id, err := l.ID("shutter")
	require.NoError(t, err)
	assert.Equal(t, happening.CounterBack{DeviceID: id, Device: "shutter", Key: "up", Before: 1, Now: 0}, *first,
		"none before it")
	end()
	require.NoError(t, <-ended)
}
