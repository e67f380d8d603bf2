// Package journal is the record of all that was heard, sent and done, and why. What happens is published at once
// and written in batches within a second, so that an SD card is not worn out; until then it says that it is not
// stored yet.
package journal

import (
	"context"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"gorm.io/gorm"

	"urbo/service/event"
	"urbo/service/loop"
	"urbo/store"
	"urbo/wire"
)

// Delay is the longest that something waits in memory before it is written.
const Delay = 500 * time.Millisecond

// How much is kept: the oldest beyond it are removed once an hour.
const (
	keepCaptures = 20_000
	keepPresses  = 50_000
	keepEntries  = 100_000
)

// Journal gathers captures, presses and entries.
type Journal struct {
	store  *store.Store
	events *event.Hub
	now    func() time.Time
	wake   chan struct{}

	mu      sync.Mutex
	pending batch
	writing batch // on its way to the disk, and still shown as not stored
}

type batch struct {
	captures []held
	presses  []store.Press
	entries  []store.Entry
}

// held is a capture with what is said when it is stored.
type held struct {
	row store.Capture
	out wire.Capture
}

func (b *batch) empty() bool { return len(b.captures)+len(b.presses)+len(b.entries) == 0 }

func (b *batch) add(more batch) {
	b.captures = append(b.captures, more.captures...)
	b.presses = append(b.presses, more.presses...)
	b.entries = append(b.entries, more.entries...)
}

// unwritten is a copy of all that is not on disk yet.
func (j *Journal) unwritten() batch {
	j.mu.Lock()
	defer j.mu.Unlock()
	var b batch
	b.add(j.writing)
	b.add(j.pending)
	return b
}

// New makes a journal.
func New(s *store.Store, events *event.Hub, now func() time.Time) *Journal {
	return &Journal{store: s, events: events, now: now, wake: make(chan struct{}, 1)}
}

// Run writes what is pending until the context ends, and once more then.
func (j *Journal) Run(ctx context.Context) error {
	prune := time.NewTicker(time.Hour)
	defer prune.Stop()
	for {
		select {
		case <-ctx.Done():
			last, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
			defer cancel()
			return j.flush(last)
		case <-prune.C:
			if err := j.prune(ctx); err != nil {
				slog.Error("shorten the journal", "error", err)
			}
			continue
		case <-j.wake:
		}
		wait := time.NewTimer(Delay)
		select {
		case <-ctx.Done():
			wait.Stop()
			continue
		case <-wait.C:
		}
		if err := j.flush(ctx); err != nil && ctx.Err() == nil {
			slog.Error("write the journal; it is tried again", "error", err)
			loop.Wake(j.wake)
		}
	}
}

// flush writes all that is pending in one transaction. On failure it stays pending.
func (j *Journal) flush(ctx context.Context) error {
	j.mu.Lock()
	b := j.pending
	j.pending, j.writing = batch{}, b
	j.mu.Unlock()
	if b.empty() {
		return nil
	}
	// GORM writes into what it is given; the batch is read meanwhile, so it gets copies.
	err := j.store.Change(ctx, func(tx *gorm.DB) error {
		if len(b.captures) > 0 {
			rows := make([]store.Capture, len(b.captures))
			for i, h := range b.captures {
				rows[i] = h.row
			}
			if err := tx.CreateInBatches(rows, 50).Error; err != nil {
				return err
			}
		}
		if len(b.presses) > 0 {
			if err := tx.CreateInBatches(slices.Clone(b.presses), 50).Error; err != nil {
				return err
			}
		}
		if len(b.entries) > 0 {
			return tx.CreateInBatches(slices.Clone(b.entries), 50).Error
		}
		return nil
	})
	j.mu.Lock()
	j.writing = batch{}
	if err != nil {
		b.add(j.pending)
		j.pending = b
	}
	j.mu.Unlock()
	if err != nil {
		return fmt.Errorf("write the journal: %w", err)
	}
	for _, h := range b.captures {
		h.out.Stored = true
		j.events.Publish(h.out)
	}
	return nil
}

func (j *Journal) prune(ctx context.Context) error {
	return j.store.Change(ctx, func(tx *gorm.DB) error {
		for table, keep := range map[string]int{"captures": keepCaptures, "presses": keepPresses, "journal": keepEntries} {
			err := tx.Exec("DELETE FROM "+table+" WHERE id IN (SELECT id FROM "+table+" ORDER BY id DESC LIMIT -1 OFFSET ?)", keep).Error
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// Heard records a capture. out is what is published; its Keys and Stored are not part of the row.
func (j *Journal) Heard(row store.Capture, out wire.Capture) {
	j.add(func(b *batch) { b.captures = append(b.captures, held{row, out}) })
	j.events.Publish(out)
}

// Pressed records the receipt of a press.
func (j *Journal) Pressed(p wire.Press) {
	j.add(func(b *batch) {
		b.presses = append(b.presses, store.Press{ID: p.ID, At: p.At, Device: p.Device, Key: p.Key, Times: p.Times, By: p.By,
			Station: p.Station, Port: p.Port, Outcome: string(p.Outcome), Reason: p.Reason, TookUS: int64(p.TookMS * 1000)})
	})
	j.events.Publish(p)
}

// Write records one entry; its id and time are filled in where they are empty. It returns the id.
func (j *Journal) Write(e wire.Entry) string {
	if e.ID == "" {
		e.ID = store.NewID()
	}
	if e.At.IsZero() {
		e.At = j.now()
	}
	j.add(func(b *batch) { b.entries = append(b.entries, store.Entry(e)) })
	j.events.Publish(e)
	return e.ID
}

func (j *Journal) add(f func(*batch)) {
	j.mu.Lock()
	f(&j.pending)
	j.mu.Unlock()
	loop.Wake(j.wake)
}

// MaxPage is the most entries or captures that are read at once.
const MaxPage = 500

// Entries reads the journal, newest first, from before an id ("" for the newest), including what is not yet written.
func (j *Journal) Entries(ctx context.Context, before string, limit int) ([]wire.Entry, error) {
	pending := j.unwritten().entries
	var rows []store.Entry
	if err := page(j.store.Read(ctx), before, limit).Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read the journal: %w", err)
	}
	out := merge(rows, pending, before, limit, func(e store.Entry) string { return e.ID })
	entries := make([]wire.Entry, len(out))
	for i, e := range out {
		entries[i] = wire.Entry(e)
	}
	return entries, nil
}

// Captures reads captures, newest first, from before an id. The second result tells which are stored.
func (j *Journal) Captures(ctx context.Context, before string, limit int) ([]store.Capture, map[string]bool, error) {
	var pending []store.Capture
	for _, h := range j.unwritten().captures {
		pending = append(pending, h.row)
	}
	var rows []store.Capture
	if err := page(j.store.Read(ctx), before, limit).Find(&rows).Error; err != nil {
		return nil, nil, fmt.Errorf("read captures: %w", err)
	}
	stored := make(map[string]bool, len(rows))
	for _, r := range rows {
		stored[r.ID] = true
	}
	return merge(rows, pending, before, limit, func(c store.Capture) string { return c.ID }), stored, nil
}

// Capture reads one capture, and whether it is on disk. Its error wraps store.ErrNotFound.
func (j *Journal) Capture(ctx context.Context, id string) (store.Capture, bool, error) {
	for _, h := range j.unwritten().captures {
		if h.row.ID == id {
			return h.row, false, nil
		}
	}
	var row store.Capture
	err := store.Explain(j.store.Read(ctx).Where("id = ?", id).First(&row).Error)
	if err != nil {
		return row, false, fmt.Errorf("capture %.40q: %w", id, err)
	}
	return row, true, nil
}

func page(tx *gorm.DB, before string, limit int) *gorm.DB {
	tx = tx.Order("id DESC").Limit(limit)
	if before != "" {
		tx = tx.Where("id < ?", before)
	}
	return tx
}

// merge puts rows that are not yet written on top of the written ones; a row may be in both for a moment.
func merge[T any](rows, pending []T, before string, limit int, id func(T) string) []T {
	for _, p := range pending {
		if before != "" && id(p) >= before || slices.ContainsFunc(rows, func(r T) bool { return id(r) == id(p) }) {
			continue
		}
		rows = append(rows, p)
	}
	slices.SortFunc(rows, func(a, b T) int {
		if id(a) > id(b) {
			return -1
		}
		return 1
	})
	return rows[:min(limit, len(rows))]
}
