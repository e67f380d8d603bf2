package belief

import (
	"encoding/json"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"time"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/store"
)

const (
	// remembered is how long presses are kept for late news to be put in its place.
	remembered = 24 * time.Hour
	// mostEntries is how many are kept of a device.
	mostEntries = 2000
	// mostHistory is how many changes of a control are kept.
	mostHistory = 30
	// same is how close together receivers hear one push.
	same = 300 * time.Millisecond
	// jumped is how far back something that is of now may lie behind what came before it: beyond that the clock went
	// back.
	jumped = 90 * time.Second
	// settled is by when everything that went on by itself is over.
	settled = 15 * time.Minute
	// spareRows is how many rows more than it needs the log of a device on disk may have before it is written anew.
	spareRows = 200
	// together is how close together steps of a dial are one turn.
	together = 5 * time.Second
	// documentVersion of what is kept on disk.
	documentVersion = 1
)

// told is what a person or sensor said.
type told struct {
	Control string         `json:"control"`
	Value   string         `json:"value"`
	By      control.Source `json:"by"`
	At      time.Time      `json:"at"`
}

// entry is one thing that a belief is folded from.
type entry struct {
	Press *control.Press `json:"press,omitempty"`
	Tell  *told          `json:"tell,omitempty"`
	Deaf  *time.Time     `json:"deaf,omitempty"` // since then nobody listened
	Rest  *time.Time     `json:"rest,omitempty"` // for a short while nobody did
	Away  *time.Time     `json:"away,omitempty"` // the house was away for a long while until then
	Late  bool           `json:"late,omitempty"` // it is of long ago, and has its place by its time
	// Settled is the id of presses of which it is known by now that they went out.
	Settled string `json:"settled,omitempty"`
	// Doubted is the id of presses that were disturbed, and Doubtful when.
	Doubted  string        `json:"doubted,omitempty"`
	Doubtful *control.Span `json:"doubtful,omitempty"`
	// Disturbed is a press of which its echo says that it may not have been understood.
	Disturbed bool       `json:"disturbed,omitempty"`
	Mains     *time.Time `json:"mains,omitempty"`  // they failed then
	ID        string     `json:"id,omitempty"`     // in the journal
	Leader    string     `json:"leader,omitempty"` // id of the device whose link pressed this
	Place     string     `json:"place,omitempty"`
}

func (e entry) at() time.Time {
	switch {
	case e.Press != nil:
		return e.Press.At
	case e.Tell != nil:
		return e.Tell.At
	case e.Mains != nil:
		return *e.Mains
	case e.Rest != nil:
		return *e.Rest
	case e.Away != nil:
		return *e.Away
	case e.Deaf != nil:
		return *e.Deaf
	}
	return time.Time{}
}

// Was is what a control was believed to be at from a time on.
type Was struct {
	Value  string         `json:"value"` // in words, where it may be at several
	At     time.Time      `json:"at"`
	Source control.Source `json:"source"`
	Cause  string         `json:"cause,omitempty"`
}

// mind is what is believed of one device, and what that comes from.
type mind struct {
	id      string
	slug    string
	forms   control.Forms
	keys    []string
	sensors []device.Sensor
	spec    *control.Spec

	base    control.Belief // before the log
	baseAt  time.Time
	log     []entry // in the order in which they began
	now     control.Belief
	history map[string][]Was // by control, the newest last

	unsaved []entry // of the log, that are not on disk
	saved   int     // rows of its log on disk
	rebased bool    // its base is another one than on disk

	led     led                           // what devices that follow it know
	others  int                           // what moved it and was not sent
	pending map[string]pendingMeasurement // by measurement and control
	flaps   map[string]flaps              // by the same
	shown   map[string][2]string          // value and word that were told last, by control
}

func newMind(id string, spec *control.Spec) *mind {
	m := &mind{id: id, spec: spec, base: spec.Nothing(), history: map[string][]Was{},
		pending: map[string]pendingMeasurement{}, flaps: map[string]flaps{}, shown: map[string][2]string{}}
	m.now = m.base
	return m
}

// document is a mind on disk.
type document struct {
	Forms   control.Forms    `json:"forms"`
	Keys    []string         `json:"keys"`
	Base    control.Belief   `json:"base"`
	BaseAt  time.Time        `json:"base_at"`
	Log     []entry          `json:"log,omitempty"` // by versions before the log had rows of its own
	History map[string][]Was `json:"history"`
}

// readMind reads what was believed of a device, and folds its log. The error wraps store.ErrDocument.
func readMind(row store.Belief, log [][]byte) (*mind, error) {
	var doc document
	if err := store.CheckVersion(row.Version, documentVersion); err != nil {
		return nil, err
	}
	if err := json.Unmarshal(row.Document, &doc); err != nil {
		return nil, fmt.Errorf("%w: %w", store.ErrDocument, err)
	}
	spec, err := control.Compile(doc.Keys, doc.Forms)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", store.ErrDocument, err)
	}
	m := newMind(row.DeviceID, spec)
	m.forms, m.keys, m.base, m.baseAt = doc.Forms, doc.Keys, doc.Base, doc.BaseAt
	if len(doc.History) > 0 {
		m.history = doc.History
	}
	if !spec.Fits(m.base) {
		return nil, fmt.Errorf("%w: it does not fit the device's controls", store.ErrDocument)
	}
	m.now, m.rebased = m.base, false
	entries := doc.Log
	for _, text := range log {
		var e entry
		if err := json.Unmarshal(text, &e); err != nil {
			return nil, fmt.Errorf("%w: an entry of its log: %w", store.ErrDocument, err)
		}
		entries = append(entries, e)
	}
	for _, e := range entries {
		if e.Settled != "" || e.Doubted != "" {
			m.settle(e.Settled)
			if e.Doubtful != nil {
				m.doubt(e.Doubted, *e.Doubtful)
			}
			continue
		}
		m.add(e)
		m.news(e.at())
	}
	m.unsaved, m.saved, m.rebased = nil, len(log), len(doc.Log) > 0
	m.begin()
	return m, nil
}

// change is what is new about a mind since it was last written, nil where nothing is. What cannot be written is left
// out.
func (m *mind) change() (*store.BeliefChange, error) {
	c := &store.BeliefChange{DeviceID: m.id}
	entries := m.unsaved
	if m.rebased || m.saved > 2*len(m.log)+spareRows {
		text, err := json.Marshal(document{Forms: m.forms, Keys: m.keys, Base: m.base, BaseAt: m.baseAt,
			History: m.history})
		if err != nil {
			return nil, err
		}
		c.Base = &store.Belief{DeviceID: m.id, Version: documentVersion, Document: text}
		entries = m.log
	}
	if c.Base == nil && len(entries) == 0 {
		return nil, nil
	}
	for _, e := range entries {
		text, err := json.Marshal(e)
		if err != nil {
			return nil, err
		}
		c.Entries = append(c.Entries, text)
	}
	return c, nil
}

// written notes that a change is on disk.
func (m *mind) written(c *store.BeliefChange, unsaved int) {
	if c.Base != nil {
		m.saved = 0
	}
	m.saved += len(c.Entries)
	m.unsaved = slices.Clone(m.unsaved[unsaved:])
}

// become takes over what a device is now. What is believed of controls that stay alike is kept.
func (m *mind) become(d device.Device, spec *control.Spec, now time.Time) {
	m.slug, m.sensors = d.Slug, d.Sensors
	keys := d.KeyNames()
	if reflect.DeepEqual(m.forms, d.Forms) && slices.Equal(m.keys, keys) {
		m.spec = spec
		return
	}
	m.base, m.baseAt, m.log = spec.Fit(m.spec.At(m.now, now), m.spec), now, nil
	m.now, m.spec, m.forms, m.keys, m.rebased, m.unsaved = m.base, spec, d.Forms, keys, true, nil
	m.begin()
	for name := range m.history {
		if !slices.ContainsFunc(d.Controls, func(c control.Control) bool { return c.Name == name }) {
			delete(m.history, name)
		}
	}
}

// forget is for a device that has no controls any more.
func (m *mind) forget(now time.Time) {
	spec, _ := control.Compile(nil, control.Forms{})
	m.become(device.Device{Slug: m.slug}, spec, now)
}

// add puts an entry in its place and folds it; false where it says nothing new. Entries have the order in which they
// began, which is the order in which they come in but for moments, and for late news. What lies further back than that
// was said by a clock that went back: it comes last all the same.
func (m *mind) add(e entry) bool {
	if e.Press != nil && e.Place != "" && slices.ContainsFunc(m.log, func(o entry) bool { return m.onePush(o, e) }) {
		return false
	}
	if e.Tell != nil || e.Mains != nil || e.Press != nil && e.Press.Source != control.BySending {
		m.others++
	}
	e = m.afterSensed(e)
	m.unsaved = append(m.unsaved, e)
	if last := m.last(); !e.Late && e.at().Before(last.Add(-jumped)) {
		m.rewind(e.at())
	}
	if e.at().Before(m.baseAt) {
		if !e.Late || e.Press == nil {
			m.baseAt = e.at()
		} else { // long past: its place is not known any more
			late := *e.Press
			late.At, late.Outcome = m.baseAt, control.Unknown
			m.base = m.spec.After(m.base, late)
			m.rebased = true
			m.refold()
			return true
		}
	}
	i := len(m.log)
	for i > 0 && e.at().Before(m.log[i-1].at()) {
		i--
	}
	was := m.sensed(e.at())
	m.log = slices.Insert(m.log, i, e)
	if i+1 == len(m.log) {
		m.now = m.fold(m.now, e)
	} else {
		m.refold()
	}
	if e.Tell == nil || e.Tell.By != control.Sensed {
		for key, value := range m.sensed(e.at()) { // what was measured before says nothing about what is so now
			if value != was[key] {
				m.restart(key, e.at())
			}
		}
	}
	m.trim(e.at())
	return true
}

// afterSensed puts a press after what sensors said while it was sent. It is known only when it is over, and a value has
// to stay for its time after a press to say what came of it: one that was told sooner is of before.
func (m *mind) afterSensed(e entry) entry {
	if e.Press == nil {
		return e
	}
	at := e.at()
	for i := len(m.log) - 1; i >= 0 && m.log[i].at().After(e.at()); i-- {
		t := m.log[i].Tell
		if t == nil || t.By != control.Sensed {
			continue
		}
		for _, s := range m.sensors {
			if s.Control == t.Control && t.At.Sub(e.at()) < m.settles(s, t.At) && t.At.After(at) {
				at = t.At
			}
		}
	}
	if at.After(e.at()) {
		p := *e.Press
		p.At = at
		e.Press = &p
	}
	return e
}

// restart lets what a sensor shows count from a time on, when something changed: what was measured since then has to
// stay for its time, and what was measured before is of no use.
func (m *mind) restart(key string, at time.Time) {
	p, ok := m.pending[key]
	switch {
	case !ok:
	case p.last.Before(at):
		delete(m.pending, key)
	case p.since.Before(at):
		p.since = at
		m.pending[key] = p
	}
}

// sensed is what is believed at a time of what waits for its sensor, by the key of what is pending.
func (m *mind) sensed(at time.Time) map[string]string {
	if len(m.pending) == 0 {
		return nil
	}
	values := map[string]string{}
	for _, st := range m.spec.States(m.now, at) {
		values[st.Control] = st.Value
	}
	out := map[string]string{}
	for _, s := range m.sensors {
		out[pendingKey(s)] = values[s.Control]
	}
	return out
}

// last is when the newest entry was.
func (m *mind) last() time.Time {
	if len(m.log) == 0 {
		return m.baseAt
	}
	return m.log[len(m.log)-1].at()
}

// rewind makes what is believed now the base of all that comes, at a time before: the clock went back. What went on by
// itself is over by then.
func (m *mind) rewind(now time.Time) {
	m.base, m.baseAt, m.log = m.spec.At(m.now, m.last().Add(settled)), now, nil
	m.now, m.rebased = m.base, true
	m.begin()
}

// onePush says whether two entries are one push of a handset that several receivers heard.
func (m *mind) onePush(a, b entry) bool {
	if a.Press == nil || a.Place == "" || a.Place == b.Place || a.Press.Key != b.Press.Key ||
		!maps.Equal(a.Press.Frame, b.Press.Frame) {
		return false
	}
	d := a.Press.At.Sub(b.Press.At)
	return d < same && -d < same
}

// fold is what an entry makes of a belief.
func (m *mind) fold(b control.Belief, e entry) control.Belief {
	switch {
	case e.Press != nil:
		return m.spec.After(b, *e.Press)
	case e.Tell != nil:
		if out, _, err := m.spec.Tell(b, e.Tell.Control, e.Tell.Value, e.Tell.By, e.Tell.At); err == nil {
			return out
		}
		return b
	case e.Mains != nil:
		return m.spec.Failed(b, *e.Mains)
	case e.Rest != nil:
		return m.spec.Rested(b)
	case e.Away != nil:
		return m.spec.Away(b)
	}
	return m.spec.Deafened(b)
}

func (m *mind) refold() {
	m.led.anew = true
	m.now = m.base
	for _, e := range m.log {
		m.now = m.fold(m.now, e)
	}
}

// trim folds what is older than a day, or too much, into the base.
func (m *mind) trim(now time.Time) {
	n := max(len(m.log)-mostEntries, 0)
	for n < len(m.log) && now.Sub(m.log[n].at()) > remembered {
		n++
	}
	if n == 0 {
		return
	}
	for _, e := range m.log[:n] {
		m.base, m.baseAt = m.fold(m.base, e), e.at()
	}
	m.log, m.led.entries = slices.Clone(m.log[n:]), max(m.led.entries-n, 0)
}

// settle notes that a press went out of which that was not known.
func (m *mind) settle(id string) bool {
	found := false
	if id == "" {
		return false
	}
	for i, e := range m.log {
		if e.ID == id && e.Press != nil && e.Press.Outcome == control.Unknown && !e.Disturbed {
			p := *e.Press
			p.Outcome = control.Sent
			m.log[i].Press = &p
			found = true
		}
	}
	if found {
		m.unsaved = append(m.unsaved, entry{Settled: id})
		m.refold()
	}
	return found
}

// doubt notes that it is not known whether a device understood presses: of those of one order, all in a span of time,
// or the one that is nearest to it.
func (m *mind) doubt(id string, span control.Span) bool {
	nearest, found := -1, false
	off := func(e entry) time.Duration {
		return max(span.From.Sub(e.at()), e.at().Sub(span.To), 0)
	}
	unsure := func(i int) {
		p := *m.log[i].Press
		p.Outcome = control.Unknown
		m.log[i].Press, m.log[i].Disturbed = &p, true
		found = true
	}
	for i, e := range m.log {
		if id == "" || e.ID != id || e.Press == nil || e.Press.Outcome != control.Sent {
			continue
		}
		if off(e) == 0 {
			unsure(i)
		} else if nearest < 0 || off(e) < off(m.log[nearest]) {
			nearest = i
		}
	}
	if !found && nearest >= 0 {
		unsure(nearest)
	}
	if found {
		m.unsaved = append(m.unsaved, entry{Doubted: id, Doubtful: &span})
		m.others++
		m.refold()
	}
	return found
}

// deafen notes that nobody listened.
func (m *mind) deafen(now time.Time) {
	m.add(entry{Deaf: &now})
}

// news lists the controls that are believed to be at something else than was told last, and notes it in their history.
func (m *mind) news(now time.Time) (out []control.State) {
	for _, st := range m.spec.States(m.now, now) {
		text := st.Text()
		is := [2]string{text, string(st.Word)}
		if m.shown[st.Control] == is {
			continue
		}
		m.shown[st.Control] = is
		out = append(out, st)
		h := m.history[st.Control]
		n := len(h)
		switch change := (Was{text, st.At, st.Source, st.Cause}); {
		case st.Source == control.Assumed, n > 0 && (h[n-1].Value == text || !st.At.After(h[n-1].At)):
			continue
		case n > 0 && h[n-1].Source == st.Source && st.At.Sub(h[n-1].At) < together && st.Kind == control.Dial:
			h[n-1] = change // one turn of a dial is many steps
		default:
			h = append(h, change)
		}
		m.history[st.Control] = h[max(len(h)-mostHistory, 0):]
	}
	return out
}

// since is when a control was first believed to be at what it is.
func (m *mind) since(name string) time.Time {
	h := m.history[name]
	if len(h) == 0 {
		return time.Time{}
	}
	return h[len(h)-1].At
}
