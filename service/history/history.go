// Package history keeps what was believed of controls, what was measured, which keys of handsets were pressed, and what
// else errands come with and ask about, for 90 days: what charts draw, what is asked why, and what an errand is
// rehearsed against. Its times are those of the calendar clock. The journal is for people; this is for counting.
package history

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"urbo/core/errand"
	"urbo/core/fault"
	"urbo/core/happening"
	"urbo/core/measure"
	"urbo/service/stream"
	"urbo/store"
)

// ErrQuery is wrapped where something cannot be asked of the history.
var ErrQuery = fault.New(fault.Invalid, "history")

const (
	// kept is how long facts are kept, and most how many.
	kept = 90 * 24 * time.Hour
	most = 1_000_000
	// MaxPage is how many facts one answer has at most.
	MaxPage = 5000
	// saving is how long facts wait in memory: of a measurement the last one in it counts.
	saving = 2 * time.Second
	// still is how often a measurement that does not change is noted.
	still = 5 * time.Minute
	// mostWaiting is how many facts wait where the disk takes nothing; the oldest are given up.
	mostWaiting = 20_000
)

// Kinds of facts that are asked for by a path.
const (
	Control     = errand.OfControl
	Measurement = errand.OfMeasurement
	Key         = errand.OfKey
)

// Fact is something that was so from a time on, or was pressed then.
type Fact = store.Fact

// Store keeps facts.
type Store interface {
	PutFacts(ctx context.Context, all []store.Fact) error
	Facts(ctx context.Context, q store.FactQuery) ([]store.Fact, error)
	FactsBetween(ctx context.Context, since, until time.Time, but []string, each func(store.Fact) error) error
	LastFacts(ctx context.Context, since, before time.Time, but []string) ([]store.Fact, error)
	NewestFacts(ctx context.Context, kind, of string, most int) ([]store.Fact, error)
	KeepNewestFacts(ctx context.Context, kind string, most int) error
	PruneFacts(ctx context.Context, before time.Time, most int64) error
	NewestFact(ctx context.Context) (time.Time, error)
	MeasuredSpans(ctx context.Context, name string, since, until time.Time, each int64) ([]store.MeasuredSpan, error)
	ThinMeasured(ctx context.Context, fineBefore, coarseBefore time.Time, fine, coarse int64) error
	ForgetMeasured(ctx context.Context, name string, before time.Time) error
}

// Config of the history.
type Config struct {
	Store  Store
	Stream *stream.Stream
	Now    func() time.Time
	// Calendar is what the calendar clock shows at a time.
	Calendar func(time.Time) time.Time
	// Kept lists the measurements whose history is kept for another time than is usual; nil is none.
	Kept func() map[string]time.Duration
}

// History follows the stream.
type History struct {
	Config
	queue *stream.Queue
	note  *Noter

	writing  sync.Mutex // held while facts are written
	mu       sync.Mutex
	measured map[string]store.Fact // the last of each measurement in what is not written
	written  map[string]store.Fact // and in what is
	believed map[string]store.Fact // the last of each control
	facts    []store.Fact          // that are not written
}

// New makes a history. It begins to write once it runs.
func New(c Config) *History {
	return &History{Config: c, queue: c.Stream.Subscribe(), note: NewNoter(c.Calendar),
		measured: map[string]store.Fact{}, written: map[string]store.Fact{}, believed: map[string]store.Fact{}}
}

// Run notes what happens until the stream ends, or the context does.
func (h *History) Run(ctx context.Context) error {
	var pruned time.Time
	ages, err := h.ages(ctx)
	if err != nil {
		slog.Error("nothing of the history gets too old for now", "error", err)
	}
	for flushed := time.Now(); ; {
		waiting, cancel := ctx, context.CancelFunc(func() {})
		if h.waits() {
			waiting, cancel = context.WithDeadline(ctx, flushed.Add(saving))
		}
		happened, err := h.queue.Next(waiting)
		cancel()
		for _, one := range happened {
			h.take(one)
		}
		over := errors.Is(err, io.EOF) || ctx.Err() != nil
		if !over && time.Since(flushed) < saving {
			continue
		}
		h.Flush(context.WithoutCancel(ctx))
		if over {
			return nil
		}
		flushed = time.Now()
		now := h.Calendar(h.Now())
		steady := ages.steady(now)
		if now.Sub(pruned).Abs() > time.Hour {
			pruned = now
			if err := h.shorten(ctx, now, steady); err != nil {
				slog.Error("shorten the history", "error", err)
			}
		}
	}
}

func (h *History) waits() bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	return len(h.facts)+len(h.measured) > 0
}

// ages says whether the calendar clock can tell how old something is. A clock that leaps, or that stands elsewhere than
// the newest fact when the house starts, may be wrong: nothing gets too old until it went on for a while from there.
type ages struct{ last, leapt time.Time }

const (
	// leap is by how much the clock leaps at least, where nobody is sure of it any more, and settles is after how long
	// it is trusted again.
	leap    = 24 * time.Hour
	settles = 48 * time.Hour
)

// ages begins with the time of the newest fact. Where that cannot be read, the clock is not trusted at first.
func (h *History) ages(ctx context.Context) (ages, error) {
	newest, err := h.Store.NewestFact(ctx)
	if err == nil && newest.IsZero() {
		newest = h.Calendar(h.Now())
	}
	return ages{last: newest}, err
}

func (a *ages) steady(now time.Time) bool {
	if now.Sub(a.last).Abs() > leap {
		a.leapt = now
	}
	a.last = now
	return a.leapt.IsZero() || now.Sub(a.leapt) >= settles
}

// shorten forgets what is too much, and with a clock that is steady, what is too old. It makes less of what was
// measured.
func (h *History) shorten(ctx context.Context, now time.Time, steady bool) error {
	tooMuch := h.Store.KeepNewestFacts(ctx, errand.OfErrand, MostCame)
	if !steady {
		return errors.Join(tooMuch, h.Store.PruneFacts(ctx, time.UnixMilli(0), most))
	}
	parts := func(before time.Time, each time.Duration) time.Time { // only whole parts
		ms := each.Milliseconds()
		return time.UnixMilli(before.UnixMilli() / ms * ms)
	}
	err := h.Store.ThinMeasured(ctx, parts(now.Add(-measure.Raw), measure.Fine),
		parts(now.Add(-measure.FineFor), measure.Coarse), measure.Fine.Milliseconds(), measure.Coarse.Milliseconds())
	if h.Kept != nil {
		for name, length := range h.Kept() {
			err = errors.Join(err, h.Store.ForgetMeasured(ctx, name, now.Add(-length)))
		}
	}
	return errors.Join(err, tooMuch, h.Store.PruneFacts(ctx, now.Add(-kept), most))
}

// take takes one happening.
func (h *History) take(one happening.Happening) {
	facts := h.note.Note(one)
	source := ""
	if b, is := one.What.(happening.Believed); is {
		source = b.Source
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, f := range facts {
		row := rowOf(f)
		row.Source = source
		switch {
		case f.Kind == errand.OfControl:
			path := f.Of + "/" + f.Name
			was, known := h.believed[path]
			if known && was.Value == row.Value && was.Source == row.Source && was.May == row.May {
				continue // it is only trusted otherwise
			}
			h.believed[path] = row
		case f.Kind == errand.OfMeasurement && f.Value != "":
			h.measured[f.Of] = row
			continue
		case f.Kind == errand.OfMeasurement: // behind its last value
			h.measure(f.Of)
			delete(h.written, f.Of)
		case f.Kind == "message" || f.Kind == errand.OfErrand:
			continue
		}
		h.facts = append(h.facts, row)
	}
	if came, is := one.What.(happening.ErrandCame); is {
		if document, err := happening.Marshal(came); err == nil {
			h.facts = append(h.facts, store.Fact{AtMS: h.Calendar(one.At).UnixMilli(), Kind: errand.OfErrand,
				Of: came.ErrandID, Value: string(document)})
		}
	}
}

// measure puts the last value of a measurement behind the facts, where it is another, or a while went by. The caller
// holds mu.
func (h *History) measure(of string) {
	fact, waits := h.measured[of]
	if !waits {
		return
	}
	was, known := h.written[of]
	if !known || was.Value != fact.Value || fact.AtMS-was.AtMS >= still.Milliseconds() {
		h.facts = append(h.facts, fact)
		h.written[of] = fact
	}
	delete(h.measured, of)
}

// between separates what a control may be at.
const between = "|"

func rowOf(f errand.Fact) store.Fact {
	return store.Fact{AtMS: f.At.UnixMilli(), Kind: f.Kind, Of: f.Of, Name: f.Name, Value: f.Value, Who: f.By,
		May: strings.Join(f.May, between)}
}

// factOf translates a row.
func factOf(row store.Fact) errand.Fact {
	f := errand.Fact{At: time.UnixMilli(row.AtMS), Kind: row.Kind, Of: row.Of, Name: row.Name, Value: row.Value,
		By: row.Who}
	if row.May != "" {
		f.May = strings.Split(row.May, between)
	}
	return f
}

// Flush writes what was noted. Of a measurement that is the last value.
func (h *History) Flush(ctx context.Context) {
	ctx = context.WithoutCancel(ctx) // whoever asked may not wait, and what was noted is written all the same
	h.writing.Lock()
	defer h.writing.Unlock()
	h.mu.Lock()
	for of := range h.measured {
		h.measure(of)
	}
	facts := h.facts
	h.facts = nil
	h.mu.Unlock()
	if len(facts) == 0 {
		return
	}
	if err := h.Store.PutFacts(ctx, facts); err != nil {
		slog.Error("write the history; it is tried again", "error", err)
		h.mu.Lock()
		h.facts = append(facts, h.facts...)
		h.facts = h.facts[max(len(h.facts)-mostWaiting, 0):]
		h.mu.Unlock()
	}
}

// Query is what is asked.
type Query struct {
	Kind, Of, Name string
	Since, Until   time.Time // zero is no bound
	Limit          int       // 0 is MaxPage
}

// Find lists facts, the oldest first, and before them what was so when the time began. more says that there are later
// ones: ask on from the time of the last. The error wraps ErrQuery.
func (h *History) Find(ctx context.Context, q Query) (facts []Fact, more bool, err error) {
	if q.Limit < 0 || q.Limit > MaxPage {
		return nil, false, fmt.Errorf("%w: %d facts in one answer: at most %d", ErrQuery, q.Limit, MaxPage)
	}
	if q.Limit == 0 {
		q.Limit = MaxPage
	}
	if !q.Until.IsZero() && q.Until.Before(q.Since) {
		return nil, false, fmt.Errorf("%w: it ends before it begins: exchange since and until", ErrQuery)
	}
	h.Flush(ctx)
	facts, err = h.Store.Facts(ctx, store.FactQuery{Kind: q.Kind, Of: q.Of, Name: q.Name, Since: q.Since,
		Until: q.Until,
		Limit: q.Limit + 1})
	if err != nil {
		return nil, false, fmt.Errorf("read the history: %w", err)
	}
	within := len(facts)
	if within > 0 && !q.Since.IsZero() && facts[0].AtMS < q.Since.UnixMilli() {
		within--
	}
	if within > q.Limit {
		return facts[:len(facts)-1], true, nil
	}
	return facts, false, nil
}

// MostCame is how many cues of each errand are kept that came.
const MostCame = 1000

// Came lists the newest cues of an errand that came, the newest first, with their times by the calendar clock.
func (h *History) Came(ctx context.Context, id string, most int) (at []time.Time, came []happening.ErrandCame,
	err error) {
	h.Flush(ctx)
	rows, err := h.Store.NewestFacts(ctx, errand.OfErrand, id, most)
	for _, row := range rows {
		what, unread := happening.Unmarshal(happening.ErrandCame{}.Name(), []byte(row.Value))
		if one, is := what.(happening.ErrandCame); is && unread == nil {
			at, came = append(at, time.UnixMilli(row.AtMS)), append(came, one)
		}
	}
	return at, came, err
}

// Last lists, of each thing and who brought it about, the last fact before a time.
func (h *History) Last(ctx context.Context, before time.Time) (out []errand.Fact, err error) {
	h.Flush(ctx)
	rows, err := h.Store.LastFacts(ctx, before.Add(-kept), before, []string{errand.OfErrand})
	for _, row := range rows {
		out = append(out, factOf(row))
	}
	return out, err
}

// Between reads all facts of a time, in the order in which they came: but those of errands. Of what was measured so
// long ago that it became less, that is one for each span.
func (h *History) Between(ctx context.Context, since, until time.Time, measurements []string) ([]errand.Fact, error) {
	h.Flush(ctx)
	var out []errand.Fact
	err := h.Store.FactsBetween(ctx, since, until, []string{errand.OfErrand}, func(row store.Fact) error {
		out = append(out, factOf(row))
		return nil
	})
	if err != nil {
		return nil, err
	}
	var spans []errand.Fact
	for _, name := range measurements {
		all, err := h.Store.MeasuredSpans(ctx, name, since, until, 0)
		if err != nil {
			return nil, err
		}
		for _, s := range all {
			spans = append(spans, errand.Fact{At: time.UnixMilli(s.AtMS), Kind: Measurement, Of: name,
				Value: strconv.FormatFloat(s.Mean, 'g', -1, 64)})
		}
	}
	return merge(out, spans), nil
}

// merge puts what became less between the other facts, where these do not have it themselves.
func merge(facts, spans []errand.Fact) []errand.Fact {
	if len(spans) == 0 {
		return facts
	}
	type moment struct {
		of string
		at int64
	}
	has := map[moment]bool{}
	for _, f := range facts {
		if f.Kind == Measurement {
			has[moment{f.Of, f.At.UnixMilli()}] = true
		}
	}
	for _, s := range spans {
		if !has[moment{s.Of, s.At.UnixMilli()}] {
			facts = append(facts, s)
		}
	}
	slices.SortStableFunc(facts, func(a, b errand.Fact) int { return a.At.Compare(b.At) })
	return facts
}

// ErrandsBetween reads which errands ran in a time, as facts.
func (h *History) ErrandsBetween(ctx context.Context, since, until time.Time, each func(time.Time,
	happening.ErrandCame)) error {
	h.Flush(ctx)
	return h.Store.FactsBetween(ctx, since, until, []string{Control, Measurement, Key, errand.OfStation,
		errand.OfOccasion, errand.OfBattery, errand.OfMarker, errand.OfHouse, errand.OfPhrase, errand.OfHook},
		func(row store.Fact) error {
			if row.Kind != errand.OfErrand {
				return nil
			}
			what, err := happening.Unmarshal(happening.ErrandCame{}.Name(), []byte(row.Value))
			if one, is := what.(happening.ErrandCame); is && err == nil {
				each(time.UnixMilli(row.AtMS), one)
			}
			return nil
		})
}

// Chart reads the history of a measurement in at most about so many spans, and how long these are; 0 is each value. A
// most of 0 is all that is kept.
func (h *History) Chart(ctx context.Context, name string, since, until time.Time, most int) ([]measure.Span,
	time.Duration, error) {
	if !since.Before(until) {
		return nil, 0, fmt.Errorf("%w: it ends before it begins: exchange since and until", ErrQuery)
	}
	h.Flush(ctx)
	each := time.Duration(0)
	if most > 0 && until.Sub(since) > measure.Raw/8 {
		each = measure.Step(until.Sub(since), most)
	}
	rows, err := h.Store.MeasuredSpans(ctx, name, since, until, each.Milliseconds())
	if err == nil && most > 0 && each == 0 && len(rows) > most {
		each = measure.Step(until.Sub(since), most)
		rows, err = h.Store.MeasuredSpans(ctx, name, since, until, each.Milliseconds())
	}
	out := make([]measure.Span, 0, len(rows))
	for _, r := range rows {
		out = append(out, measure.Span{At: time.UnixMilli(r.AtMS), Least: r.Least, Mean: r.Mean, Most: r.Most,
			Count: r.Count})
	}
	return out, each, err
}
