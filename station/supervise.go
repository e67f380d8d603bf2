package station

import (
	"context"
	"fmt"
	"log/slog"
	"time"
)

// A transport that failed is run again after a pause that grows from the first to the second.
const (
	firstPause   = time.Second
	longestPause = time.Minute
)

// Supervise runs a transport until the context ends, again after a while where it fails.
func Supervise(ctx context.Context, t Transport, join func(context.Context, Link) error, now func() time.Time) {
	said := ""
	for pause := firstPause; ; pause = min(2*pause, longestPause) {
		began := now()
		err := t.Run(ctx, join)
		if ctx.Err() != nil || err == nil {
			return
		}
		if now().Sub(began) > longestPause {
			pause, said = firstPause, ""
		}
		if text := err.Error(); text != said { // once, however often it is tried
			said = text
			slog.Warn("stations cannot be reached, and it is tried again", "by", fmt.Sprintf("%T", t), "error", err)
		}
		if !Pause(ctx, pause) {
			return
		}
	}
}
