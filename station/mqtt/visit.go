package mqtt

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"net"
	"net/url"
	"sync"
	"syscall"

	"github.com/eclipse/paho.golang/packets"
	"github.com/eclipse/paho.golang/paho"
	v3 "github.com/eclipse/paho.mqtt.golang"
)

// Visit is one connection to a broker of somebody else's, for one who publishes and is asked things there. It is not
// mended: when it has ended, another one is made.
type Visit struct {
	Version int // of MQTT: 5, or 3 for 3.1.1
	Ended   <-chan struct{}

	publish func(ctx context.Context, m Message) error
	end     func()
	why     func() error
}

// Stay is what a visit is for.
type Stay struct {
	ID     string
	Will   *Message // what the broker publishes where the connection breaks
	Topics []string // filters of what it is asked
	// Took gets each message, and must not block. With MQTT 3.1.1 a message that was kept cannot be told from one that
	// is new while the connection lasts.
	Took func(Message)
}

// Connect connects and subscribes: in MQTT 5, or in 3.1.1 where the broker speaks nothing newer. Nothing that is asked
// comes twice: it subscribes with QoS 0, the broker forgets it at the end, and what was kept before is not sent.
func Connect(ctx context.Context, o Options, s Stay) (*Visit, error) {
	v, err := connect5(ctx, o, s)
	if older(err) {
		return connect3(ctx, o, s)
	}
	return v, err
}

// errOlder says that a broker speaks an older version.
var errOlder = errors.New("it does not speak MQTT 5")

func older(err error) bool { return errors.Is(err, errOlder) }

// connect5 connects in MQTT 5.
func connect5(ctx context.Context, o Options, s Stay) (*Visit, error) {
	var will *paho.WillMessage
	if s.Will != nil {
		will = &paho.WillMessage{Topic: s.Will.Topic, Payload: s.Will.Payload, Retain: s.Will.Retain, QoS: s.Will.qos()}
	}
	c, err := connectAt(ctx, o, s.ID, will, nil, 0, func(p *paho.Publish) {
		m := Message{Topic: p.Topic, Payload: p.Payload, Retain: p.Retain, Again: p.Duplicate()}
		if p.Properties != nil {
			m.Answer, m.Correlation = p.Properties.ResponseTopic, p.Properties.CorrelationData
		}
		s.Took(m)
	})
	if err != nil {
		return nil, err
	}
	if len(s.Topics) > 0 {
		ask := &paho.Subscribe{}
		for _, t := range s.Topics {
			ask.Subscriptions = append(ask.Subscriptions, paho.SubscribeOptions{Topic: t, NoLocal: true,
				RetainAsPublished: true, RetainHandling: 2})
		}
		if _, err := c.paho.Subscribe(ctx, ask); err != nil {
			c.end()
			return nil, fmt.Errorf("subscribe at the broker: %w", err)
		}
	}
	return &Visit{Version: 5, Ended: c.ended, end: c.end, why: c.gone,
		publish: func(ctx context.Context, m Message) error {
			p := &paho.Publish{Topic: m.Topic, Payload: m.Payload, Retain: m.Retain, QoS: m.qos()}
			if m.Correlation != nil {
				p.Properties = &paho.PublishProperties{CorrelationData: m.Correlation}
			}
			_, err := c.paho.PublishWithOptions(ctx, p, paho.PublishOptions{Method: paho.PublishMethod_AsyncSend})
			return err
		}}, nil
}

func (m Message) qos() byte {
	if m.Once {
		return 1
	}
	return 0
}

// connect3 connects in MQTT 3.1.1.
func connect3(ctx context.Context, o Options, s Stay) (*Visit, error) {
	address, secure, err := o.address()
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, connects)
	defer cancel()
	conn, err := dial(ctx, address, secure)
	if err != nil {
		return nil, err
	}
	ended := make(chan struct{})
	var mu sync.Mutex
	var why error
	over := func(err error) {
		mu.Lock()
		defer mu.Unlock()
		if why == nil {
			why = err
			close(ended)
		}
	}
	options := v3.NewClientOptions().AddBroker("tcp://" + address).SetClientID(s.ID).SetProtocolVersion(4).
		SetCleanSession(true).SetAutoReconnect(false).SetConnectRetry(false).SetOrderMatters(true).
		SetKeepAlive(keepAlive * 1e9).SetConnectTimeout(connects).SetWriteTimeout(writes).
		SetUsername(o.User).SetPassword(o.Password).
		SetCustomOpenConnectionFn(func(*url.URL, v3.ClientOptions) (net.Conn, error) {
			return &measured{Conn: timed{conn}}, nil
		}).
		SetConnectionLostHandler(func(_ v3.Client, err error) { over(err) }).
		SetDefaultPublishHandler(func(_ v3.Client, m v3.Message) {
			s.Took(Message{Topic: m.Topic(), Payload: m.Payload(), Retain: m.Retained(), Again: m.Duplicate()})
		})
	if s.Will != nil {
		options.SetBinaryWill(s.Will.Topic, s.Will.Payload, s.Will.qos(), s.Will.Retain)
	}
	c := v3.NewClient(options)
	if err := settled(ctx, c.Connect()); err != nil {
		return nil, errors.Join(fmt.Errorf("connect to the broker %s: %w", address, err), conn.Close())
	}
	end := func() {
		c.Disconnect(250)
		_ = conn.Close()
		over(errors.New("hung up"))
	}
	if len(s.Topics) > 0 {
		filters := map[string]byte{}
		for _, t := range s.Topics {
			filters[t] = 0
		}
		if err := settled(ctx, c.SubscribeMultiple(filters, nil)); err != nil {
			end()
			return nil, fmt.Errorf("subscribe at the broker %s: %w", address, err)
		}
	}
	return &Visit{Version: 3, Ended: ended, end: end, why: func() error {
		mu.Lock()
		defer mu.Unlock()
		return why
	}, publish: func(ctx context.Context, m Message) error {
		t := c.Publish(m.Topic, m.qos(), m.Retain, m.Payload)
		select {
		case <-t.Done():
			return t.Error()
		default: // it is under way; where it is not acknowledged, the connection ends
			return ctx.Err()
		}
	}}, nil
}

// hungUp says whether a connection was closed by its other end.
func hungUp(err error) bool {
	return errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, syscall.ECONNRESET)
}

// settled waits for something of MQTT 3.1.1.
func settled(ctx context.Context, t v3.Token) error {
	select {
	case <-t.Done():
		return t.Error()
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Publish publishes something. It does not wait until the broker has it.
func (v *Visit) Publish(ctx context.Context, m Message) error { return v.publish(ctx, m) }

// Err is why the visit ended.
func (v *Visit) Err() error { return v.why() }

// Close hangs up. The will is not published.
func (v *Visit) Close() { v.end() }

// dial connects, with TLS where that is asked for.
func dial(ctx context.Context, address string, secure *tls.Config) (net.Conn, error) {
	var d net.Dialer
	conn, err := d.DialContext(ctx, "tcp", address)
	if err != nil {
		return nil, fmt.Errorf("reach the broker: %w", err)
	}
	if secure == nil {
		return conn, nil
	}
	t := tls.Client(conn, secure)
	if err := t.HandshakeContext(ctx); err != nil {
		return nil, errors.Join(fmt.Errorf("TLS with the broker %s: %w", address, err), conn.Close())
	}
	return t, nil
}

// refused says why a broker did not take a connection in MQTT 5: one that speaks nothing newer than 3.1.1 says so, or
// just hangs up.
func refused(ack *paho.Connack, err error) error {
	if ack != nil && ack.ReasonCode == packets.ConnackUnsupportedProtocolVersion || ack == nil && hungUp(err) {
		return fmt.Errorf("%w (%w)", errOlder, err)
	}
	return err
}
