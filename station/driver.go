package station

import (
	"context"
	"errors"
)

// ErrAway is returned by Tell when the station cannot be reached: nothing went out.
var ErrAway = errors.New("station is away")

// Driver is one connection to one station, over one kind of transport.
type Driver interface {
	// Run keeps the link up until the context ends and hands every message of the station to up, in order. up does
	// not block.
	Run(ctx context.Context, up func(Message)) error
	// Tell sends one message to the station. It does not wait for an answer; answers come through up. Its error
	// wraps ErrAway where there is no connection.
	Tell(m Message) error
}
