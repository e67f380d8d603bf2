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
	"urbo/core/signal"
	"urbo/service/ear"
	"urbo/service/event"
	"urbo/service/journal"
	"urbo/service/library"
	"urbo/store"
	"urbo/wire"
)

// Errors that callers ask for.
var (
	ErrUnknown = errors.New("unknown lesson")
	ErrRunning = errors.New("a lesson is running")
	ErrStep    = errors.New("lesson step")
)

// needed is how many takes must agree.
const needed = 2

// keepOver is how many lessons that are over can still be looked at.
const keepOver = 20

// Lessons runs one lesson at a time: two would fight over every press.
type Lessons struct {
	library *library.Library
	journal *journal.Journal
	events  *event.Hub
	book    *line.Book
	now     func() time.Time

	mu       sync.Mutex
	sessions []*session // oldest first
}

// session is one lesson.
type session struct {
	id      string
	device  string
	by      string
	started time.Time
	core    *lesson.Lesson
	closed  bool // its end was written
}

// New makes the lessons of a house.
func New(l *library.Library, j *journal.Journal, events *event.Hub, book *line.Book, now func() time.Time) *Lessons {
	return &Lessons{library: l, journal: j, events: events, book: book, now: now}
}

// Start begins a lesson. Without keys it asks for every key of the device that is not learned yet. Errors wrap
// library.ErrUnknownDevice, library.ErrName or ErrRunning.
func (ls *Lessons) Start(n wire.NewLesson, by string) (wire.Lesson, error) {
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
	if len(keys) == 0 {
		for _, k := range d.Keys {
			if len(k.Codes) == 0 {
				keys = append(keys, k.Name)
			}
		}
	}
	if len(keys) == 0 {
		return wire.Lesson{}, fmt.Errorf("start a lesson: %w: every key of %s is learned: name the keys to learn again", ErrStep, d.Slug)
	}
	ls.mu.Lock()
	defer ls.mu.Unlock()
	if s := ls.running(); s != nil {
		return wire.Lesson{}, fmt.Errorf("%w for %s since %s, started by %s: finish it first", ErrRunning, s.device, s.started.Format("15:04"), s.by)
	}
	s := &session{id: store.NewID(), device: d.Slug, by: by, started: ls.now(), core: lesson.New(keys, needed)}
	ls.sessions = append(ls.sessions, s)
	if len(ls.sessions) > keepOver {
		ls.sessions = ls.sessions[1:]
	}
	ls.journal.Write(wire.Entry{ID: s.id, Kind: "lesson", By: by, Device: d.Slug, Text: fmt.Sprintf("Lesson for %s: %d keys", d.Name, len(keys))})
	return ls.tell(s), nil
}

func (ls *Lessons) running() *session {
	for _, s := range ls.sessions {
		if !s.core.Over() {
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
	p := lesson.Press{ID: c.ID, Medium: line.Medium(c.Medium), Trains: c.Trains, Readings: c.Readings, Structure: c.Structure, Held: c.Held}
	for _, k := range c.Keys {
		if k.Device == s.device && k.Key != s.core.Asked() {
			p.Known = k.Key
		}
	}
	_, learned := s.core.Hear(ls.book, p)
	if learned != nil {
		key := s.core.Asked()
		if err := ls.keep(ctx, s, key, *learned, c.ID); err != nil {
			slog.Error("keep a settled key", "device", s.device, "key", key, "error", err)
			s.core.Last.Verdict, s.core.Last.Text = lesson.Unclear, "It could not be kept: "+err.Error()
		} else {
			s.core.Keep(*learned)
		}
	}
	ls.tell(s)
}

// keep writes what was learned; only then the key counts as settled.
func (ls *Lessons) keep(ctx context.Context, s *session, key string, learned lesson.Learned, cause string) error {
	code, err := ls.Code(learned)
	if err != nil {
		return err
	}
	ref := wire.KeyRef{Device: s.device, Key: key}
	if _, err := ls.library.SetCodes(ctx, ref, []wire.Code{code}); err != nil {
		return err
	}
	ls.journal.Write(wire.Entry{Kind: "settled", CauseID: cause, By: s.by, Device: s.device, Key: key, Text: fmt.Sprintf("Learned %s as %s", ref, learned.Words())})
	return nil
}

// Code is what was learned as a code of the library.
func (ls *Lessons) Code(l lesson.Learned) (wire.Code, error) {
	var readings []line.Reading
	if l.Reading != nil {
		readings = []line.Reading{*l.Reading}
	}
	c, err := ls.library.Suggest(string(l.Medium), 0, readings, l.Structure)
	c.Source = "lesson"
	return c, err
}

// Step moves a lesson: skip, back, redo, add or finish.
func (ls *Lessons) Step(id string, step wire.LessonStep) (wire.Lesson, error) {
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
	case "finish":
		s.core.Finish()
	default:
		err = fmt.Errorf("%q: do one of skip, back, redo, add, finish", step.Do)
	}
	if err != nil {
		return wire.Lesson{}, fmt.Errorf("%w: %w", ErrStep, err)
	}
	return ls.tell(s), nil
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

func (s *session) wire() wire.Lesson {
	w := wire.Lesson{ID: s.id, Device: s.device, State: "running", Key: s.core.Asked(), Prompt: s.core.Prompt(), Needed: s.core.Needed,
		Keys: []wire.LessonKey{}, Takes: []wire.Take{}, Started: s.started}
	switch {
	case s.core.Ended:
		w.State = "ended"
	case s.core.Over():
		w.State = "done"
	}
	for _, k := range s.core.Keys {
		lk := wire.LessonKey{Name: k.Name, State: string(k.State)}
		if k.State == lesson.Settled {
			lk.Code = learnedCode(k.Learned)
		}
		w.Keys = append(w.Keys, lk)
	}
	for _, t := range s.core.Takes {
		w.Takes = append(w.Takes, take(t))
	}
	if s.core.Last != nil {
		last := take(*s.core.Last)
		w.Last = &last
	}
	return w
}

// learnedCode is what a settled key sends, in short.
func learnedCode(l lesson.Learned) *wire.Code {
	if l.Reading != nil {
		return &wire.Code{Sheet: l.Reading.Sheet, Fields: wire.Fields(l.Reading.Fields), Unit: l.Reading.Unit}
	}
	return &wire.Code{Fields: wire.Fields(l.Structure.Fields()), Train: l.Structure.Frame}
}

// take translates a take; its drawing is the longest train of the press.
func take(t lesson.Take) wire.Take {
	w := wire.Take{CaptureID: t.Press.ID, Key: t.Key, Verdict: string(t.Verdict), Accepted: t.Verdict == lesson.Accepted, Text: t.Text, Train: signal.Train{}}
	if len(t.Press.Readings) > 0 {
		r := wire.Readings(t.Press.Readings[:1])[0]
		w.Reading = &r
	}
	for _, h := range t.Press.Trains {
		if len(h.Train) > len(w.Train) {
			w.Train = h.Train
		}
	}
	return w
}
