package mqtt

import (
	"fmt"
	"net"

	"urbo/station"
)

// mostPacket is the most bytes of a packet after its first byte and its length: the greatest message with its topic.
const mostPacket = station.MaxMessage + 4096

// measured is a connection whose packets are looked at while they come in: one that claims to be too long ends it
// before anybody makes room for it.
type measured struct {
	net.Conn
	lengths
}

// Read reads, and fails where a packet begins that is too long.
func (m *measured) Read(p []byte) (int, error) {
	n, err := m.Conn.Read(p)
	if wrong := m.follow(p[:n]); wrong != nil {
		return 0, wrong
	}
	return n, err
}

// lengths follows the packets of a stream.
type lengths struct {
	left  int // bytes of this packet that are still to come
	digit int // of the length: 0 before a packet, else which of its bytes comes next
	value int
}

// follow looks at the next bytes of the stream.
func (l *lengths) follow(p []byte) error {
	for len(p) > 0 {
		switch {
		case l.left > 0:
			n := min(l.left, len(p))
			l.left -= n
			p = p[n:]
			continue
		case l.digit == 0: // the kind of the packet
			l.digit, l.value = 1, 0
		default:
			l.value |= int(p[0]&0x7f) << (7 * (l.digit - 1))
			switch {
			case p[0]&0x80 == 0:
				l.left, l.digit = l.value, 0
			case l.digit == 4:
				return fmt.Errorf("a packet with a length of more than four bytes")
			default:
				l.digit++
			}
			if l.value > mostPacket {
				return fmt.Errorf("a packet that claims %d bytes or more; the most is %d", l.value, mostPacket)
			}
		}
		p = p[1:]
	}
	return nil
}
