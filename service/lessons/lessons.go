// Package lessons runs guided learning sessions: it follows what is heard, lets core/lesson judge it, and keeps a
// settled key in the library before it says so.
package lessons

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"time"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/lesson"
	"urbo/core/line"
	"urbo/core/plain"
	"urbo/service/library"
	"urbo/service/sitting"
	"urbo/service/stations"
	"urbo/service/stream"
	"urbo/store"
)

// ErrStep is wrapped where a step cannot be taken.
var ErrStep = fault.New(fault.Invalid, "lesson step")

const (
	// needed is how many takes must agree, where nobody says otherwise.
	needed = 2
	// quiet is how long nothing may be heard before the lesson looks for a reason.
	quiet = 20 * time.Second
	// yield is how long a lesson must have been left alone to give way to another.
	yield = 2 * time.Minute
	// patience is how long a lesson waits before it pauses by itself.
	patience = 15 * time.Minute
	// measuring is how long receivers measure carriers for a lesson; they are asked again at half of it.
	measuring = time.Minute
)

// Stations tells which receivers there are.
type Stations interface {
	List() []stations.State
	// Measure lets receivers measure carriers for a lease, also where that costs range.
	Measure(lease time.Duration)
}

// Lessons runs one lesson at a time: two would fight over every press. Every change is on disk before it is told.
type Lessons struct {
	*sitting.Sittings[*lesson.Lesson]
	library  *library.Library
	stations Stations
	stream   *stream.Stream
	heard    *stream.Queue
	book     *line.Book
	now      func() time.Time
	asked    time.Time // when receivers were asked to measure
}

type running = sitting.Sitting[*lesson.Lesson]

// kind is what distinguishes lessons from auditions.
type kind struct{}

func (kind) Name() string          { return store.Lessons }
func (kind) Yields() time.Duration { return yield }

func (kind) Write(s running) ([]byte, error) { return json.Marshal(s.Core) }

func (kind) Read(s *running, _ int, document []byte) error {
	s.Core = &lesson.Lesson{}
	if err := json.Unmarshal(document, s.Core); err != nil {
		return err
	}
	return s.Core.Restore()
}

func (kind) Tell(s running, head happening.Sitting) happening.What {
	return happening.LessonChanged{Sitting: head, Hint: s.Note, Lesson: s.Core}
}

// Open reads the lessons of a house. Those that were running go on where they were.
func Open(ctx context.Context, s *store.Store, l *library.Library, st Stations, events *stream.Stream, book *line.Book,
	now func() time.Time) (*Lessons, error) {
	ss, err := sitting.Open(ctx, kind{}, s, events, l, now)
	if err != nil {
		return nil, err
	}
	return &Lessons{Sittings: ss, library: l, stations: st, stream: events, heard: events.Subscribe(), book: book,
		now: now}, nil
}

// Run follows what is heard, and looks after lessons in which nothing happens, until the context ends; what was heard
// until then is judged before it returns.
func (ls *Lessons) Run(ctx context.Context) error {
	acting, end := context.WithCancel(context.WithoutCancel(ctx))
	var group sync.WaitGroup
	group.Go(func() { _ = ls.Sittings.Run(acting, ls.lookAfter) })
	err := ls.follow(ctx)
	end()
	group.Wait()
	return err
}

func (ls *Lessons) follow(ctx context.Context) error {
	for {
		err := ls.heard.Wait(ctx)
		batch, _ := ls.heard.Waiting()
		for _, h := range batch {
			if heard, ok := h.What.(happening.Heard); ok && !heard.Echo && !heard.Quiet && !heard.Capture.Late {
				if e := ls.Do(context.WithoutCancel(ctx), func(ctx context.Context) error {
					return ls.hear(ctx,
						heard.Capture)
				}); e != nil {
					slog.Error("judge a take", "error", e)
				}
			}
		}
		ls.heard.Done(len(batch))
		switch {
		case err == nil:
		case errors.Is(err, io.EOF), ctx.Err() != nil:
			return nil
		}
	}
}

// lookAfter does what is due, and tells how long until the next may be: it says why nothing may be heard, and pauses
// the lesson at last.
func (ls *Lessons) lookAfter(ctx context.Context) time.Duration {
	s := ls.Running()
	if s == nil {
		return time.Hour
	}
	if ls.now().Sub(ls.asked) >= measuring/2 {
		ls.asked = ls.now()
		ls.stations.Measure(measuring)
	}
	return min(ls.due(ctx, s), measuring/2)
}

// due does what is due for a running lesson.
func (ls *Lessons) due(ctx context.Context, s *running) time.Duration {
	idle := ls.now().Sub(s.Touched)
	switch {
	case idle >= patience:
		_ = s.Core.Pause()
		if err := ls.Put(ctx, s, happening.Waits, "The lesson was left alone and waits now"); err != nil {
			slog.Error("pause a lesson", "error", err)
		}
		return time.Hour
	case idle >= quiet && (s.Note == "" || s.Note == wholeState):
		s.Note = strings.TrimSpace(s.Note + " " + reason(ls.stations.List(), s.Touched))
		if err := ls.Put(ctx, s, "", ""); err != nil {
			slog.Error("keep a lesson", "error", err)
		}
		return patience - idle
	case idle >= quiet:
		return patience - idle
	}
	return quiet - idle
}

// wholeState is said at the start of a lesson for a device whose handset sends everything with each press.
const wholeState = "Handsets of such devices send their whole state with each press: what is learned for a key is " +
	"all that the display shows then. Set it before you press, the same for both takes."

// New is what a lesson is to be.
type New struct {
	Device string   // slug
	Keys   []string // none is every key that is not learned yet
	Free   bool     // no key is asked for: they come in any order, and are named later
	Needed int      // takes that must agree, 1 to 5; 0 is two
	By     grant.By
}

// Start begins a lesson. Errors wrap library.ErrUnknownDevice, device.ErrName, ErrStep or sitting.ErrRunning.
func (ls *Lessons) Start(ctx context.Context, n New) (happening.LessonChanged, error) {
	s := &running{By: n.By}
	err := ls.Do(ctx, func(ctx context.Context) error {
		d, err := ls.library.Device(n.Device)
		if err != nil {
			return err
		}
		s.DeviceID = d.ID
		if device.SendsWholeState(d.Kind) {
			s.Note = wholeState
		}
		takes := needed
		if n.Needed > 0 {
			takes = n.Needed
		}
		if n.Free || len(n.Keys) == 0 && len(d.Keys) == 0 { // there is none to ask for
			s.Core = lesson.NewFree(takes, d.KeyNames())
			return ls.Begin(ctx, s, fmt.Sprintf("Lesson for %s: keys in any order", d.Name))
		}
		keys, err := asked(d, n.Keys)
		if err != nil {
			return err
		}
		s.Core = lesson.New(keys, takes)
		return ls.Begin(ctx, s, fmt.Sprintf("Lesson for %s: %s", d.Name, plain.Count(len(keys), "key", "keys")))
	})
	if err != nil {
		return happening.LessonChanged{}, fmt.Errorf("start a lesson: %w", err)
	}
	return ls.Lesson(s.ID)
}

// asked are the keys that a lesson asks for: the named ones, or all that are not learned.
func asked(d device.Device, keys []string) ([]string, error) {
	for i, k := range keys {
		if err := device.CheckSlug("key", k); err != nil {
			return nil, err
		}
		if slices.Contains(keys[:i], k) {
			return nil, fmt.Errorf("%w: key %q is there twice: name each once", device.ErrName, k)
		}
	}
	if len(keys) > 0 {
		return slices.Clone(keys), nil
	}
	for _, k := range d.Keys {
		if !k.Learned() && !k.Followed() {
			keys = append(keys, k.Name)
		}
	}
	if len(keys) == 0 {
		return nil, fmt.Errorf("%w: every key of %s is learned: name the keys to learn again", ErrStep, d.Slug)
	}
	return keys, nil
}

// Learning says whether a lesson of a device is running.
func (ls *Lessons) Learning(deviceID string) bool {
	for _, w := range ls.List() {
		l, ok := w.(happening.LessonChanged)
		if ok && l.DeviceID == deviceID && !l.Lesson.Ended && !l.Lesson.Paused && !l.Lesson.Over() {
			return true
		}
	}
	return false
}

// Lesson is a lesson as it is now. The error wraps sitting.ErrUnknown.
func (ls *Lessons) Lesson(id string) (happening.LessonChanged, error) {
	w, err := ls.One(id)
	if err != nil {
		return happening.LessonChanged{}, err
	}
	return w.(happening.LessonChanged), nil
}

// hear takes a capture as a take of the running lesson, if there is one.
func (ls *Lessons) hear(ctx context.Context, c happening.Capture) error {
	s := ls.Running()
	if s == nil {
		return nil
	}
	d, err := ls.library.ByID(s.DeviceID)
	if err != nil { // it was removed meanwhile
		s.Core.Finish()
		ls.touch(ctx, s)
		return nil
	}
	p := lesson.Press{ID: c.ID, Medium: c.Medium, Hz: c.Hz, Strength: c.Strength, Trains: c.Trains,
		Readings: c.Readings, Structure: c.Structure, Held: c.Held}
	for _, k := range c.Keys {
		if k.DeviceID == s.DeviceID && k.Key != s.Core.Asked() {
			p.Known = k.Key
		}
	}
	_, learned := s.Core.Hear(ls.book, p, ls.knows(d, s.Core.Asked()))
	ls.settle(ctx, s, learned, c.ID)
	ls.touch(ctx, s)
	return nil
}

// touch keeps and tells a lesson in which something happened.
func (ls *Lessons) touch(ctx context.Context, s *running) {
	s.Note = ""
	if s.Core.Over() {
		ls.Touch(ctx, s, happening.Over, s.Core.Prompt())
		return
	}
	ls.Touch(ctx, s, "", "")
}

// knows gathers what the other keys of a device send.
func (ls *Lessons) knows(d device.Device, asked string) lesson.Knows {
	var k lesson.Knows
	for _, key := range d.Keys {
		if key.Name == asked {
			continue
		}
		codes := key.Codes
		if len(codes) == 0 {
			codes = key.Follows
		}
		for _, c := range codes {
			if on, err := c.On(ls.book); err == nil {
				k.Learn(on.Medium, c.Sheet, c.Fields)
			}
		}
	}
	return k
}

// settle keeps what was learned, if anything was; only then the key counts as settled.
func (ls *Lessons) settle(ctx context.Context, s *running, learned *lesson.Learned, cause string) {
	if learned == nil {
		return
	}
	key := s.Core.Asked()
	code, err := ls.keep(ctx, s, key, *learned, cause)
	if err != nil {
		slog.Error("keep a settled key", "device", s.DeviceID, "key", key, "error", err)
		s.Core.Lost("It could not be kept: " + err.Error() + ". Press it again.")
		return
	}
	s.Core.Keep(code)
}

// keep writes what was learned.
func (ls *Lessons) keep(ctx context.Context, s *running, key string, learned lesson.Learned, cause string) (device.Code,
	error) {
	code, err := ls.Code(learned)
	if err != nil {
		return code, err
	}
	d, err := ls.library.Change(ctx, s.DeviceID, library.Note{By: s.By, Cause: cause, Quiet: true},
		func(d *device.Device) error {
			if learned.Rolling {
				return d.Follow(key, []device.Code{code}, ls.library.Identity)
			}
			return d.SetCodes(key, []device.Code{code})
		})
	if err != nil {
		return code, err
	}
	ls.stream.Publish(happening.Happening{Cause: cause, By: s.By, What: happening.KeyLearned{DeviceID: d.ID,
		Device: d.Slug, Key: key,
		As: learned.Words(), Rolling: learned.Rolling}})
	return code, nil
}

// Code is what was learned as a code of the library.
func (ls *Lessons) Code(l lesson.Learned) (device.Code, error) {
	var readings []line.Reading
	if l.Reading != nil {
		readings = []line.Reading{*l.Reading}
	}
	suggest := ls.library.Suggest
	if l.Rolling {
		suggest = ls.library.SuggestHeard
	}
	c, err := suggest(device.Channel{Medium: l.Medium, Hz: l.Hz}, readings, l.Structure)
	c.Source, c.Takes, c.Agreed = "lesson", l.Takes, l.Agreed
	return c, err
}
