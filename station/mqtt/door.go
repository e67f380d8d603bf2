package mqtt

import (
	"log/slog"
	"net"
	"sync"

	"github.com/mochi-mqtt/server/v2/listeners"
)

// door brings the connections of a listener to the broker, and knows when all of them are over. The broker's own count
// of them cannot be waited for while another one may come.
type door struct {
	id       string
	listener net.Listener
	open     sync.WaitGroup // its loop, and its connections
	log      *slog.Logger
}

func newDoor(id string, l net.Listener) *door {
	d := &door{id: id, listener: l}
	d.open.Add(1) // its loop, which the broker starts
	return d
}

// Init takes the broker's log.
func (d *door) Init(log *slog.Logger) error {
	d.log = log
	return nil
}

// Serve brings connections until the listener is closed.
func (d *door) Serve(establish listeners.EstablishFn) {
	defer d.open.Done()
	for {
		c, err := d.listener.Accept()
		if err != nil {
			return
		}
		d.open.Go(func() {
			if err := establish(d.id, c); err != nil {
				d.log.Debug("a connection is over", "error", err)
			}
		})
	}
}

// wait waits until the loop and all connections of it are over. The listener has to be closed.
func (d *door) wait() { d.open.Wait() }

// ID is its name.
func (d *door) ID() string { return d.id }

// Address is where it listens.
func (d *door) Address() string { return d.listener.Addr().String() }

// Protocol is the network that it listens on.
func (d *door) Protocol() string { return d.listener.Addr().Network() }

// Close ends it, and its connections.
func (d *door) Close(closeClients listeners.CloseFn) {
	closeClients(d.id)
	_ = d.listener.Close()
}
