// Package auditions runs the search for a code set: it plays what core/audition says is due, at its pace, and gives the
// device the keys that were confirmed. What was answered is on disk, and a restart only pauses it.
package auditions

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"urbo/core/audition"
	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/service/library"
	"urbo/service/sitting"
	"urbo/service/stream"
	"urbo/service/transmit"
	"urbo/store"
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
)

// Auditions runs one audition at a time: two would not let anybody say which code it was.
type Auditions struct {
	*sitting.Sittings[*audition.Audition]
	library  *library.Library
	transmit *transmit.Transmit
	book     *line.Book
	now      func() time.Time

	// The actor's.
	last    time.Time // when the last code had gone out
	playing bool      // one is on the air
	players sync.WaitGroup
}

type running = sitting.Sitting[*audition.Audition]

// kind is what distinguishes auditions from lessons.
type kind struct{ library *library.Library }

func (kind) Name() string          { return store.Auditions }
func (kind) Yields() time.Duration { return 0 }

// document is an audition as it is kept.
type document struct {
	PauseMS  int             `json:"pause_ms"`
	Audition json.RawMessage `json:"audition"`
}

func (kind) Write(s running) ([]byte, error) {
	core, err := json.Marshal(s.Core)
	if err != nil {
		return nil, err
	}
	return json.Marshal(document{int(s.Pause.Milliseconds()), core})
}

func (k kind) Read(s *running, _ int, data []byte) error {
	var doc document
	if err := json.Unmarshal(data, &doc); err != nil {
		return err
	}
	core, err := audition.Restore(doc.Audition, func(slug string) (device.Device, bool) {
		set, err := k.library.Set(slug)
		return set, err == nil
	})
	if err != nil {
		return err
	}
	_ = core.Pause() // nobody stands there now; one that is over stays so
	s.Core, s.Pause = core, time.Duration(doc.PauseMS)*time.Millisecond
	return nil
}

func (kind) Tell(s running, head happening.Sitting) happening.What {
	return happening.AuditionChanged{Sitting: head, Trouble: s.Note, Pause: s.Pause, Audition: s.Core}
}

// Open makes the auditions of a house. Those that were running wait.
func Open(ctx context.Context, s *store.Store, l *library.Library, t *transmit.Transmit, events *stream.Stream,
	book *line.Book, now func() time.Time) (*Auditions, error) {
	ss, err := sitting.Open(ctx, kind{l}, s, events, l, now)
	if err != nil {
		return nil, err
	}
	return &Auditions{Sittings: ss, library: l, transmit: t, book: book, now: now}, nil
}

// Run plays what is due until the context ends.
func (as *Auditions) Run(ctx context.Context) error {
	defer as.players.Wait()
	return as.Sittings.Run(ctx, as.play)
}

// play sends what is due, and tells how long until the next is. Answers are taken while it is on the air.
func (as *Auditions) play(ctx context.Context) time.Duration {
	s := as.Running()
	if s == nil || as.playing {
		return time.Hour
	}
	codes, soon := s.Core.Due()
	if codes == nil {
		return time.Hour
	}
	due := as.last.Add(s.Pause)
	if soon {
		due = as.last.Add(apart)
	}
	if wait := due.Sub(as.now()); wait > 0 {
		return wait
	}
	d, err := as.library.ByID(s.DeviceID)
	if err != nil { // it was removed meanwhile
		s.Core.Finish()
		as.Touch(ctx, s, happening.Over, s.Core.Prompt())
		return 0
	}
	if !soon { // who says now that it reacted means this one
		s.Core.Played()
		as.Touch(ctx, s, "", "")
	}
	was := s.Core.Clone()
	order := transmit.Order{Key: device.Key{Codes: codes}, Transmitter: d.Transmitter, By: s.By, Cause: s.ID,
		What: "a code of the audition", Obey: as.library.Sending(codes)}
	as.playing = true
	as.players.Go(func() {
		r, err := as.transmit.Press(ctx, order)
		if err == nil && r.Outcome != happening.Sent {
			err = fmt.Errorf("%s: %s", r.Outcome, r.Reason)
		}
		_ = as.Do(context.WithoutCancel(ctx), func(ctx context.Context) error {
			as.played(ctx, s, was, soon, err)
			return nil
		})
	})
	return time.Hour
}

// played goes on after a code was on the air, or could not be.
func (as *Auditions) played(ctx context.Context, s *running, was *audition.Audition, soon bool, err error) {
	as.playing, as.last = false, as.now()
	same := s.Core.Phase == was.Phase && s.Core.Next == was.Next && s.Core.At == was.At && s.Core.Key == was.Key &&
		s.Core.Switches == was.Switches
	switch s.Note = ""; {
	case err != nil: // nothing is passed over unheard
		s.Note = err.Error()
		if same {
			_ = s.Core.Again()
		}
		_ = s.Core.Pause()
	case soon && same:
		s.Core.Played()
	}
	as.Touch(ctx, s, "", "")
}

// Start begins an audition. Errors are those of Plan, or wrap sitting.ErrRunning.
func (as *Auditions) Start(ctx context.Context, n New) (happening.AuditionChanged, error) {
	s, plan, err := as.prepare(n)
	if err != nil {
		return happening.AuditionChanged{}, err
	}
	err = as.Do(ctx, func(ctx context.Context) error {
		return as.Begin(ctx, s, fmt.Sprintf("Audition for %s: %s", n.Device, plan.Text))
	})
	if err != nil {
		return happening.AuditionChanged{}, err
	}
	return as.Audition(s.ID)
}

// Audition is an audition as it is now. The error wraps sitting.ErrUnknown.
func (as *Auditions) Audition(id string) (happening.AuditionChanged, error) {
	w, err := as.One(id)
	if err != nil {
		return happening.AuditionChanged{}, err
	}
	return w.(happening.AuditionChanged), nil
}

// Step takes an answer. Errors wrap audition.ErrOver, audition.ErrStep, sitting.ErrRunning or sitting.ErrUnknown.
func (as *Auditions) Step(ctx context.Context, id, do string) (happening.AuditionChanged, error) {
	err := as.Do(ctx, func(ctx context.Context) error {
		s, err := as.Find(id)
		if err != nil {
			return err
		}
		over := s.Core.Over()
		if err := as.step(ctx, s, do); err != nil {
			return err
		}
		s.Note = ""
		if !over && s.Core.Over() {
			as.over(ctx, s)
			return nil
		}
		as.Touch(ctx, s, "", "")
		return nil
	})
	if err != nil {
		return happening.AuditionChanged{}, err
	}
	return as.Audition(id)
}

func (as *Auditions) step(ctx context.Context, s *running, do string) error {
	switch do {
	case "reacted":
		return s.Core.Reacted()
	case "yes", "no", "skip", "unsure":
		return s.Core.Say(audition.Answer(do))
	case "back":
		return s.Core.Back()
	case "again":
		return s.Core.Again()
	case "switch":
		return s.Core.Switch()
	case "another":
		return s.Core.Another()
	case "pause":
		return s.Core.Pause()
	case "resume":
		if err := as.MakeRoom(ctx, s); err != nil {
			return err
		}
		return s.Core.Resume()
	case "keep":
		return as.keepAgain(ctx, s)
	case "finish":
		s.Core.Finish()
		return nil
	}
	return fmt.Errorf("%w: %.20q: do one of reacted, yes, no, unsure, skip, another, back, again, switch, pause, "+
		"resume, keep, finish",
		audition.ErrStep, do)
}

// over keeps what was confirmed. What cannot be kept is said, and can be tried again.
func (as *Auditions) over(ctx context.Context, s *running) {
	if keys := s.Core.Kept(); keys != nil {
		if err := as.keep(ctx, s, keys); err != nil {
			slog.Error("keep what an audition found", "device", s.DeviceID, "error", err)
			s.Note = "It could not be kept: " + err.Error() + ": try again (keep)"
		}
	}
	as.Touch(ctx, s, happening.Over, s.Core.Prompt())
}

func (as *Auditions) keep(ctx context.Context, s *running, keys []device.Key) error {
	set, whole := s.Core.FramesOf()
	_, err := as.library.Change(ctx, s.DeviceID, library.Note{By: s.By, Cause: s.ID}, func(d *device.Device) error {
		if whole {
			library.GiveFrames(d, set)
			return nil
		}
		return library.GiveKeys(d, keys, "audition")
	})
	return err
}

// keepAgain keeps the confirmed keys of the best set though it does not fit whole, or tries once more what could not be
// kept.
func (as *Auditions) keepAgain(ctx context.Context, s *running) error {
	if s.Core.Phase == audition.Found {
		return as.keep(ctx, s, s.Core.Kept())
	}
	if _, keys, ok := s.Core.Best(); ok {
		if err := as.keep(ctx, s, keys); err != nil {
			return err
		}
	}
	return s.Core.Take()
}
