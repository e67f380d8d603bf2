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
	"urbo/station/onstage"
)

// said collects what a station says.
type said struct {
	mu  sync.Mutex
	all []station.Message
}

func (s *said) up(m station.Message) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.all = append(s.all, m)
}

func of[M station.Message](s *said) []M {
	s.mu.Lock()
	defer s.mu.Unlock()
	var out []M
	for _, m := range s.all {
		if m, ok := m.(M); ok {
			out = append(out, m)
		}
	}
	return out
}

// live runs a station on a stage under fake time.
func live(t *testing.T, act func(n *onstage.Station, s *stage.Stage, heard *said)) {
	synctest.Test(t, func(t *testing.T) {
		s, err := stage.New(stage.Options{})
		require.NoError(t, err)
		n := onstage.New(s, "lecture")
		ctx, cancel := context.WithCancel(t.Context())
		heard := &said{}
		var group sync.WaitGroup
		group.Go(func() { _ = s.Run(ctx) })
		group.Go(func() { _ = n.Run(ctx, heard.up) })
		synctest.Wait()
		act(n, s, heard)
		cancel()
		group.Wait()
		assert.ErrorIs(t, n.Tell(station.Ping{}), station.ErrAway, "nobody hears a station that does not run")
	})
}

func TestStation_SaysHelloByTheRules(t *testing.T) {
	live(t, func(_ *onstage.Station, _ *stage.Stage, heard *said) {
		hello := of[station.Hello](heard)
		require.Len(t, hello, 1)
		assert.NoError(t, hello[0].Check())
	})
}

func TestSend_IsAnsweredWhenItIsOverAndNeverSentTwice(t *testing.T) {
	live(t, func(n *onstage.Station, s *stage.Stage, heard *said) {
		send := station.Send{ID: "a", Port: "ir-out", CarrierHz: 38_000, Once: []int{9000, 4500, 560, 40_000}, Repeat: []int{9000, 2250, 560, 96_190}, Repeats: 2, GapUS: 150_000}
		require.NoError(t, n.Tell(send))
		require.NoError(t, n.Tell(station.Send{ID: "b", Port: "ir-out", Once: []int{500, 500}}))
		time.Sleep(100 * time.Millisecond)
		assert.Empty(t, of[station.Sent](heard), "it is still on the air")
		assert.Equal(t, "still sending something else", of[station.Failed](heard)[0].Reason)
		time.Sleep(time.Second)
		sent := of[station.Sent](heard)
		require.Len(t, sent, 1)
		assert.Equal(t, int64(54_060+2*108_000+(150_000-96_190)), sent[0].Took, "with the silence that was asked for")

		require.NoError(t, n.Tell(send))
		time.Sleep(time.Second)
		sent = of[station.Sent](heard)
		require.Len(t, sent, 2)
		assert.Equal(t, sent[0], sent[1], "a known id is answered again")
		trains := 0
		for _, h := range of[station.Heard](heard) {
			trains += len(h.Train)
		}
		assert.Equal(t, 3*3, trains, "and heard once: three frames of three durations")
	})
}

func TestSend_UnknownPortFails(t *testing.T) {
	live(t, func(n *onstage.Station, _ *stage.Stage, heard *said) {
		require.NoError(t, n.Tell(station.Send{ID: "a", Port: "ir-in", Once: []int{500, 500}}))
		time.Sleep(time.Second)
		assert.Contains(t, of[station.Failed](heard)[0].Reason, `no transmitter "ir-in"`)
	})
}

func TestHold_RepeatsUntilTheLeaseEndsOrItIsCancelled(t *testing.T) {
	live(t, func(n *onstage.Station, _ *stage.Stage, heard *said) {
		frame := []int{500, 99_500}
		require.NoError(t, n.Tell(station.Send{ID: "a", Port: "ir-out", CarrierHz: 38_000, Once: frame, Repeat: frame}))
		require.NoError(t, n.Tell(station.Hold{ID: "a", Lease: 1000}))
		time.Sleep(3 * time.Second)
		assert.InDelta(t, 1_050_000, of[station.Sent](heard)[0].Took, 60_000)

		require.NoError(t, n.Tell(station.Send{ID: "b", Port: "ir-out", CarrierHz: 38_000, Once: frame, Repeat: frame}))
		require.NoError(t, n.Tell(station.Hold{ID: "b", Lease: 10_000}))
		time.Sleep(350 * time.Millisecond)
		require.NoError(t, n.Tell(station.Cancel{ID: "b"}))
		time.Sleep(time.Second)
		assert.InDelta(t, 400_000, of[station.Sent](heard)[1].Took, 60_000)
	})
}

func TestHeard_TrainsEndAfterSilence(t *testing.T) {
	live(t, func(_ *onstage.Station, s *stage.Stage, heard *said) {
		require.NoError(t, s.Press("projector", "on", 300*time.Millisecond))
		time.Sleep(2 * time.Second)
		trains := of[station.Heard](heard)
		require.Len(t, trains, 3, "the frame and two repeat frames are three trains")
		assert.Equal(t, []int{67, 3, 3}, []int{len(trains[0].Train), len(trains[1].Train), len(trains[2].Train)})
		assert.InDelta(t, 108_300*1.004, trains[1].At-trains[0].At, 300)
		assert.InDelta(t, 0.8, *trains[0].Strength, 0.001)
	})
}
