package belief

import (
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

// sense tells what a sensor shows, where it has shown it for long enough. The caller holds mu.
func (b *Beliefs) sense(m *mind, s device.Sensor, now time.Time) {
	p, ok := m.pending[pendingKey(s)]
	if !ok || now.Sub(p.since) < s.Settle() {
		return
	}
	b.learn(m, told{s.Control, p.value, control.Sensed, now}, p.id)
}

// learn folds what a person or sensor said, and tells the journal where it contradicts what was believed. The caller
// holds mu.
func (b *Beliefs) learn(m *mind, t told, cause string) {
	var was control.State
	for _, st := range m.spec.States(m.now, t.At) {
		if st.Control == t.Control {
			was = st
		}
	}
	if t.By == control.Sensed && was.Value == t.Value && was.Source == control.Sensed &&
		t.At.Sub(was.At) < time.Minute {
		return // it says nothing new, and soon it says so again
	}
	_, fits, err := m.spec.Tell(m.now, t.Control, t.Value, t.By, t.At)
	if err != nil {
		return
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
}
