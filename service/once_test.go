package service_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/service"
	"urbo/service/library"
	"urbo/service/transmit"
	"urbo/stage"
	"urbo/station"
	"urbo/station/onstage"
)

// rough is a transport whose links have a fault now and then.
type rough struct {
	inner  station.Transport
	random *rand.Rand
	mu     sync.Mutex
}

func (r *rough) chance(share float64) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.random.Float64() < share
}

func (r *rough) Run(ctx context.Context, join func(context.Context, station.Link) error) error {
	return r.inner.Run(ctx, func(ctx context.Context, l station.Link) error {
		err := join(ctx, &roughLink{Link: l, rough: r})
		if ctx.Err() == nil {
			return nil // the board lives, and is plugged in again
		}
		return err
	})
}

// roughLink loses, doubles and delays messages, breaks in the middle of one, and lets the station begin anew.
type roughLink struct {
	station.Link
	rough *rough
	again station.Message
}

func (l *roughLink) Receive(ctx context.Context) (station.Message, error) {
	for {
		if m := l.again; m != nil {
			l.again = nil
			return m, nil
		}
		m, err := l.Link.Receive(ctx)
		if err != nil {
			return nil, err
		}
		_, hello := m.(station.Hello)
		_, sent := m.(station.Sent)
		switch {
		case hello:
		case l.rough.chance(0.05): // lost on the way
			continue
		case l.rough.chance(0.05):
			l.again = m
		case sent && l.rough.chance(0.1): // answered, for a send that nobody knows
			return station.Sent{ID: "nobody"}, nil
		case l.rough.chance(0.03):
			_ = l.Link.Close()
			return nil, fmt.Errorf("%w: unplugged", station.ErrAway)
		}
		return m, nil
	}
}

func (l *roughLink) Tell(ctx context.Context, m station.Message) error {
	_, isSend := m.(station.Send)
	switch {
	case isSend && l.rough.chance(0.1): // lost on the way: nobody knows
		return nil
	case isSend && l.rough.chance(0.1): // it arrived, and the cable broke before that was known
		_ = l.Link.Tell(ctx, m)
		_ = l.Link.Close()
		return errors.New("the connection broke while the station was told")
	case isSend && l.rough.chance(0.1): // twice on the way, as a broker may
		if err := l.Link.Tell(ctx, m); err != nil {
			return err
		}
	case isSend && l.rough.chance(0.05):
		_ = l.Link.Close()
		return fmt.Errorf("%w: unplugged", station.ErrAway)
	}
	return l.Link.Tell(ctx, m)
}

// flips counts how often the amplifier's power key reached it.
type flips struct {
	stage *stage.Stage
	was   string
	n     int
}

// look notes a change of the amplifier's power since it last looked.
func (a *flips) look(t *testing.T) {
	facts, err := a.stage.State("amplifier")
	require.NoError(t, err)
	if facts["power"] != a.was {
		a.was = facts["power"]
		a.n++
	}
}

// TestPress_AToggleIsSentAtMostOnceUnderEveryFault presses a toggle a thousand times over links that lose, double and
// break. An appliance that toggles shows every sending: it must never get one more than was asked for, and each press
// says what is known of it.
func TestPress_AToggleIsSentAtMostOnceUnderEveryFault(t *testing.T) {
	t.Parallel()
	outcomes := map[happening.Outcome]int{}
	refused := 0
	const houses, presses = 10, 100
	for seed := range uint64(houses) {
		synctest.Test(t, func(t *testing.T) {
			s, err := stage.New(stage.Options{Seed: seed})
			require.NoError(t, err)
			r := &rough{inner: onstage.New(s, "lecture"), random: rand.New(rand.NewPCG(seed, 7))}
			h, stop := startWith(t, service.Config{Dir: t.TempDir(), Extra: []service.Runner{s},
				Transports: []station.Transport{r}})
			defer stop()
			synctest.Wait()
			d, err := h.Library.Add(t.Context(), device.Device{Name: "Amplifier", Keys: []device.Key{{Name: "power",
				Codes: []device.Code{{Sheet: "sirc15", Fields: line.Fields{"address": line.Number(0x6B),
					"command": line.Number(21)}}}}}}, library.Note{})
			require.NoError(t, err)
			a := &flips{stage: s}
			a.look(t)
			a.n = 0
			for range presses {
				before := a.n
				r, err := h.Transmit.Press(t.Context(), transmit.Order{Device: d, Key: d.Keys[0]})
				time.Sleep(300 * time.Millisecond) // a second sending would be another press by then
				a.look(t)
				switch got := a.n - before; {
				case err != nil:
					refused++
					assert.Zero(t, got, "refused: %v", err)
				case r.Outcome == happening.Sent:
					outcomes[r.Outcome]++
					assert.Equal(t, 1, got, "it is said to be sent")
				case r.Outcome == happening.Failed:
					outcomes[r.Outcome]++
					assert.Zero(t, got, "it is said to have failed: %s", r.Reason)
				default:
					outcomes[r.Outcome]++
					assert.LessOrEqual(t, got, 1, "never twice")
					assert.NotEmpty(t, r.Reason)
				}
				time.Sleep(2 * time.Second) // for whoever comes back
			}
		})
	}
	t.Logf("of %d: %v, %d refused", houses*presses, outcomes, refused)
	assert.Greater(t, outcomes[happening.Sent], 300)
	assert.Greater(t, outcomes[happening.Unknown], 50)
}
