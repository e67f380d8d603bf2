// Package agendas keeps the calendars that errands come with (calendar NAME starts): fetched now and then, and kept as
// they were last, so that they count without a network, too. An event is brought into the house once, when the earliest
// errand that comes with it is due.
package agendas

import (
	"cmp"
	"context"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"urbo/core/agenda"
	"urbo/core/device"
	"urbo/core/errand"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service/calendar"
	"urbo/service/errands"
	"urbo/service/kept"
	"urbo/service/stream"
)

// Errors that callers ask for.
var (
	ErrUnknown  = fault.New(fault.NotFound, "unknown calendar")
	ErrCalendar = fault.New(fault.Invalid, "calendar")
	ErrFetch    = fault.New(fault.Later, "the calendar cannot be fetched")
)

// Bounds and times.
const (
	most, mostURL = 20, 2000
	// every is how often a calendar is fetched, and follow how long its rules may take to follow.
	every, follow = 15 * time.Minute, 5 * time.Second
	// ahead is how far is looked, and again how often that is done anew.
	ahead, again = 40 * 24 * time.Hour, time.Hour
	// late is how much later than it was due an event is brought: after a restart, or while the machine slept.
	late = 5 * time.Minute
	// nap is the longest time that errands are not looked at for what they come with.
	nap = time.Minute
	// mostTold is how many events are remembered that were brought.
	mostTold = 1000
)

const version = 1

// Fetch fetches a text of at most so many bytes. tag is what came with the text before; where nothing is new, text is
// nil.
type Fetch func(ctx context.Context, address, tag string, most int64) (text []byte, newTag string, err error)

// Calendar is a calendar that is fetched.
type Calendar struct {
	Name string `json:"name"`
	URL  string `json:"url"`

	Events int            `json:"-"` // that are written in it
	At     time.Time      `json:"-"` // when it was fetched last
	Error  string         `json:"-"` // why that failed, or what of it is not understood
	Coming []agenda.Event `json:"-"` // in the next time, the soonest first
}

// list is what is kept of the calendars, and told which events were brought.
type (
	list struct {
		Calendars []Calendar `json:"calendars"`
	}
	told struct {
		Events []string `json:"events"` // the oldest first
	}
	copied struct {
		Text string    `json:"text"`
		At   time.Time `json:"at"`
	}
)

// Config of the calendars.
type Config struct {
	Store    kept.Store
	Fetch    Fetch // nil where nothing is fetched
	Errands  *errands.Errands
	Calendar *calendar.Clock
	Stream   *stream.Stream
	Now      func() time.Time
}

// Agendas is the calendars of a house.
type Agendas struct {
	Config
	doc  *kept.Document[list]
	told *kept.Document[told]

	mu      sync.Mutex
	read    map[string]*reading // by name
	changed chan struct{}       // closed where the list changed
}

// reading is a calendar as it was read last.
type reading struct {
	url, tag    string
	failed, odd string    // why it was not fetched last, and what of it is not understood
	at          time.Time // fetched
	next        time.Time // when it is fetched again
	text        []byte
	calendar    *agenda.Calendar
	coming      []agenda.Event
	worked      time.Time // out what is coming, by the calendar clock
}

// Open reads the calendars, as they were fetched last.
func Open(ctx context.Context, c Config) (*Agendas, error) {
	doc, err := kept.Open[list](ctx, c.Store, kept.Kind{Row: "calendars", Version: version, What: "the calendars",
		Until: ": no errand comes with them until they are added anew"}, c.Stream)
	if err != nil {
		return nil, err
	}
	was, err := kept.Open[told](ctx, c.Store, kept.Kind{Row: "calendars-told", Version: version,
		What: "the events of calendars that errands came with"}, c.Stream)
	if err != nil {
		return nil, err
	}
	a := &Agendas{Config: c, doc: doc, told: was, read: map[string]*reading{}, changed: make(chan struct{})}
	for _, one := range doc.Get().Calendars {
		text, err := a.copy(ctx, one.Name)
		if err != nil {
			return nil, err
		}
		if old := text.Get(); old.Text != "" {
			a.read[one.Name] = &reading{url: one.URL, text: []byte(old.Text), at: old.At}
		}
	}
	return a, nil
}

// copy is the document of a calendar's text.
func (a *Agendas) copy(ctx context.Context, name string) (*kept.Document[copied], error) {
	return kept.Open[copied](ctx, a.Store, kept.Kind{Row: "calendar:" + name, Version: version,
		What: "the calendar " + name}, a.Stream)
}

// List lists the calendars by name, with what is coming.
func (a *Agendas) List() []Calendar {
	out := slices.Clone(a.doc.Get().Calendars)
	a.mu.Lock()
	defer a.mu.Unlock()
	for i := range out {
		if r := a.read[out[i].Name]; r != nil {
			out[i].At, out[i].Error, out[i].Coming = r.at, cmp.Or(r.failed, r.odd), r.coming
			if r.calendar != nil {
				out[i].Events = r.calendar.Len()
			}
		}
	}
	slices.SortFunc(out, func(a, b Calendar) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// Find finds a calendar by its name. The error wraps ErrUnknown and names the nearest.
func (a *Agendas) Find(name string) (Calendar, error) {
	return kept.Find(a.List(), func(c Calendar) string { return c.Name }, name, ErrUnknown, "urbo calendar add")
}

// Put keeps a calendar, also in the place of one of its name, and fetches it. Errors wrap ErrCalendar, device.ErrName,
// ErrFetch, or are the store's; where it cannot be fetched now it is kept all the same.
func (a *Agendas) Put(ctx context.Context, one Calendar, by grant.By) (Calendar, error) {
	u, err := url.Parse(one.URL)
	switch {
	case err != nil || len(one.URL) > mostURL || u.Scheme != "http" && u.Scheme != "https" || u.Hostname() == "" ||
		u.User != nil:
		return one, fmt.Errorf("%w: that is no address of a calendar: write http://HOST/… or https://HOST/…",
			ErrCalendar)
	}
	if err := device.CheckSlug("the calendar's name", one.Name); err != nil {
		return one, err
	}
	if _, _, err = a.doc.Change(ctx, func(l list) (list, error) {
		all := slices.DeleteFunc(slices.Clone(l.Calendars), func(o Calendar) bool { return o.Name == one.Name })
		if len(all) >= most {
			return l, fmt.Errorf("%w: there are %d, which is the most", ErrCalendar, most)
		}
		return list{append(all, Calendar{Name: one.Name, URL: one.URL})}, nil
	}); err != nil {
		return one, err
	}
	a.say(by, "Set the calendar "+one.Name)
	a.mu.Lock()
	delete(a.read, one.Name)
	a.mu.Unlock()
	err = a.fetch(ctx, one)
	a.works(ctx)
	a.wake()
	if err != nil {
		return one, err
	}
	return a.Find(one.Name)
}

// Remove removes a calendar. No errand comes with it any more. The error wraps ErrUnknown.
func (a *Agendas) Remove(ctx context.Context, name string, by grant.By) error {
	if _, err := a.Find(name); err != nil {
		return err
	}
	_, _, err := a.doc.Change(ctx, func(l list) (list, error) {
		return list{slices.DeleteFunc(slices.Clone(l.Calendars), func(o Calendar) bool { return o.Name == name })}, nil
	})
	if err != nil {
		return err
	}
	a.say(by, "Removed the calendar "+name)
	a.mu.Lock()
	delete(a.read, name)
	a.mu.Unlock()
	text, err := a.copy(ctx, name)
	if err == nil {
		_, _, err = text.Change(ctx, func(copied) (copied, error) { return copied{}, nil })
	}
	a.wake()
	return err
}

// Look fetches a calendar now. Errors wrap ErrUnknown, ErrFetch or agenda.ErrCalendar.
func (a *Agendas) Look(ctx context.Context, name string) (Calendar, error) {
	one, err := a.Find(name)
	if err != nil {
		return one, err
	}
	if err := a.fetch(ctx, one); err != nil {
		return one, err
	}
	a.works(ctx)
	a.wake()
	return a.Find(name)
}

func (a *Agendas) say(by grant.By, text string) {
	a.Stream.Publish(happening.Happening{By: by, What: happening.HouseNote{Text: text}})
}

// wake lets Run look again.
func (a *Agendas) wake() {
	a.mu.Lock()
	defer a.mu.Unlock()
	close(a.changed)
	a.changed = make(chan struct{})
}

// fetch fetches a calendar. What cannot be read leaves what was read before.
func (a *Agendas) fetch(ctx context.Context, one Calendar) error {
	if a.Fetch == nil {
		return fmt.Errorf("%w: nothing is fetched here", ErrFetch)
	}
	a.mu.Lock()
	r := a.read[one.Name]
	if r == nil || r.url != one.URL {
		r = &reading{url: one.URL}
		a.read[one.Name] = r
	}
	tag := r.tag
	if r.text == nil {
		tag = ""
	}
	a.mu.Unlock()
	text, newTag, err := a.Fetch(ctx, one.URL, tag, agenda.MaxBytes+1)
	if err == nil && text != nil {
		_, err = agenda.Read(text, a.zone())
	} else if err != nil {
		err = fmt.Errorf("%w: %w", ErrFetch, err)
	}
	if err == nil && text != nil {
		var doc *kept.Document[copied]
		if doc, err = a.copy(ctx, one.Name); err == nil {
			_, _, err = doc.Change(ctx, func(copied) (copied, error) { return copied{string(text), a.Now()}, nil })
		}
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.read[one.Name] != r { // it was changed, or removed, meanwhile
		return err
	}
	r.next = a.Now().Add(every)
	if err != nil {
		r.failed = err.Error()
		return err
	}
	r.at, r.failed, r.tag = a.Now(), "", newTag
	if text != nil {
		r.text, r.calendar, r.worked = text, nil, time.Time{}
	}
	return nil
}

func (a *Agendas) zone() *time.Location {
	if l := a.Errands.Where().Zone; l != nil {
		return l
	}
	return time.UTC
}

// Run fetches, and brings events, until ctx ends. A calendar that is fetched slowly delays no event of another.
func (a *Agendas) Run(ctx context.Context) error {
	var fetching sync.WaitGroup
	fetching.Go(func() { a.fetches(ctx) })
	defer fetching.Wait()
	for {
		changed := a.change()
		timer := time.NewTimer(a.bring(ctx))
		select {
		case <-ctx.Done():
		case <-changed:
		case <-timer.C:
		}
		timer.Stop()
		if ctx.Err() != nil {
			return nil
		}
	}
}

// change is closed where the calendars change.
func (a *Agendas) change() <-chan struct{} {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.changed
}

// fetches fetches each calendar when its time comes, one after another.
func (a *Agendas) fetches(ctx context.Context) {
	if a.Fetch == nil {
		return
	}
	for ctx.Err() == nil {
		changed, fetched := a.change(), false
		for _, one := range a.doc.Get().Calendars {
			a.mu.Lock()
			r := a.read[one.Name]
			due := r == nil || !a.Now().Before(r.next)
			a.mu.Unlock()
			if due {
				fetched = true
				_ = a.fetch(ctx, one) // why it failed is shown
			}
		}
		if fetched {
			a.wake()
		}
		timer := time.NewTimer(nap)
		select {
		case <-ctx.Done():
		case <-changed:
		case <-timer.C:
		}
		timer.Stop()
	}
}

// works works out what is coming of every calendar where that is old.
func (a *Agendas) works(ctx context.Context) {
	now, zone := a.Calendar.Now(), a.zone()
	a.mu.Lock()
	var old []*reading
	for _, r := range a.read {
		if r.text != nil && (r.calendar == nil || now.Sub(r.worked) > again || now.Before(r.worked)) {
			old = append(old, r)
		}
	}
	a.mu.Unlock()
	for _, r := range old {
		c, err := agenda.Read(r.text, zone)
		var coming []agenda.Event
		if err == nil {
			limited, end := context.WithTimeout(ctx, follow)
			coming, err = c.Between(limited, now.Add(-late), now.Add(ahead))
			end()
		}
		a.mu.Lock()
		r.worked = now
		if err != nil {
			r.odd = err.Error()
		} else {
			r.calendar, r.coming, r.odd = c, coming, c.Odd
		}
		if r.calendar == nil {
			r.calendar = &agenda.Calendar{}
		}
		a.mu.Unlock()
	}
}

// due is an event that errands come with, and when the first of them is due.
type due struct {
	key  string
	at   time.Time
	what happening.Brought
}

// bring brings what is due, and says how long it takes at most until there may be something again.
func (a *Agendas) bring(ctx context.Context) time.Duration {
	a.works(ctx)
	next := nap
	now := a.Calendar.Now()
	for _, d := range a.waiting() {
		switch until := a.Calendar.Until(d.at); {
		case until > 0:
			next = min(next, until)
			continue
		case now.Sub(d.at) > late || slices.Contains(a.told.Get().Events, d.key):
			continue
		}
		// What is on disk first is not brought twice by a house that is killed just then.
		if _, _, err := a.told.Change(ctx, func(t told) (told, error) {
			all := append(slices.Clone(t.Events), d.key)
			return told{all[max(0, len(all)-mostTold):]}, nil
		}); err != nil {
			continue
		}
		_ = a.Errands.Bring(d.what, grant.TheHouse("calendar "+d.what.Of))
	}
	return max(next, time.Millisecond)
}

// waiting are all events that errands come with.
func (a *Agendas) waiting() (out []due) {
	leads := a.Errands.Calendars()
	a.mu.Lock()
	defer a.mu.Unlock()
	for name, r := range a.read {
		for kind, lead := range leads[name] {
			for _, e := range r.coming {
				at := e.Begins
				if kind == errand.Ends {
					at = e.Ends
				}
				out = append(out, due{fmt.Sprintf("%s %s %s %d", name, kind, e.UID, at.Unix()), at.Add(-lead),
					happening.Brought{Kind: errand.OfCalendar, Of: name, Value: kind, Title: e.Title, At: at}})
			}
		}
	}
	slices.SortFunc(out, func(a, b due) int { return a.at.Compare(b.at) })
	return out
}
