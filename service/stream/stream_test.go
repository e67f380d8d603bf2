package stream_test

import (
	"context"
	"fmt"
	"io"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"urbo/core/happening"
	"urbo/service/stream"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

func said(text string) happening.Happening {
	return happening.Happening{What: happening.HouseNote{Text: text}}
}

func TestStream_EveryFollowerGetsEverythingInOneOrder(t *testing.T) {
	s := stream.New(40, time.Now)
	queues := []*stream.Queue{s.Subscribe(), s.Subscribe()}
	var group sync.WaitGroup
	for w := range 8 {
		group.Go(func() {
			for n := range 200 {
				s.Publish(said(fmt.Sprint(w, " ", n)))
			}
		})
	}
	group.Wait()
	s.Close()
	var first []happening.Happening
	for _, q := range queues {
		var got []happening.Happening
		for {
			batch, err := q.Next(t.Context())
			if err != nil {
				require.ErrorIs(t, err, io.EOF)
				break
			}
			got = append(got, batch...)
		}
		require.Len(t, got, 1600)
		for i, h := range got {
			require.EqualValues(t, 41+i, h.Seq, "it goes on after the last that is on disk")
		}
		if first != nil {
			assert.Equal(t, first, got)
		}
		first = got
	}
}

func TestQueue_ASlowFollowerDelaysNobodyAndWhatItHasNotDoneStays(t *testing.T) {
	s := stream.New(0, time.Now)
	slow, quick := s.Subscribe(), s.Subscribe()
	for n := range 1000 {
		s.Publish(said(fmt.Sprint(n)))
		batch, err := quick.Next(t.Context())
		require.NoError(t, err)
		require.Len(t, batch, 1)
	}
	waiting, size := slow.Waiting()
	require.Len(t, waiting, 1000)
	slow.Done(400)
	left, less := slow.Waiting()
	assert.Equal(t, waiting[400:], left)
	assert.InDelta(t, float64(size)*0.6, less, 1)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := quick.Next(ctx)
	assert.ErrorIs(t, err, context.Canceled)
}
