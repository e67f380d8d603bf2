package air

import (
	"context"
	"fmt"
	"slices"
	"time"

	"urbo/service/library"
	"urbo/wire"
)

// recent is what a device got last.
type recent struct {
	ended time.Time // when its last press was over
	on    time.Time // when it may have been switched on
}

// switching are the keys that may switch a device on.
var switching = []string{"on", "power", "on-off"}

// rest waits for as long as the device needs between two presses. The caller has the transmitter's turn.
func (a *Air) rest(ctx context.Context, s library.Sendable) error {
	if s.Gap == 0 {
		return nil
	}
	a.mu.Lock()
	wait := a.devices[s.DeviceID].ended.Add(s.Gap).Sub(a.now())
	a.mu.Unlock()
	if wait <= 0 {
		return nil
	}
	timer := time.NewTimer(min(wait, s.Gap))
	defer timer.Stop()
	select {
	case <-timer.C:
		return nil
	case <-ctx.Done():
		return fmt.Errorf("given up while %s rested: %w", s.Ref.Device, ctx.Err())
	}
}

// warming says that a device may ignore the press, as it was switched on a moment ago.
func (a *Air) warming(s library.Sendable) string {
	a.mu.Lock()
	defer a.mu.Unlock()
	left := a.devices[s.DeviceID].on.Add(s.WarmUp).Sub(a.now())
	if s.WarmUp == 0 || left <= 0 {
		return ""
	}
	return fmt.Sprintf("It may ignore this: it warms up for %.0f s more.", max(left.Seconds(), 1))
}

// pressed remembers when a device got a press.
func (a *Air) pressed(s library.Sendable, p *wire.Press) {
	if s.Gap == 0 && s.WarmUp == 0 {
		return
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	r := a.devices[s.DeviceID]
	r.ended = a.now()
	if slices.Contains(switching, s.Ref.Key) && p.Outcome == wire.Sent && r.on.Add(s.WarmUp).Before(r.ended) {
		r.on = r.ended
	}
	a.devices[s.DeviceID] = r
}

// hold makes the repeating part of the last code go on for as long as the key is held.
func hold(sends []prepared, d time.Duration) {
	if d <= 0 || len(sends) == 0 {
		return
	}
	last := &sends[len(sends)-1]
	length := 0
	for _, us := range last.Repeat {
		length += us
	}
	if length == 0 {
		return
	}
	once := 0
	for _, us := range last.Once {
		once += us
	}
	us := int(d / time.Microsecond)
	last.Repeats = max(last.Repeats, (us-once+length-1)/length)
}
