package event_test

import (
	"context"
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/service/event"
	"urbo/wire"
)

var errEnough = errors.New("enough")

// collect listens until n events with data came.
func collect(t *testing.T, h *event.Hub, after uint64, n int) (first uint64, got []wire.Event) {
	t.Helper()
	joined := false
	err := h.Listen(t.Context(), after, func(e wire.Event) error {
		if !joined {
			joined, first = true, e.ID
			assert.Nil(t, e.Data, "the first call only says that it has begun")
			if n == 0 {
				return errEnough
			}
			return nil
		}
		if got = append(got, e); len(got) == n {
			return errEnough
		}
		return nil
	})
	require.ErrorIs(t, err, errEnough)
	return first, got
}

func entry(id string) wire.Entry { return wire.Entry{ID: id} }

func TestListen_GoesOnWhereItWas(t *testing.T) {
	var h event.Hub
	for _, id := range []string{"a", "b", "c"} {
		h.Publish(entry(id))
	}
	first, _ := collect(t, &h, 0, 0)
	assert.EqualValues(t, 3, first, "0 begins now")
	_, got := collect(t, &h, 1, 2)
	assert.Equal(t, []wire.Event{{ID: 2, Data: entry("b")}, {ID: 3, Data: entry("c")}}, got)
}

func TestListen_BeginsAnewWhereTooMuchWasMissed(t *testing.T) {
	var h event.Hub
	for range 2000 {
		h.Publish(entry("x"))
	}
	_, got := collect(t, &h, 5, 1)
	assert.Equal(t, wire.Reset{}, got[0].Data, "older than what is kept")
	_, got = collect(t, &h, 5000, 1)
	assert.Equal(t, wire.Reset{}, got[0].Data, "from before a restart")
	_, got = collect(t, &h, 1990, 10)
	assert.EqualValues(t, 1991, got[0].ID)
}

func TestListen_EndsWithItsContext(t *testing.T) {
	var h event.Hub
	ctx, cancel := context.WithCancel(t.Context())
	err := h.Listen(ctx, 0, func(wire.Event) error {
		cancel()
		return nil
	})
	assert.NoError(t, err)
}
