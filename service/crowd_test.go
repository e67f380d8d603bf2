package service_test

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"math/rand/v2"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/lesson"
	"urbo/core/pack"
	"urbo/service"
	"urbo/service/journal"
	"urbo/service/lessons"
	"urbo/service/library"
	"urbo/service/sitting"
	"urbo/service/stations"
	"urbo/service/transmit"
)

var crowdFor = flag.Duration("crowd", 1500*time.Millisecond, "how long TestCrowd lasts")

// crowd is people who all do something at once, and hang up when they like.
type crowd struct {
	*testing.T
	house *service.House
	notes atomic.Int64 // changes of WarmUpMS that were acknowledged
	saves atomic.Int64 // of the power key's codes
	added sync.Map     // slugs that were acknowledged
}

// TestCrowd_NothingAcknowledgedIsLostAndMemoryIsWhatIsOnDisk lets fifty people at a house. Under -race for longer:
// go test -race ./service -run TestCrowd -crowd 20s
func TestCrowd_NothingAcknowledgedIsLostAndMemoryIsWhatIsOnDisk(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	b := newBoard(nil)
	h, stop := start(t, dir, nil, b)
	lamp(t, h)
	c := &crowd{T: t, house: h}
	end := time.Now().Add(*crowdFor)
	var people sync.WaitGroup
	for n := range 50 {
		people.Go(func() {
			r := rand.New(rand.NewPCG(uint64(n), 7))
			for i := 0; time.Now().Before(end); i++ {
				c.something(n, i, r)
			}
		})
	}
	people.Wait()
	memory := map[string]device.Device{}
	for _, l := range h.Library.Lines("") {
		d, err := h.Library.Device(l.Slug)
		require.NoError(t, err)
		memory[l.ID] = d
		assert.Equal(t, len(d.Keys), l.Keys, "the list counts what is there")
	}
	listed := h.Lessons.List()
	stop()

	again := run(t, dir)
	assert.Len(t, again.Library.Lines(""), len(memory))
	for _, l := range again.Library.Lines("") {
		d, err := again.Library.Device(l.Slug)
		require.NoError(t, err)
		assert.Equal(t, memory[l.ID], d, "memory is what is on disk")
	}
	d, err := again.Library.Device("lamp")
	require.NoError(t, err)
	assert.EqualValues(t, c.notes.Load(), d.WarmUpMS, "each change that was acknowledged took effect, and no other")
	versions, err := again.Library.Versions(t.Context(), power)
	require.NoError(t, err)
	assert.EqualValues(t, c.saves.Load()+1, len(versions))
	c.added.Range(func(slug, there any) bool {
		_, err := again.Library.Device(slug.(string))
		assert.Equal(t, there.(bool), err == nil, slug)
		return true
	})
	assert.Len(t, again.Lessons.List(), len(listed))
	t.Logf("%d changes, %d saves, %d presses", c.notes.Load(), c.saves.Load(), len(b.sent()))
}

// something is what one of them does next; half of them hang up meanwhile.
func (c *crowd) something(n, i int, r *rand.Rand) {
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	if r.IntN(2) == 0 {
		time.AfterFunc(time.Duration(r.IntN(3000))*time.Microsecond, cancel)
	}
	l, note := c.house.Library, library.Note{By: grant.Named(fmt.Sprint("person ", n))}
	switch n % 6 {
	case 0:
		_, err := l.ChangeBySlug(ctx, "lamp", note, func(d *device.Device) error { d.WarmUpMS++; return nil })
		c.count(err, &c.notes)
	case 1:
		_, err := l.ChangeBySlug(ctx, "lamp", note, func(d *device.Device) error {
			return d.SetCodes("power", []device.Code{{Sheet: "nec-wide", Fields: necCode(int64(r.IntN(256))).Fields,
				GapUS: 1 + n*10_000 + i%10_000}})
		})
		c.count(err, &c.saves)
	case 2:
		slug := fmt.Sprintf("d-%d-%d", n, i)
		p := pack.Pack{Format: pack.Format, Version: pack.Version, Devices: []device.Device{{Slug: slug, Name: slug,
			Keys: []device.Key{{Name: "on", Codes: []device.Code{necCode(1)}}}}}}
		_, err := l.Import(ctx, p, library.Skip, note)
		c.fine(err)
		c.added.Store(slug, err == nil)
		if err == nil && r.IntN(2) == 0 {
			err := l.Remove(ctx, slug, note)
			c.fine(err)
			c.added.Store(slug, err != nil)
		}
	case 3:
		d, k, err := l.Key(power)
		require.NoError(c, err)
		_, err = c.house.Transmit.Press(ctx, transmit.Order{Device: d, Key: k, By: note.By})
		c.fine(err, transmit.ErrBusy, transmit.ErrGivenUp, stations.ErrNoTransmitter)
	case 4:
		l, err := c.house.Lessons.Start(ctx, lessons.New{Device: "lamp", Free: true, By: note.By})
		c.fine(err, sitting.ErrRunning)
		if err == nil {
			_, err = c.house.Lessons.Step(ctx, l.ID, lessons.Step{Do: []string{"finish", "pause"}[r.IntN(2)]})
			c.fine(err, lesson.ErrIsOver)
		}
	default:
		_, err := c.house.Journal.Find(ctx, journal.Query{Limit: 20})
		c.fine(err)
		_, err = c.house.Workbench.Captures(ctx, "", 20)
		c.fine(err)
		_, err = l.Matches("lamp")
		c.fine(err)
		c.house.Lessons.List()
	}
}

func (c *crowd) count(err error, n *atomic.Int64) {
	if c.fine(err); err == nil {
		n.Add(1)
	}
}

// fine says that an error is one of those that may be.
func (c *crowd) fine(err error, may ...error) {
	for _, m := range append(may, context.Canceled) {
		if errors.Is(err, m) {
			return
		}
	}
	assert.NoError(c, err)
}
