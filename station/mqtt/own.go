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
	"github.com/mochi-mqtt/server/v2/packets"

	"urbo/core/grant"
	"urbo/core/plain"
	"urbo/station"
)

// Doorman knows the tokens of stations, and of programs that tell measurements.
type Doorman interface {
	// Station says whether a token lets a station of a name in; revoked is closed when it does not any more.
	Station(ctx context.Context, name, token, from string) (revoked <-chan struct{}, err error)
	// Program says whether a token lets a program in, and what it may do; revoked is closed when it does not let it in
	// any more.
	Program(ctx context.Context, token, from string) (who grant.Who, revoked <-chan struct{}, err error)
}

// Telling knows which measurements come from a topic.
type Telling interface {
	Topics
	// Told lists the measurements that come from a topic.
	Told(topic string) (measurements []string)
}

// Face is what programs reach at the broker beside telling measurements.
type Face interface {
	// Hears says whether a program may hear what is published under a topic.
	Hears(who grant.Who, topic string) bool
	// Owns says whether a topic is one of the face's.
	Owns(topic string) bool
	// Takes says whether a topic is one that the face takes messages at, and whether a program may ask for that.
	Takes(who grant.Who, topic string) (is, may bool)
	// Take takes a message of a program. It does not wait for what becomes of it.
	Take(who grant.Who, m Message)
	// Up is called when the broker runs, with the way to publish; down when it does not any more.
	Up(publish func(Message) error) (down func())
}

// OwnOptions of a broker that Urbo runs itself.
type OwnOptions struct {
	Listen  string       // HOST:PORT
	Bound   net.Listener // that it takes instead, where it is given
	TLS     *tls.Config  // nil for none
	Doorman Doorman
	Telling Telling // nil is nothing but stations
	Face    Face    // nil for none
}

// Own is a broker that runs in this process, for stations and for programs: each station signs in with its name and its
// token, and speaks at its own topics; a program signs in as "urbo.program" with its token, publishes at the topics of
// measurements that it may tell, and reaches the face. Nobody else gets in, and nobody hears another.
type Own struct{ options OwnOptions }

// Serve gives programs a face. It is called before Run.
func (o *Own) Serve(f Face) { o.options.Face = f }

// NewOwn makes the transport of a broker of our own.
func NewOwn(o OwnOptions) *Own { return &Own{o} }

// most is the most clients of the broker at once.
const most = maxLinks + mostPrograms + 1

// mostPrograms is the most programs among them, and mostOfOne how many connections one token may have.
const mostPrograms, mostOfOne = 64, 16

// Run runs the broker, and brings the links of its stations, until the context ends.
func (o *Own) Run(ctx context.Context, join func(context.Context, station.Link) error) error {
	watch := &guard{ctx: ctx, doorman: o.options.Doorman, telling: o.options.Telling, face: o.options.Face,
		secret: rand.Text(),
		inside: map[string]*seat{}, paces: map[string]*station.Pace{}}
	capabilities := broker.NewDefaultServerCapabilities()
	capabilities.MaximumClients = most
	capabilities.MaximumPacketSize = mostPacket
	capabilities.MaximumSessionExpiryInterval = 0
	capabilities.SharedSubAvailable = 0
	capabilities.TopicAliasMaximum = 0
	// What stations said and the house has not taken yet. Each is held up beyond its pace, so that this is never full.
	capabilities.MaximumInflight = 8192
	capabilities.MaximumClientWritesPending = 8192
	server := broker.New(&broker.Options{Capabilities: capabilities, SysTopicResendInterval: math.MaxInt32,
		InlineClient: true, Logger: slog.New(slog.DiscardHandler)})
	if err := server.AddHook(watch, nil); err != nil {
		return fmt.Errorf("start the broker: %w", err)
	}
	l, err := o.options.Bound, error(nil)
	if l == nil {
		l, err = net.Listen("tcp", o.options.Listen)
	}
	if err != nil {
		return fmt.Errorf("the broker listens on %s: %w", o.options.Listen, err)
	}
	entrances := []*entrance{newEntrance(l)}
	var outside net.Listener = entrances[0]
	if o.options.TLS != nil {
		outside = tls.NewListener(outside, o.options.TLS)
	}
	l, err = net.Listen("tcp", "127.0.0.1:0") // for the house itself
	if err != nil {
		return errors.Join(err, outside.Close())
	}
	inside := newEntrance(l)
	entrances = append(entrances, inside)
	doors := []*door{newDoor("stations", outside), newDoor("house", inside)}
	for _, d := range doors {
		if err := server.AddListener(d); err != nil {
			return errors.Join(fmt.Errorf("start the broker: %w", err), outside.Close(), inside.Close())
		}
	}
	if err := server.Serve(); err != nil {
		return errors.Join(fmt.Errorf("start the broker: %w", err), server.Close())
	}
	defer end(server, entrances, doors)
	at := Options{URL: "mqtt://" + inside.Addr().String(), User: houseUser, Password: watch.secret}
	if o.options.Telling != nil {
		messages := at
		messages.User = messagesUser
		var listening sync.WaitGroup
		listening.Go(func() { listen(ctx, messages, o.options.Telling) })
		defer listening.Wait()
	}
	if o.options.Face != nil {
		inline, _ := server.Clients.Get(broker.InlineClientId)
		var mu sync.Mutex // packets go out in the order in which they are published
		down := o.options.Face.Up(func(m Message) error {
			mu.Lock()
			defer mu.Unlock()
			return server.InjectPacket(inline, m.packet())
		})
		defer down()
	}
	house := Broker{options: at}
	return house.Run(ctx, join)
}

// ending is how long a connection may take to hear that the broker ends.
const ending = time.Second

// end ends a broker. All connections are over before it is closed: its Close reads its list of clients under two read
// locks, one in the other, and waits for ever where one leaves the list between them.
func end(server *broker.Server, entrances []*entrance, doors []*door) {
	for _, c := range server.Clients.GetAll() {
		if c.Net.Inline || c.Net.Conn == nil {
			continue
		}
		_ = c.Net.Conn.SetWriteDeadline(time.Now().Add(ending))
		_ = server.DisconnectClient(c, packets.ErrServerShuttingDown)
	}
	for _, e := range entrances {
		_ = e.Close()
	}
	for _, d := range doors {
		d.wait()
	}
	_ = server.Close()
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
	face    Face
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
	who    *grant.Who         // of a program
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
	var program *grant.Who
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
		who, ends, err := g.doorman.Program(g.ctx, password, host)
		if err == nil && g.of(who.By.ID) >= mostOfOne {
			err = fmt.Errorf("its token has %d connections, which is the most", mostOfOne)
		}
		if err != nil {
			slog.Warn("a program is not let in at the broker", "from", host, "error", err)
			return false
		}
		program, revoked = &who, ends
		c.Properties.Will = broker.Will{} // what it asks for, it asks for while it is here
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
		if p.Connect.WillFlag && (p.Connect.WillTopic != prefix+user+up || p.Connect.WillRetain) {
			slog.Warn("a station is not let in at the broker: its will is for another's topic, or is to be kept",
				"name", user, "from",
				host, "topic", plain.Show(p.Connect.WillTopic))
			return false
		}
	}
	// No two connections have one id, so none ends another by it; those of one account follow each other.
	c.ID = user + "." + strconv.FormatInt(g.count.Add(1), 10)
	if program != nil { // programs differ by their connections, and none ends another
		user = c.ID
		c.Properties.Username = []byte(user)
	}
	c.Properties.Clean = true
	c.Properties.Props.SessionExpiryInterval = 0
	c.Properties.Will.WillDelayInterval = 0
	watch, end := context.WithCancel(g.ctx)
	if !g.sit(user, &seat{client: c, end: end, left: make(chan struct{}), who: program}) {
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

// of counts the connections of a program.
func (g *guard) of(id string) (n int) {
	g.mu.Lock()
	defer g.mu.Unlock()
	for _, s := range g.inside {
		if s.who != nil && s.who.By.ID == id {
			n++
		}
	}
	return n
}

// leave frees a place.
func (g *guard) leave(user string, s *seat) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.inside[user] == s {
		delete(g.inside, user)
		if s.who != nil {
			delete(g.paces, user)
		}
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
		return g.reaches(user, topic, write)
	case write:
		return topic == prefix+user+up
	}
	return topic == prefix+user+down || topic == whoTopic
}

// reaches says whether a program may publish under a topic, or hear what is published there. A filter may be
// subscribed to whatever it is: each message is asked about.
func (g *guard) reaches(user, topic string, write bool) bool {
	g.mu.Lock()
	s := g.inside[user]
	g.mu.Unlock()
	switch {
	case s == nil || s.who == nil:
		return false
	case write:
		_, may := g.takes(*s.who, topic)
		return may || g.tells(*s.who, topic)
	case strings.ContainsAny(topic, "+#"):
		return g.face != nil
	}
	return g.face != nil && (g.face.Hears(*s.who, topic) || g.silent(topic))
}

// silent says whether nobody publishes under a topic: a program may wait there for its answers, which go to it alone.
func (g *guard) silent(topic string) bool {
	if !CanAnswer(topic) || g.face.Owns(topic) {
		return false
	}
	if g.telling == nil {
		return true
	}
	topics, _ := g.telling.Topics()
	return !slices.Contains(topics, topic) && len(g.telling.Told(topic)) == 0
}

// takes says whether the face takes messages at a topic, and whether a program may ask for that there. Of what it may
// not, the face says why.
func (g *guard) takes(who grant.Who, topic string) (is, may bool) {
	if g.face == nil {
		return false, false
	}
	return g.face.Takes(who, topic)
}

// tells says whether a program may tell something under a topic: all measurements that come from it; and where errands
// come with it, to use the house.
func (g *guard) tells(who grant.Who, topic string) bool {
	if g.telling == nil {
		return false
	}
	all := g.telling.Told(topic)
	if len(all) == 0 {
		topics, _ := g.telling.Topics()
		return slices.Contains(topics, topic) && who.Grant.May(grant.Use) == nil
	}
	return !slices.ContainsFunc(all, func(m string) bool {
		return who.Grant.May(grant.Tell, grant.Target{Measurement: m}) != nil
	})
}

// OnPublish looks at the topic once more, now that aliases are names, keeps nothing for later, and holds up a station
// that says too much: only its own connection waits.
func (g *guard) OnPublish(c *broker.Client, p packets.Packet) (packets.Packet, error) {
	user := string(c.Properties.Username)
	if c.Net.Inline || user == houseUser || user == messagesUser {
		return p, nil
	}
	if !g.OnACLCheck(c, p.TopicName, true) {
		return p, packets.ErrRejectPacket
	}
	retained := p.FixedHeader.Retain
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
	if who := g.asks(user, p.TopicName); who != nil {
		m := Message{Topic: p.TopicName, Payload: p.Payload, Retain: retained, Again: p.FixedHeader.Dup}
		if to := p.Properties.ResponseTopic; CanAnswer(to) {
			m.Reply = func(payload []byte) { go reply(c, to, p.Properties.CorrelationData, payload) }
		}
		g.face.Take(*who, m)
		return p, packets.CodeSuccessIgnore // acknowledged, and passed on to nobody
	}
	return p, nil
}

// asks is the program that asks the face for something under a topic, nil where it is none.
func (g *guard) asks(user, topic string) *grant.Who {
	g.mu.Lock()
	s := g.inside[user]
	g.mu.Unlock()
	if s == nil || s.who == nil {
		return nil
	}
	if is, _ := g.takes(*s.who, topic); !is {
		return nil
	}
	return s.who
}

// reply answers a connection, where it listens to a topic. One that does not read is hung up on by its deadlines.
func reply(c *broker.Client, topic string, correlation, payload []byte) {
	if _, listens := c.State.Subscriptions.Get(topic); !listens {
		return
	}
	p := Message{Topic: topic, Payload: payload, Correlation: correlation}.packet()
	p.ProtocolVersion = c.Properties.ProtocolVersion
	_ = c.WritePacket(p)
}

// OnWill keeps a will at the topic of whom it is of.
func (g *guard) OnWill(c *broker.Client, w broker.Will) (broker.Will, error) {
	if user := string(c.Properties.Username); user != houseUser {
		w.TopicName, w.Retain = prefix+user+up, false
	}
	return w, nil
}
