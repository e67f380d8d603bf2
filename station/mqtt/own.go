package mqtt

import (
	"context"
	"crypto/rand"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"net"
	"sync"

	broker "github.com/mochi-mqtt/server/v2"
	"github.com/mochi-mqtt/server/v2/listeners"
	"github.com/mochi-mqtt/server/v2/packets"

	"urbo/station"
)

// Doorman knows the tokens of stations.
type Doorman interface {
	// Station says whether a token lets a station of a name in; revoked is closed when it does not any more.
	Station(ctx context.Context, name, token, from string) (revoked <-chan struct{}, err error)
}

// OwnOptions of a broker that Urbo runs itself.
type OwnOptions struct {
	Listen  string      // HOST:PORT
	TLS     *tls.Config // nil for none
	Doorman Doorman
}

// Own is a broker that runs in this process, for stations only: each signs in with its name and its token, and speaks
// at its own topics. Nobody else gets in.
type Own struct{ options OwnOptions }

// NewOwn makes the transport of a broker of our own.
func NewOwn(o OwnOptions) *Own { return &Own{o} }

// most is the most clients of the broker at once.
const most = maxLinks + 1

// Run runs the broker, and brings the links of its stations, until the context ends.
func (o *Own) Run(ctx context.Context, join func(context.Context, station.Link) error) error {
	door := &guard{ctx: ctx, doorman: o.options.Doorman, secret: rand.Text(),
		inside: map[*broker.Client]context.CancelFunc{}}
	capabilities := broker.NewDefaultServerCapabilities()
	capabilities.MaximumClients = most
	capabilities.MaximumPacketSize = station.MaxMessage + 1024
	capabilities.MaximumSessionExpiryInterval = 0
	capabilities.RetainAvailable = 0
	capabilities.MaximumClientWritesPending = 256
	server := broker.New(&broker.Options{Capabilities: capabilities, SysTopicResendInterval: math.MaxInt32,
		Logger: slog.New(slog.DiscardHandler)})
	if err := server.AddHook(door, nil); err != nil {
		return fmt.Errorf("start the broker: %w", err)
	}
	outside, err := net.Listen("tcp", o.options.Listen)
	if err != nil {
		return fmt.Errorf("the broker listens on %s: %w", o.options.Listen, err)
	}
	if o.options.TLS != nil {
		outside = tls.NewListener(outside, o.options.TLS)
	}
	inside, err := net.Listen("tcp", "127.0.0.1:0") // for the house itself
	if err != nil {
		return errors.Join(err, outside.Close())
	}
	for id, l := range map[string]net.Listener{"stations": outside, "house": inside} {
		if err := server.AddListener(listeners.NewNet(id, l)); err != nil {
			return errors.Join(fmt.Errorf("start the broker: %w", err), outside.Close(), inside.Close())
		}
	}
	if err := server.Serve(); err != nil {
		return errors.Join(fmt.Errorf("start the broker: %w", err), server.Close())
	}
	defer server.Close()
	house := Broker{Options{URL: "mqtt://" + inside.Addr().String(), User: houseUser, Password: door.secret}}
	return house.Run(ctx, join)
}

// houseUser is the account of the house itself; no station has a name with a dot.
const houseUser = "urbo.house"

// guard lets stations in, each at its own topics.
type guard struct {
	broker.HookBase
	ctx     context.Context
	doorman Doorman
	secret  string // of the house itself

	mu     sync.Mutex
	inside map[*broker.Client]context.CancelFunc // stations, with what ends the watch over their tokens
}

// ID is its name.
func (g *guard) ID() string { return "guard" }

// Provides lists what it decides.
func (g *guard) Provides(b byte) bool {
	return b == broker.OnConnectAuthenticate || b == broker.OnACLCheck || b == broker.OnDisconnect
}

// OnConnectAuthenticate says who may come in.
func (g *guard) OnConnectAuthenticate(c *broker.Client, p packets.Packet) bool {
	user, password := string(p.Connect.Username), string(p.Connect.Password)
	if user == houseUser {
		return c.Net.Listener == "house" && password == g.secret
	}
	if c.Net.Listener != "stations" || !station.ValidName(user) {
		return false
	}
	host, _, err := net.SplitHostPort(c.Net.Remote)
	if err != nil {
		host = c.Net.Remote
	}
	revoked, err := g.doorman.Station(g.ctx, user, password, host)
	if err != nil {
		slog.Warn("a station is not let in at the broker", "name", user, "from", host, "error", err)
		return false
	}
	watch, end := context.WithCancel(g.ctx)
	g.mu.Lock()
	g.inside[c] = end
	g.mu.Unlock()
	go func() {
		select {
		case <-revoked:
			c.Stop(errors.New("its token was removed"))
		case <-watch.Done():
		}
	}()
	return true
}

// OnDisconnect ends the watch over a token.
func (g *guard) OnDisconnect(c *broker.Client, _ error, _ bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if end := g.inside[c]; end != nil {
		end()
		delete(g.inside, c)
	}
}

// OnACLCheck keeps each at its own topics.
func (g *guard) OnACLCheck(c *broker.Client, topic string, write bool) bool {
	user := string(c.Properties.Username)
	switch {
	case user == houseUser:
		return true
	case write:
		return topic == prefix+user+up
	}
	return topic == prefix+user+down || topic == whoTopic
}
