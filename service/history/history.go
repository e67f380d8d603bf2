// Package history keeps what was believed of controls, what was measured, and which keys of handsets were pressed, for
// 90 days: what charts draw, and what is asked why. The journal is for people; this is for counting.
package history

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"strconv"
	"time"

	"urbo/core/fault"
	"urbo/core/happening"
	"urbo/service/stream"
	"urbo/store"
)

// ErrQuery is wrapped where something cannot be asked of the history.
var ErrQuery = fault.New(fault.Invalid, "history")

const (
	// kept is how long facts are kept, and most how many.
	kept = 90 * 24 * time.Hour
	most = 1_000_000
	// MaxPage is how many facts one answer has at most.
	MaxPage = 5000
	// saving is how long facts wait in memory: of a measurement the last one in it counts.
	saving = 2 * time.Second
	// still is how often a measurement that does not change is noted.
	still = 5 * time.Minute
	// mostWaiting is how many facts wait where the disk takes nothing; the oldest are given up.
	mostWaiting = 20_000
)

// Kinds of facts.
const (
	Control     = "control"
	Measurement = "measurement"
	Key         = "key"
)

// Fact is something that was so from a time on, or was pressed then.
type Fact = store.Fact

// Store keeps facts.
type Store interface {
	PutFacts(ctx context.Context, all []store.Fact) error
	Facts(ctx context.Context, q store.FactQuery) ([]store.Fact, error)
	PruneFacts(ctx context.Context, before time.Time, most int64) error
}

// History follows the stream.
type History struct {
	store Store
	queue *stream.Queue
	now   func() time.Time

	measured map[string]store.Fact // the last of each measurement in what is not written
	written  map[string]store.Fact // and in what is
	believed map[string]store.Fact // the last of each control
	facts    []store.Fact          // that are not written
}

// New makes a history. It begins to write once it runs.
func New(s Store, events *stream.Stream, now func() time.Time) *History {
	return &History{store: s, queue: events.Subscribe(), now: now, measured: map[string]store.Fact{},
		written: map[string]store.Fact{}, believed: map[string]store.Fact{}}
}

// Run notes what happens until the stream ends, or the context does.
func (h *History) Run(ctx context.Context) error {
	var pruned time.Time
	for flushed := time.Now(); ; {
		waiting, cancel := ctx, context.CancelFunc(func() {})
		if len(h.facts)+len(h.measured) > 0 {
			waiting, cancel = context.WithDeadline(ctx, flushed.Add(saving))
		}
		happened, err := h.queue.Next(waiting)
		cancel()
		for _, one := range happened {
			h.note(one)
		}
		over := errors.Is(err, io.EOF) || ctx.Err() != nil
		if !over && time.Since(flushed) < saving {
			continue
		}
		h.flush(context.WithoutCancel(ctx))
		if over {
			return nil
		}
		flushed = time.Now()
		if now := h.now(); now.Sub(pruned).Abs() > time.Hour {
			pruned = now
			if err := h.store.PruneFacts(ctx, now.Add(-kept), most); err != nil {
				slog.Error("shorten the history", "error", err)
			}
		}
	}
}

// note takes one happening.
func (h *History) note(one happening.Happening) {
	fact := store.Fact{AtMS: one.At.UnixMilli()}
	switch w := one.What.(type) {
	case happening.Believed:
		fact.Kind, fact.Of, fact.Name, fact.Value, fact.Source = Control, w.DeviceID, w.Control, w.Value, w.Source
		path := w.DeviceID + "/" + w.Control
		if was, known := h.believed[path]; known && was.Value == fact.Value && was.Source == fact.Source {
			return // it is only trusted otherwise
		}
		h.believed[path] = fact
	case happening.Heard:
		if w.Echo || w.DeviceID == "" || w.Key == "" {
			return
		}
		fact.Kind, fact.Of, fact.Name = Key, w.DeviceID, w.Key
	case happening.Measured:
		fact.Kind, fact.Of, fact.Value = Measurement, w.Measurement, strconv.FormatFloat(w.Value, 'g', -1, 64)
		h.measured[fact.Of] = fact
		return
	default:
		return
	}
	h.facts = append(h.facts, fact)
}

// flush writes what was noted. Of a measurement that is the last value, where it is another, or a while went by.
func (h *History) flush(ctx context.Context) {
	for of, fact := range h.measured {
		was, known := h.written[of]
		if !known || was.Value != fact.Value || fact.AtMS-was.AtMS >= still.Milliseconds() {
			h.facts = append(h.facts, fact)
			h.written[of] = fact
		}
		delete(h.measured, of)
	}
	if len(h.facts) == 0 {
		return
	}
	if err := h.store.PutFacts(ctx, h.facts); err != nil {
		slog.Error("write the history; it is tried again", "error", err)
		h.facts = h.facts[max(len(h.facts)-mostWaiting, 0):]
		return
	}
	h.facts = nil
}

// Query is what is asked.
type Query struct {
	Kind, Of, Name string
	Since, Until   time.Time // zero is no bound
	Limit          int       // 0 is MaxPage
}

// Find lists facts, the oldest first, and before them what was so when the time began. more says that there are later
// ones: ask on from the time of the last. The error wraps ErrQuery.
func (h *History) Find(ctx context.Context, q Query) (facts []Fact, more bool, err error) {
	if q.Limit < 0 || q.Limit > MaxPage {
		return nil, false, fmt.Errorf("%w: %d facts in one answer: at most %d", ErrQuery, q.Limit, MaxPage)
	}
	if q.Limit == 0 {
		q.Limit = MaxPage
	}
	if !q.Until.IsZero() && q.Until.Before(q.Since) {
		return nil, false, fmt.Errorf("%w: it ends before it begins: exchange since and until", ErrQuery)
	}
	facts, err = h.store.Facts(ctx, store.FactQuery{Kind: q.Kind, Of: q.Of, Name: q.Name, Since: q.Since,
		Until: q.Until,
		Limit: q.Limit + 1})
	if err != nil {
		return nil, false, fmt.Errorf("read the history: %w", err)
	}
	within := len(facts)
	if within > 0 && !q.Since.IsZero() && facts[0].AtMS < q.Since.UnixMilli() {
		within--
	}
	if within > q.Limit {
		return facts[:len(facts)-1], true, nil
	}
	return facts, false, nil
}
