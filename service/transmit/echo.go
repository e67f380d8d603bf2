package transmit

import (
	"slices"
	"sync"
	"time"

	"urbo/core/line"
	"urbo/core/signal"
)

// Echoes knows what Urbo sends and sent lately, so that it is known when receivers hear it.
type Echoes struct {
	book *line.Book
	now  func() time.Time

	mu    sync.Mutex
	sends []*echo
	count int
}

// echo is a send that receivers may hear.
type echo struct {
	pressID  string
	number   int // counts up with each send
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
	es.mu.Lock()
	es.count++
	e.number = es.count
	es.mu.Unlock()
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

// Sound is what a receiver heard.
type Sound struct {
	Medium      line.Medium
	First, Last time.Time // when its first and last train came in
	Readings    []line.Reading
	Trains      []signal.Reception
	// Part says that it is a part of what came in then, which has Urbo's own sends in their order: it is of a send
	// behind After.
	Part  bool
	After int
}

// Find says which of Urbo's own presses a receiver heard, and which send that was; "" where it was somebody else's. A
// clear reading of another code is a handset, even while Urbo sends. whole says that it was heard as it was sent: else
// something may have disturbed it.
func (es *Echoes) Find(h Sound) (pressID string, send int, whole bool) {
	es.mu.Lock()
	defer es.mu.Unlock()
	best, whole := es.find(h)
	if best == nil {
		return "", h.After, false
	}
	best.hear()
	return best.pressID, best.number, whole
}

// Own says whether what is heard so far may be one of Urbo's own presses.
func (es *Echoes) Own(h Sound) bool {
	es.mu.Lock()
	defer es.mu.Unlock()
	best, _ := es.find(h)
	return best != nil
}

// find is the send that was heard, nil where it was somebody else's. The caller holds mu.
func (es *Echoes) find(h Sound) (best *echo, whole bool) {
	for _, e := range es.sends {
		if e.medium != h.Medium || h.Last.Before(e.from) || h.First.After(e.end().Add(signal.EchoLate)) ||
			h.Part && e.number <= h.After {
			continue
		}
		sounds, is := es.sounds(e, h.Readings, h.Trains)
		if !sounds || best != nil && whole && !is {
			continue
		}
		if h.Part && best != nil && whole == is { // the first of them
			continue
		}
		best, whole = e, is
	}
	return best, whole
}

// Alone says whether Urbo sent one press at most in a span of time.
func (es *Echoes) Alone(medium line.Medium, first, last time.Time) bool {
	es.mu.Lock()
	defer es.mu.Unlock()
	one := ""
	for _, e := range es.sends {
		switch {
		case e.medium != medium || last.Before(e.from) || first.After(e.end()):
		case one != "" && one != e.pressID:
			return false
		default:
			one = e.pressID
		}
	}
	return true
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
