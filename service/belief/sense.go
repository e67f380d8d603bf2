package belief

import (
	"fmt"
	"time"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/happening"
)

// pendingMeasurement is a value that a sensor shows, and since when: it counts when it has stayed there.
type pendingMeasurement struct {
	value string
	since time.Time
	last  time.Time // when it was measured last
	id    string    // of the last measurement, in the journal
}

// pendingKey is what a sensor's pending measurement is kept by.
func pendingKey(s device.Sensor) string { return s.Measurement + " " + s.Control }

// measured takes a measurement. Between the limits of a sensor nothing is told, and what flaps never settles.
func (b *Beliefs) measured(what happening.Measured, h happening.Happening) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.shows[what.Measurement] = shown{what.Value, h.At, h.ID}
	for _, m := range b.minds {
		for _, s := range m.sensors {
			if s.Measurement != what.Measurement || !s.Tells() {
				continue
			}
			key := pendingKey(s)
			value := says(s, what.Value)
			p, waits := m.pending[key]
			switch {
			case value == "":
				delete(m.pending, key)
				continue
			case !waits || p.value != value:
				m.pending[key] = pendingMeasurement{value, h.At, h.At, h.ID}
				b.waver(m, s, value, h.At)
				b.wakeWatch()
				continue
			}
			p.id, p.last = h.ID, h.At
			m.pending[key] = p
			b.sense(m, s, h.At)
		}
	}
}

// shown is what was measured last.
type shown struct {
	value float64
	at    time.Time
	id    string // in the journal
}

// says is what a sensor says of its control at a value; "" between its limits.
func says(s device.Sensor, value float64) string {
	switch {
	case value > s.Above:
		return s.High
	case value < s.Below:
		return s.Low
	}
	return ""
}

// standing is how old a value may be that counts when a sensor is tied.
const standing = 10 * time.Minute

// look takes the value that stands when a sensor is tied: it counts where it stays for its time. The caller holds mu.
func (b *Beliefs) look(m *mind, s device.Sensor) {
	last, ok := b.shows[s.Measurement]
	now := b.Now()
	if !ok || !s.Tells() || now.Sub(last.at) > standing {
		return
	}
	if value := says(s, last.value); value != "" {
		m.pending[pendingKey(s)] = pendingMeasurement{value, now, now, last.id}
		b.wakeWatch()
	}
}

// flaps is how often a sensor said otherwise than it had said itself, with nothing pressed in between.
type flaps struct {
	n  int
	at time.Time // of the last time that it showed something else
}

const (
	// steady is after how long without flapping a sensor counts as before.
	steady = 10 * time.Minute
	// mostFlaps is after how many times its values have to stay no longer still: 2^6 times as long as usual.
	mostFlaps = 6
)

// settles is how long a sensor's value has to stay: twice as long each time that it flapped lately.
func (m *mind) settles(s device.Sensor, now time.Time) time.Duration {
	f := m.flaps[pendingKey(s)]
	if now.Sub(f.at) > steady {
		return s.Settle()
	}
	return s.Settle() << min(f.n, mostFlaps)
}

// flapped notes that a sensor said otherwise than it had said itself.
func (b *Beliefs) flapped(m *mind, s device.Sensor, now time.Time) {
	key := pendingKey(s)
	f := m.flaps[key]
	if now.Sub(f.at) > steady {
		f.n = 0
	}
	f.n, f.at = f.n+1, now
	if m.flaps[key] = f; f.n == mostFlaps {
		b.Stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "warning", Text: fmt.Sprintf(
			"%s goes to and fro at its limits, so what it says of %s has to stay for longer: move its limits apart, "+
				"or let it settle (urbo device control sense)", s.Measurement, m.slug)}})
	}
}

// waver notes that a sensor that flapped lately shows something else again: what it said is certain no more.
func (b *Beliefs) waver(m *mind, s device.Sensor, value string, now time.Time) {
	f := m.flaps[pendingKey(s)]
	if f.n == 0 || now.Sub(f.at) > steady {
		return
	}
	f.at = now // it goes on
	m.flaps[pendingKey(s)] = f
	for _, st := range m.spec.States(m.now, now) {
		if st.Control == s.Control && st.Word == control.Certain && st.Value != value {
			m.add(entry{Rest: &now})
			b.changed(m, "")
		}
	}
}

// sense tells what a sensor shows, where it has shown it for long enough. The caller holds mu.
func (b *Beliefs) sense(m *mind, s device.Sensor, now time.Time) {
	p, ok := m.pending[pendingKey(s)]
	if !ok || now.Sub(p.since) < m.settles(s, now) {
		return
	}
	if b.learn(m, told{s.Control, p.value, control.Sensed, now}, p.id) {
		b.flapped(m, s, now)
	}
}

// learn folds what a person or sensor said, and tells the journal where it contradicts what was believed. It says
// whether a sensor contradicts itself. The caller holds mu.
func (b *Beliefs) learn(m *mind, t told, cause string) (wavers bool) {
	var was control.State
	for _, st := range m.spec.States(m.now, t.At) {
		if st.Control == t.Control {
			was = st
		}
	}
	if t.By == control.Sensed && was.Value == t.Value && was.Source == control.Sensed &&
		t.At.Sub(was.At) < time.Minute {
		return false // it says nothing new, and soon it says so again
	}
	_, fits, err := m.spec.Tell(m.now, t.Control, t.Value, t.By, t.At)
	if err != nil {
		return false
	}
	since := m.since(t.Control)
	m.add(entry{Tell: &t, ID: cause})
	if !fits {
		word := map[control.Word]string{control.Doubtful: "thought"}[was.Word]
		if word == "" {
			word = string(was.Word)
		}
		b.Stream.Publish(happening.Happening{Cause: cause,
			What: happening.Contradicted{DeviceID: m.id, Device: m.slug, Control: t.Control,
				Was: was.Text(), Word: word, Since: since, Value: t.Value, By: string(t.By)}})
	}
	b.changed(m, cause)
	return !fits && t.By == control.Sensed && was.Source == control.Sensed
}
