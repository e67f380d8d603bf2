package scenery

import (
	"context"
	"log/slog"
	"time"

	"urbo/core/grant"
	"urbo/service"
	"urbo/stage"
)

// metersEvery is how often the meters of the demo tell their values at least.
const metersEvery = 30 * time.Second

// Settle says what the observatory's devices are at, as people there believe it: the boardwalk is off, though, and only
// its meter shows that. On the tour nothing is learned yet, and nothing is said.
func Settle(ctx context.Context, house *service.House, s *stage.Stage, tour bool) error {
	changed := make(chan struct{}, 1)
	s.Change(func() {
		select {
		case changed <- struct{}{}:
		default:
		}
	})
	go meters(ctx, house, s, changed)
	if tour {
		return nil
	}
	for _, t := range [][3]string{{"amplifier", "power", "off"}, {"amplifier", "volume", "14"},
		{"amplifier", "input", "1"},
		{"amplifier", "mute", "off"}, {"boardwalk", "power", "on"}, {"boardwalk", "colour", "white"},
		{"boardwalk", "brightness", "5"}, {"dew-a", "power", "off"}, {"radio", "power", "off"},
		{"radio", "channel", "7"},
		{"screen", "position", "up"}, {"shutter", "position", "closed"}, {"door", "door", "closed"}} {
		states, _, err := house.Beliefs.States(t[0])
		if err != nil { // somebody took the controls away
			continue
		}
		for _, st := range states {
			if st.Control != t[1] || st.Source != "" {
				continue
			}
			if _, err := house.Beliefs.Tell(t[0], t[1], t[2], grant.Named("demo")); err != nil {
				return err
			}
		}
	}
	return nil
}

// meters tells what the appliances of the stage draw, whenever that changes and every half a minute.
func meters(ctx context.Context, house *service.House, s *stage.Stage, changed <-chan struct{}) {
	tick := time.NewTicker(metersEvery)
	defer tick.Stop()
	for {
		for _, m := range s.Meters() {
			if _, err := house.Measure.Put(m.Name, m.Value, m.Unit, grant.Named("demo")); err != nil {
				slog.Warn("a meter of the demo", "error", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-changed:
		case <-tick.C:
		}
	}
}
