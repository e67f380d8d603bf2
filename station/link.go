package station

import (
	"context"
	"errors"
)

// ErrAway is wrapped where a station cannot be reached: nothing went out.
var ErrAway = errors.New("station is away")

// Transport is one way that links come in: now or later, one or many.
type Transport interface {
	// Run brings links until the context ends. It hands each to join, which returns when the link has ended; links of
	// one transport may be joined at once. Where Run returns an error it is run again after a while, where it returns
	// nil it has ended for good.
	Run(ctx context.Context, join func(context.Context, Link) error) error
}

// Link is the connection of one station.
type Link interface {
	// Receive waits for the station's next message. An error means that the link has ended.
	Receive(ctx context.Context) (Message, error)
	// Tell sends one message to the station. It does not wait for an answer, which comes through Receive. Its error
	// wraps ErrAway where there is no connection any more.
	Tell(ctx context.Context, m Message) error
	// Close ends the link; Receive returns an error then. It can be called more than once, and while the others run.
	Close() error
}
