package errand

import (
	"slices"
	"strconv"
	"time"

	"urbo/core/measure"
	"urbo/core/run"
)

// Kinds of facts.
const (
	OfControl     = "control"
	OfMeasurement = "measurement"
	OfBattery     = "battery"
	OfKey         = "key"
	OfOccasion    = "occasion"
	OfStation     = "station"
	OfErrand      = "errand"
	OfMarker      = "marker"
	OfHouse       = "house"
	OfPhrase      = "phrase"
	OfHook        = "hook"
	OfMessage     = "message"
	OfCalendar    = "calendar"
)

// Fact is something that was so from a time on, or happened then: what a house remembers, and what errands come with
// and ask about. Things are known by their ids.
type Fact struct {
	At    time.Time
	Kind  string
	Of    string   // id of the device, occasion, station or errand; name of the measurement or marker; what was said
	Name  string   // of the control or key
	Value string   // of a control or measurement, "" where it may be at several; see the other kinds below
	May   []string // what it may be at; of an event of a calendar, when that is
	By    string   // handset, person, program or errand, where somebody brought that about
}

// Values of facts that have no other. The value of a key is how long it was pressed, in ms.
const (
	Begins = "begins" // of an occasion
	Ends   = "ends"
	Here   = "here" // of a station
	Away   = "away"
	Set    = "set" // of a marker
	Unset  = "unset"
	Starts = "starts" // of the house
	Mains  = "mains"  // of the house: they returned
	Low    = "low"    // of a battery
	Good   = "good"
)

// path is what a fact about a control or measurement is remembered by.
func (f Fact) path() string {
	if f.Kind == OfMeasurement {
		return f.Of
	}
	return f.Of + "/" + f.Name
}

// Paths finds the controls that a target stands for: ID/CONTROL, one for each device of a group or room.
type Paths func(on run.Target, control string) []string

// Memory is what happened, as far as conditions ask about it. It is a House of which nothing is known but what it was
// told.
type Memory struct {
	paths   Paths
	things  map[string]*remembered
	keys    map[string]time.Time
	told    map[string]time.Time // measurements
	battery map[string]string
	ran     map[string]time.Time
	force   map[string]bool
	marked  map[string]bool
	tests   map[string]*watched
}

// remembered is a control or measurement.
type remembered struct {
	value string
	may   []string
	at    time.Time            // when it came to that
	by    map[string]time.Time // when each of handset, person, program and errand changed it last
}

// watched is a test that is asked for how long it is so.
type watched struct {
	run.Test
	paths []string
	is    run.Truth
	since time.Time
}

// NewMemory makes one in which nothing happened yet.
func NewMemory(paths Paths) *Memory {
	return &Memory{paths: paths, things: map[string]*remembered{}, keys: map[string]time.Time{},
		told: map[string]time.Time{}, battery: map[string]string{}, ran: map[string]time.Time{},
		force: map[string]bool{}, marked: map[string]bool{},
		tests: map[string]*watched{}}
}

// Take remembers a fact, and says what news that is for errands.
func (m *Memory) Take(f Fact) (n News) {
	switch f.Kind {
	case OfControl, OfMeasurement:
		n.Changed = m.change(f)
	case OfBattery:
		if m.battery[f.Of] != f.Value {
			n.Battery = &Battery{f.Of, f.Value == Low}
		}
		m.battery[f.Of] = f.Value
	case OfKey:
		m.keys[f.Of+"/"+f.Name] = f.At
	case OfOccasion:
		if is := f.Value == Begins; is != m.force[f.Of] {
			m.force[f.Of] = is
			n.Occasion = &Occurred{f.Of, !is}
		}
	case OfStation:
		n.Station = &Occurred{f.Of, f.Value == Away}
	case OfErrand:
		if f.Value == "ran" {
			m.ran[f.Of] = f.At
		}
	case OfMarker:
		m.marked[f.Of] = f.Value == Set
	case OfHouse:
		n.House, n.Mains = f.Value == Starts, f.Value == Mains
	case OfPhrase:
		n.Phrase = f.Of
	case OfHook:
		n.Hook = f.Of
	case OfMessage:
		n.Message = &Message{f.Of, func(pointer string) (string, bool) { return measure.At([]byte(f.Value), pointer) }}
	case OfCalendar:
		n.Calendar = &CalendarEvent{Name: f.Of, Title: f.Name, Ends: f.Value == Ends}
		if len(f.May) > 0 {
			n.Calendar.At, _ = time.Parse(time.RFC3339, f.May[0])
		}
	}
	return n
}

// Recall is Take for what was before: it is no news, and who changed what last is known, but not whether it changed
// meanwhile.
func (m *Memory) Recall(f Fact) {
	if f.Kind != OfControl && f.Kind != OfMeasurement {
		m.Take(f)
		return
	}
	t := m.remembered(f.path())
	if f.Kind == OfMeasurement && f.At.After(m.told[f.Of]) {
		m.told[f.Of] = f.At
	}
	if f.By != "" && f.At.After(t.by[f.By]) {
		t.by[f.By] = f.At
	}
	if !f.At.Before(t.at) {
		t.value, t.may, t.at = f.Value, f.May, f.At
	}
}

func (m *Memory) remembered(path string) *remembered {
	t := m.things[path]
	if t == nil {
		t = &remembered{by: map[string]time.Time{}}
		m.things[path] = t
	}
	return t
}

// change notes what a control or measurement is at.
func (m *Memory) change(f Fact) (c *Change) {
	if f.Kind == OfMeasurement {
		m.told[f.Of] = f.At
	}
	_, known := m.things[f.path()]
	t := m.remembered(f.path())
	was := t.value
	if !known || was != f.Value || !slices.Equal(t.may, f.May) {
		t.may = f.May
		// else it is only known now, or not any more
		if t.value = f.Value; f.Value != "" && was != "" && was != f.Value {
			t.at = f.At
			if f.By != "" {
				t.by[f.By] = f.At
			}
			if f.Kind == OfControl {
				c = &Change{Device: f.Of, Control: f.Name, From: was, To: f.Value, By: f.By}
			}
		} else if !known {
			t.at = f.At
		}
		for _, w := range m.tests {
			if slices.Contains(w.paths, f.path()) {
				w.look(m.reading(w.paths), f.At)
			}
		}
	}
	return c
}

// look answers a test that is watched anew.
func (w *watched) look(r run.Reading, at time.Time) {
	t := w.Test
	t.Until, t.For = nil, 0
	if is := t.Judge(r); is != w.is {
		w.is, w.since = is, at
	}
}

// Watch lets it be remembered since when a test is as it is. read is what is known now.
func (m *Memory) Watch(t run.Test, read run.Reading) {
	key := testKey(t)
	if m.tests[key] != nil {
		return
	}
	w := &watched{Test: t, paths: m.paths(t.On, t.Control)}
	var since time.Time
	for _, p := range w.paths { // it is so since then at least
		if remembered := m.things[p]; remembered != nil && remembered.at.After(since) {
			since = remembered.at
		}
	}
	w.look(read, since)
	w.since = since
	m.tests[key] = w
}

func testKey(t run.Test) string {
	return string(t.On.Kind) + " " + t.On.ID + "/" + t.Control + " " + string(t.Is) + " " + t.Value
}

// Reading is what a control or measurement may be at. A group or room is at a value where all its devices are; where
// they differ, it may be at each.
func (m *Memory) Reading(t run.Test) run.Reading { return m.reading(m.paths(t.On, t.Control)) }

func (m *Memory) reading(paths []string) (out run.Reading) {
	for _, p := range paths {
		t := m.things[p]
		switch {
		case t == nil, t.value == "" && len(t.may) == 0:
			return nil
		case len(t.may) > 0:
			out = append(out, t.may...)
		default:
			out = append(out, t.value)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Since is since when a test is as it is now.
func (m *Memory) Since(t run.Test) (time.Time, bool) {
	w := m.tests[testKey(t)]
	if w == nil {
		m.Watch(t, m.Reading(t))
		w = m.tests[testKey(t)]
	}
	return w.since, !w.since.IsZero()
}

// SinceAt is Since where something else may be known already at a time, of which the memory was not told yet: then it
// is so from that time on.
func (m *Memory) SinceAt(t run.Test, read run.Reading, at time.Time) (time.Time, bool) {
	m.Watch(t, read)
	w := m.tests[testKey(t)]
	is := *w
	if is.look(read, at); is.is != w.is {
		return at, true
	}
	return w.since, !w.since.IsZero()
}

// Told is when a measurement was told last.
func (m *Memory) Told(measurement run.Target) time.Time { return m.told[measurement.ID] }

// Changed is when a control or measurement changed last. Of a group, that is one of its devices.
func (m *Memory) Changed(on run.Target, name, by string) (last time.Time, known bool) {
	for _, p := range m.paths(on, name) {
		t := m.things[p]
		if t == nil {
			continue
		}
		known = true
		at := t.at
		if by != "" {
			at = t.by[by]
		}
		if at.After(last) {
			last = at
		}
	}
	return last, known
}

// Pressed is when a key of a handset was heard last.
func (m *Memory) Pressed(on run.Target, key string) time.Time { return m.keys[on.ID+"/"+key] }

// InForce says whether an occasion is.
func (m *Memory) InForce(occasion run.Target) bool { return m.force[occasion.ID] }

// Marked says whether there is a marker.
func (m *Memory) Marked(marker string) bool { return m.marked[marker] }

// Ran is when an errand ran last.
func (m *Memory) Ran(errand run.Target) time.Time { return m.ran[errand.ID] }

// About is the device or measurement that a fact is about; "" for none.
func (f Fact) About() string {
	switch f.Kind {
	case OfControl, OfKey, OfMeasurement, OfBattery:
		return f.Of
	}
	return ""
}

// Pressing is the press of a key that a fact tells: from when to when. It is false where the fact is about no key.
func (f Fact) Pressing() (began, ended time.Time, is bool) {
	ms, _ := strconv.ParseInt(f.Value, 10, 64)
	return f.At, f.At.Add(time.Duration(ms) * time.Millisecond), f.Kind == OfKey
}
