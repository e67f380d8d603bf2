// Package lesson runs guided learning sessions: it feeds what the ear hears to core/lesson, and keeps a settled key
// in the library before it says so.
package lesson

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"urbo/core/lesson"
	"urbo/core/line"
	"urbo/service/ear"
	"urbo/service/event"
	"urbo/service/journal"
	"urbo/service/library"
	"urbo/service/loop"
	"urbo/service/roster"
	"urbo/store"
	"urbo/wire"
)

// Errors that callers ask for.
var (
	ErrUnknown = errors.New("unknown lesson")
	ErrRunning = errors.New("a lesson is running")
	ErrStep    = errors.New("lesson step")
)

const (
	// needed is how many takes must agree, where nobody says otherwise.
	needed = 2
	// keepOver is how many lessons can be looked at.
	keepOver = 20
	// quiet is how long nothing may be heard before the lesson looks for a reason.
	quiet = 20 * time.Second
	// yield is how long a lesson must have been left alone to give way to another.
	yield = 2 * time.Minute
	// patience is how long a lesson waits before it pauses by itself.
	patience = 15 * time.Minute
)

// Lessons runs one lesson at a time: two would fight over every press. Every change is on disk before it is told.
type Lessons struct {
	store   *store.Store
	library *library.Library
	journal *journal.Journal
	roster  *roster.Roster
	events  *event.Hub
	book    *line.Book
	now     func() time.Time
	wake    chan struct{}

	mu       sync.Mutex
	sessions []*session // oldest first
}

// session is one lesson.
type session struct {
	id      string
	device  string
	by      string
	started time.Time
	touched time.Time // when something last happened in it
	core    *lesson.Lesson
	codes   map[string]wire.Code // what was settled
	hint    string
	closed  bool // its end was written
}

// Run looks after lessons in which nothing happens, until the context ends: it says why nothing may be heard, and
// pauses them at last.
func (ls *Lessons) Run(ctx context.Context) error {
	loop.Run(ctx, ls.wake, ls.lookAfter)
	return nil
}

// lookAfter does what is due, and tells how long until the next may be.
func (ls *Lessons) lookAfter(ctx context.Context) time.Duration {
	ls.mu.Lock()
	defer ls.mu.Unlock()
	s := ls.running()
	if s == nil {
		return time.Hour
	}
	idle := ls.now().Sub(s.touched)
	switch {
	case idle >= patience:
		_ = s.core.Pause()
		if err := ls.save(ctx, s); err != nil {
			slog.Error("pause a lesson", "error", err)
		}
		ls.journal.Write(wire.Entry{Kind: "lesson", CauseID: s.id, Device: s.device, Text: "The lesson was left alone and waits now"})
		ls.tell(s)
		return time.Hour
	case idle >= quiet && s.hint == "":
		s.hint = reason(ls.roster.Stations(), s.touched)
		ls.tell(s)
		return patience - idle
	case idle >= quiet:
		return patience - idle
	}
	return quiet - idle
}

// Start begins a lesson. Without keys it asks for every key of the device that is not learned yet. Errors wrap
// library.ErrUnknownDevice, library.ErrName or ErrRunning.
func (ls *Lessons) Start(ctx context.Context, n wire.NewLesson, by string) (wire.Lesson, error) {
	d, err := ls.library.Device(n.Device)
	if err != nil {
		return wire.Lesson{}, fmt.Errorf("start a lesson: %w", err)
	}
	keys := slices.Clone(n.Keys)
	for i, k := range keys {
		if err := library.CheckSlug("key", k); err != nil {
			return wire.Lesson{}, fmt.Errorf("start a lesson: %w", err)
		}
		if slices.Contains(keys[:i], k) {
			return wire.Lesson{}, fmt.Errorf("start a lesson: %w: key %q is there twice: name each once", library.ErrName, k)
		}
	}
	if len(keys) == 0 && !n.Free {
		for _, k := range d.Keys {
			if len(k.Codes) == 0 {
				keys = append(keys, k.Name)
			}
		}
	}
	if len(keys) == 0 && !n.Free {
		return wire.Lesson{}, fmt.Errorf("start a lesson: %w: every key of %s is learned: name the keys to learn again", ErrStep, d.Slug)
	}
	ls.mu.Lock()
	defer ls.mu.Unlock()
	if err := ls.free(ctx); err != nil {
		return wire.Lesson{}, fmt.Errorf("start a lesson: %w", err)
	}
	for _, old := range ls.sessions {
		if old.device == d.Slug && !old.core.Over() { // it paused; this one takes its place
			old.core.Finish()
			ls.changed(ctx, old)
		}
	}
	takes := needed
	if n.Needed > 0 {
		takes = n.Needed
	}
	s := &session{id: store.NewID(), device: d.Slug, by: by, started: ls.now(), touched: ls.now(), core: begin(n, d, keys, takes), codes: map[string]wire.Code{}}
	if err := ls.save(ctx, s); err != nil {
		return wire.Lesson{}, fmt.Errorf("start a lesson: %w", err)
	}
	ls.sessions = append(ls.sessions, s)
	loop.Wake(ls.wake)
	if len(ls.sessions) > keepOver {
		ls.sessions = ls.sessions[1:]
	}
	ls.journal.Write(wire.Entry{ID: s.id, Kind: "lesson", By: by, Device: d.Slug, Text: fmt.Sprintf("Lesson for %s: %s", d.Name, about(keys, n.Free))})
	return ls.tell(s), nil
}

// begin makes the lesson that was asked for.
func begin(n wire.NewLesson, d wire.Device, keys []string, takes int) *lesson.Lesson {
	if !n.Free {
		return lesson.New(keys, takes)
	}
	var taken []string
	for _, k := range d.Keys {
		taken = append(taken, k.Name)
	}
	return lesson.NewFree(takes, taken)
}

func about(keys []string, free bool) string {
	if free {
		return "keys in any order"
	}
	return fmt.Sprintf("%d keys", len(keys))
}

// free makes room for another lesson: one that was left alone pauses. The error wraps ErrRunning. The caller holds mu.
func (ls *Lessons) free(ctx context.Context) error {
	s := ls.running()
	switch {
	case s == nil:
		return nil
	case ls.now().Sub(s.touched) < yield:
		return fmt.Errorf("%w for %s since %s, started by %s: finish or pause it first", ErrRunning, s.device, s.started.Format("15:04"), s.by)
	}
	if err := s.core.Pause(); err != nil {
		return err
	}
	if err := ls.save(ctx, s); err != nil {
		return err
	}
	ls.tell(s)
	return nil
}

func (ls *Lessons) running() *session {
	for _, s := range ls.sessions {
		if !s.core.Over() && !s.core.Paused {
			return s
		}
	}
	return nil
}

// tell publishes a lesson as it is now. The caller holds mu.
func (ls *Lessons) tell(s *session) wire.Lesson {
	w := s.wire()
	ls.events.Publish(w)
	if s.core.Over() && !s.closed {
		s.closed = true
		ls.journal.Write(wire.Entry{Kind: "lesson", CauseID: s.id, Device: s.device, Text: s.core.Prompt()})
	}
	return w
}

// Hear takes a capture as a take of the running lesson, if there is one.
func (ls *Lessons) Hear(ctx context.Context, c ear.Capture) {
	ls.mu.Lock()
	defer ls.mu.Unlock()
	s := ls.running()
	if s == nil {
		return
	}
	d, err := ls.library.Device(s.device)
	if err != nil { // it was removed meanwhile
		s.core.Finish()
		ls.changed(ctx, s)
		return
	}
	p := lesson.Press{ID: c.ID, Medium: line.Medium(c.Medium), Strength: c.Strength, Trains: c.Trains, Readings: c.Readings, Structure: c.Structure, Held: c.Held}
	for _, k := range c.Keys {
		if k.Device == s.device && k.Key != s.core.Asked() {
			p.Known = k.Key
		}
	}
	_, learned := s.core.Hear(ls.book, p, ls.knows(d, s.core.Asked()))
	ls.settle(ctx, s, learned, c.ID)
	ls.changed(ctx, s)
}

// changed keeps and tells a lesson in which something happened.
func (ls *Lessons) changed(ctx context.Context, s *session) wire.Lesson {
	s.touched, s.hint = ls.now(), ""
	if err := ls.save(ctx, s); err != nil {
		slog.Error("a lesson goes on, and would be lost at a power cut", "error", err)
	}
	loop.Wake(ls.wake)
	return ls.tell(s)
}

// knows gathers what the other keys of a device send.
func (ls *Lessons) knows(d wire.Device, asked string) lesson.Knows {
	var k lesson.Knows
	for _, key := range d.Keys {
		if key.Name == asked {
			continue
		}
		for _, c := range key.Codes {
			fields, err := library.FieldsFromWire(c.Fields)
			if err != nil {
				continue
			}
			medium := line.Infrared
			if sheet, err := ls.book.Sheet(c.Sheet); err == nil {
				medium = sheet.Medium
			} else if c.FrequencyHz > 0 {
				medium = line.Radio
			}
			k.Learn(medium, c.Sheet, fields)
		}
	}
	return k
}

// settle keeps what was learned, if anything was; only then the key counts as settled.
func (ls *Lessons) settle(ctx context.Context, s *session, learned *lesson.Learned, cause string) {
	if learned == nil {
		return
	}
	key := s.core.Asked()
	code, err := ls.keep(ctx, s, key, *learned, cause)
	if err != nil {
		slog.Error("keep a settled key", "device", s.device, "key", key, "error", err)
		s.core.Last.Verdict, s.core.Last.Text = lesson.Unclear, "It could not be kept: "+err.Error()
		return
	}
	s.codes[key] = code
	s.core.Keep()
}

// keep writes what was learned.
func (ls *Lessons) keep(ctx context.Context, s *session, key string, learned lesson.Learned, cause string) (wire.Code, error) {
	code, err := ls.Code(learned)
	if err != nil {
		return code, err
	}
	ref := wire.KeyRef{Device: s.device, Key: key}
	if _, err := ls.library.SetCodes(ctx, ref, []wire.Code{code}); err != nil {
		return code, err
	}
	ls.journal.Write(wire.Entry{Kind: "settled", CauseID: cause, By: s.by, Device: s.device, Key: key, Text: fmt.Sprintf("Learned %s as %s", ref, learned.Words())})
	return code, nil
}

// Code is what was learned as a code of the library.
func (ls *Lessons) Code(l lesson.Learned) (wire.Code, error) {
	var readings []line.Reading
	if l.Reading != nil {
		readings = []line.Reading{*l.Reading}
	}
	c, err := ls.library.Suggest(string(l.Medium), 0, readings, l.Structure)
	c.Source, c.Takes, c.Agreed = "lesson", l.Takes, l.Agreed
	return c, err
}

// Step moves a lesson: skip, back, redo, add, name, drop, accept, pause, resume or finish.
func (ls *Lessons) Step(ctx context.Context, id string, step wire.LessonStep) (wire.Lesson, error) {
	ls.mu.Lock()
	defer ls.mu.Unlock()
	s, err := ls.find(id)
	if err != nil {
		return wire.Lesson{}, err
	}
	switch step.Do {
	case "skip":
		err = s.core.Skip()
	case "back":
		err = s.core.Back()
	case "redo":
		err = s.core.Redo(step.Key)
	case "add":
		if err = library.CheckSlug("key", step.Key); err == nil {
			err = s.core.Add(step.Key)
		}
	case "name":
		err = ls.name(ctx, s, step.Key, step.As)
	case "drop":
		err = ls.drop(ctx, s, step.Key)
	case "accept":
		err = ls.accept(ctx, s)
	case "pause":
		err = s.core.Pause()
	case "resume":
		if err = s.core.Resume(); err == nil {
			s.core.Paused = true // it is not in its own way
			if err = ls.free(ctx); err == nil {
				s.core.Paused = false
			}
		}
	case "finish":
		s.core.Finish()
	default:
		err = fmt.Errorf("%q: do one of skip, back, redo, add, name, drop, accept, pause, resume, finish", step.Do)
	}
	if err != nil {
		return wire.Lesson{}, fmt.Errorf("%w: %w", ErrStep, err)
	}
	return ls.changed(ctx, s), nil
}

// accept takes a refused press after all.
func (ls *Lessons) accept(ctx context.Context, s *session) error {
	d, err := ls.library.Device(s.device)
	if err != nil {
		return err
	}
	learned, err := s.core.Allow(ls.book, ls.knows(d, s.core.Asked()))
	if err != nil {
		return err
	}
	ls.settle(ctx, s, learned, s.core.Last.Press.ID)
	return nil
}

// Lesson finds a lesson.
func (ls *Lessons) Lesson(id string) (wire.Lesson, error) {
	ls.mu.Lock()
	defer ls.mu.Unlock()
	s, err := ls.find(id)
	if err != nil {
		return wire.Lesson{}, err
	}
	return s.wire(), nil
}

func (ls *Lessons) find(id string) (*session, error) {
	for _, s := range ls.sessions {
		if s.id == id {
			return s, nil
		}
	}
	return nil, fmt.Errorf("%w %.40q: list the lessons to see which there are", ErrUnknown, id)
}

// Lessons lists the lessons since the start, the newest first.
func (ls *Lessons) Lessons() []wire.Lesson {
	ls.mu.Lock()
	defer ls.mu.Unlock()
	out := make([]wire.Lesson, 0, len(ls.sessions))
	for _, s := range slices.Backward(ls.sessions) {
		out = append(out, s.wire())
	}
	return out
}
