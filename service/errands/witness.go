package errands

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"time"

	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/run"
	"urbo/store"
)

const (
	// markersRow is the name of the document of markers, and markersVersion its version.
	markersRow, markersVersion = "markers", 1
	// mostMarkers is the most markers of a house.
	mostMarkers = 500
)

// markers is what is marked.
type markers struct {
	All []string `json:"all"`
}

// change is when a control came to what it is at, and by whom.
type change struct {
	value string
	at    time.Time
	by    map[string]time.Time // when each of handset, person, program and errand changed it last
}

// witness remembers what happened that conditions ask about: when controls changed, and which keys were pressed, since
// the house is there.
type witness struct {
	store  Store
	writer sync.Mutex // held for a whole change of the markers

	mu      sync.Mutex
	changes map[string]*change // by id and control, or the name of a measurement
	pressed map[string]time.Time
	sender  map[string]string // who pressed last for a device, by its id
	marked  []string
}

func newWitness(ctx context.Context, s Store) (*witness, error) {
	w := &witness{store: s, changes: map[string]*change{}, pressed: map[string]time.Time{}, sender: map[string]string{}}
	text, err := s.HouseText(ctx, markersRow)
	if err != nil {
		return nil, fmt.Errorf("read the markers: %w", err)
	}
	var kept markers
	if unread := store.ReadDocument(text, markersVersion, &kept); unread != nil { // the next mark takes its place
		return w, s.PutAside(ctx, store.Aside{Kind: markersRow, Document: text})
	}
	w.marked = kept.All
	return w, nil
}

// changed notes that a control or measurement is at a value, at a time of the calendar. It returns what it was at, and
// false where it was at that already.
func (w *witness) changed(path, value, by string, at time.Time) (was string, is bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	c := w.changes[path]
	switch {
	case c == nil:
		w.changes[path] = &change{value: value, by: map[string]time.Time{}}
		return "", false // it is only known now
	case c.value == value:
		return value, false
	}
	was, c.value, c.at = c.value, value, at
	if by != "" {
		c.by[by] = at
	}
	return was, true
}

// who is by whom something comes about: handset, person, program or errand.
func who(by grant.By, source string) string {
	if source == "heard" {
		return "handset"
	}
	switch by.Kind {
	case grant.Person:
		return "person"
	case grant.Program:
		return "program"
	case grant.Errand:
		return "errand"
	case grant.Handset:
		return "handset"
	}
	return ""
}

// asked is a moment at which conditions are judged, of which it knows what happened.
type asked struct {
	*witness
	errands *Errands
}

// Reading is what a control or measurement may be at.
func (a asked) Reading(t run.Test) run.Reading { return a.errands.Targets.Reading(t) }

// path is under which a control or measurement is remembered.
func (a asked) path(on run.Target, control string) string {
	if on.Kind == run.Measurement {
		return on.ID
	}
	if now, name, err := a.errands.Targets.Resolve(on, control); err == nil {
		on, control = now, name
	}
	if ids, err := a.errands.Targets.With(on, control); err == nil && len(ids) == 1 {
		return ids[0] + "/" + control
	}
	return on.ID + "/" + control
}

// Since is since when a test is as it is now: of a value, since the control is at it. Of numbers it is only known
// where they do not change.
func (a asked) Since(t run.Test) (time.Time, bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	c := a.changes[a.path(t.On, t.Control)]
	if c == nil || c.at.IsZero() {
		return time.Time{}, false
	}
	return c.at, true
}

// Changed is when a control or measurement changed last.
func (a asked) Changed(on run.Target, name, by string) (time.Time, bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	c := a.changes[a.path(on, name)]
	if c == nil {
		return time.Time{}, false
	}
	if by != "" {
		return c.by[by], true
	}
	return c.at, true
}

// Pressed is when a key of a handset was heard last.
func (a asked) Pressed(on run.Target, key string) time.Time {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.pressed[on.ID+"/"+key]
}

// InForce says whether an occasion is.
func (a asked) InForce(occasion run.Target) bool { return a.errands.inForce(occasion.ID) }

// Marked says whether there is a marker.
func (a asked) Marked(marker string) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	return slices.Contains(a.marked, marker)
}

// Ran is when an errand ran last.
func (a asked) Ran(errand run.Target) time.Time {
	a.errands.mu.Lock()
	defer a.errands.mu.Unlock()
	if s := a.errands.states[errand.ID]; s != nil {
		return s.Ran
	}
	return time.Time{}
}

// Mark keeps a marker, or takes it away. The error says that there are too many, or is the store's.
func (e *Errands) Mark(ctx context.Context, marker string, on bool) error {
	w := e.seen
	w.writer.Lock()
	defer w.writer.Unlock()
	w.mu.Lock()
	all := slices.DeleteFunc(slices.Clone(w.marked), func(m string) bool { return m == marker })
	w.mu.Unlock()
	if on {
		all = append(all, marker)
	}
	if len(all) > mostMarkers {
		return fmt.Errorf("there are %d markers, which is the most: unmark some", mostMarkers)
	}
	text, err := store.WriteDocument(markersVersion, markers{all})
	if err == nil {
		err = e.Store.PutHouseText(ctx, markersRow, text)
	}
	if err != nil {
		return err
	}
	w.mu.Lock()
	w.marked = all
	w.mu.Unlock()
	e.Stream.Publish(happening.Happening{What: happening.ErrandChanged{Text: map[bool]string{true: "Marked ",
		false: "Unmarked "}[on] + marker}})
	return nil
}

// Markers lists what is marked.
func (e *Errands) Markers() []string {
	e.seen.mu.Lock()
	defer e.seen.mu.Unlock()
	return slices.Clone(e.seen.marked)
}
