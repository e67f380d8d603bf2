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
	"strings"
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

// prepare makes an audition that has not begun.
func (as *Auditions) prepare(n wire.NewAudition) (*session, wire.AuditionPlan, error) {
	plan := wire.AuditionPlan{Sets: []string{}}
	d, err := as.library.Device(n.Device)
	if err != nil {
		return nil, plan, err
	}
	s := &session{id: store.NewID(), device: d.Slug, started: as.now(), pause: usualPause}
	if n.PauseMS > 0 {
		s.pause = max(time.Duration(n.PauseMS)*time.Millisecond, leastPause)
	}
	if n.Function == "" {
		n.Function = "power"
	}
	if err := library.CheckSlug("key", n.Function); err != nil {
		return nil, plan, err
	}
	if s.core, err = as.core(n, d); err != nil {
		return nil, plan, err
	}
	us, err := s.core.Airtime(as.book)
	if err != nil {
		return nil, plan, err
	}
	plan.Codes, plan.Airtime = s.core.Len(), float64(us)/1e6
	plan.Seconds = s.left(0, plan.Airtime)
	for _, set := range s.core.Sets {
		plan.Sets = append(plan.Sets, set.Name)
	}
	if plan.Seconds > longest.Seconds() {
		return nil, plan, fmt.Errorf("%w: %d codes would take %.0f minutes, the most is %.0f: narrow the range, or shorten the pause", audition.ErrPlan, plan.Codes, plan.Seconds/60, longest.Minutes())
	}
	plan.Text = fmt.Sprintf("%d codes, %.1f s apart: %s until all were played, %.0f s of it on the air.", plan.Codes, s.pause.Seconds(), minutes(plan.Seconds), plan.Airtime)
	if plan.Codes == 1 {
		plan.Text = "One code to play."
	}
	return s, plan, nil
}

// left is how many seconds it takes from a try on, at so many seconds on the air in all.
func (s *session) left(from int, airtime float64) float64 {
	n := s.core.Len() - from
	if n <= 0 {
		return 0
	}
	return float64(n)*s.pause.Seconds() + airtime*float64(n)/float64(s.core.Len())
}

func minutes(seconds float64) string {
	if seconds < 100 {
		return fmt.Sprintf("%.0f seconds", seconds)
	}
	return fmt.Sprintf("about %.0f minutes", max(seconds/60, 2))
}

// core makes the candidates: a sweep, the named code sets, or all, those of the device's maker and kind first.
func (as *Auditions) core(n wire.NewAudition, d wire.Device) (*audition.Audition, error) {
	if n.Sweep != nil {
		fields, err := library.FieldsFromWire(n.Sweep.Fields)
		if err != nil {
			return nil, fmt.Errorf("%w: %w", audition.ErrPlan, err)
		}
		sweep := audition.Sweep{Code: pack.Code{Sheet: n.Sweep.Sheet, Fields: fields, UnitUS: n.Sweep.Unit}, Field: n.Sweep.Field, From: n.Sweep.From, To: n.Sweep.To}
		if err := sweep.Check(as.book); err != nil {
			return nil, err
		}
		return audition.NewSweep(n.Function, sweep), nil
	}
	sets := as.library.PackSets()
	if len(n.Sets) > 0 {
		sets = nil
		for _, slug := range n.Sets {
			set, err := as.library.PackSet(slug)
			if err != nil {
				return nil, err
			}
			sets = append(sets, set)
		}
		return audition.New(n.Function, sets)
	}
	if n.Kind != "" {
		sets = slices.DeleteFunc(sets, func(s pack.Device) bool { return s.Kind != n.Kind })
	}
	rank := func(s pack.Device) int {
		switch {
		case d.Maker != "" && strings.EqualFold(s.Maker, d.Maker):
			return 0
		case s.Kind == d.Kind:
			return 1
		}
		return 2
	}
	slices.SortStableFunc(sets, func(a, b pack.Device) int { return rank(a) - rank(b) })
	return audition.New(n.Function, sets)
}

// Plan says what an audition would play, and how long it would take. Errors wrap audition.ErrPlan, or the library's.
func (as *Auditions) Plan(n wire.NewAudition) (wire.AuditionPlan, error) {
	_, plan, err := as.prepare(n)
	return plan, err
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
		err = as.keepBest(ctx, s)
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

// over keeps what was confirmed. What cannot be kept is said, and can be answered again.
func (as *Auditions) over(ctx context.Context, s *session) {
	if keys := s.core.Kept(); keys != nil {
		if err := as.keep(ctx, s, keys); err != nil {
			slog.Error("keep what an audition found", "device", s.device, "error", err)
			s.trouble = "It could not be kept: " + err.Error()
		}
	}
	as.journal.Write(wire.Entry{Kind: "audition", CauseID: s.id, By: s.by, Device: s.device, Text: s.core.Prompt()})
}

func (as *Auditions) keep(ctx context.Context, s *session, keys []pack.Key) error {
	_, err := as.library.SetKeys(ctx, s.device, keys, "audition")
	return err
}

// keepBest keeps the confirmed keys of the best set, though it does not fit whole.
func (as *Auditions) keepBest(ctx context.Context, s *session) error {
	set, keys, ok := s.core.Best()
	if !ok {
		return fmt.Errorf("%w: no key was confirmed", audition.ErrStep)
	}
	if err := as.keep(ctx, s, keys); err != nil {
		return err
	}
	as.journal.Write(wire.Entry{Kind: "audition", CauseID: s.id, By: s.by, Device: s.device, Text: fmt.Sprintf("Kept %d keys of %s, which fits in part", len(keys), set.Name)})
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

func (s *session) wire() wire.Audition {
	c := s.core
	w := wire.Audition{ID: s.id, Device: s.device, Function: c.Function, Phase: string(c.Phase), Paused: c.Paused, Played: c.Next, Codes: c.Len(),
		Asks: c.Sounded && (c.Phase == audition.Confirming || c.Phase == audition.Walking), Prompt: c.Prompt(), Trouble: s.trouble,
		Answers: []wire.KeyAnswer{}, Refused: []wire.RefusedSet{}, Kept: []string{}, Left: s.left(c.Next, 0), Started: s.started}
	w.Set, w.Key = c.Now()
	for _, a := range c.Asking() {
		w.Answers = append(w.Answers, wire.KeyAnswer{Key: a.Key, Answer: string(a.Answer)})
	}
	for _, v := range c.Verdicts() {
		w.Refused = append(w.Refused, wire.RefusedSet{Name: v.Set.Name, Confirmed: v.Confirmed, Tried: v.Tried,
			Text: fmt.Sprintf("%s does not fit: only %d of %d keys that were tried did what they should. None of it was kept.", v.Set.Name, v.Confirmed, v.Tried)})
	}
	for _, k := range c.Kept() {
		w.Kept = append(w.Kept, k.Name)
	}
	if set, _, ok := c.Best(); ok {
		w.Best = set.Name
	}
	return w
}
