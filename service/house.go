// Package service is the running house: it opens the store, wires its parts together, and owns every long-lived
// goroutine. The parts are in the folders below, each with one job.
package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"path/filepath"
	"slices"
	"sync"
	"time"

	"urbo/core/happening"
	"urbo/core/line"
	"urbo/core/moment"
	"urbo/service/access"
	"urbo/service/agendas"
	"urbo/service/assistants"
	"urbo/service/auditions"
	"urbo/service/backup"
	"urbo/service/belief"
	"urbo/service/boards"
	"urbo/service/calendar"
	"urbo/service/errands"
	"urbo/service/explain"
	"urbo/service/feed"
	"urbo/service/groups"
	"urbo/service/history"
	"urbo/service/holds"
	"urbo/service/home"
	"urbo/service/hooks"
	"urbo/service/journal"
	"urbo/service/lessons"
	"urbo/service/library"
	"urbo/service/measure"
	"urbo/service/metrics"
	"urbo/service/occasions"
	"urbo/service/phrases"
	"urbo/service/questions"
	"urbo/service/receive"
	"urbo/service/requests"
	"urbo/service/rooms"
	"urbo/service/runs"
	"urbo/service/selftest"
	"urbo/service/sequences"
	"urbo/service/setting"
	"urbo/service/speech"
	"urbo/service/stations"
	"urbo/service/stream"
	"urbo/service/targets"
	"urbo/service/transmit"
	"urbo/service/workbench"
	"urbo/station"
	"urbo/store"
)

// Config of a house.
type Config struct {
	Dir        string              // data directory; it must exist
	Transports []station.Transport // ways that stations come in
	// Reach makes the transport of a station that the house reaches by itself; nil where it reaches none.
	Reach func(station.Origin) (station.Transport, error)
	// Lasting is the origin by which such a station is found again; nil where it is always the one it was added by.
	Lasting func(station.Origin) station.Origin
	// Broker makes the transport of a broker that the house runs itself; nil for none.
	Broker func(*access.Access, *Messages) station.Transport
	// Listen is told where messages of an outside broker go; nil for none.
	Listen func(*Messages)
	Send   requests.Sender // sends requests out of the house; nil where nothing does
	Fetch  agendas.Fetch   // fetches calendars; nil where nothing does
	// Recogniser makes words of what is spoken, nil where nothing does; Words is the file with the pronunciation of
	// many words, "" for none.
	Recogniser speech.Recogniser
	Words      string
	Extra      []Runner         // what else lives as long as the stations, such as the stage
	Now        func() time.Time // nil is time.Now
	// Calendar is what the house's calendar clock shows at the start, zero for the real time, and Pace how fast it goes
	// on; 0 is 1.
	Calendar time.Time
	Pace     float64
	Version  string
	News     string // told in the journal at the start, such as that a backup was restored; "" is none
}

// Runner is anything that runs until its context ends.
type Runner interface {
	Run(ctx context.Context) error
}

// House is the running service.
type House struct {
	packs sync.Mutex // held while a pack comes

	Stream     *stream.Stream
	Feed       *feed.Feed
	Journal    *journal.Journal
	Library    *library.Library
	Rooms      *rooms.Rooms
	Home       *home.Keeper
	Groups     *groups.Groups
	Stations   *stations.Stations
	Transmit   *transmit.Transmit
	SelfTest   *selftest.Test
	Explain    *explain.Explainer
	Metrics    *metrics.Metrics
	Receive    *receive.Receive
	Lessons    *lessons.Lessons
	Auditions  *auditions.Auditions
	Beliefs    *belief.Beliefs
	Setting    *setting.Setting
	Targets    *targets.Targets
	Sequences  *sequences.Sequences
	Holds      *holds.Holds
	Runs       *runs.Runs
	Occasions  *occasions.Occasions
	Errands    *errands.Errands
	Phrases    *phrases.Phrases
	Speech     *speech.Speech
	Hooks      *hooks.Hooks
	Requests   *requests.Requests
	Agendas    *agendas.Agendas
	Assistants *assistants.Assistants
	Boards     *boards.Boards
	Questions  *questions.Questions
	History    *history.History
	Calendar   *calendar.Clock
	Measure    *measure.Measure
	Workbench  *workbench.Workbench
	Access     *access.Access
	Book       *line.Book
	Version    string
	Started    time.Time
	ID         string // short, and of this data directory alone

	dir     string
	news    string
	lasting func(station.Origin) station.Origin

	counters  *library.Counters
	trace     *transmit.Trace
	ran       bool
	written   bool // all that happened is in the journal
	ownBroker bool
	store     *store.Store
	lock      *dirLock
	extra     []Runner

	replaceMu sync.Mutex
	staged    *backup.Staged
	replaced  chan struct{}
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
	if err := sweep(c.Dir); err != nil {
		return nil, errors.Join(err, lock.release(!lock.killed))
	}
	s, err := store.Open(c.Dir)
	if err != nil {
		return nil, errors.Join(err, lock.release(!lock.killed))
	}
	h := &House{dir: c.Dir, news: c.News, lasting: c.Lasting, store: s, lock: lock, extra: c.Extra, Version: c.Version,
		Started:  c.Now(),
		replaced: make(chan struct{})}
	if err := h.build(ctx, c); err != nil {
		return nil, errors.Join(err, h.Close())
	}
	return h, nil
}

// build makes the parts of the house, each from those before it.
func (h *House) build(ctx context.Context, c Config) error {
	s := h.store
	last, err := s.Happenings().LastSeq(ctx)
	if err != nil {
		return fmt.Errorf("read the journal: %w", err)
	}
	if h.ID, err = s.HouseID(ctx); err != nil {
		return fmt.Errorf("read the house's id: %w", err)
	}
	h.Stream = stream.New(last, c.Now)
	h.Calendar = calendar.New(c.Now, c.Calendar, c.Pace)
	h.History = history.New(history.Config{Store: s, Stream: h.Stream, Now: c.Now, Calendar: h.Calendar.At,
		Kept: h.measurementsKept})
	h.Journal, h.Feed = journal.New(s, h.Stream), feed.New(h.Stream)
	var trouble error
	// the others count, and the house runs
	if h.Book, trouble = library.ReadBook(filepath.Join(c.Dir, library.SheetDir)); trouble != nil {
		slog.Error("line sheets of your own", "error", trouble)
		h.say("error", "Left out of the line sheets: "+trouble.Error())
	}
	if h.Rooms, err = rooms.Open(ctx, s, h.Stream); err != nil {
		return err
	}
	if h.Home, err = home.Open(ctx, s, h.Stream); err != nil {
		return err
	}
	if h.Library, err = library.Open(ctx, s, h.Rooms, h.Stream, h.Book, c.Now); err != nil {
		return err
	}
	h.Journal.Rooms(h.Library.RoomOf)
	if h.Groups, err = groups.Open(ctx, s.Groups(), s, h.Library, h.Stream); err != nil {
		return err
	}
	if h.Access, err = access.Open(ctx, s, h.Stream, c.Now); err != nil {
		return err
	}
	if h.Assistants, err = assistants.Open(ctx, assistants.Config{Store: s, Access: h.Access, Stream: h.Stream,
		Now: c.Now}); err != nil {
		return err
	}
	echoes := transmit.NewEchoes(h.Book, c.Now)
	bits := transmit.NewBits(s, h.Book, h.Library.RoomOf)
	h.Receive = receive.New(h.Book, h.Library, echoes, bits, h.Stream, c.Now)
	messages := &Messages{house: h, changed: make(chan struct{})}
	if c.Listen != nil {
		c.Listen(messages)
	}
	if c.Broker != nil {
		h.ownBroker = true
		c.Transports = append(slices.Clip(c.Transports), c.Broker(h.Access, messages))
	}
	probe := selftest.NewProbe(h.Receive)
	h.Stations, err = stations.Open(ctx, stations.Config{Store: s, Transports: c.Transports, Reach: c.Reach,
		Receiver: probe, Rooms: h.Rooms, Stream: h.Stream, Now: c.Now})
	if err != nil {
		return err
	}
	var left []happening.Happening // of a process that was killed
	if h.trace, left, err = transmit.OpenTrace(filepath.Join(c.Dir, transmit.TraceFile), c.Now); err != nil {
		return err
	}
	h.Transmit = transmit.New(s, h.Stations, echoes, bits, h.Stream, h.Book, h.trace, c.Now)
	h.SelfTest = selftest.New(probe, h.Stations, h.Transmit, h.Book)
	if h.Lessons, err = lessons.Open(ctx, s, h.Library, h.Stations, h.Stream, h.Book, c.Now); err != nil {
		return err
	}
	if h.Auditions, err = auditions.Open(ctx, s, h.Library, h.Transmit, h.Stream, h.Book, c.Now); err != nil {
		return err
	}
	h.counters = library.NewCounters(h.Library)
	h.Targets = &targets.Targets{Library: h.Library, Groups: h.Groups, Rooms: h.Rooms}
	h.Measure, err = measure.Open(ctx, measure.Config{Store: s, Stream: h.Stream, Now: c.Now, Used: h.usersOf,
		Reading: h.Targets.Reading, Past: h.measuredBefore, Elsewhere: messages.anew,
		Today: func() (time.Time, moment.Where) { return h.Calendar.Now(), h.Errands.Where() }})
	if err != nil {
		return err
	}
	h.Beliefs, err = belief.Open(ctx, belief.Config{Store: s, Library: h.Library, Stations: h.Stations,
		Stream: h.Stream,
		Book:   h.Book, Now: c.Now})
	if err != nil {
		return err
	}
	h.Setting = setting.New(setting.Config{Beliefs: h.Beliefs, Library: h.Library, Transmit: h.Transmit,
		Lessons: h.Lessons, Stream: h.Stream, Now: c.Now})
	h.Targets.Measure, h.Targets.Beliefs = h.Measure, h.Beliefs
	if h.Sequences, err = sequences.Open(ctx, s.Sequences(), s, h.Targets, h.Stream); err != nil {
		return err
	}
	h.Holds, err = holds.Open(ctx, holds.Config{Store: s, Setting: h.Setting, Beliefs: h.Beliefs, Library: h.Library,
		Stream: h.Stream, Now: c.Now})
	if err != nil {
		return err
	}
	h.Runs, err = runs.Open(ctx, runs.Config{Store: s, Targets: h.Targets, Setting: h.Setting, Holds: h.Holds,
		Transmit: h.Transmit, Library: h.Library, Beliefs: h.Beliefs, Stream: h.Stream, Now: c.Now})
	if err != nil {
		return err
	}
	h.Occasions, err = occasions.Open(ctx, occasions.Config{Rows: s.Occasions(), Store: s, Targets: h.Targets,
		Library: h.Library, Rooms: h.Rooms, Beliefs: h.Beliefs, Planner: h.Setting, Runs: h.Runs, Holds: h.Holds,
		Stream: h.Stream, Now: c.Now})
	if err != nil {
		return err
	}
	h.Targets.Held = h.Occasions.Held
	h.Boards, err = boards.Open(ctx, boards.Config{Rows: s.Boards(), Store: s, Library: h.Library, Rooms: h.Rooms,
		Targets: h.Targets, Occasions: h.Occasions, Sequences: h.Sequences, Stream: h.Stream})
	if err != nil {
		return err
	}
	h.Errands, err = errands.Open(ctx, errands.Config{Rows: s.Errands(), Store: s, Targets: h.Targets,
		Beliefs:   h.Beliefs,
		Sequences: h.Sequences, Occasions: h.Occasions, Station: h.stationID, Runs: h.Runs, Holds: h.Holds,
		History: h.History, Home: h.Home.Home, Calendar: h.Calendar, Stream: h.Stream, Elsewhere: messages.anew,
		Ready: []<-chan struct{}{h.Setting.Ready(), h.Holds.Ready(), h.Runs.Ready()}})
	if err != nil {
		return err
	}
	h.Phrases, err = phrases.Open(ctx, phrases.Config{Store: s, Library: h.Library, Rooms: h.Rooms, Groups: h.Groups,
		Occasions: h.Occasions, Sequences: h.Sequences, Errands: h.Errands, Targets: h.Targets, Setting: h.Setting,
		Runs: h.Runs, Stream: h.Stream, Now: c.Now, Rolls: h.rolls})
	if err != nil {
		return err
	}
	h.Speech, err = speech.Open(ctx, speech.Config{Store: s, Recogniser: c.Recogniser, Words: c.Words,
		Phrases: h.Phrases,
		Stream:  h.Stream})
	if err != nil {
		return err
	}
	if h.Requests, err = requests.Open(ctx, s, c.Send, h.Stream, c.Now); err != nil {
		return err
	}
	h.Runs.Request, h.Errands.Request = h.Requests.Send, func(name string) error {
		_, err := h.Requests.Find(name)
		return err
	}
	h.Errands.Understood = h.Phrases.Plainly
	h.Agendas, err = agendas.Open(ctx, agendas.Config{Store: s, Fetch: c.Fetch, Errands: h.Errands,
		Calendar: h.Calendar,
		Stream:   h.Stream, Now: c.Now})
	if err != nil {
		return err
	}
	h.Hooks, err = hooks.Open(ctx, hooks.Config{Store: s, Access: h.Access, Errands: h.Errands, House: h,
		Devices: h.Targets.AllDevices, Stream: h.Stream, Now: c.Now})
	if err != nil {
		return err
	}
	h.Metrics = metrics.New(h.Stream, metrics.Sources{Stations: h.Stations.Count,
		Devices: func() int { return len(h.Library.Lines("")) }, Database: s.Size}, c.Version)
	h.Explain = &explain.Explainer{Library: h.Library, Transmit: h.Transmit, Stations: h.Stations, Journal: h.Journal,
		Beliefs: h.Beliefs}
	h.Runs.Errands, h.Runs.Occasion = h.Errands, h.doOccasion
	h.Receive.Eager = h.quick
	h.Boards.Errands = h.Errands
	h.Questions = questions.New(questions.Config{Runs: h.Runs, Targets: h.Targets, Beliefs: h.Beliefs,
		Library: h.Library, Stream: h.Stream, Now: c.Now})
	if err := h.recover(ctx, left); err != nil {
		return err
	}
	h.Workbench = workbench.New(h.Book, h.Library, h.Journal, h.Transmit, h.Stream, c.Now)
	return nil
}

// recover tells what a process that was killed left in its trace and the journal does not have: receipts, and presses
// of which nobody knows whether they went out.
func (h *House) recover(ctx context.Context, left []happening.Happening) error {
	for _, p := range left {
		switch known, err := h.store.Happenings().Known(ctx, p.ID); {
		case err != nil:
			return fmt.Errorf("read the journal: %w", err)
		case !known:
			h.Stream.Publish(p)
		}
	}
	return nil
}

func (h *House) say(severity, text string) {
	h.Stream.Publish(happening.Happening{What: happening.HouseNote{Severity: severity, Text: text}})
}

// Run runs the house until the context ends. Then its parts end in the order in which they feed each other: what sends
// and has on the air what the stations must still be told to end, the stations, what was half heard, the lessons that
// are about it, and the journal last, so that it keeps what all others had to say.
func (h *House) Run(ctx context.Context) error {
	h.ran = true
	if h.lock.killed {
		h.say("warning", "Urbo did not end by itself the last time: the power failed, or it was killed. What "+
			"happened in its "+
			"last second may be missing here, and what it was pressing then is unknown")
	}
	h.Stream.Publish(happening.Happening{What: happening.HouseStarted{Version: h.Version}})
	if h.news != "" {
		h.say("", h.news)
	}
	followers := background(ctx, h.Journal, h.Feed, h.Beliefs, h.counters, h.History, h.Metrics)
	var parts []*group
	for _, p := range [][]Runner{{h.Access, h.Assistants}, {h.Lessons}, {h.Receive}, append([]Runner{h.Stations},
		h.extra...),
		{h.Transmit}, {h.Auditions}, {h.Setting}, {h.Measure}, {h.Holds}, {h.Runs}, {h.Questions}, {h.Occasions},
		{h.Errands}, {h.Phrases},
		{h.Agendas}} {
		parts = append(parts, background(ctx, p...))
	}
	<-ctx.Done()
	h.Beliefs.Ending()
	for _, p := range slices.Backward(parts) {
		p.end()
		p.wait()
	}
	h.say("", "Urbo stopped")
	h.Stream.Close() // the journal and the feed end by themselves when they have had all of it
	followers.wait()
	followers.end()
	waiting, _ := h.Journal.Unwritten()
	h.written = waiting == 0
	return nil
}

// group is some parts that run together.
type group struct {
	end     context.CancelFunc
	running sync.WaitGroup
}

func (g *group) wait() { g.running.Wait() }

// background runs some parts, beyond the end of ctx, until their group is ended.
func background(ctx context.Context, parts ...Runner) *group {
	lasting, cancel := context.WithCancel(context.WithoutCancel(ctx))
	g := &group{end: cancel}
	for _, r := range parts {
		g.running.Go(func() {
			if err := r.Run(lasting); err != nil {
				slog.Error("a part ended", "part", fmt.Sprintf("%T", r), "error", err)
			}
		})
	}
	return g
}

// Close closes the database and gives the data directory back.
func (h *House) Close() error {
	var err error
	if h.trace != nil {
		err = h.trace.Close(h.written)
	}
	return errors.Join(err, h.store.Close(), h.lock.release(h.written || !h.ran && !h.lock.killed))
}

// Advice lists what is odd about a device.
func (h *House) Advice(slug string) ([]library.Advice, error) {
	return h.Library.Advice(slug, h.Stations.Reaches)
}
