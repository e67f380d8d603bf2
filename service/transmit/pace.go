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
	on    time.Time // when it may have been switched on
}

func gapOf(d device.Device) time.Duration { return time.Duration(d.GapMS) * time.Millisecond }

func warmUpOf(d device.Device) time.Duration { return time.Duration(d.WarmUpMS) * time.Millisecond }

// rests is how long a device must be left alone before its next press. The caller holds mu.
func (t *Transmit) rests(d device.Device) time.Duration {
	if d.GapMS == 0 {
		return 0
	}
	return min(t.devices[d.ID].ended.Add(gapOf(d)).Sub(t.now()), gapOf(d))
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
	if o.Device.GapMS == 0 && o.Device.WarmUpMS == 0 {
		return
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	got := t.devices[o.Device.ID]
	got.ended = t.now()
	if device.Plays(o.Key.Name, device.SwitchesOn) && r.Outcome == happening.Sent &&
		got.on.Add(warmUpOf(o.Device)).Before(got.ended) {
		got.on = got.ended
	}
	t.devices[o.Device.ID] = got
}
