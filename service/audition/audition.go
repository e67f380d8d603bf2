// Package audition runs the search for a code set: it plays what core/audition says is due, at its pace, and gives the
// device the keys that were confirmed. What was answered is on disk, and a restart only pauses it.
package audition

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"urbo/core/audition"
	"urbo/core/line"
	"urbo/core/pack"
	"urbo/service/air"
	"urbo/service/event"
	"urbo/service/journal"
	"urbo/service/library"
	"urbo/service/loop"
	"urbo/store"
	"urbo/wire"
)

// Errors that callers ask for.
var (
	ErrUnknown = errors.New("unknown audition")
	ErrRunning = errors.New("an audition is running")
)

const (
	// usualPause lies between two codes, so that somebody sees what happens.
	usualPause = 2500 * time.Millisecond
	// apart is the least between any two: a device may take an equal code that follows at once for a key still held.
	apart = 800 * time.Millisecond
	// leastPause is the shortest: people and appliances need it.
	leastPause = 500 * time.Millisecond
	// longest is how long one audition may take until all is played.
	longest = time.Hour
	// keepOver is how many auditions can be looked at.
	keepOver = 10
)

// Auditions runs one audition at a time: two would not let anybody say which code it was.
type Auditions struct {
	store   *store.Store
	library *library.Library
	air     *air.Air
	journal *journal.Journal
	events  *event.Hub
	book    *line.Book
	now     func() time.Time
	wake    chan struct{}

	mu       sync.Mutex
	sessions []*session // oldest first
}

// session is one audition.
type session struct {
	id      string
	device  string
	by      string
	pause   time.Duration
	started time.Time
	last    time.Time // when the last code had gone out
	trouble string
	core    *audition.Audition
}

// Open makes the auditions of a house. Those that were running wait.
func Open(ctx context.Context, s *store.Store, l *library.Library, a *air.Air, j *journal.Journal, events *event.Hub, book *line.Book, now func() time.Time) (*Auditions, error) {
	as := &Auditions{store: s, library: l, air: a, journal: j, events: events, book: book, now: now, wake: make(chan struct{}, 1)}
	var rows []store.Audition
	if err := s.Read(ctx).Order("id").Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read the auditions: %w", err)
	}
	for _, r := range rows {
		n := &session{id: r.ID, device: r.Device, by: r.By, pause: time.Duration(r.PauseMS) * time.Millisecond, started: r.Started, core: &audition.Audition{}}
		if err := json.Unmarshal([]byte(r.State), n.core); err != nil {
			return nil, fmt.Errorf("read audition %s: %w", r.ID, err)
		}
		_ = n.core.Pause() // nobody stands there now; one that is over stays so
		as.sessions = append(as.sessions, n)
	}
	return as, nil
}

// Run plays what is due until the context ends.
func (as *Auditions) Run(ctx context.Context) error {
	loop.Run(ctx, as.wake, as.play)
	return nil
}

// play sends what is due, and tells how long until the next is.
func (as *Auditions) play(ctx context.Context) time.Duration {
	as.mu.Lock()
	defer as.mu.Unlock()
	s := as.running()
	if s == nil {
		return time.Hour
	}
	codes, soon := s.core.Due()
	if codes == nil {
		return time.Hour
	}
	due := s.last.Add(s.pause)
	if soon {
		due = s.last.Add(apart)
	}
	if wait := due.Sub(as.now()); wait > 0 {
		return wait
	}
	d, err := as.library.Device(s.device)
	if err != nil { // it was removed meanwhile
		s.core.Finish()
		as.changed(ctx, s)
		return 0
	}
	if !soon { // who says now that it reacted means this one
		s.core.Played()
		as.changed(ctx, s)
	}
	before := *s.core
	trial := air.Trial{Transmitter: d.Transmitter, By: s.by, CauseID: s.id, What: "a code of the audition"}
	for _, c := range codes {
		trial.Codes = append(trial.Codes, library.CodeOf(c))
	}
	as.mu.Unlock() // answers are taken while it is on the air
	p, err := as.air.Try(ctx, trial)
	as.mu.Lock()
	if ctx.Err() != nil {
		return time.Hour
	}
	s.last = as.now()
	if err == nil && p.Outcome != wire.Sent {
		err = fmt.Errorf("%s: %s", p.Outcome, p.Reason)
	}
	same := s.core.Phase == before.Phase && s.core.Next == before.Next && s.core.At == before.At && s.core.Key == before.Key && s.core.Switches == before.Switches
	switch s.trouble = ""; {
	case err != nil: // nothing is passed over unheard
		s.trouble = err.Error()
		if same {
			_ = s.core.Again()
		}
		_ = s.core.Pause()
	case soon && same:
		s.core.Played()
	}
	as.changed(ctx, s)
	return 0
}

func (as *Auditions) running() *session {
	for _, s := range as.sessions {
		if !s.core.Over() && !s.core.Paused {
			return s
		}
	}
	return nil
}

// changed keeps and tells an audition in which something happened. The caller holds mu.
func (as *Auditions) changed(ctx context.Context, s *session) wire.Audition {
	if err := as.save(ctx, s); err != nil {
		slog.Error("an audition goes on, and would be lost at a power cut", "error", err)
	}
	w := s.wire()
	as.events.Publish(w)
	loop.Wake(as.wake)
	return w
}

func (as *Auditions) save(ctx context.Context, s *session) error {
	state, err := json.Marshal(s.core)
	if err != nil {
		return err
	}
	row := store.Audition{ID: s.id, Device: s.device, By: s.by, PauseMS: int(s.pause / time.Millisecond), Started: s.started, State: string(state)}
	return as.store.Change(context.WithoutCancel(ctx), func(tx *gorm.DB) error {
		if err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error; err != nil {
			return err
		}
		old := tx.Model(&store.Audition{}).Select("id").Order("id DESC").Offset(keepOver).Limit(-1)
		return tx.Where("id IN (?)", old).Delete(&store.Audition{}).Error
	})
}

// Start begins an audition. Errors are those of Plan, or wrap ErrRunning.
func (as *Auditions) Start(ctx context.Context, n wire.NewAudition, by string) (wire.Audition, error) {
	s, plan, err := as.prepare(n)
	if err != nil {
		return wire.Audition{}, err
	}
	s.by = by
	as.mu.Lock()
	defer as.mu.Unlock()
	if r := as.running(); r != nil {
		return wire.Audition{}, fmt.Errorf("%w for %s: finish or pause it first", ErrRunning, r.device)
	}
	for _, old := range as.sessions {
		if old.device == s.device && !old.core.Over() { // it waited; this one takes its place
			old.core.Finish()
			as.changed(ctx, old)
		}
	}
	as.sessions = append(as.sessions, s)
	if len(as.sessions) > keepOver {
		as.sessions = as.sessions[1:]
	}
	as.journal.Write(wire.Entry{ID: s.id, Kind: "audition", By: by, Device: s.device, Text: fmt.Sprintf("Audition for %s: %s", s.device, plan.Text)})
	return as.changed(ctx, s), nil
}

// Step takes an answer. Errors wrap audition.ErrOver, audition.ErrStep, ErrRunning or ErrUnknown.
func (as *Auditions) Step(ctx context.Context, id, do string) (wire.Audition, error) {
	as.mu.Lock()
	defer as.mu.Unlock()
	s, err := as.find(id)
	if err != nil {
		return wire.Audition{}, err
	}
	over := s.core.Over()
	switch do {
	case "reacted":
		err = s.core.Reacted()
	case "yes", "no", "skip":
		err = s.core.Say(audition.Answer(do))
	case "back":
		err = s.core.Back()
	case "again":
		err = s.core.Again()
	case "switch":
		err = s.core.Switch()
	case "pause":
		err = s.core.Pause()
	case "resume":
		if r := as.running(); r != nil && r != s {
			return wire.Audition{}, fmt.Errorf("%w for %s: finish or pause it first", ErrRunning, r.device)
		}
		err = s.core.Resume()
	case "keep":
		err = as.keepAgain(ctx, s)
	case "finish":
		s.core.Finish()
	default:
		err = fmt.Errorf("%w: %.20q: do one of reacted, yes, no, skip, back, again, switch, pause, resume, keep, finish", audition.ErrStep, do)
	}
	if err != nil {
		return wire.Audition{}, err
	}
	s.trouble = ""
	if !over && s.core.Over() {
		as.over(ctx, s)
	}
	return as.changed(ctx, s), nil
}

// over keeps what was confirmed. What cannot be kept is said, and can be tried again.
func (as *Auditions) over(ctx context.Context, s *session) {
	if keys := s.core.Kept(); keys != nil {
		if err := as.keep(ctx, s, keys); err != nil {
			slog.Error("keep what an audition found", "device", s.device, "error", err)
			s.trouble = "It could not be kept: " + err.Error() + ": try again (keep)"
		}
	}
	as.journal.Write(wire.Entry{Kind: "audition", CauseID: s.id, By: s.by, Device: s.device, Text: s.core.Prompt()})
}

func (as *Auditions) keep(ctx context.Context, s *session, keys []pack.Key) error {
	_, err := as.library.SetKeys(ctx, s.device, keys, "audition")
	return err
}

// keepAgain keeps the confirmed keys of the best set though it does not fit whole, or tries once more what could not be
// kept.
func (as *Auditions) keepAgain(ctx context.Context, s *session) error {
	if s.core.Phase == audition.Found {
		return as.keep(ctx, s, s.core.Kept())
	}
	_, keys, ok := s.core.Best()
	if ok {
		if err := as.keep(ctx, s, keys); err != nil {
			return err
		}
	}
	if err := s.core.Take(); err != nil {
		return err
	}
	as.journal.Write(wire.Entry{Kind: "audition", CauseID: s.id, By: s.by, Device: s.device, Text: s.core.Prompt()})
	return nil
}

func (as *Auditions) find(id string) (*session, error) {
	for _, s := range as.sessions {
		if s.id == id {
			return s, nil
		}
	}
	return nil, fmt.Errorf("%w %.40q: list the auditions to see which there are", ErrUnknown, id)
}

// Audition finds an audition.
func (as *Auditions) Audition(id string) (wire.Audition, error) {
	as.mu.Lock()
	defer as.mu.Unlock()
	s, err := as.find(id)
	if err != nil {
		return wire.Audition{}, err
	}
	return s.wire(), nil
}

// Auditions lists the last auditions, the newest first.
func (as *Auditions) Auditions() []wire.Audition {
	as.mu.Lock()
	defer as.mu.Unlock()
	out := make([]wire.Audition, 0, len(as.sessions))
	for _, s := range slices.Backward(as.sessions) {
		out = append(out, s.wire())
	}
	return out
}
