package feed_test

import (
	"context"
	"errors"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"urbo/core/happening"
	"urbo/core/signal"
	"urbo/service/feed"
	"urbo/service/stream"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

// all hears of everything.
func all(happening.Happening) bool { return true }

var errEnough = errors.New("enough")

// running runs a feed of a stream in fake time.
func running(t *testing.T, act func(t *testing.T, s *stream.Stream, f *feed.Feed)) {
	synctest.Test(t, func(t *testing.T) {
		s := stream.New(0, time.Now)
		f := feed.New(s)
		done := make(chan struct{})
		go func() { defer close(done); _ = f.Run(t.Context()) }()
		act(t, s, f)
		s.Close()
		<-done
	})
}

func publish(s *stream.Stream, texts ...string) {
	for _, text := range texts {
		s.Publish(happening.Happening{What: happening.HouseNote{Text: text}})
	}
	synctest.Wait()
}

// collect listens until n items came after the first one, and returns where it began.
func collect(t *testing.T, f *feed.Feed, after string, n int) (at string, got []feed.Item) {
	t.Helper()
	joined := false
	err := f.Listen(t.Context(), after, all, func(i feed.Item, _ bool) error {
		if !joined {
			joined, at = true, i.ID
			assert.Nil(t, i.What.What, "the first call only says that it has begun")
		} else {
			got = append(got, i)
		}
		if len(got) == n {
			return errEnough
		}
		return nil
	})
	require.ErrorIs(t, err, errEnough)
	return at, got
}

func texts(items []feed.Item) (out []string) {
	for _, i := range items {
		l, _ := i.What.What.Tell()
		out = append(out, l.Text)
	}
	return out
}

func TestListen_GoesOnWhereItWas(t *testing.T) {
	running(t, func(t *testing.T, s *stream.Stream, f *feed.Feed) {
		at, _ := collect(t, f, "", 0)
		publish(s, "a", "b", "c")
		_, got := collect(t, f, at, 0)
		assert.Empty(t, got)
		publish(s, "d")
		now, _ := collect(t, f, "", 0)
		publish(s, "e", "f")
		_, got = collect(t, f, now, 2)
		assert.Equal(t, []string{"e", "f"}, texts(got))
		_, got = collect(t, f, got[0].ID, 1)
		assert.Equal(t, []string{"f"}, texts(got))
	})
}

func TestListen_AnIDFromBeforeARestartBeginsAnewAndSkipsNothingSilently(t *testing.T) {
	var old string
	running(t, func(t *testing.T, s *stream.Stream, f *feed.Feed) {
		publish(s, "a", "b", "c")
		old, _ = collect(t, f, "", 0)
	})
	running(t, func(t *testing.T, s *stream.Stream, f *feed.Feed) {
		publish(s, "a", "b", "c", "d", "e")
		for _, after := range []string{old, "17", "nonsense", "-3"} {
			_, got := collect(t, f, after, 1)
			assert.True(t, got[0].Reset, after)
		}
	})
}

func TestListen_WhatIsKeptIsBoundedInNumberAndBytes(t *testing.T) {
	running(t, func(t *testing.T, s *stream.Stream, f *feed.Feed) {
		at, _ := collect(t, f, "", 0)
		for range 2000 {
			s.Publish(happening.Happening{What: happening.HouseNote{Text: "x"}})
		}
		synctest.Wait()
		_, got := collect(t, f, at, 1)
		assert.True(t, got[0].Reset, "older than what is kept")
		at, _ = collect(t, f, "", 0)
		for range 200 {
			long := happening.Capture{Trains: []signal.Reception{{Train: make(signal.Train, 4095)}}}
			s.Publish(happening.Happening{What: happening.HeardOf(long)})
		}
		synctest.Wait()
		_, got = collect(t, f, at, 1)
		assert.True(t, got[0].Reset, "200 long captures are more than what is kept, though few")
	})
}

func TestListen_ASlowListenerIsResetAndBlocksNobody(t *testing.T) {
	running(t, func(t *testing.T, s *stream.Stream, f *feed.Feed) {
		var resets, items int
		joined, enough := make(chan struct{}), make(chan struct{})
		go func() {
			defer close(enough)
			_ = f.Listen(t.Context(), "", all, func(i feed.Item, _ bool) error {
				switch {
				case i.Reset:
					resets++
				case i.What.What == nil:
					close(joined)
				default:
					time.Sleep(time.Second)
					items++
				}
				if l := i.What.What; l != nil && l.(happening.HouseNote).Text == "last" {
					return errEnough
				}
				return nil
			})
		}()
		<-joined
		for range 1000 {
			s.Publish(happening.Happening{What: happening.HouseNote{Text: "x"}})
		}
		time.Sleep(time.Hour)
		publish(s, "last")
		<-enough
		assert.Equal(t, 1, resets)
		assert.Less(t, items, 300)
	})
}

func TestListen_EndsWithItsContext(t *testing.T) {
	f := feed.New(stream.New(0, time.Now))
	ctx, cancel := context.WithCancel(t.Context())
	require.NoError(t, f.Listen(ctx, "", all, func(feed.Item, bool) error {
		cancel()
		return nil
	}))
}
