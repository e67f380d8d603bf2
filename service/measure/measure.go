// Package measure keeps the measurements of a house: what is said of each, and its last value, told by programs, by
// messages of a broker or by radio sensors, or worked out from others.
package measure

import (
	"context"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"time"

	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/measure"
	"urbo/core/moment"
	"urbo/core/run"
	"urbo/service/stream"
	"urbo/service/wake"
	"urbo/store"
)

// ErrUnknown is wrapped where nothing is known of a measurement.
var ErrUnknown = fault.New(fault.NotFound, "unknown measurement")

const (
	// most measurements of a house.
	most = 1000
	// version of the documents.
	version = 1
	// pace is how often the values of one are told at most: of a flood the last one in it counts.
	pace = 100 * time.Millisecond
	// looks is how often what depends on time alone is worked out.
	looks = time.Minute
)

// Measurement is one, with its last value.
type Measurement struct {
	Name    string
	Spec    measure.Spec
	Value   float64
	Unit    string
	At      time.Time // when it was told last; zero where it never was
	Silent  bool      // it was not told for so long that nobody knows it
	Battery string    // low or good; "" is not known
	Refused string    // why the last value was left out; "" where it was not
}

// Known says whether anybody knows its value.
func (m Measurement) Known() bool { return !m.At.IsZero() && !m.Silent }

// Store keeps what is said of measurements.
type Store interface {
	MeasurementSpecs(ctx context.Context) ([]store.MeasurementSpec, error)
	PutMeasurementSpec(ctx context.Context, m store.MeasurementSpec) error
	RemoveMeasurement(ctx context.Context, name string) error
	PutAside(ctx context.Context, a store.Aside) error
}

// Config of the measurements.
type Config struct {
	Store  Store
	Stream *stream.Stream
	Now    func() time.Time
	// Reading is what the control of a test may be at, for what is worked out from how long it was so.
	Reading func(run.Test) run.Reading
	// Today is the time by the calendar clock, and where the house is.
	Today func() (time.Time, moment.Where)
	// Used lists who uses a measurement: it is not removed then.
	Used func(name string) []string
	// Elsewhere is called when the topics may be others; nil is nobody.
	Elsewhere func()
	// Past is what is known of them from before; nil is nothing.
	Past func(ctx context.Context) ([]Measurement, error)
}

// Measure is the measurements of a house.
type Measure struct {
	Config
	writer sync.Mutex // held for a whole change of what is said of one

	mu      sync.Mutex
	all     map[string]*one
	queue   *stream.Queue
	look    chan struct{}
	refused map[string]time.Time // when it was told last that a value was left out
}

// one is a measurement.
type one struct {
	Measurement
	said  bool      // something is said of it, on disk
	told  time.Time // when its value was told last
	owes  bool      // a value is not told yet
	by    grant.By
	on    time.Duration // of what is worked out from how long something was so: today
	since time.Time     // that it was looked at last
	day   moment.Date
	was   bool // it was so then
}

// Open reads what is said of measurements.
func Open(ctx context.Context, c Config) (*Measure, error) {
	m := &Measure{Config: c, all: map[string]*one{}, look: make(chan struct{}, 1),
		refused: map[string]time.Time{}}
	rows, err := c.Store.MeasurementSpecs(ctx)
	if err != nil {
		return nil, fmt.Errorf("read the measurements: %w", err)
	}
	for _, row := range rows {
		o := &one{said: true, Measurement: Measurement{Name: row.Name}}
		if err := store.ReadDocument(row.Document, version, &o.Spec); err != nil {
			if aside := c.Store.PutAside(ctx, store.Aside{Kind: "measurement", Owner: row.Name,
				Document: row.Document}); aside != nil {
				return nil, aside
			}
			c.Stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "error",
				Text: fmt.Sprintf("What is said of the measurement %s %v: describe it anew", row.Name, err)}})
			o.Spec = measure.Spec{}
		}
		o.Unit = o.Spec.Unit
		m.all[row.Name] = o
	}
	if c.Past != nil {
		past, err := c.Past(ctx)
		if err != nil {
			return nil, err
		}
		for _, was := range past {
			m.recall(was)
		}
	}
	m.queue = c.Stream.Subscribe()
	return m, nil
}

// recall takes what is known of one from before.
func (m *Measure) recall(was Measurement) {
	o := m.all[was.Name]
	if o == nil {
		if len(m.all) >= most || measure.CheckName(was.Name) != nil {
			return
		}
		o = &one{Measurement: Measurement{Name: was.Name}}
		m.all[was.Name] = o
	}
	o.Value, o.At, o.Battery, o.told = was.Value, was.At, was.Battery, was.At
	o.Silent = m.Now().Sub(o.At).Abs() >= o.Spec.SilentAfter() // also where the clock is behind: who knows since when
}

// CheckName says whether a measurement may be called so. The error wraps measure.ErrMeasurement.
func CheckName(name string) error { return measure.CheckName(name) }

// Put takes a value that a program tells. The error wraps measure.ErrMeasurement.
func (m *Measure) Put(name string, value float64, unit string, by grant.By) (Measurement, error) {
	if err := measure.CheckName(name); err != nil {
		return Measurement{}, err
	}
	if err := measure.CheckUnit(unit); err != nil {
		return Measurement{}, fmt.Errorf("%w, not %s", err, name)
	}
	m.mu.Lock()
	o := m.all[name]
	if o != nil && o.Spec.Source.Worked != nil {
		m.mu.Unlock()
		return Measurement{}, fmt.Errorf("%w: %s is worked out from others: tell these", measure.ErrMeasurement, name)
	}
	m.mu.Unlock()
	return m.take(name, value, unit, "", by)
}

// take takes a value, from wherever it comes.
func (m *Measure) take(name string, raw float64, unit, battery string, by grant.By) (Measurement, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	o := m.all[name]
	if o == nil {
		if len(m.all) >= most {
			return Measurement{}, fmt.Errorf("%w %s: %d are kept, which is the most: remove some: urbo measurement "+
				"remove NAME", measure.ErrMeasurement, name, most)
		}
		o = &one{Measurement: Measurement{Name: name}}
	}
	value, err := o.Spec.Take(raw)
	if err != nil {
		o.Refused = err.Error()
		return Measurement{}, fmt.Errorf("%s: %w", name, err)
	}
	m.all[name] = o
	o.Refused = ""
	if o.Spec.Unit == "" && unit != "" {
		o.Unit = unit
	}
	if battery != "" {
		o.Battery = battery
	}
	m.put(o, value, by)
	return o.Measurement, nil
}

// put gives one a value, and tells it, as far as its pace lets it. The caller holds mu.
func (m *Measure) put(o *one, value float64, by grant.By) {
	now := m.Now()
	woke := o.Silent || o.At.IsZero()
	o.Value, o.At, o.Silent, o.by = value, now, false, by
	if !woke && now.Sub(o.told) < pace && !now.Before(o.told) {
		o.owes = true
		wake.Up(m.look)
		return
	}
	m.tell(o)
	if woke { // else it falls silent later than was waited for
		wake.Up(m.look)
	}
}

// tell tells the value of one. The caller holds mu.
func (m *Measure) tell(o *one) {
	o.told, o.owes = m.Now(), false
	m.Stream.Publish(happening.Happening{At: o.At, By: o.by, What: happening.Measured{Measurement: o.Name,
		Value: o.Value, Unit: o.Unit, Battery: o.Battery}})
}

// Get is a measurement with its last value. The error wraps ErrUnknown.
func (m *Measure) Get(name string) (Measurement, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	o := m.all[name]
	switch {
	case o == nil:
		return Measurement{}, fmt.Errorf("%w %.90q: nothing ever told it", ErrUnknown, name)
	case o.At.IsZero():
		return o.Measurement, fmt.Errorf("%w %.90q: nothing ever told it", ErrUnknown, name)
	}
	return o.Measurement, nil
}

// Find is a measurement that has a value, or of which something is said. The error wraps ErrUnknown.
func (m *Measure) Find(name string) (Measurement, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if o := m.all[name]; o != nil {
		return o.Measurement, nil
	}
	return Measurement{}, fmt.Errorf("%w %.90q", ErrUnknown, name)
}

// List lists them by name.
func (m *Measure) List() []Measurement {
	m.mu.Lock()
	defer m.mu.Unlock()
	out := make([]Measurement, 0, len(m.all))
	for _, o := range m.all {
		out = append(out, o.Measurement)
	}
	slices.SortFunc(out, func(a, b Measurement) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// Describe says what a measurement is, and where it comes from. The error wraps measure.ErrMeasurement, or is the
// store's.
func (m *Measure) Describe(ctx context.Context, name string, spec measure.Spec, by grant.By) (Measurement, error) {
	if err := measure.CheckName(name); err != nil {
		return Measurement{}, err
	}
	if err := spec.Check(); err != nil {
		return Measurement{}, err
	}
	m.writer.Lock()
	defer m.writer.Unlock()
	circle := measure.Circle(name, func(of string) measure.Source {
		if of == name {
			return spec.Source
		}
		m.mu.Lock()
		defer m.mu.Unlock()
		if o := m.all[of]; o != nil {
			return o.Spec.Source
		}
		return measure.Source{}
	})
	if circle != nil {
		return Measurement{}, fmt.Errorf("%w: %s would be worked out from itself: %s", measure.ErrMeasurement, name,
			strings.Join(circle, " from "))
	}
	m.mu.Lock()
	full := m.all[name] == nil && len(m.all) >= most
	m.mu.Unlock()
	if full {
		return Measurement{}, fmt.Errorf("%w %s: %d are kept, which is the most", measure.ErrMeasurement, name, most)
	}
	text, err := store.WriteDocument(version, spec)
	if err == nil {
		err = m.Store.PutMeasurementSpec(ctx, store.MeasurementSpec{Name: name, Document: text})
	}
	if err != nil {
		return Measurement{}, fmt.Errorf("keep what is said of %s: %w", name, err)
	}
	m.mu.Lock()
	o := m.all[name]
	if o == nil {
		o = &one{Measurement: Measurement{Name: name}}
		m.all[name] = o
	}
	o.Spec, o.said, o.Refused = spec, true, ""
	if spec.Unit != "" {
		o.Unit = spec.Unit
	}
	got := o.Measurement
	m.mu.Unlock()
	m.changed(name, "Described "+name, by)
	return got, nil
}

// Remove forgets a measurement with its history. Errors wrap ErrUnknown, or measure.ErrMeasurement where it is used.
func (m *Measure) Remove(ctx context.Context, name string, by grant.By) error {
	m.writer.Lock()
	defer m.writer.Unlock()
	if _, err := m.Find(name); err != nil {
		return err
	}
	users := m.workedFrom(name)
	if m.Used != nil {
		users = append(users, m.Used(name)...)
	}
	if len(users) > 0 {
		return fmt.Errorf("%w: %s is used by %s: change that first", measure.ErrMeasurement, name, strings.Join(users,
			", "))
	}
	if err := m.Store.RemoveMeasurement(ctx, name); err != nil {
		return err
	}
	m.mu.Lock()
	delete(m.all, name)
	m.mu.Unlock()
	m.changed(name, "Removed the measurement "+name, by)
	return nil
}

// workedFrom lists what is worked out from a measurement.
func (m *Measure) workedFrom(name string) (out []string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, o := range m.all {
		if w := o.Spec.Source.Worked; w != nil && slices.Contains(w.Of, name) {
			out = append(out, o.Name)
		}
	}
	slices.Sort(out)
	return out
}

// changed tells that what is said of one is another. The broker's client hears of it, too.
func (m *Measure) changed(name, text string, by grant.By) {
	if m.Elsewhere != nil {
		m.Elsewhere()
	}
	m.Stream.Publish(happening.Happening{By: by, What: happening.MeasurementChanged{Measurement: name, Text: text}})
	wake.Up(m.look)
}

// Topics lists the topics that values come from, each once.
func (m *Measure) Topics() (topics []string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, o := range m.all {
		if t := o.Spec.Source.Topic; t != nil && !slices.Contains(topics, t.Topic) {
			topics = append(topics, t.Topic)
		}
	}
	slices.Sort(topics)
	return topics
}

// Told lists the measurements that come from a topic.
func (m *Measure) Told(topic string) (names []string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, o := range m.all {
		if t := o.Spec.Source.Topic; t != nil && t.Topic == topic {
			names = append(names, o.Name)
		}
	}
	return names
}

// Message takes a message of a broker. What cannot be read of it is left out, and told now and then.
func (m *Measure) Message(topic string, payload []byte) {
	for _, name := range m.Told(topic) {
		m.mu.Lock()
		o := m.all[name]
		var t *measure.Topic
		if o != nil {
			t = o.Spec.Source.Topic
		}
		m.mu.Unlock()
		if t == nil {
			continue
		}
		value, battery, err := t.Read(payload)
		if err == nil {
			_, err = m.take(name, value, "", battery, grant.Named("broker"))
		}
		m.leftOut(name, err)
	}
}

// tellsRefused is how often it is told that values are left out.
const tellsRefused = time.Hour

// leftOut tells that a value was left out, now and then.
func (m *Measure) leftOut(name string, err error) {
	if err == nil {
		return
	}
	m.mu.Lock()
	now := m.Now()
	if o := m.all[name]; o != nil {
		o.Refused = err.Error()
	}
	last, known := m.refused[name]
	quiet := known && now.Sub(last).Abs() < tellsRefused
	if !quiet {
		m.refused[name] = now
	}
	m.mu.Unlock()
	if !quiet {
		m.Stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "warning",
			Text: fmt.Sprintf("A value of %s was left out: %v", name, err)}})
	}
}

// Run follows radio sensors, works out what is worked out, and sees what falls silent, until the context ends.
func (m *Measure) Run(ctx context.Context) error {
	defer m.Stream.Leave(m.queue)
	happened := make(chan []happening.Happening)
	go func() {
		defer close(happened)
		for {
			batch, err := m.queue.Next(ctx)
			if err != nil {
				return
			}
			select {
			case happened <- batch:
			case <-ctx.Done():
				return
			}
		}
	}()
	m.work("")
	timer := time.NewTimer(0)
	defer timer.Stop()
	for {
		select {
		case <-ctx.Done():
			return nil
		case batch, open := <-happened:
			if !open {
				return nil
			}
			for _, h := range batch {
				m.follow(h)
			}
		case <-m.look:
		case <-timer.C:
		}
		timer.Reset(m.due())
	}
}

// follow takes what concerns measurements of what happened.
func (m *Measure) follow(h happening.Happening) {
	switch w := h.What.(type) {
	case happening.Heard:
		if w.Echo || w.Quiet || w.Capture.Late {
			return
		}
		m.mu.Lock()
		sensors := map[string]measure.Radio{}
		for _, o := range m.all {
			if r := o.Spec.Source.Radio; r != nil {
				sensors[o.Name] = *r
			}
		}
		m.mu.Unlock()
		for name, r := range sensors {
			for _, read := range w.Capture.Readings {
				value, unit, battery, is := r.Read(read)
				if !is {
					continue
				}
				_, err := m.take(name, value, unit, battery, grant.Named("radio sensor"))
				m.leftOut(name, err)
				break
			}
		}
	case happening.Measured:
		m.work(w.Measurement)
	case happening.FellSilent:
		m.work(w.Measurement)
	case happening.MeasurementChanged:
		m.work("")
	case happening.Believed:
		m.onFor(w.DeviceID)
	}
}

// work works out what depends on a measurement; "" is all.
func (m *Measure) work(name string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, o := range m.all {
		w := o.Spec.Source.Worked
		if w == nil || w.How == measure.OnFor || name != "" && !slices.Contains(w.Of, name) {
			continue
		}
		var last time.Time
		value, known := w.Work(func(of string) (float64, bool) {
			from := m.all[of]
			if from == nil || !from.Known() {
				return 0, false
			}
			if from.At.After(last) {
				last = from.At
			}
			return from.Value, true
		})
		if !known || !last.After(o.At) {
			continue
		}
		if v, err := o.Spec.Take(value); err == nil {
			o.Refused = ""
			m.put(o, v, grant.Named("Urbo"))
		} else {
			o.Refused = err.Error()
		}
	}
	m.onForAll()
}

// onFor looks at what is worked out from how long a control of a device is at something.
func (m *Measure) onFor(device string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, o := range m.all {
		if w := o.Spec.Source.Worked; w != nil && w.How == measure.OnFor && w.On.ID == device {
			m.onForAll()
			return
		}
	}
}

// onForAll adds up for how long controls were at something today. What they may be at counts not. The caller holds mu.
func (m *Measure) onForAll() {
	if m.Today == nil || m.Reading == nil {
		return
	}
	for _, o := range m.all {
		w := o.Spec.Source.Worked
		if w == nil || w.How != measure.OnFor {
			continue
		}
		now, where := m.Today()
		if today := where.DateOf(now); today != o.day {
			o.day, o.on = today, 0
			if midnight := where.At(today, 0); o.since.Before(midnight) && !o.since.IsZero() {
				o.since = midnight
			}
		}
		if o.was && now.After(o.since) {
			o.on += now.Sub(o.since)
		}
		t := run.Test{On: *w.On, Control: w.Control, Is: run.Equals, Value: w.Value}
		o.since, o.was = now, t.Judge(m.Reading(t)) == run.Yes
		if v, err := o.Spec.Take(o.on.Round(time.Second).Hours()); err == nil {
			m.put(o, v, grant.Named("Urbo"))
		}
	}
}

// due tells what is owed, and what fell silent, and says how long until it is looked again.
func (m *Measure) due() time.Duration {
	m.mu.Lock()
	defer m.mu.Unlock()
	now := m.Now()
	next := time.Hour
	for _, o := range m.all {
		if w := o.Spec.Source.Worked; w != nil && w.How == measure.OnFor {
			today, _ := m.today()
			if today.Sub(o.since).Abs() >= looks {
				m.onForAll()
			}
			next = min(next, looks)
			continue
		}
		if o.owes {
			if left := pace - now.Sub(o.told); left > 0 {
				next = min(next, left)
			} else {
				m.tell(o)
			}
		}
		if o.At.IsZero() || o.Silent {
			continue
		}
		left := o.Spec.SilentAfter() - now.Sub(o.At)
		if left > 0 {
			next = min(next, left)
			continue
		}
		o.Silent = true
		slog.Debug("a measurement fell silent", "name", o.Name)
		m.Stream.Publish(happening.Happening{What: happening.FellSilent{Measurement: o.Name,
			For: run.Dur(o.Spec.SilentAfter())}})
	}
	return max(next, time.Millisecond)
}

func (m *Measure) today() (time.Time, moment.Where) {
	if m.Today == nil {
		return m.Now(), moment.Where{Zone: time.UTC}
	}
	return m.Today()
}
