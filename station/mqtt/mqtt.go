// Package mqtt is the transport of stations that speak through a broker. A station publishes its messages at
// urbo/station/NAME/up and gets those for it at urbo/station/NAME/down; whoever it is, it says hello when it hears
// "who" at urbo/station/who. Last wills say "gone": the station's at its own topic, Urbo's at urbo/station/who. Urbo
// itself needs a broker that speaks MQTT 5; stations may speak 3.1.1.
package mqtt

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"time"

	"github.com/eclipse/paho.golang/paho"
	"golang.org/x/time/rate"

	"urbo/station"
)

const (
	prefix   = "urbo/station/"
	up       = "/up"
	down     = "/down"
	whoTopic = prefix + "who"
	// ahead and aheadBytes are what may wait of a station to be taken; what comes on top is lost, and told.
	ahead, aheadBytes = 4096, 1 << 20
	// gonePayload is the most bytes of a message that may be one that says gone.
	gonePayload = 64
	// The broker is dialled again after a pause that grows from the first to the second.
	firstPause, longestPause = 500 * time.Millisecond, 4 * time.Second
)

// Broker brings the stations of a broker, and messages of other topics.
type Broker struct {
	options Options
	topics  Topics
}

// New makes the transport of a broker. The error says what is wrong with the options.
func New(o Options) (*Broker, error) { return &Broker{options: o}, o.Check() }

// Listen lets it take messages of other topics, too. Call it before Run.
func (b *Broker) Listen(t Topics) { b.topics = t }

// Run brings links until the context ends. When the broker goes away they end, and it is dialled again and again.
func (b *Broker) Run(ctx context.Context, join func(context.Context, station.Link) error) error {
	if b.topics != nil {
		var listening sync.WaitGroup
		listening.Go(func() { listen(ctx, b.options, b.topics) })
		defer listening.Wait()
	}
	said := ""
	for pause := firstPause; ; pause = min(2*pause, longestPause) {
		began := time.Now()
		err := b.visit(ctx, join)
		if ctx.Err() != nil {
			return nil
		}
		if time.Since(began) > time.Minute {
			pause, said = firstPause, ""
		}
		if text := err.Error(); text != said {
			said = text
			slog.Warn("the MQTT broker cannot be reached, and it is tried again", "error", err)
		}
		if !station.Pause(ctx, pause) {
			return nil
		}
	}
}

// visit is one connection to the broker.
func (b *Broker) visit(ctx context.Context, join func(context.Context, station.Link) error) error {
	v := &visit{links: map[string]*link{}, join: join, asks: rate.NewLimiter(asksEach, mostAsks)}
	var lost context.CancelFunc
	v.ctx, lost = context.WithCancel(ctx)
	defer v.group.Wait()
	defer lost()
	gone, err := station.Marshal(station.Gone{})
	if err != nil {
		return err
	}
	c, err := connect(ctx, b.options, "urbo-house-"+strings.ToLower(rand.Text()[:10]),
		&paho.WillMessage{Topic: whoTopic, Payload: gone, QoS: 1}, []string{prefix + "+" + up}, v.take)
	if err != nil {
		return err
	}
	defer c.end()
	defer func() {
		if c.gone() == nil { // in good order
			ctx, cancel := context.WithTimeout(context.Background(), writes)
			defer cancel()
			_ = publish(ctx, c, whoTopic, station.Gone{}, 0)
		}
	}()
	v.mu.Lock()
	v.client = c
	v.mu.Unlock()
	if err := publish(ctx, c, whoTopic, station.Who{}, 0); err != nil {
		return err
	}
	slog.Info("the MQTT broker is reached")
	select {
	case <-ctx.Done():
	case <-c.ended:
	}
	v.leave()
	if err := c.gone(); err != nil {
		return err
	}
	return ctx.Err()
}

// visit is the stations of one connection.
type visit struct {
	ctx   context.Context
	join  func(context.Context, station.Link) error
	group sync.WaitGroup

	mu     sync.Mutex
	client *client
	links  map[string]*link // by station
	over   bool
	asks   *rate.Limiter // of stations that are not here, who they are
}

// asksEach and mostAsks are how many stations that are not here are looked at in a second, and at once.
const asksEach, mostAsks = 100, maxLinks

// take takes one message of a station. The first one of a station that is not known makes its link.
func (v *visit) take(topic string, payload []byte) {
	name := strings.TrimSuffix(strings.TrimPrefix(topic, prefix), up)
	if !station.ValidName(name) || len(payload) > station.MaxMessage {
		return
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	l := v.links[name]
	if l != nil && saysGone(payload) { // it may be the will of an older connection: whoever is there says hello
		l.end(errGone)
		delete(v.links, name)
		if v.asks.Allow() {
			v.ask(name)
		}
		return
	}
	if l != nil && !l.over() {
		l.took(payload)
		return
	}
	if v.over || v.client == nil || len(v.links) >= maxLinks && l == nil || !v.asks.Allow() {
		return
	}
	switch m, err := station.Unmarshal(payload); m.(type) {
	case station.Hello:
		l = newLink(station.Origin{Over: station.MQTT, Address: name}, v.client, prefix+name+down, 0)
		l.took(payload)
		v.links[name] = l
		v.group.Go(func() { v.serve(name, l) })
	case nil, station.Gone:
	default:
		if err == nil { // it thinks it is known
			v.ask(name)
		}
	}
}

// ask asks a station who it is. The caller holds mu.
func (v *visit) ask(name string) {
	c := v.client
	if v.over || c == nil {
		return
	}
	v.group.Go(func() { _ = publish(v.ctx, c, prefix+name+down, station.Who{}, 0) })
}

// saysGone says whether a message says that its station is gone.
func saysGone(payload []byte) bool {
	if len(payload) > gonePayload {
		return false
	}
	m, err := station.Unmarshal(payload)
	_, gone := m.(station.Gone)
	return err == nil && gone
}

// maxLinks is the most stations of a broker at once.
const maxLinks = 500

func (v *visit) serve(name string, l *link) {
	err := v.join(v.ctx, l)
	l.end(station.ErrAway)
	v.mu.Lock()
	if v.links[name] == l {
		delete(v.links, name)
	}
	v.mu.Unlock()
	if err != nil && !errors.Is(err, station.ErrAway) && v.ctx.Err() == nil {
		slog.Warn("a station's link ended", "station", name, "error", err)
	}
}

// leave ends all links: the broker is gone.
func (v *visit) leave() {
	v.mu.Lock()
	defer v.mu.Unlock()
	v.over = true
	for _, l := range v.links {
		l.end(errBroker)
	}
}

// Dial reaches the house through a broker, as the station of a name does; the link's other end is Urbo.
func Dial(ctx context.Context, o Options, name string) (station.Link, error) {
	gone, err := station.Marshal(station.Gone{})
	if err != nil {
		return nil, err
	}
	var l *link
	ready := make(chan struct{})
	c, err := connect(ctx, o, "urbo-station-"+name, &paho.WillMessage{Topic: prefix + name + up, Payload: gone, QoS: 1},
		[]string{prefix + name + down, whoTopic}, func(_ string, payload []byte) {
			<-ready
			if len(payload) <= station.MaxMessage && l != nil {
				l.took(payload)
			}
		})
	if err != nil {
		close(ready)
		return nil, err
	}
	l = newLink(station.Origin{Over: station.MQTT, Address: name}, c, prefix+name+up, 1)
	l.goodbye = station.Gone{}
	close(ready)
	go func() {
		<-c.ended
		l.end(errBroker)
	}()
	return l, nil
}

var (
	errBroker = errors.New("the broker is gone")
	errGone   = errors.New("it said that it is gone")
)

// link is one station on the broker.
type link struct {
	origin  station.Origin
	client  *client
	to      string // topic
	qos     byte
	goodbye station.Message // said when it is closed; nil for none. The connection is the link's own then.
	ready   chan struct{}   // something waits
	ended   chan struct{}
	close   func()

	mu     sync.Mutex
	said   [][]byte // messages that wait to be taken
	bytes  int      // of them
	why    error
	bad    int
	lost   int       // messages, that are not told yet
	toldOf time.Time // when it was told that some were lost
}

func newLink(origin station.Origin, c *client, to string, qos byte) *link {
	l := &link{origin: origin, client: c, to: to, qos: qos, ready: make(chan struct{}, 1),
		ended: make(chan struct{})}
	l.close = sync.OnceFunc(func() { close(l.ended) })
	return l
}

// took takes a message, or what is none, to be read later. It does not block.
func (l *link) took(payload []byte) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if len(l.said) >= ahead || l.bytes+len(payload) > aheadBytes {
		l.lost++
		return
	}
	l.said = append(l.said, payload)
	l.bytes += len(payload)
	select {
	case l.ready <- struct{}{}:
	default:
	}
}

// next is the next message that waits, nil where there is none.
func (l *link) next() station.Message {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.lost > 0 && time.Since(l.toldOf) > time.Minute {
		n := l.lost
		l.lost, l.toldOf = 0, time.Now()
		return station.Lost(n)
	}
	for len(l.said) > 0 {
		payload := l.said[0]
		l.said[0] = nil
		l.said, l.bytes = l.said[1:], l.bytes-len(payload)
		m, err := station.Unmarshal(payload)
		if err != nil {
			l.bad++
			m = station.Garbage(l.bad, err)
		}
		if m != nil {
			return m
		}
	}
	return nil
}

// over says whether it has ended.
func (l *link) over() bool {
	select {
	case <-l.ended:
		return true
	default:
		return false
	}
}

func (l *link) end(why error) {
	l.mu.Lock()
	if l.why == nil {
		l.why = why
	}
	l.mu.Unlock()
	l.close()
}

// Origin is the name on the broker.
func (l *link) Origin() station.Origin { return l.origin }

// Receive waits for the next message. What came in before the end is still told.
func (l *link) Receive(ctx context.Context) (station.Message, error) {
	for {
		over := l.over()
		if m := l.next(); m != nil {
			return m, nil
		}
		if over {
			l.mu.Lock()
			defer l.mu.Unlock()
			return nil, fmt.Errorf("%w: %w", station.ErrAway, l.why)
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-l.ready:
		case <-l.ended:
		}
	}
}

// Tell sends one message.
func (l *link) Tell(ctx context.Context, m station.Message) error {
	select {
	case <-l.ended:
		return fmt.Errorf("%w: %s", station.ErrAway, l.origin.Address)
	default:
	}
	if err := publish(ctx, l.client, l.to, m, l.qos); err != nil { // nobody knows how far it came
		return fmt.Errorf("tell the station: %w", err)
	}
	return nil
}

// Close ends the link.
func (l *link) Close() error {
	l.end(station.ErrAway)
	if l.goodbye != nil && l.client.gone() == nil {
		ctx, cancel := context.WithTimeout(context.Background(), writes)
		defer cancel()
		_ = publish(ctx, l.client, l.to, l.goodbye, 0)
		l.client.end()
	}
	return nil
}

func publish(ctx context.Context, c *client, topic string, m station.Message, qos byte) error {
	data, err := station.Marshal(m)
	if err != nil {
		return err
	}
	_, err = c.paho.Publish(ctx, &paho.Publish{Topic: topic, Payload: data, QoS: qos})
	return err
}
