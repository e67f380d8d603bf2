// Package sitting is what lessons and auditions share: a state machine of core that one person at a time moves, kept on
// disk after every change, one of a kind at a time, and left alone at last. One goroutine, the actor, makes all
// changes; nobody who only looks waits for it or for the disk.
package sitting

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service/stream"
	"urbo/service/wake"
	"urbo/store"
)

// Errors that callers ask for.
var (
	ErrUnknown = fault.New(fault.NotFound, "unknown sitting")
	ErrRunning = fault.New(fault.Conflict, "one is running")
	ErrEnding  = fault.New(fault.Later, "the service is ending: try again when it is back")
)

// Core is the state machine of a sitting.
type Core[C any] interface {
	Over() bool
	Resting() bool // it waits for somebody to resume it
	Pause() error
	Resume() error
	Finish()
	Clone() C
}

// Sitting is one lesson or audition.
type Sitting[C Core[C]] struct {
	ID       string
	DeviceID string
	By       grant.By
	Began    time.Time
	Touched  time.Time // when something last happened in it
	Note     string    // what there is to say beside its core; not kept
	Pause    time.Duration
	Core     C
}

// Kind is what distinguishes lessons from auditions.
type Kind[C Core[C]] interface {
	// Name in messages and in the store.
	Name() string
	// Write makes the document that is kept.
	Write(s Sitting[C]) ([]byte, error)
	// Read fills a sitting from a document of a version.
	Read(s *Sitting[C], version int, document []byte) error
	// Tell is what happened in a sitting, to be published. slug is its device's.
	Tell(s Sitting[C], head happening.Sitting) happening.What
	// Yields is how long one must have been left alone to give way to another; 0 is never.
	Yields() time.Duration
}

// Version of the documents that are written.
const Version = 1

// keep is how many sittings of a kind can be looked at.
const keep = 20

// Slugs tells what a device is called now.
type Slugs interface {
	Slug(id string) string
}

// Sittings is all sittings of a kind.
type Sittings[C Core[C]] struct {
	kind     Kind[C]
	sittings store.Sittings
	stream   *stream.Stream
	slugs    Slugs
	now      func() time.Time

	mail  chan func(context.Context)
	wake  chan struct{}
	ended chan struct{}
	all   []*Sitting[C] // the actor's, the oldest first

	mu    sync.Mutex
	shown []Sitting[C] // copies, for those who look
}

// Open reads the sittings of a kind. One that cannot be read is set aside: it stays on disk, and the journal says so.
func Open[C Core[C]](ctx context.Context, kind Kind[C], s *store.Store, events *stream.Stream, slugs Slugs,
	now func() time.Time) (*Sittings[C], error) {
	ss := &Sittings[C]{kind: kind, sittings: s.Sittings(), stream: events, slugs: slugs, now: now,
		mail: make(chan func(context.Context)), wake: make(chan struct{}, 1),
		ended: make(chan struct{})}
	rows, err := ss.sittings.List(ctx, kind.Name(), keep)
	if err != nil {
		return nil, fmt.Errorf("read the %ss: %w", kind.Name(), err)
	}
	for _, row := range rows {
		n := &Sitting[C]{ID: row.ID, DeviceID: row.DeviceID, By: readBy(row.By), Began: row.Began, Touched: now()}
		err := fmt.Errorf("it was written by a newer version")
		if row.Version <= Version {
			err = kind.Read(n, row.Version, row.Document)
		}
		if err != nil {
			text := fmt.Sprintf("The %s %s is set aside: %v", kind.Name(), row.ID, err)
			events.Publish(happening.Happening{What: happening.HouseNote{Severity: "error", Text: text}})
			continue
		}
		ss.all = append(ss.all, n)
	}
	ss.show()
	return ss, nil
}

// writeBy is who asked, as it is kept.
func writeBy(by grant.By) string {
	text, err := json.Marshal(by)
	if err != nil {
		return by.Name
	}
	return string(text)
}

// readBy reads what writeBy wrote, or the name that versions before kept.
func readBy(text string) grant.By {
	var by grant.By
	if json.Unmarshal([]byte(text), &by) != nil {
		return grant.Recorded(text)
	}
	return by
}

// Run is the actor: it makes the changes that are asked for, and what is due by itself, until the context ends. due
// tells how long until it is to be asked again.
func (ss *Sittings[C]) Run(ctx context.Context, due func(context.Context) time.Duration) error {
	defer close(ss.ended)
	timer := time.NewTimer(time.Hour)
	defer timer.Stop()
	for {
		timer.Reset(due(ctx))
		select {
		case <-ctx.Done():
			return nil
		case f := <-ss.mail:
			f(ctx)
		case <-ss.wake:
		case <-timer.C:
		}
	}
}

// Do lets the actor make a change and waits for it. f must not wait for anything but the disk.
func (ss *Sittings[C]) Do(ctx context.Context, f func(context.Context) error) error {
	result := make(chan error, 1)
	select {
	case ss.mail <- func(ctx context.Context) { result <- f(ctx) }:
		return <-result
	case <-ss.ended:
		return ErrEnding
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Wake lets the actor look again what is due.
func (ss *Sittings[C]) Wake() { wake.Up(ss.wake) }

// Running is the sitting that goes on now, nil where none does. Only the actor may ask.
func (ss *Sittings[C]) Running() *Sitting[C] {
	for _, s := range ss.all {
		if !s.Core.Over() && !s.Core.Resting() {
			return s
		}
	}
	return nil
}

// Find finds a sitting to be changed. Only the actor may ask. The error wraps ErrUnknown.
func (ss *Sittings[C]) Find(id string) (*Sitting[C], error) {
	for _, s := range ss.all {
		if s.ID == id {
			return s, nil
		}
	}
	return nil, ss.unknown(id)
}

func (ss *Sittings[C]) unknown(id string) error {
	return fmt.Errorf("%w: %s %.40q: list them to see which there are", ErrUnknown, ss.kind.Name(), id)
}

// MakeRoom lets the running sitting give way, where it was left alone for long enough. Only the actor may ask. The
// error wraps ErrRunning.
func (ss *Sittings[C]) MakeRoom(ctx context.Context, asking *Sitting[C]) error {
	r := ss.Running()
	if r == nil || r == asking {
		return nil
	}
	if yields := ss.kind.Yields(); yields == 0 || ss.now().Sub(r.Touched) < yields {
		return fmt.Errorf("%w: the %s for %s since %s, started by %s: finish or pause it first", ErrRunning,
			ss.kind.Name(), ss.slugs.Slug(r.DeviceID), r.Began.Local().Format("15:04"), r.By)
	}
	if err := r.Core.Pause(); err != nil {
		return err
	}
	return ss.Put(ctx, r, "", "")
}

// Begin starts a sitting: it makes room, and takes the place of one that waits for the same device. Only the actor may
// ask. Errors wrap ErrRunning or the store's.
func (ss *Sittings[C]) Begin(ctx context.Context, s *Sitting[C], said string) error {
	if err := ss.MakeRoom(ctx, s); err != nil {
		return err
	}
	s.ID, s.Began, s.Touched = store.NewID(), ss.now(), ss.now()
	if err := ss.save(ctx, s); err != nil {
		return err
	}
	for _, old := range ss.all {
		if old.DeviceID == s.DeviceID && !old.Core.Over() {
			old.Core.Finish()
			if err := ss.Put(ctx, old, happening.Over, "It gave way to another"); err != nil {
				slog.Error("end an old "+ss.kind.Name(), "error", err)
			}
		}
	}
	ss.all = append(ss.all, s)
	if len(ss.all) > keep {
		ss.all = ss.all[1:]
	}
	ss.tell(s, happening.Started, said)
	return nil
}

// Put keeps and tells a sitting in which something happened. Only the actor may ask. Where it cannot be kept it goes on
// in memory, and the error says so.
func (ss *Sittings[C]) Put(ctx context.Context, s *Sitting[C], stage happening.Stage, said string) error {
	err := ss.save(ctx, s)
	ss.tell(s, stage, said)
	return err
}

// Touch is Put for something that a person did: the sitting is not left alone. Where it cannot be kept that is logged.
func (ss *Sittings[C]) Touch(ctx context.Context, s *Sitting[C], stage happening.Stage, said string) {
	s.Touched = ss.now()
	if err := ss.Put(ctx, s, stage, said); err != nil {
		slog.Error("a "+ss.kind.Name()+" goes on, and would be lost at a power cut", "error", err)
	}
	ss.Wake()
}

func (ss *Sittings[C]) save(ctx context.Context, s *Sitting[C]) error {
	document, err := ss.kind.Write(*s)
	if err != nil {
		return fmt.Errorf("keep the %s: %w", ss.kind.Name(), err)
	}
	row := store.Sitting{ID: s.ID, Kind: ss.kind.Name(), DeviceID: s.DeviceID, By: writeBy(s.By), Began: s.Began,
		Touched: s.Touched, Version: Version, Document: document}
	if err := ss.sittings.Put(context.WithoutCancel(ctx), row, keep); err != nil {
		return fmt.Errorf("keep the %s: %w", ss.kind.Name(), err)
	}
	return nil
}

// tell publishes a sitting as it is now.
func (ss *Sittings[C]) tell(s *Sitting[C], stage happening.Stage, said string) {
	ss.show()
	shown := *s
	shown.Core = s.Core.Clone()
	ss.stream.Publish(happening.Happening{ID: idOf(s.ID, stage), Cause: causeOf(s.ID, stage), By: s.By,
		What: ss.What(shown, stage, said)})
}

// The entry of its start has the sitting's own id, and is the cause of the others.
func idOf(id string, stage happening.Stage) string {
	if stage == happening.Started {
		return id
	}
	return ""
}

func causeOf(id string, stage happening.Stage) string {
	if stage == happening.Started {
		return ""
	}
	return id
}

// What is a sitting as it is told.
func (ss *Sittings[C]) What(s Sitting[C], stage happening.Stage, said string) happening.What {
	return ss.kind.Tell(s, happening.Sitting{ID: s.ID, DeviceID: s.DeviceID, Device: ss.slugs.Slug(s.DeviceID),
		By: s.By, Began: s.Began, Stage: stage, Said: said})
}

// show copies the sittings for those who look.
func (ss *Sittings[C]) show() {
	shown := make([]Sitting[C], len(ss.all))
	for i, s := range ss.all {
		shown[i] = *s
		shown[i].Core = s.Core.Clone()
	}
	ss.mu.Lock()
	defer ss.mu.Unlock()
	ss.shown = shown
}

// One is a sitting as it was told last. The error wraps ErrUnknown.
func (ss *Sittings[C]) One(id string) (happening.What, error) {
	ss.mu.Lock()
	defer ss.mu.Unlock()
	for _, s := range ss.shown {
		if s.ID == id {
			return ss.What(s, "", ""), nil
		}
	}
	return nil, ss.unknown(id)
}

// List lists the sittings as they were told last, the newest first.
func (ss *Sittings[C]) List() []happening.What {
	ss.mu.Lock()
	defer ss.mu.Unlock()
	out := make([]happening.What, 0, len(ss.shown))
	for _, s := range slices.Backward(ss.shown) {
		out = append(out, ss.What(s, "", ""))
	}
	return out
}
