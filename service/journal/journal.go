// Package journal keeps what happens: captures and receipts in full, and an entry for everything that is worth one. It
// writes in batches within a second, so that an SD card is not worn out; until then a capture says that it is not
// stored yet.
package journal

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"slices"
	"time"

	"urbo/core/happening"
	"urbo/core/plain"
	"urbo/service/stream"
	"urbo/store"
)

// Delay is the longest that something waits in memory before it is written.
const Delay = 500 * time.Millisecond

// kept is how much is kept: the oldest beyond it are removed once an hour, and sooner where much comes in.
var kept = store.Kept{Captures: 20_000, Presses: 50_000, Entries: 100_000, CaptureBytes: 64 << 20,
	EntryBytes: 256 << 20}

// pruneBytes is how many bytes come in until it is looked at how much is kept.
const pruneBytes = 8 << 20

// mostWaiting is how many bytes wait in memory where the disk takes nothing. Beyond that the oldest are given up, and
// the journal says how many.
const mostWaiting = 32 << 20

// Journal follows the stream.
type Journal struct {
	store  store.Happenings
	stream *stream.Stream
	queue  *stream.Queue
	roomOf func(deviceID string) string
	lost   int // that had to be given up since the last write
	grown  int // bytes since the last look at how much is kept
}

// New makes a journal. It begins to write once it runs.
func New(s *store.Store, events *stream.Stream) *Journal {
	return &Journal{store: s.Happenings(), stream: events, queue: events.Subscribe(),
		roomOf: func(string) string { return "" }}
}

// Rooms says how the room of a device is found, before Run.
func (j *Journal) Rooms(of func(deviceID string) string) { j.roomOf = of }

// Run writes what happens until the stream ends and all of it is written, or the context ends.
func (j *Journal) Run(ctx context.Context) error {
	prune := time.NewTicker(time.Hour)
	defer prune.Stop()
	for {
		if err := j.queue.Wait(ctx); err != nil {
			return ended(err)
		}
		if !j.queue.Closed() {
			select {
			case <-ctx.Done():
				return nil
			case <-prune.C:
				j.grown = pruneBytes
			case <-time.After(Delay):
			}
		}
		if j.grown >= pruneBytes {
			j.grown = 0
			if err := j.store.Prune(ctx, kept); err != nil {
				slog.Error("shorten the journal", "error", err)
			}
		}
		if err := j.flush(ctx); err != nil {
			slog.Error("write the journal; it is tried again", "error", err)
			if j.queue.Closed() {
				return err
			}
		}
	}
}

func ended(err error) error {
	if errors.Is(err, io.EOF) || errors.Is(err, context.Canceled) {
		return nil
	}
	return err
}

// flush writes all that waits in one transaction. On failure it goes on waiting, within bounds.
func (j *Journal) flush(ctx context.Context) error {
	batch, size := j.queue.Waiting()
	if size > mostWaiting { // the disk takes nothing, or less than comes in
		j.giveUp(size)
		batch, _ = j.queue.Waiting()
	}
	batch = batch[:atOnce(batch)]
	troubles, err := j.store.Write(context.WithoutCancel(ctx), batch, j.roomOf)
	if err != nil {
		return fmt.Errorf("write the journal: %w", err)
	}
	j.queue.Done(len(batch))
	for _, h := range batch {
		j.grown += h.Size()
	}
	for _, t := range troubles {
		slog.Error("something that happened could not be kept", "what", t.What, "error", t.Err)
		if t.What != (happening.HouseNote{}).Name() { // or it would go on for ever
			j.stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "error",
				Text: fmt.Sprintf("An entry of the journal (%s) could not be kept and is set aside: %v", t.What,
					t.Err)}})
		}
	}
	if j.lost > 0 {
		text := plain.Count(j.lost, "entry was", "entries were") + " lost while nothing could be written"
		j.stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "error", Text: text}})
		j.lost = 0
	}
	var stored []string
	for _, h := range batch {
		if heard, ok := h.What.(happening.Heard); ok {
			stored = append(stored, heard.Capture.ID)
		}
	}
	if len(stored) > 0 {
		j.stream.Publish(happening.Happening{What: happening.Stored{Captures: stored}})
	}
	return nil
}

// mostAtOnce is how many bytes are written in one transaction: nothing else can be written meanwhile.
const mostAtOnce = 4 << 20

// atOnce is how many of what waits are written next.
func atOnce(batch []happening.Happening) int {
	size := 0
	for n, h := range batch {
		if size += h.Size(); size > mostAtOnce && n > 0 {
			return n
		}
	}
	return len(batch)
}

// giveUp lets the oldest go until half of the room is free: what was heard first, which anybody can make much of.
func (j *Journal) giveUp(size int) {
	for _, goes := range []func(happening.Happening) bool{
		func(h happening.Happening) bool { return h.What.Name() == (happening.Heard{}).Name() },
		func(happening.Happening) bool { return true },
	} {
		j.lost += j.queue.Drop(func(h happening.Happening) bool {
			if size <= mostWaiting/2 || !goes(h) {
				return false
			}
			size -= h.Size()
			return true
		})
	}
}

// MaxPage is the most entries or captures that are read at once.
const MaxPage = 500

// Captures reads captures, the newest first, from before an id, including what is not yet written.
func (j *Journal) Captures(ctx context.Context, before string, limit int) ([]happening.Capture, error) {
	var waiting []happening.Capture
	for _, h := range j.waiting(func(happening.Happening) bool { return true }) {
		if heard, ok := h.What.(happening.Heard); ok {
			waiting = append(waiting, heard.Capture)
		}
	}
	return page(waiting, before, limit, func(c happening.Capture) string { return c.ID },
		func(before string) ([]happening.Capture, error) {
			rows, troubles, err := j.store.Captures(ctx, before, limit)
			for _, t := range troubles {
				slog.Warn("captures", "error", t)
			}
			return rows, err
		})
}

// Capture reads one capture. The error wraps store.ErrNotFound.
func (j *Journal) Capture(ctx context.Context, id string) (happening.Capture, error) {
	for _, h := range j.waiting(func(h happening.Happening) bool { return h.ID == id }) {
		if heard, ok := h.What.(happening.Heard); ok {
			return heard.Capture, nil
		}
	}
	c, err := j.store.Capture(ctx, id)
	if err != nil {
		return c, fmt.Errorf("capture %.40q: %w", id, err)
	}
	return c, nil
}

// Unwritten is how much is not on disk yet: how many happenings, and about how many bytes.
func (j *Journal) Unwritten() (happenings, bytes int) {
	all, size := j.queue.Waiting()
	return len(all), size
}

// waiting lists what is not written yet, the newest first.
func (j *Journal) waiting(which func(happening.Happening) bool) []happening.Happening {
	all, _ := j.queue.Waiting()
	all = slices.DeleteFunc(all, func(h happening.Happening) bool { return !which(h) })
	slices.Reverse(all)
	return all
}

// page puts what is not yet written on top of what is; something may be in both for a moment.
func page[T any](waiting []T, before string, limit int, id func(T) string, read func(before string) ([]T, error)) ([]T,
	error) {
	at := slices.IndexFunc(waiting, func(w T) bool { return id(w) == before })
	switch {
	case at >= 0: // it is one of these: all that is written is before it
		waiting, before = waiting[at+1:], ""
	case before != "": // it is written, and these are not
		waiting = nil
	}
	rows, err := read(before)
	if err != nil {
		return nil, fmt.Errorf("read the journal: %w", err)
	}
	for _, r := range rows {
		if !slices.ContainsFunc(waiting, func(w T) bool { return id(w) == id(r) }) {
			waiting = append(waiting, r)
		}
	}
	return waiting[:min(limit, len(waiting))], nil
}
