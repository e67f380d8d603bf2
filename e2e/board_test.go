package e2e

import (
	"context"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"urbo/stage"
	"urbo/station"
	"urbo/station/onstage"
	"urbo/station/pty"
)

// board is a simulated board on a serial line, with a stage of its own around it.
type board struct {
	stage *stage.Stage
	line  *pty.Line
}

// newBoard plugs a board in, until the end of the test.
func newBoard(t *testing.T, name string) *board {
	t.Helper()
	s, err := stage.New(stage.Options{})
	require.NoError(t, err)
	line, err := pty.Open()
	require.NoError(t, err)
	n := onstage.New(s, name)
	ctx, cancel := context.WithCancel(context.Background())
	var group sync.WaitGroup
	group.Go(func() { _ = s.Run(ctx) })
	group.Go(func() {
		_ = n.Run(ctx, func(ctx context.Context, l station.Link) error {
			return station.Relay(ctx, l,
				station.NewLines(station.Origin{Over: station.Serial, Address: line.Path}, line))
		})
	})
	t.Cleanup(func() {
		cancel()
		group.Wait()
		_ = line.Close()
	})
	return &board{s, line}
}
