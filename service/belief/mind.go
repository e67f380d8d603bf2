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
	Deaf  *time.Time     `json:"deaf,omitempty"`  // since then nobody listened
	Mains *time.Time     `json:"mains,omitempty"` // they failed then
	ID    string         `json:"id,omitempty"`    // in the journal
	Place string         `json:"place,omitempty"`
}

func (e entry) at() time.Time {
	switch {
	case e.Press != nil:
		return e.Press.At
	case e.Tell != nil:
		return e.Tell.At
	case e.Mains != nil:
		return *e.Mains
	}
	return *e.Deaf
}

// moved is an entry that is no press at another time.
func (e entry) moved(at time.Time) entry {
	switch {
	case e.Tell != nil:
		t := *e.Tell
		t.At = at
		e.Tell = &t
	case e.Mains != nil:
		e.Mains = &at
	default:
		e.Deaf = &at
	}
	return e
}

// Change is what a control was believed to be at from a time on.
type Change struct {
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
	log     []entry // in the order of their times
	now     control.Belief
	history map[string][]Change // by control, the newest last
	dirty   bool

	others  int                           // what moved it and was not sent
	pending map[string]pendingMeasurement // by measurement and control
	shown   map[string][2]string          // value and word that were told last, by control
}

func newMind(id string, spec *control.Spec) *mind {
	m := &mind{id: id, spec: spec, base: spec.Nothing(), history: map[string][]Change{},
		pending: map[string]pendingMeasurement{}, shown: map[string][2]string{}}
	m.now = m.base
	return m
}

// document is a mind on disk.
type document struct {
	Forms   control.Forms       `json:"forms"`
	Keys    []string            `json:"keys"`
	Base    control.Belief      `json:"base"`
	BaseAt  time.Time           `json:"base_at"`
	Log     []entry             `json:"log"`
	History map[string][]Change `json:"history"`
}

// readMind reads what was believed of a device.
func readMind(row store.Belief) (*mind, error) {
	var doc document
	if row.Version > documentVersion {
		return nil, fmt.Errorf("it is of version %d, and this Urbo knows %d", row.Version, documentVersion)
	}
	if err := json.Unmarshal(row.Document, &doc); err != nil {
		return nil, err
	}
	spec, err := control.Compile(doc.Keys, doc.Forms)
	if err != nil {
		return nil, err
	}
	m := newMind(row.DeviceID, spec)
	m.forms, m.keys, m.base, m.baseAt, m.log = doc.Forms, doc.Keys, doc.Base, doc.BaseAt, doc.Log
	if len(doc.History) > 0 {
		m.history = doc.History
	}
	if !spec.Fits(m.base) {
		return nil, fmt.Errorf("it does not fit the device's controls")
	}
	m.refold()
	return m, nil
}

func (m *mind) document() (store.Belief, error) {
	text, err := json.Marshal(document{m.forms, m.keys, m.base, m.baseAt, m.log, m.history})
	return store.Belief{DeviceID: m.id, Version: documentVersion, Document: text}, err
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
	m.now, m.spec, m.forms, m.keys = m.base, spec, d.Forms, keys
	for name := range m.history {
		if !slices.ContainsFunc(d.Controls, func(c control.Control) bool { return c.Name == name }) {
			delete(m.history, name)
		}
	}
	m.dirty = true
}

// forget is for a device that has no controls any more.
func (m *mind) forget(now time.Time) {
	spec, _ := control.Compile(nil, control.Forms{})
	m.become(device.Device{Slug: m.slug}, spec, now)
}

// add puts an entry in its place and folds it; false where it says nothing new.
func (m *mind) add(e entry) bool {
	if e.Press != nil && e.Place != "" && slices.ContainsFunc(m.log, func(o entry) bool { return m.onePush(o, e) }) {
		return false
	}
	m.dirty = true
	if e.Tell != nil || e.Mains != nil || e.Press != nil && e.Press.Source != control.BySending {
		m.others++
	}
	if e.Press == nil && e.at().Before(m.baseAt) { // it is of now, and the clock went back
		e = e.moved(m.baseAt)
	}
	if e.at().Before(m.baseAt) { // long past: its place is not known any more
		late := *e.Press
		late.At, late.Outcome = m.baseAt, control.Unknown
		m.base = m.spec.After(m.base, late)
		m.refold()
		return true
	}
	i := len(m.log)
	for i > 0 && e.at().Before(m.log[i-1].at()) {
		i--
	}
	m.log = slices.Insert(m.log, i, e)
	if i+1 == len(m.log) {
		m.now = m.fold(m.now, e)
	} else {
		m.refold()
	}
	m.trim(e.at())
	return true
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
	}
	return m.spec.Deafened(b)
}

func (m *mind) refold() {
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
	for _, e := range m.log[:n] {
		m.base, m.baseAt = m.fold(m.base, e), e.at()
	}
	m.log = slices.Clone(m.log[n:])
}

// settle notes that a press went out of which that was not known.
func (m *mind) settle(id string) bool {
	found := false
	for i, e := range m.log {
		if e.ID == id && e.Press != nil && e.Press.Outcome == control.Unknown {
			p := *e.Press
			p.Outcome = control.Sent
			m.log[i].Press = &p
			found = true
		}
	}
	if found {
		m.dirty = true
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
		switch change := (Change{text, st.At, st.Source, st.Cause}); {
		case st.Source == control.Assumed, n > 0 && h[n-1].Value == text:
			continue
		case n > 0 && h[n-1].Source == st.Source && st.At.Sub(h[n-1].At) < together && st.Kind == control.Dial:
			h[n-1] = change // one turn of a dial is many steps
		default:
			h = append(h, change)
		}
		m.history[st.Control] = h[max(len(h)-mostHistory, 0):]
		m.dirty = true
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
