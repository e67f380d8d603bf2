package mqtt

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"strings"
	"sync"
	"time"

	"github.com/eclipse/paho.golang/packets"
	"github.com/eclipse/paho.golang/paho"
)

const (
	keepAlive = 15               // seconds
	connects  = 10 * time.Second // for the connection and its handshakes
	writes    = 2 * time.Second  // for a packet to get out
)

// Options of a connection to a broker.
type Options struct {
	URL      string // mqtt://HOST:PORT, or mqtts://HOST:PORT for TLS
	User     string
	Password string
	CA       string // file with the certificates that the broker's is checked against; "" is the system's
	CAText   string // or these certificates, in PEM
}

// Check says what is wrong with the options.
func (o Options) Check() error {
	_, _, err := o.address()
	return err
}

// address is where to connect, and how TLS is spoken; nil for none.
func (o Options) address() (string, *tls.Config, error) {
	u, err := url.Parse(o.URL)
	if err != nil || u.Hostname() == "" || u.Scheme != "mqtt" && u.Scheme != "mqtts" ||
		strings.Trim(u.Path, "/") != "" {
		return "", nil, fmt.Errorf("broker %.100q: write mqtt://HOST:PORT, or mqtts://HOST:PORT for TLS", o.URL)
	}
	if u.User != nil {
		return "", nil, errors.New("leave user and password out of the broker's address: they have settings of " +
			"their own")
	}
	if u.Scheme == "mqtt" {
		if o.CA != "" || o.CAText != "" {
			return "", nil, errors.New("a CA is for mqtts:// only")
		}
		return withPort(u, "1883"), nil, nil
	}
	c := &tls.Config{ServerName: u.Hostname(), MinVersion: tls.VersionTLS12}
	if o.CA != "" {
		pem, err := os.ReadFile(o.CA)
		if err != nil {
			return "", nil, fmt.Errorf("read the broker's CA: %w", err)
		}
		c.RootCAs = x509.NewCertPool()
		if !c.RootCAs.AppendCertsFromPEM(pem) {
			return "", nil, fmt.Errorf("no certificate in %s", o.CA)
		}
	}
	if o.CAText != "" {
		c.RootCAs = x509.NewCertPool()
		if !c.RootCAs.AppendCertsFromPEM([]byte(o.CAText)) {
			return "", nil, errors.New("the CA has no certificate: give the text of its file, in PEM")
		}
	}
	return withPort(u, "8883"), c, nil
}

func withPort(u *url.URL, usual string) string {
	if p := u.Port(); p != "" {
		usual = p
	}
	return net.JoinHostPort(u.Hostname(), usual)
}

// client is one connection to a broker.
type client struct {
	paho  *paho.Client
	ended chan struct{}
	close func(error)

	mu  sync.Mutex
	why error
}

// connect is connectAt for what must not be lost.
func connect(ctx context.Context, o Options, id string, will *paho.WillMessage, topics []string,
	took func(topic string, payload []byte)) (*client, error) {
	return connectAt(ctx, o, id, will, topics, 1, func(p *paho.Publish) { took(p.Topic, p.Payload) })
}

// connectAt connects and subscribes. took gets each message; it must not block for long. will is published by the
// broker where the connection breaks.
func connectAt(ctx context.Context, o Options, id string, will *paho.WillMessage, topics []string, qos byte,
	took func(*paho.Publish)) (*client, error) {
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
	c := &client{ended: make(chan struct{})}
	c.close = func(err error) {
		c.mu.Lock()
		defer c.mu.Unlock()
		if c.why == nil {
			c.why = err
			close(c.ended)
		}
	}
	c.paho = paho.NewClient(paho.ClientConfig{
		ClientID: id,
		Conn:     packets.NewThreadSafeConn(&measured{Conn: timed{conn}}),
		OnPublishReceived: []func(paho.PublishReceived) (bool, error){func(p paho.PublishReceived) (bool, error) {
			took(p.Packet)
			return true, nil
		}},
		OnClientError:      func(err error) { c.close(err) },
		OnServerDisconnect: func(d *paho.Disconnect) { c.close(fmt.Errorf("the broker hung up: %d", d.ReasonCode)) },
		PacketTimeout:      writes,
	})
	cp := &paho.Connect{ClientID: id, KeepAlive: keepAlive, CleanStart: true, WillMessage: will,
		Username: o.User, UsernameFlag: o.User != "", Password: []byte(o.Password), PasswordFlag: o.Password != ""}
	if ack, err := c.paho.Connect(ctx, cp); err != nil {
		err = refused(ack, err)
		if ack != nil && ack.ReasonCode >= 0x80 && !older(err) {
			err = fmt.Errorf("the broker refused the connection: %s", refusal(ack))
		}
		return nil, errors.Join(fmt.Errorf("connect to the broker %s: %w", address, err), conn.Close())
	}
	if len(topics) == 0 { // it only publishes
		return c, nil
	}
	subscribe := &paho.Subscribe{}
	for _, t := range topics {
		subscribe.Subscriptions = append(subscribe.Subscriptions, paho.SubscribeOptions{Topic: t, QoS: qos})
	}
	if _, err := c.paho.Subscribe(ctx, subscribe); err != nil {
		return nil, errors.Join(fmt.Errorf("subscribe at the broker %s: %w", address, err),
			c.paho.Disconnect(&paho.Disconnect{}))
	}
	return c, nil
}

func refusal(ack *paho.Connack) string {
	switch ack.ReasonCode {
	case packets.ConnackBadUsernameOrPassword, packets.ConnackNotAuthorized:
		return "is the user right, and the password?"
	case packets.ConnackUnsupportedProtocolVersion:
		return "it does not speak MQTT 5"
	}
	if ack.Properties != nil && ack.Properties.ReasonString != "" {
		return ack.Properties.ReasonString
	}
	return fmt.Sprintf("reason %#x", ack.ReasonCode)
}

// end hangs up. The will is not published.
func (c *client) end() {
	_ = c.paho.Disconnect(&paho.Disconnect{})
	c.close(errors.New("hung up"))
	<-c.paho.Done()
}

// gone is why the connection ended.
func (c *client) gone() error {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.why
}

// timed is a connection whose writes do not wait for ever.
type timed struct{ net.Conn }

// Write writes, or fails after a while.
func (t timed) Write(p []byte) (int, error) {
	if err := t.SetWriteDeadline(time.Now().Add(writes)); err != nil {
		return 0, err
	}
	return t.Conn.Write(p)
}
