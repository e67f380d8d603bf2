package mqtt

import (
	"encoding/binary"
	"net"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestConnect_APacketThatClaimsTooMuchEndsTheConnection has a broker that answers with six bytes: the head of a packet
// of a quarter of a gigabyte, and of one whose length has no end.
func TestConnect_APacketThatClaimsTooMuchEndsTheConnection(t *testing.T) {
	t.Parallel()
	for _, answer := range [][]byte{
		{0x20, 0xff, 0xff, 0xff, 0x7f, 0}, {0x30, 0xff, 0xff, 0xff, 0xff, 0xff}, {0x20, 0x80, 0x80, 0x80, 0x01, 0},
		append([]byte{0x20, 3, 0, 0, 0}, 0x90, 0xff, 0xff, 0xff, 0x7f, 0), // after one that is accepted
	} {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		go func() {
			c, err := l.Accept()
			if err != nil {
				return
			}
			_, _ = c.Write(answer)
			_, _ = c.Read(make([]byte, 1<<20))
			_, _ = c.Read(make([]byte, 1<<20)) // until it hangs up
			_ = c.Close()
		}()
		_, err = connect(t.Context(), Options{URL: "mqtt://" + l.Addr().String()}, "x", nil, []string{"a"},
			func(string, []byte) {})
		require.Error(t, err, "% x", answer)
		require.NoError(t, l.Close())
	}
}

// FuzzLengths follows a stream in parts, and holds what it says against a look at the whole.
func FuzzLengths(f *testing.F) {
	f.Add([]byte{0x20, 3, 0, 0, 0, 0x30, 2, 1, 1}, uint8(1))
	f.Add([]byte{0x20, 0xff, 0xff, 0xff, 0x7f, 0}, uint8(3))
	f.Add([]byte{0x20, 0x80, 0x80, 0x10}, uint8(2))
	f.Fuzz(func(t *testing.T, stream []byte, part uint8) {
		tooLong := func() bool {
			for rest := stream; len(rest) > 1; {
				n, used := binary.Uvarint(rest[1:min(len(rest), 5)])
				if used == 0 && len(rest) < 5 { // not all of it is there: what is known may be too much already
					n, _ = binary.Uvarint(append(append([]byte{}, rest[1:]...), 0))
					return n > mostPacket
				}
				if used <= 0 || n > mostPacket {
					return true
				}
				rest = rest[min(1+used+int(n), len(rest)):]
			}
			return false
		}()
		var l lengths
		var err error
		step := int(part)%7 + 1
		for at := 0; at < len(stream) && err == nil; at += step {
			err = l.follow(stream[at:min(at+step, len(stream))])
		}
		assert.Equal(t, tooLong, err != nil, "% x: %v", stream, err)
	})
}
