package transmit

import (
	"slices"
	"sync"
	"time"

	"urbo/core/line"
	"urbo/core/signal"
)

// late is how long after a send its echo may still come in: a receiver ends a train after 20 ms of silence, and the
// link takes its time.
const late = 200 * time.Millisecond

// Echoes knows what Urbo sends and sent lately, so that it is known when receivers hear it.
type Echoes struct {
	book *line.Book
	now  func() time.Time

	mu    sync.Mutex
	sends []*echo
}

// echo is a send that receivers may hear.
type echo struct {
	pressID  string
	medium   line.Medium
	identity string // of the line code, or ""
	fields   line.Fields
	train    signal.Train
	from     time.Time
	until    time.Time     // zero while it is on the air
	latest   time.Time     // until at the latest, should no answer come
	heard    chan struct{} // has room for one: that a receiver heard it; nil where nobody asks
}

// NewEchoes makes the memory of what was sent.
func NewEchoes(book *line.Book, now func() time.Time) *Echoes { return &Echoes{book: book, now: now} }

// expect notes a send before it goes out. The function it returns notes its end.
func (es *Echoes) expect(e echo, longest time.Duration) func() {
	e.from = es.now()
	e.latest = e.from.Add(longest)
	es.mu.Lock()
	defer es.mu.Unlock()
	es.sends = slices.DeleteFunc(es.sends, func(old *echo) bool {
		return old.end().Before(e.from.Add(-5 * time.Second))
	})
	es.sends = append(es.sends, &e)
	return func() {
		end := es.now()
		es.mu.Lock()
		defer es.mu.Unlock()
		e.until = end
	}
}

func (e *echo) hear() {
	select {
	case e.heard <- struct{}{}:
	default:
	}
}

// turned says whether what changes from push to push is as it was sent: else a handset sent it.
func (e *echo) turned(s *line.Sheet, heard line.Fields) bool {
	for name := range s.Turns() {
		sent, ok := e.fields[name]
		if got, too := heard[name]; ok && too && got != sent {
			return false
		}
	}
	return true
}

func (e *echo) end() time.Time {
	if e.until.IsZero() {
		return e.latest
	}
	return e.until
}

// Find says which of Urbo's own presses a receiver heard, from when its trains came in and what they say; "" where
// it was somebody else's. A clear reading of another code is a handset, even while Urbo sends. whole says that it was
// heard as it was sent: else something may have disturbed it.
func (es *Echoes) Find(medium line.Medium, first, last time.Time, readings []line.Reading,
	trains []signal.Reception) (pressID string, whole bool) {
	es.mu.Lock()
	defer es.mu.Unlock()
	for _, e := range slices.Backward(es.sends) {
		if e.medium != medium || last.Before(e.from) || first.After(e.end().Add(late)) {
			continue
		}
		if sounds, whole := es.sounds(e, readings, trains); sounds {
			e.hear()
			return e.pressID, whole
		}
	}
	return "", false
}

func (es *Echoes) sounds(e *echo, readings []line.Reading, trains []signal.Reception) (sounds, whole bool) {
	clear := false
	for _, r := range readings {
		if s, err := es.book.Sheet(r.Sheet); err == nil && e.identity != "" && s.Identity(r.Fields) == e.identity &&
			e.turned(s, r.Fields) {
			return true, true
		}
		clear = clear || r.Confidence > line.LoneLimit
	}
	if e.train != nil && slices.ContainsFunc(trains, func(h signal.Reception) bool {
		return signal.Agree(h.Train,
			e.train)
	}) {
		return true, true
	}
	return !clear, false
}
