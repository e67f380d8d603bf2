package mqtt

import (
	"context"
	"crypto/rand"
	"errors"
	"log/slog"
	"slices"
	"strings"
	"time"

	"github.com/eclipse/paho.golang/paho"

	"urbo/station"
)

// Topics are what a house listens to at its broker beside stations: messages that values and cues come in.
type Topics interface {
	// Topics lists the topics; changed is closed when these may be others.
	Topics() (topics []string, changed <-chan struct{})
	// Message takes a message; it must not block for long.
	Message(topic string, payload []byte)
}

// mostMessage is the longest message that is taken, in bytes; what is longer is left out.
const mostMessage = 16 << 10

// listen takes the messages of some topics, on a connection of its own, until the context ends.
func listen(ctx context.Context, o Options, t Topics) {
	said := ""
	for pause := firstPause; ; pause = min(2*pause, longestPause) {
		topics, changed := t.Topics()
		if len(topics) == 0 { // nobody asks for any
			select {
			case <-ctx.Done():
				return
			case <-changed:
				continue
			}
		}
		began := time.Now()
		err := hear(ctx, o, t, topics, changed)
		if ctx.Err() != nil {
			return
		}
		if time.Since(began) > time.Minute || err == nil {
			pause, said = firstPause, ""
		}
		if err != nil && err.Error() != said {
			said = err.Error()
			slog.Warn("messages of the MQTT broker do not come in, and it is tried again", "error", err)
		}
		if !station.Pause(ctx, pause) {
			return
		}
	}
}

// hear is one connection that takes messages.
func hear(ctx context.Context, o Options, t Topics, topics []string, changed <-chan struct{}) error {
	c, err := connectAt(ctx, o, "urbo-messages-"+strings.ToLower(rand.Text()[:10]), nil, topics, 0,
		func(p *paho.Publish) {
			if len(p.Payload) <= mostMessage {
				t.Message(p.Topic, p.Payload)
			}
		})
	if err != nil {
		return err
	}
	defer c.end()
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-c.ended:
			return c.gone()
		case <-changed:
		}
		var now []string
		if now, changed = t.Topics(); len(now) == 0 {
			return nil
		}
		if err := c.subscribe(ctx, without(now, topics), without(topics, now)); err != nil {
			return err
		}
		topics = now
	}
}

// without are those of some topics that others do not have.
func without(all, others []string) (out []string) {
	for _, t := range all {
		if !slices.Contains(others, t) {
			out = append(out, t)
		}
	}
	return out
}

// subscribe asks for more topics, and lets go of others.
func (c *client) subscribe(ctx context.Context, more, less []string) error {
	ctx, cancel := context.WithTimeout(ctx, connects)
	defer cancel()
	var err error
	if len(more) > 0 {
		s := &paho.Subscribe{}
		for _, t := range more {
			s.Subscriptions = append(s.Subscriptions, paho.SubscribeOptions{Topic: t})
		}
		_, err = c.paho.Subscribe(ctx, s)
	}
	if len(less) > 0 {
		_, e := c.paho.Unsubscribe(ctx, &paho.Unsubscribe{Topics: less})
		err = errors.Join(err, e)
	}
	return err
}

// Teller publishes values at a broker, as a sensor does.
type Teller struct {
	options Options
	client  *client
}

// NewTeller makes one. It connects with its first message.
func NewTeller(o Options) *Teller { return &Teller{options: o} }

// ProgramUser is the account that programs sign in with at a broker that Urbo runs itself.
const ProgramUser = programUser

// Tell publishes a message. Where the broker went away it is dialled again with the next one.
func (t *Teller) Tell(ctx context.Context, topic string, payload []byte) error {
	if t.client == nil || t.client.gone() != nil {
		c, err := connect(ctx, t.options, "urbo-sensor-"+strings.ToLower(rand.Text()[:10]), nil, nil,
			func(string, []byte) {})
		if err != nil {
			return err
		}
		t.client = c
	}
	ctx, cancel := context.WithTimeout(ctx, writes)
	defer cancel()
	_, err := t.client.paho.Publish(ctx, &paho.Publish{Topic: topic, Payload: payload})
	return err
}

// Close ends its connection.
func (t *Teller) Close() {
	if t.client != nil {
		t.client.end()
	}
}
