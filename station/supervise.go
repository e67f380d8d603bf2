package station

import (
	"context"
	"time"
)

// A transport that failed is run again after a pause that grows from the first to the second.
const (
	firstPause   = time.Second
	longestPause = time.Minute
)

// Supervise runs a transport until the context ends, again after a while where it fails. trouble hears why, each time.
func Supervise(ctx context.Context, t Transport, join func(context.Context, Link) error, now func() time.Time,
	trouble func(error)) {
	if w, is := t.(Waiting); is {
		w.Waits(trouble)
	}
	for pause := firstPause; ; pause = min(2*pause, longestPause) {
		began := now()
		err := t.Run(ctx, join)
		if ctx.Err() != nil || err == nil {
			return
		}
		if now().Sub(began) > longestPause {
			pause = firstPause
		}
		trouble(err)
		if !Pause(ctx, pause) {
			return
		}
	}
}
