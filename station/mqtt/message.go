package mqtt

import (
	"strings"

	"github.com/mochi-mqtt/server/v2/packets"
)

// Message is something that is published.
type Message struct {
	Topic   string
	Payload []byte
	Retain  bool // the broker keeps it; of one that came, it was kept, or was to be
	Again   bool // it was sent before, and may have arrived then
	Once    bool // QoS 1: it is acknowledged; else QoS 0
	// Answer is the topic at which it is to be answered, with Correlation; "" is nowhere.
	Answer      string
	Correlation []byte
	// Reply answers whoever sent it, and nobody else; nil where the answer is published.
	Reply func(payload []byte)
}

// packet is a message as the house's own broker publishes it.
func (m Message) packet() packets.Packet {
	p := packets.Packet{FixedHeader: packets.FixedHeader{Type: packets.Publish, Retain: m.Retain}, TopicName: m.Topic,
		Payload: m.Payload}
	if m.Once {
		p.FixedHeader.Qos, p.PacketID = 1, 1 // an inline client's packets are not acknowledged, and need an id
	}
	p.Properties.CorrelationData = m.Correlation
	return p
}

// MaxAnswer is the longest topic that is answered at, in bytes.
const MaxAnswer = 256

// CanAnswer says whether something may be published at a topic that somebody else names: it is no filter, and none that
// stations or the broker itself speak at.
func CanAnswer(topic string) bool {
	return topic != "" && len(topic) <= MaxAnswer && !strings.ContainsAny(topic, "+#\x00") &&
		!strings.HasPrefix(topic, "$") && topic != whoTopic && !strings.HasPrefix(topic, prefix)
}
