package onstage_test

import (
	"context"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/stage"
	"urbo/station"
	"urbo/station/linktest"
	"urbo/station/onstage"
)

// live runs a station on a stage under fake time.
func live(t *testing.T, act func(t *testing.T, p *linktest.Peer, s *stage.Stage)) {
	synctest.Test(t, func(t *testing.T) {
		s, err := stage.New(stage.Options{})
		require.NoError(t, err)
		n, p := onstage.New(s, "lecture"), &linktest.Peer{}
		ctx, cancel := context.WithCancel(t.Context())
		var group sync.WaitGroup
		group.Go(func() { _ = s.Run(ctx) })
		group.Go(func() { _ = n.Run(ctx, p.Join) })
		synctest.Wait()
		act(t, p, s)
		cancel()
		group.Wait()
	})
}

func TestStation_KeepsTheRulesOfTheLink(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s, err := stage.New(stage.Options{})
		require.NoError(t, err)
		ctx, cancel := context.WithCancel(t.Context())
		var group sync.WaitGroup
		group.Go(func() { _ = s.Run(ctx) })
		group.Go(func() {
			_ = onstage.New(s, "lecture").Run(ctx, func(_ context.Context, l station.Link) error {
				linktest.Conform(t, l)
				cancel()
				return nil
			})
		})
		group.Wait()
	})
}

func TestHeard_TrainsEndAfterSilence(t *testing.T) {
	live(t, func(t *testing.T, p *linktest.Peer, s *stage.Stage) {
		require.NoError(t, s.Press("projector", "on", 300*time.Millisecond))
		time.Sleep(2 * time.Second)
		trains := linktest.Said[station.Heard](p)
		require.Len(t, trains, 3, "the frame and two repeat frames are three trains")
		assert.Equal(t, []int{67, 3, 3}, []int{len(trains[0].Train), len(trains[1].Train), len(trains[2].Train)})
		assert.InDelta(t, 108_300*1.004, trains[1].At-trains[0].At, 300)
		assert.InDelta(t, 0.8, *trains[0].Strength, 0.001)
	})
}
