package transmit

import (
	"fmt"
	"time"

	"urbo/core/device"
	"urbo/core/happening"
)

// recent is what a device got last.
type recent struct {
	ended time.Time // when its last press was over
	key   string    // that was pressed
	on    time.Time // when it may have been switched on
}

func gapOf(d device.Device) time.Duration { return time.Duration(d.GapMS) * time.Millisecond }

func warmUpOf(d device.Device) time.Duration { return time.Duration(d.WarmUpMS) * time.Millisecond }

// rests is how long a device must be left alone before a press. The same key again needs a silence, or it would be
// heard as one that is held. The caller holds mu.
func (t *Transmit) rests(d device.Device, key string) time.Duration {
	gap := gapOf(d)
	last := t.devices[d.ID]
	if key != "" && last.key == key {
		gap = max(gap, between)
	}
	if gap == 0 {
		return 0
	}
	return min(last.ended.Add(gap).Sub(t.now()), gap)
}

// warming says that a device may ignore the press, as it was switched on a moment ago.
func (t *Transmit) warming(d device.Device) string {
	t.mu.Lock()
	defer t.mu.Unlock()
	left := t.devices[d.ID].on.Add(warmUpOf(d)).Sub(t.now())
	if d.WarmUpMS == 0 || left <= 0 {
		return ""
	}
	return fmt.Sprintf("It may ignore this: it warms up for %.0f s more.", max(left.Seconds(), 1))
}

// pressed remembers when a device got a press.
func (t *Transmit) pressed(o Order, r happening.Receipt) {
	if o.Device.ID == "" {
		return
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	got := t.devices[o.Device.ID]
	got.ended, got.key = t.now(), o.Key.Name
	if device.Plays(o.Key.Name, device.SwitchesOn) && r.Outcome == happening.Sent &&
		got.on.Add(warmUpOf(o.Device)).Before(got.ended) {
		got.on = got.ended
	}
	t.devices[o.Device.ID] = got
}
