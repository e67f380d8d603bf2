package service

import (
	"slices"
	"sync"

	"urbo/core/errand"
	"urbo/core/grant"
	"urbo/core/happening"
)

// Messages is what the house listens to at its broker, beside stations: the topics that values come from, and that
// errands come with.
type Messages struct {
	house *House

	mu      sync.Mutex
	changed chan struct{}
}

// anew says that the topics may be others.
func (m *Messages) anew() {
	m.mu.Lock()
	defer m.mu.Unlock()
	close(m.changed)
	m.changed = make(chan struct{})
}

// Topics lists the topics, each once; changed is closed when these may be others.
func (m *Messages) Topics() (topics []string, changed <-chan struct{}) {
	m.mu.Lock()
	changed = m.changed
	m.mu.Unlock()
	topics = append(m.house.Measure.Topics(), m.house.Errands.Topics()...)
	slices.Sort(topics)
	return slices.Compact(topics), changed
}

// Told lists the measurements that come from a topic.
func (m *Messages) Told(topic string) []string { return m.house.Measure.Told(topic) }

// Message takes a message.
func (m *Messages) Message(topic string, payload []byte) {
	m.house.Measure.Message(topic, payload)
	if slices.Contains(m.house.Errands.Topics(), topic) { // what cannot be taken is nothing for errands
		_ = m.house.Errands.Bring(happening.Brought{Kind: errand.OfMessage, Of: topic, Value: string(payload)},
			grant.By{Actor: grant.Actor{Kind: grant.Program, Name: "broker"}})
	}
}
