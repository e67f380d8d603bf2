// Package receive turns what receivers hear into captures: trains are joined into presses, decoded by the line sheets
// of their medium, matched with the library, told apart from Urbo's own sending, and published.
package receive

import (
	"context"
	"log/slog"
	"slices"
	"sync"
	"time"

	"urbo/core/bench"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/core/plain"
	"urbo/core/signal"
	"urbo/service/stations"
	"urbo/service/stream"
	"urbo/service/transmit"
	"urbo/service/wake"
	"urbo/station"
	"urbo/store"
)

// Library knows whose key it is.
type Library interface {
	Recognise(c *happening.Capture)
	// Match lists the keys that send what was read, or what has a structure.
	Match(readings []line.Reading, structure *bench.Structure) []happening.KeyMatch
}

// Echoes knows what Urbo itself sends.
type Echoes interface {
	// Find says of which of Urbo's own presses it is the echo, "" where it is somebody else's, and which send that was.
	// whole says that it was heard as it was sent.
	Find(Sound) (pressID string, send int, whole bool)
	// Own says whether what is heard so far may be one of them.
	Own(Sound) bool
	// Alone says whether Urbo sent one press at most in a span of time.
	Alone(medium line.Medium, first, last time.Time) bool
}

// Sound is what a receiver heard.
type Sound = transmit.Sound

// Bits knows which frame each device saw last.
type Bits interface {
	// Heard notes a capture, and tells in its keys where a device saw the same frame before.
	Heard(c *happening.Capture)
}

// Receive joins trains into presses.
type Receive struct {
	books   map[line.Medium]*line.Book
	library Library
	echoes  Echoes
	bits    Bits
	stream  *stream.Stream
	now     func() time.Time
	wake    chan struct{}
	opens   map[line.Medium]map[string]bool // sheets that also begin the presses of others

	// Eager says whether somebody is to be quick with a key that is heard in a medium; nil is nobody. It is set before
	// the receiving end runs.
	Eager func(k happening.KeyMatch, in line.Medium) bool

	echoed map[string]hearing // by STATION-ID/PORT, of the goroutine that reads presses

	describing sync.Mutex    // one press at a time
	described  chan heard    // what was described, back to the goroutine that reads presses
	over       chan struct{} // closed when nobody takes it any more
	away       int           // presses that are being described

	mu      sync.Mutex
	pending map[string]*press // by STATION-ID/PORT
	ready   turns
}

// press gathers the trains of one push of a key.
type press struct {
	from   stations.Source
	port   station.Port
	trains []signal.Reception
	late   bool      // the station kept it while it was away
	more   bool      // the last train goes on in the next
	fresh  bool      // something came in that was not looked at yet
	told   bool      // its key was told while it was being pressed
	hz     int       // measured carrier or channel, 0 where none was
	count  int       // durations so far
	began  time.Time // when the first train came in
	latest time.Time // when the last train came in
	looked time.Time // when it was last planned to look after it, where that was late
	start  time.Time // about when the first mark was
	end    int64     // station time of the last mark's end, µs
	peak   *float64
}

// silence is how long a receiver must be quiet for a press to be over.
const silence = signal.PressSilence * time.Microsecond

// stalled is how late a press may be looked after before the machine must have stood still, and how long what was heard
// meanwhile is then waited for.
const stalled = 100 * time.Millisecond

// New makes the receiving end of a house.
func New(book *line.Book, l Library, echoes Echoes, bits Bits, events *stream.Stream,
	now func() time.Time) *Receive {
	books, opens := map[line.Medium]*line.Book{}, map[line.Medium]map[string]bool{}
	for _, m := range []line.Medium{line.Infrared, line.Radio} {
		books[m] = book.Only(m)
		opens[m] = books[m].Opens()
	}
	return &Receive{books: books, opens: opens, library: l, echoes: echoes, bits: bits, stream: events, now: now,
		wake: make(chan struct{}, 1), described: make(chan heard), over: make(chan struct{}),
		pending: map[string]*press{}, echoed: map[string]hearing{}}
}

// Hear takes one train from a station; when is zero, or when it was where that is long past. It does not block.
func (r *Receive) Hear(from stations.Source, port station.Port, m station.Heard, when time.Time) {
	place := from.ID + "/" + port.ID
	r.mu.Lock()
	defer r.mu.Unlock()
	now := r.now()
	p := r.pending[place]
	if p != nil {
		gap := m.At - p.end
		if gap >= signal.PressSilence || gap < 0 || p.count+len(m.Train) > signal.MaxDurations {
			r.ready.put(place, p)
			p = nil
		} else {
			p.trains[len(p.trains)-1].Gap = int(gap)
		}
	}
	if p == nil {
		p = &press{from: from, port: port, began: now,
			start: now.Add(-time.Duration(m.Train.Length()+m.Gap) * time.Microsecond)}
		if !when.IsZero() {
			p.late, p.start, p.began = true, when, when
		}
		r.pending[place] = p
	}
	p.add(m)
	p.latest, p.looked = now, time.Time{}
	wake.Up(r.wake)
}

// add puts a train behind the others. One that was too long for the station's memory came in pieces.
func (p *press) add(m station.Heard) {
	if last := len(p.trains) - 1; p.more && p.trains[last].Gap > 0 {
		t := &p.trains[last]
		t.Train = append(append(t.Train, t.Gap), m.Train...)
		t.Gap = m.Gap
	} else {
		p.trains = append(p.trains, signal.Reception{Train: m.Train, Gap: m.Gap})
	}
	p.more, p.fresh = m.More, true
	p.count += len(m.Train) + 1
	p.end = m.At + int64(m.Train.Length())
	if hz := m.CarrierHz + m.FrequencyHz; hz > 0 {
		p.hz = hz
	}
	if m.Strength != nil && (p.peak == nil || *m.Strength > *p.peak) {
		p.peak = m.Strength
	}
}

// Run closes presses when their receiver has been quiet, until the context ends; what is still open then is closed
// too, so that nothing heard is lost, as far as that does not take long.
func (r *Receive) Run(ctx context.Context) error {
	defer close(r.over)
	timer := time.NewTimer(time.Hour)
	defer timer.Stop()
	for ctx.Err() == nil {
		r.early()
		p, wait := r.due(false)
		if p != nil {
			r.finish(p)
			wait = 0
		}
		timer.Reset(wait)
		select {
		case <-ctx.Done():
		case <-r.wake:
		case h := <-r.described:
			r.back(h)
		case <-timer.C:
		}
	}
	timer.Reset(ending)
	for end := r.now().Add(ending); r.now().Before(end); {
		if p, _ := r.due(true); p != nil {
			r.finish(p)
			continue
		}
		if r.away == 0 {
			return nil
		}
		select {
		case h := <-r.described:
			r.back(h)
		case <-timer.C:
		}
	}
	slog.Warn("what was heard last is left out: there is too much of it, and the service ends")
	return nil
}

// ending is how long it may take to read what was heard last.
const ending = time.Second

// due takes out the press whose turn it is, of those that are over, or tells how long until the next may be.
func (r *Receive) due(all bool) (*press, time.Duration) {
	r.mu.Lock()
	defer r.mu.Unlock()
	wait := time.Hour
	now := r.now()
	for place, p := range r.pending {
		planned := p.latest.Add(silence)
		if !p.looked.IsZero() {
			planned = p.looked
		}
		left := planned.Sub(now)
		if left < -stalled && !all { // the machine stood still: what came in meanwhile still waits to be taken
			p.looked = now.Add(stalled)
			wait = min(wait, stalled)
			continue
		}
		if all || left <= 0 {
			r.ready.put(place, p)
			delete(r.pending, place)
			continue
		}
		wait = min(wait, left)
	}
	for _, out := range r.ready.rest(now) {
		r.stream.Publish(happening.Happening{What: happening.StationNote{StationID: out.from.ID,
			Place: out.from.Name + "/" + out.port.ID, Severity: "warning", Text: "Heard more than can be read: " +
				plain.Count(out.left, "press was", "presses were") +
				" left out. Is something disturbing the receiver?"}})
	}
	if p := r.ready.next(); p != nil {
		return p, 0
	}
	if r.ready.owes() {
		wait = min(wait, tells)
	}
	return nil, wait
}

// heard is a press that was read: the captures of what came together, one for each push of a key.
type heard struct {
	*press
	captures []happening.Capture
}

// finish reads a press and publishes it. What no line code reads clearly is described first, beside the other presses:
// that takes long on a small board.
func (r *Receive) finish(p *press) {
	h := r.read(p)
	if !slices.ContainsFunc(h.captures, happening.Capture.Unclear) {
		r.tell(h)
		return
	}
	r.mu.Lock()
	r.ready.describes(p.place(), true)
	r.mu.Unlock()
	r.away++
	go func() {
		r.describing.Lock()
		for i := range h.captures {
			h.captures[i].Describe()
		}
		r.describing.Unlock()
		select {
		case r.described <- h:
		case <-r.over:
		}
	}()
}

// back publishes a press that was described.
func (r *Receive) back(h heard) {
	r.away--
	r.mu.Lock()
	r.ready.describes(h.place(), false)
	r.mu.Unlock()
	r.tell(h)
}

// read makes captures of what came together.
func (r *Receive) read(p *press) heard {
	book := r.books[line.Medium(p.port.Medium)]
	all := book.Decode(p.trains)
	pushes := book.Pushes(p.trains, all, func(read line.Reading) bool {
		return len(r.library.Match([]line.Reading{read}, nil)) > 0
	})
	h := heard{press: p}
	for _, push := range pushes {
		c := r.capture(p, push)
		if c.Decoded = all; len(pushes) > 1 {
			c.Decoded = book.Decode(push.Trains)
		}
		h.captures = append(h.captures, c)
	}
	return h
}

// tell recognises and publishes what was read.
func (r *Receive) tell(h heard) {
	p := h.press
	own, echo := 0, "" // Urbo's own send that was heard last, and of which press
	for _, c := range h.captures {
		r.library.Recognise(&c)
		last := p.latest
		if p.late {
			last = p.began
		}
		heard := Sound{Medium: c.Medium, First: p.began, Last: last, Readings: c.Readings, Trains: c.Trains,
			Part: len(h.captures) > 1, After: own}
		var whole bool
		c.PressID, own, whole = r.echoes.Find(heard)
		switch {
		case c.PressID == "" && c.Maybe: // of what was heard before it, if of anything
			c.PressID = echo
		case c.PressID == "":
		case !whole && len(c.Keys) > 0: // somebody's handset, also where a single frame came through
			c.PressID = ""
		default:
			echo = c.PressID
			if r.echoes.Alone(c.Medium, p.start, p.latest) { // else one of Urbo's own was beside another
				c.Disturbed = r.disturbed(p.from.ID+"/"+p.port.ID, whole)
			}
		}
		r.bits.Heard(&c)
		if worthKeeping(c) {
			r.stream.Publish(happening.Happening{ID: c.ID, Cause: c.PressID, At: c.At, What: happening.HeardOf(c)})
		}
	}
}

// hearing is how well a receiver hears what Urbo sends: in how many of the last echoes, from 0 to 1, and of how many.
type hearing struct {
	part  float64
	heard int
}

const (
	// leastEchoes is how many echoes a receiver has to have heard before one that it does not hear whole means
	// anything, and mostlyClear the part of them that have to have been whole.
	leastEchoes = 5
	mostlyClear = 0.3
)

// disturbed says whether an echo that was not heard whole was disturbed by something: where the receiver hears others
// whole. It notes how this one was heard.
func (r *Receive) disturbed(place string, whole bool) bool {
	c := r.echoed[place]
	is := !whole && c.heard >= leastEchoes && c.part >= mostlyClear
	c.heard++
	now := 0.0
	if whole {
		now = 1
	}
	c.part += (now - c.part) / float64(min(c.heard, 4*leastEchoes))
	r.echoed[place] = c
	return is
}

// capture is one push of what came together.
func (r *Receive) capture(p *press, push line.Push) happening.Capture {
	return happening.Capture{ID: store.NewID(), At: p.start.Add(time.Duration(push.After) * time.Microsecond),
		StationID: p.from.ID, Station: p.from.Name, RoomID: p.from.Room, Port: p.port.ID,
		Medium: line.Medium(p.port.Medium), Hz: p.hz, Strength: p.peak,
		Trains: push.Trains, Count: 1, Maybe: push.Maybe, Late: p.late}
}

// leastRadio is the fewest durations of a frame without a line code that is kept from the radio.
const leastRadio = 24

// worthKeeping leaves out noise: a few stray pulses, and what a radio receiver delivers when nobody sends. Its station
// still counts it, so a port that hears only noise can be seen.
func worthKeeping(c happening.Capture) bool {
	if len(c.Readings) > 0 || c.Held != "" || c.PressID != "" {
		return true
	}
	if c.Medium == line.Radio { // only what comes again is more than noise
		return c.Structure != nil && c.Structure.Frames > 1 && len(c.Structure.Frame) >= leastRadio
	}
	n := 0
	for _, h := range c.Trains {
		n += len(h.Train)
	}
	return n >= 5
}
