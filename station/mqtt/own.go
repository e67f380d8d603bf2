package mqtt

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"net"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	broker "github.com/mochi-mqtt/server/v2"
	"github.com/mochi-mqtt/server/v2/listeners"
	"github.com/mochi-mqtt/server/v2/packets"

	"urbo/core/plain"
	"urbo/station"
)

// Doorman knows the tokens of stations, and of programs that tell measurements.
type Doorman interface {
	// Station says whether a token lets a station of a name in; revoked is closed when it does not any more.
	Station(ctx context.Context, name, token, from string) (revoked <-chan struct{}, err error)
	// Program says whether a token lets a program in. may says whether it may tell the values of a measurement; revoked
	// is closed when it does not let it in any more.
	Program(ctx context.Context, token, from string) (may func(measurement string) bool, revoked <-chan struct{},
		err error)
}

// Telling knows which measurements come from a topic.
type Telling interface {
	Topics
	// Told lists the measurements that come from a topic.
	Told(topic string) (measurements []string)
}

// OwnOptions of a broker that Urbo runs itself.
type OwnOptions struct {
	Listen  string       // HOST:PORT
	Bound   net.Listener // that it takes instead, where it is given
	TLS     *tls.Config  // nil for none
	Doorman Doorman
	Telling Telling // nil is nothing but stations
}

// Own is a broker that runs in this process, for stations and for programs that tell measurements: each station signs
// in
// with its name and its token, and speaks at its own topics; a program signs in as "urbo.program" with its token, and
// publishes at the topics of measurements that it may tell. Nobody else gets in, and nobody hears another.
type Own struct{ options OwnOptions }

// NewOwn makes the transport of a broker of our own.
func NewOwn(o OwnOptions) *Own { return &Own{o} }

// most is the most clients of the broker at once.
const most = maxLinks + 1

// Run runs the broker, and brings the links of its stations, until the context ends.
func (o *Own) Run(ctx context.Context, join func(context.Context, station.Link) error) error {
	door := &guard{ctx: ctx, doorman: o.options.Doorman, telling: o.options.Telling, secret: rand.Text(),
		inside: map[string]*seat{}, paces: map[string]*station.Pace{}}
	capabilities := broker.NewDefaultServerCapabilities()
	capabilities.MaximumClients = most
	capabilities.MaximumPacketSize = mostPacket
	capabilities.MaximumSessionExpiryInterval = 0
	capabilities.RetainAvailable = 0
	capabilities.SharedSubAvailable = 0
	capabilities.TopicAliasMaximum = 0
	capabilities.MaximumQos = 1
	// What stations said and the house has not taken yet. Each is held up beyond its pace, so that this is never full.
	capabilities.MaximumInflight = 8192
	capabilities.MaximumClientWritesPending = 8192
	server := broker.New(&broker.Options{Capabilities: capabilities, SysTopicResendInterval: math.MaxInt32,
		Logger: slog.New(slog.DiscardHandler)})
	if err := server.AddHook(door, nil); err != nil {
		return fmt.Errorf("start the broker: %w", err)
	}
	l, err := o.options.Bound, error(nil)
	if l == nil {
		l, err = net.Listen("tcp", o.options.Listen)
	}
	if err != nil {
		return fmt.Errorf("the broker listens on %s: %w", o.options.Listen, err)
	}
	var outside net.Listener = newEntrance(l)
	if o.options.TLS != nil {
		outside = tls.NewListener(outside, o.options.TLS)
	}
	l, err = net.Listen("tcp", "127.0.0.1:0") // for the house itself
	if err != nil {
		return errors.Join(err, outside.Close())
	}
	inside := newEntrance(l)
	for id, l := range map[string]net.Listener{"stations": outside, "house": inside} {
		if err := server.AddListener(listeners.NewNet(id, l)); err != nil {
			return errors.Join(fmt.Errorf("start the broker: %w", err), outside.Close(), inside.Close())
		}
	}
	if err := server.Serve(); err != nil {
		return errors.Join(fmt.Errorf("start the broker: %w", err), server.Close())
	}
	defer server.Close()
	at := Options{URL: "mqtt://" + inside.Addr().String(), User: houseUser, Password: door.secret}
	if o.options.Telling != nil {
		messages := at
		messages.User = messagesUser
		var listening sync.WaitGroup
		listening.Go(func() { listen(ctx, messages, o.options.Telling) })
		defer listening.Wait()
	}
	house := Broker{options: at}
	return house.Run(ctx, join)
}

// houseUser and messagesUser are the accounts of the house itself, for stations and for messages; no station has a name
// with a dot.
const houseUser, messagesUser = "urbo.house", "urbo.messages"

// programUser is the account that programs sign in with; they differ by their tokens.
const programUser = "urbo.program"

// guard lets stations in, each at its own topics.
type guard struct {
	broker.HookBase
	ctx     context.Context
	doorman Doorman
	telling Telling
	secret  string // of the house itself
	count   atomic.Int64

	mu     sync.Mutex
	inside map[string]*seat         // by account
	paces  map[string]*station.Pace // by account, also of those that went
}

// seat is the one connection of an account.
type seat struct {
	client *broker.Client
	end    context.CancelFunc // of the watch over its token
	left   chan struct{}      // closed when it is over, and its will is said
	may    func(string) bool  // of a program: which measurements it may tell
}

// leaving is how long an older connection of an account may take to be over.
const leaving = 2 * time.Second

var errAgain = errors.New("its account connected again")

// ID is its name.
func (g *guard) ID() string { return "guard" }

// Provides lists what it decides.
func (g *guard) Provides(b byte) bool {
	return slices.Contains([]byte{broker.OnConnectAuthenticate, broker.OnACLCheck, broker.OnDisconnect,
		broker.OnPublish,
		broker.OnWill}, b)
}

// OnConnectAuthenticate says who may come in, and takes what it may not ask for from it: an id of another connection,
// a will elsewhere or later, and a session that outlives it.
func (g *guard) OnConnectAuthenticate(c *broker.Client, p packets.Packet) bool {
	user, password := string(p.Connect.Username), string(p.Connect.Password)
	var revoked <-chan struct{}
	var may func(string) bool
	switch {
	case c.Net.Listener == "house":
		if user != houseUser && user != messagesUser || subtle.ConstantTimeCompare([]byte(password),
			[]byte(g.secret)) != 1 {
			return false
		}
	case user == programUser && g.telling != nil:
		host, _, err := net.SplitHostPort(c.Net.Remote)
		if err != nil {
			host = c.Net.Remote
		}
		if may, revoked, err = g.doorman.Program(g.ctx, password, host); err != nil || p.Connect.WillFlag {
			slog.Warn("a program is not let in at the broker", "from", host, "error", err)
			return false
		}
	case !station.ValidName(user):
		return false
	default:
		host, _, err := net.SplitHostPort(c.Net.Remote)
		if err != nil {
			host = c.Net.Remote
		}
		if revoked, err = g.doorman.Station(g.ctx, user, password, host); err != nil {
			slog.Warn("a station is not let in at the broker", "name", user, "from", host, "error", err)
			return false
		}
		if p.Connect.WillFlag && p.Connect.WillTopic != prefix+user+up {
			slog.Warn("a station is not let in at the broker: its will is for another's topic", "name", user, "from",
				host, "topic", plain.Show(p.Connect.WillTopic))
			return false
		}
	}
	// No two connections have one id, so none ends another by it; those of one account follow each other.
	c.ID = user + "." + strconv.FormatInt(g.count.Add(1), 10)
	if may != nil { // programs differ by their connections, and none ends another
		user = c.ID
		c.Properties.Username = []byte(user)
	}
	c.Properties.Clean = true
	c.Properties.Props.SessionExpiryInterval = 0
	c.Properties.Will.WillDelayInterval = 0
	watch, end := context.WithCancel(g.ctx)
	if !g.sit(user, &seat{client: c, end: end, left: make(chan struct{}), may: may}) {
		end()
		return false
	}
	known(c.Net.Conn)
	if revoked != nil {
		go func() {
			select {
			case <-revoked:
				c.Stop(errors.New("its token was removed"))
			case <-watch.Done():
			}
		}()
	}
	return true
}

// sit gives an account's place to a connection. The one that has it ends first, and its will is said: what the newer
// one says comes after it.
func (g *guard) sit(user string, s *seat) bool {
	for {
		g.mu.Lock()
		old := g.inside[user]
		if old == nil {
			g.inside[user] = s
			g.mu.Unlock()
			return true
		}
		g.mu.Unlock()
		old.client.Stop(errAgain)
		timer := time.NewTimer(leaving)
		select {
		case <-old.left:
		case <-timer.C: // it broke while it came in, and nobody says so
			g.leave(user, old)
		case <-g.ctx.Done():
			timer.Stop()
			return false
		}
		timer.Stop()
	}
}

// leave frees a place.
func (g *guard) leave(user string, s *seat) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.inside[user] == s {
		delete(g.inside, user)
		s.end()
		close(s.left)
	}
}

// OnDisconnect frees the place of a connection that is over.
func (g *guard) OnDisconnect(c *broker.Client, _ error, _ bool) {
	user := string(c.Properties.Username)
	g.mu.Lock()
	s := g.inside[user]
	g.mu.Unlock()
	if s != nil && s.client == c {
		g.leave(user, s)
	}
}

// OnACLCheck keeps each at its own topics.
func (g *guard) OnACLCheck(c *broker.Client, topic string, write bool) bool {
	user := string(c.Properties.Username)
	switch {
	case user == houseUser:
		return true
	case user == messagesUser:
		return !write && !strings.HasPrefix(topic, "urbo/")
	case strings.HasPrefix(user, programUser+"."):
		return write && g.tells(user, topic)
	case write:
		return topic == prefix+user+up
	}
	return topic == prefix+user+down || topic == whoTopic
}

// tells says whether a program may tell something under a topic: all measurements that come from it.
func (g *guard) tells(user, topic string) bool {
	g.mu.Lock()
	s := g.inside[user]
	g.mu.Unlock()
	if s == nil || s.may == nil || g.telling == nil {
		return false
	}
	all := g.telling.Told(topic)
	return len(all) > 0 && !slices.ContainsFunc(all, func(m string) bool { return !s.may(m) })
}

// OnPublish looks at the topic once more, now that aliases are names, keeps nothing for later, and holds up a station
// that says too much: only its own connection waits.
func (g *guard) OnPublish(c *broker.Client, p packets.Packet) (packets.Packet, error) {
	user := string(c.Properties.Username)
	if user == houseUser || user == messagesUser {
		return p, nil
	}
	if !g.OnACLCheck(c, p.TopicName, true) {
		return p, packets.ErrRejectPacket
	}
	p.FixedHeader.Retain = false
	g.mu.Lock()
	pace := g.paces[user]
	if pace == nil {
		pace = station.NewPace()
		g.paces[user] = pace
	}
	g.mu.Unlock()
	if err := pace.Wait(g.ctx, len(p.Payload)); err != nil {
		return p, packets.ErrRejectPacket
	}
	return p, nil
}

// OnWill keeps a will at the topic of whom it is of.
func (g *guard) OnWill(c *broker.Client, w broker.Will) (broker.Will, error) {
	if user := string(c.Properties.Username); user != houseUser {
		w.TopicName, w.Retain = prefix+user+up, false
	}
	return w, nil
}
