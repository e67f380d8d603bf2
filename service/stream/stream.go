// Package stream carries what happens through the house: in order, and to everybody who follows it, with nothing lost.
// Each follower has a queue of its own, so a slow one delays nobody.
package stream

import (
	"context"
	"io"
	"slices"
	"sync"
	"time"

	"urbo/core/happening"
	"urbo/service/wake"
	"urbo/store"
)

// Stream is the one order of happenings.
type Stream struct {
	now func() time.Time

	mu     sync.Mutex
	last   int64
	queues []*Queue
}

// New makes a stream that goes on after a sequence number.
func New(last int64, now func() time.Time) *Stream { return &Stream{last: last, now: now} }

// Publish gives a happening its place in the order, and an id and time where it has none, and puts it into every queue.
// It does not block.
func (s *Stream) Publish(h happening.Happening) happening.Happening {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.last++
	h.Seq = s.last
	if h.ID == "" {
		h.ID = store.NewID()
	}
	if h.At.IsZero() {
		h.At = s.now()
	}
	for _, q := range s.queues {
		q.put(h)
	}
	return h
}

// Last is the place of what happened last.
func (s *Stream) Last() int64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.last
}

// Subscribe makes a queue of all that happens from now on.
func (s *Stream) Subscribe() *Queue {
	q := &Queue{ready: make(chan struct{}, 1)}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.queues = append(s.queues, q)
	return q
}

// Leave ends a queue: nothing is put into it any more.
func (s *Stream) Leave(q *Queue) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.queues = slices.DeleteFunc(s.queues, func(other *Queue) bool { return other == q })
}

// Close says that nothing happens any more: followers get what waits, and then io.EOF.
func (s *Stream) Close() {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, q := range s.queues {
		q.close()
	}
}

// Queue is what one follower has not dealt with yet. It has one reader.
type Queue struct {
	ready chan struct{} // something is in it, or it is closed

	mu     sync.Mutex
	items  []happening.Happening
	size   int
	closed bool
}

func (q *Queue) put(h happening.Happening) {
	q.mu.Lock()
	defer q.mu.Unlock()
	if q.closed {
		return
	}
	q.items = append(q.items, h)
	q.size += h.Size()
	wake.Up(q.ready)
}

func (q *Queue) close() {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.closed = true
	wake.Up(q.ready)
}

// Wait waits until something is in the queue. The error is the context's, or io.EOF where nothing will come any more.
func (q *Queue) Wait(ctx context.Context) error {
	for {
		q.mu.Lock()
		some, closed := len(q.items) > 0, q.closed
		q.mu.Unlock()
		switch {
		case some:
			return nil
		case closed:
			return io.EOF
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-q.ready:
		}
	}
}

// Closed says whether nothing more will come.
func (q *Queue) Closed() bool {
	q.mu.Lock()
	defer q.mu.Unlock()
	return q.closed
}

// Waiting is a copy of what is in the queue, and its size in bytes, about.
func (q *Queue) Waiting() ([]happening.Happening, int) {
	q.mu.Lock()
	defer q.mu.Unlock()
	return slices.Clone(q.items), q.size
}

// Done takes the first n out of the queue.
func (q *Queue) Done(n int) {
	q.mu.Lock()
	defer q.mu.Unlock()
	for _, h := range q.items[:n] {
		q.size -= h.Size()
	}
	q.items = slices.Clone(q.items[n:]) // what is done is let go
}

// Drop takes out of the queue, from the oldest on, what nobody will deal with, and tells how many that were.
func (q *Queue) Drop(which func(happening.Happening) bool) int {
	q.mu.Lock()
	defer q.mu.Unlock()
	kept := make([]happening.Happening, 0, len(q.items))
	for _, h := range q.items {
		if which(h) {
			q.size -= h.Size()
			continue
		}
		kept = append(kept, h)
	}
	n := len(q.items) - len(kept)
	q.items = kept
	return n
}

// Next waits for what happens, and takes it out of the queue. Errors are those of Wait.
func (q *Queue) Next(ctx context.Context) ([]happening.Happening, error) {
	if err := q.Wait(ctx); err != nil {
		return nil, err
	}
	items, _ := q.Waiting()
	q.Done(len(items))
	return items, nil
}
