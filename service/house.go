// Package service is the running house: it opens the store, wires its parts together, and owns every long-lived
// goroutine. The parts are in the folders below, each with one job.
package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"path/filepath"
	"sync"
	"time"

	"urbo/core/line"
	"urbo/service/access"
	"urbo/service/air"
	"urbo/service/audition"
	"urbo/service/bench"
	"urbo/service/ear"
	"urbo/service/event"
	"urbo/service/journal"
	"urbo/service/lesson"
	"urbo/service/library"
	"urbo/service/roster"
	"urbo/station"
	"urbo/store"
	"urbo/wire"
)

// Config of a house.
type Config struct {
	Dir     string           // data directory; it must exist
	Drivers []station.Driver // stations
	Extra   []Runner         // what else lives as long as the house, such as the stage
	Now     func() time.Time // nil is time.Now
	Version string
}

// Runner is anything that runs until its context ends.
type Runner interface {
	Run(ctx context.Context) error
}

// House is the running service.
type House struct {
	Events    *event.Hub
	Journal   *journal.Journal
	Library   *library.Library
	Roster    *roster.Roster
	Air       *air.Air
	Ear       *ear.Ear
	Lessons   *lesson.Lessons
	Auditions *audition.Auditions
	Bench     *bench.Bench
	Access    *access.Access
	Book      *line.Book

	store   *store.Store
	lock    *dirLock
	extra   []Runner
	version string
	started time.Time
}

// Open locks the data directory, opens the database and builds the house. Close it when Run has returned.
func Open(ctx context.Context, c Config) (*House, error) {
	if c.Now == nil {
		c.Now = time.Now
	}
	lock, err := lockDir(c.Dir)
	if err != nil {
		return nil, err
	}
	s, err := store.Open(c.Dir)
	if err != nil {
		return nil, errors.Join(err, lock.release())
	}
	book, trouble := library.ReadBook(filepath.Join(c.Dir, library.SheetDir))
	h := &House{store: s, lock: lock, Events: &event.Hub{}, Book: book, extra: c.Extra, version: c.Version, started: c.Now()}
	h.Journal = journal.New(s, h.Events, c.Now)
	if trouble != nil { // the others count, and the house runs
		slog.Error("line sheets of your own", "error", trouble)
		h.Journal.Write(wire.Entry{Kind: "house", Outcome: "error", Text: "Left out of the line sheets: " + trouble.Error()})
	}
	if h.Library, err = library.Open(ctx, s, h.Events, h.Book, c.Now); err != nil {
		return nil, errors.Join(err, h.Close())
	}
	h.Access = access.New(s, c.Now)
	h.Roster = roster.New(c.Drivers, h.Events, h.Journal, c.Now)
	h.Air = air.New(s, h.Library, h.Roster, h.Journal, h.Book, c.Now)
	if h.Lessons, err = lesson.Open(ctx, s, h.Library, h.Journal, h.Roster, h.Events, h.Book, c.Now); err != nil {
		return nil, errors.Join(err, h.Close())
	}
	if h.Auditions, err = audition.Open(ctx, s, h.Library, h.Air, h.Journal, h.Events, h.Book, c.Now); err != nil {
		return nil, errors.Join(err, h.Close())
	}
	h.Ear = ear.New(h.Book, h.Library, h.Air, h.Roster, h.Journal, c.Now, h.Lessons.Hear)
	h.Bench = bench.New(h.Book, h.Library, h.Journal, h.Air, c.Now)
	h.Roster.OnHeard, h.Roster.OnAnswer = h.Ear.Hear, h.Air.Answer
	return h, nil
}

// Run runs the house until the context ends. What brings news ends first, then the ear, which closes what it has
// half heard, and the journal last, so that it keeps what the others had to say.
func (h *House) Run(ctx context.Context) error {
	h.Journal.Write(wire.Entry{Kind: "house", Text: "Urbo " + h.version + " started"})
	endJournal := background(ctx, "journal", h.Journal)
	endEar := background(ctx, "ear", h.Ear)
	var news sync.WaitGroup
	for _, r := range append([]Runner{h.Roster, h.Lessons, h.Auditions}, h.extra...) {
		news.Go(func() { logged(fmt.Sprintf("%T", r), r.Run(ctx)) })
	}
	news.Wait()
	endEar()
	h.Journal.Write(wire.Entry{Kind: "house", Text: "Urbo stopped"})
	endJournal()
	return nil
}

// background runs something beyond the end of ctx, until the function it returns is called, which waits for it.
func background(ctx context.Context, name string, r Runner) (end func()) {
	lasting, cancel := context.WithCancel(context.WithoutCancel(ctx))
	done := make(chan struct{})
	go func() {
		defer close(done)
		logged(name, r.Run(lasting))
	}()
	return func() {
		cancel()
		<-done
	}
}

func logged(what string, err error) {
	if err != nil {
		slog.Error(what+" ended", "error", err)
	}
}

// Close closes the database and gives the data directory back.
func (h *House) Close() error {
	return errors.Join(h.store.Close(), h.lock.release())
}

// About says what is running.
func (h *House) About() wire.About {
	return wire.About{Version: h.version, Started: h.started, Sheets: len(h.Book.Sheets())}
}

// Captures lists captures, the newest first.
func (h *House) Captures(ctx context.Context, before string, limit int) ([]wire.Capture, error) {
	rows, stored, err := h.Journal.Captures(ctx, before, limit)
	if err != nil {
		return nil, err
	}
	out := make([]wire.Capture, len(rows))
	for i, r := range rows {
		out[i] = ear.FromRow(r, h.Library).Wire(stored[r.ID])
	}
	return out, nil
}

// Advice lists what is odd about a device.
func (h *House) Advice(device string) ([]wire.Advice, error) {
	return h.Library.Advice(device, func(medium string, hz int, preferred string) error {
		_, err := h.Roster.Transmitter(medium, hz, preferred)
		return err
	})
}
