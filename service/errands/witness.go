package errands

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"time"

	"urbo/core/errand"
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

// witness remembers what happened that conditions ask about, and what is marked.
type witness struct {
	writer sync.Mutex // held for a whole change of the markers

	mu     sync.Mutex
	memory *errand.Memory
	marked []string
}

func newWitness(ctx context.Context, s Store, paths errand.Paths) (*witness, error) {
	w := &witness{memory: errand.NewMemory(paths)}
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

// take remembers a fact.
func (w *witness) take(f errand.Fact) errand.News {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.memory.Take(f)
}

// paths finds the controls that a target stands for: ID/CONTROL, or the measurement.
func (e *Errands) paths(on run.Target, control string) []string {
	if on.Kind == run.Measurement {
		return []string{on.ID}
	}
	now, name, err := e.Targets.Resolve(on, control)
	if err != nil {
		return []string{on.ID + "/" + control}
	}
	ids, err := e.Targets.With(now, name)
	if err != nil {
		return []string{now.ID + "/" + name}
	}
	out := make([]string, len(ids))
	for i, id := range ids {
		out[i] = id + "/" + name
	}
	return out
}

// asked is a moment at which conditions are judged: what is believed now, and what happened.
type asked struct {
	*witness
	errands *Errands
}

// house is the house as conditions see it now.
func (e *Errands) house() asked { return asked{e.seen, e} }

// Reading is what a control or measurement may be at.
func (a asked) Reading(t run.Test) run.Reading { return a.errands.Targets.Reading(t) }

// Since is since when a test is as it is now.
func (a asked) Since(t run.Test) (time.Time, bool) {
	read := a.Reading(t)
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.memory.SinceAt(t, read, a.errands.Calendar.Now())
}

// Told is when a measurement was told last.
func (a asked) Told(measurement run.Target) time.Time {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.memory.Told(measurement)
}

// Changed is when a control or measurement changed last.
func (a asked) Changed(on run.Target, name, by string) (time.Time, bool) {
	if on.Kind != run.Measurement {
		if now, resolved, err := a.errands.Targets.Resolve(on, name); err == nil {
			on, name = now, resolved
		}
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.memory.Changed(on, name, by)
}

// Pressed is when a key of a handset was heard last.
func (a asked) Pressed(on run.Target, key string) time.Time {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.memory.Pressed(on, key)
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
	return a.errands.ran[errand.ID]
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
	e.Stream.Publish(happening.Happening{What: happening.Marked{Marker: marker, On: on}})
	return nil
}

// Markers lists what is marked.
func (e *Errands) Markers() []string {
	e.seen.mu.Lock()
	defer e.seen.mu.Unlock()
	return slices.Clone(e.seen.marked)
}
