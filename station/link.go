package station

import (
	"context"

	"urbo/core/fault"
)

// ErrAway is wrapped where a station cannot be reached: nothing went out.
var ErrAway = fault.New(fault.Away, "station is away")

// Transport is one way that links come in: now or later, one or many.
type Transport interface {
	// Run brings links until the context ends. It hands each to join, which returns when the link has ended; links of
	// one transport may be joined at once. Where Run returns an error it is run again after a while, where it returns
	// nil it has ended for good.
	Run(ctx context.Context, join func(context.Context, Link) error) error
}

// Waiting is a transport that waits for its hardware inside Run. It says what it waits for, as often as it looks.
type Waiting interface {
	Transport
	Waits(say func(error))
}

// Link is the connection of one station.
type Link interface {
	// Origin is where it comes from.
	Origin() Origin
	// Receive waits for the station's next message. An error means that the link has ended.
	Receive(ctx context.Context) (Message, error)
	// Tell sends one message to the station. It does not wait for an answer, which comes through Receive. Its error
	// wraps ErrAway where there is no connection any more.
	Tell(ctx context.Context, m Message) error
	// Close ends the link; Receive returns an error then. It can be called more than once, and while the others run.
	Close() error
}

// Origin is where a link comes from. It is the same for the same station, whatever the station calls itself.
type Origin struct {
	Over    Over
	Address string // of a serial or kernel device, the id of a token, or the name on the broker or the stage
}

// Over is a kind of transport.
type Over string

// The transports.
const (
	Stage     Over = "stage"
	Serial    Over = "serial"
	WebSocket Over = "websocket"
	MQTT      Over = "mqtt"
	Kernel    Over = "kernel"
	Samples   Over = "samples"
)

// Relay passes messages between two links until one of them ends, and closes both. Each sees the other as its station,
// so this is how one process stands between a station and the house.
func Relay(ctx context.Context, a, b Link) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	ended := make(chan error, 2)
	pass := func(from, to Link) {
		for {
			m, err := from.Receive(ctx)
			if err == nil {
				err = to.Tell(ctx, m)
			}
			if err != nil {
				ended <- err
				return
			}
		}
	}
	go pass(a, b)
	go pass(b, a)
	err := <-ended
	cancel()
	_, _ = a.Close(), b.Close()
	<-ended
	return err
}
