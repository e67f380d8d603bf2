// Package loop is the one loop that parts of the house sleep in until something is due.
package loop

import (
	"context"
	"time"
)

// Run calls due, which does what is due and tells how long until the next may be, again after that time and whenever it
// is woken, until the context ends.
func Run(ctx context.Context, wake <-chan struct{}, due func(context.Context) time.Duration) {
	timer := time.NewTimer(time.Hour)
	defer timer.Stop()
	for {
		timer.Reset(due(ctx))
		select {
		case <-ctx.Done():
			return
		case <-wake:
		case <-timer.C:
		}
	}
}

// Wake lets a loop look again, at once or when it has done what it is doing.
func Wake(wake chan<- struct{}) {
	select {
	case wake <- struct{}{}:
	default: // it was woken already
	}
}
