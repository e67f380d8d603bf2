package onstage

import (
	"sync"

	"urbo/station"
)

// mailboxLimit is how many heard trains wait for a reader; what comes after them is lost, as on a board with little
// memory. Answers are never lost.
const mailboxLimit = 1024

// mailbox is a queue whose writers never block.
type mailbox struct {
	ready chan struct{}

	mu    sync.Mutex
	queue []station.Message
}

func newMailbox() *mailbox { return &mailbox{ready: make(chan struct{}, 1)} }

func (b *mailbox) put(m station.Message) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if _, heard := m.(station.Heard); heard && len(b.queue) >= mailboxLimit {
		return
	}
	b.queue = append(b.queue, m)
	select {
	case b.ready <- struct{}{}:
	default:
	}
}

// take takes the oldest message out, nil where there is none.
func (b *mailbox) take() station.Message {
	b.mu.Lock()
	defer b.mu.Unlock()
	if len(b.queue) == 0 {
		return nil
	}
	m := b.queue[0]
	b.queue = b.queue[1:]
	return m
}
