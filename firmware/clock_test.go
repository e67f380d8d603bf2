package firmware_test

import (
	"fmt"
	"slices"
	"sync"
	"time"
)

// clock is the time of a board that goes step by step. The board waits for whoever looks at it, so a busy machine makes
// it slower, and never late.
type clock struct {
	mu     sync.Mutex
	now    time.Duration
	timers []timer
}

// timer is somebody who waits for a time.
type timer struct {
	at   time.Duration
	ring chan time.Time
}

// step is how long a board goes on by itself.
const step = 2 * time.Millisecond

// newClock lets a board go step by step until the test ends: so much each time.
func newClock(b *board, goes time.Duration) *clock {
	c := &clock{}
	steps := time.NewTicker(step)
	ended := make(chan struct{})
	over := make(chan struct{})
	go func() {
		defer close(ended)
		defer steps.Stop()
		for {
			select {
			case <-over:
				return
			case <-steps.C:
			}
			if _, err := fmt.Fprintf(b.stdin, "until %d\n", (c.time() + goes).Microseconds()); err != nil {
				return
			}
			select {
			case <-over:
				return
			case at := <-b.at:
				c.pass(at)
			}
		}
	}()
	b.t.Cleanup(func() {
		close(over)
		<-ended
	})
	return c
}

func (c *clock) time() time.Duration {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.now
}

// pass lets time pass, and wakes whoever waited for it.
func (c *clock) pass(at time.Duration) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.now = at
	c.timers = slices.DeleteFunc(c.timers, func(t timer) bool {
		if t.at <= at {
			t.ring <- time.Unix(0, int64(at)) // it has room for one
			return true
		}
		return false
	})
}

// Now is the board's time, as a time.
func (c *clock) Now() time.Time { return time.Unix(0, int64(c.time())) }

// After gives the time once, when so much has passed.
func (c *clock) After(d time.Duration) <-chan time.Time {
	c.mu.Lock()
	defer c.mu.Unlock()
	t := timer{c.now + d, make(chan time.Time, 1)}
	c.timers = append(c.timers, t)
	return t.ring
}
