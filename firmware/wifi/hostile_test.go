package wifi_test

import (
	"bufio"
	"crypto/sha1"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"io"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/firmware/wifi/wifitest"
)

// house is the other end of a board's WebSocket, byte by byte.
type house struct {
	t    *testing.T
	conn net.Conn
	in   *bufio.Reader
}

// houseAt takes one board after another.
func houseAt(t *testing.T) (address string, next func(accept string) *house) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	return houseOn(t, l)
}

func houseOn(t *testing.T, l net.Listener) (address string, next func(accept string) *house) {
	t.Helper()
	t.Cleanup(func() { _ = l.Close() })
	return "http://" + l.Addr().String(), func(accept string) *house {
		t.Helper()
		conn, err := l.Accept()
		require.NoError(t, err)
		t.Cleanup(func() { _ = conn.Close() })
		require.NoError(t, conn.SetDeadline(time.Now().Add(time.Minute)))
		h := &house{t, conn, bufio.NewReader(conn)}
		r, err := http.ReadRequest(h.in)
		require.NoError(t, err)
		sum := sha1.Sum([]byte(r.Header.Get("Sec-WebSocket-Key") + "258EAFA5-E914-47DA-95CA-C5AB0DC85B11"))
		if accept == "" {
			accept = base64.StdEncoding.EncodeToString(sum[:])
		}
		h.write([]byte("HTTP/1.1 101 Switching Protocols\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n" +
			"Sec-WebSocket-Accept: " + accept + "\r\n\r\n"))
		return h
	}
}

func (h *house) write(data []byte) {
	_, _ = h.conn.Write(data) // a board that hung up is what some tests want
}

// frame sends a frame whose first byte says what it is: 0x81 is a whole text.
func (h *house) frame(first byte, body string) {
	head := []byte{first}
	switch n := len(body); {
	case n < 126:
		head = append(head, byte(n))
	case n < 1<<16:
		head = binary.BigEndian.AppendUint16(append(head, 126), uint16(n))
	default:
		head = binary.BigEndian.AppendUint64(append(head, 127), uint64(n))
	}
	h.write(append(head, body...))
}

// read is the next frame of the board.
func (h *house) read() (kind byte, body string) {
	h.t.Helper()
	var head [2]byte
	_, err := io.ReadFull(h.in, head[:])
	require.NoError(h.t, err)
	require.NotZero(h.t, head[1]&0x80, "a client masks")
	n := int(head[1] & 0x7F)
	if n == 126 {
		var long [2]byte
		_, err := io.ReadFull(h.in, long[:])
		require.NoError(h.t, err)
		n = int(binary.BigEndian.Uint16(long[:]))
	}
	data := make([]byte, 4+n)
	_, err = io.ReadFull(h.in, data)
	require.NoError(h.t, err)
	for i := range n {
		data[4+i] ^= data[i%4]
	}
	return head[0] & 15, string(data[4:])
}

// says is the next message of a type.
func (h *house) says(kind string) map[string]any {
	h.t.Helper()
	for {
		_, body := h.read()
		var m map[string]any
		if json.Unmarshal([]byte(body), &m) == nil && m["t"] == kind {
			return m
		}
	}
}

func TestWiFi_LivesThroughWhatAHouseMaySend(t *testing.T) {
	t.Parallel()
	wifitest.Bench(t)
	address, next := houseAt(t)
	v := wifitest.Start(t, folderOf(t, "rp2040", address), `{"start":2146982824}`) // its clock wraps soon
	h := next("")
	h.says("hello")
	h.frame(0x81, `{"t":"welcome","link":1}`)

	for _, garbage := range []string{"", "{", "[]", "3", `{"t":7}`, `{"t":"send"}`, `{"t":"send","id":7}`, "\xff\xfe",
		`{"t":"hold","id":"a","lease_ms":"long"}`, `{"t":"send","id":"bad","port":[1],"once":3}`,
		`{"t":"send","id":"worse","port":"ir-out","once":["a","b"]}`, `{"t":"cancel"}`, strings.Repeat("[", 5000)} {
		h.frame(0x81, garbage)
	}
	h.frame(0x81, `{"t":"ping"}`)
	h.says("pong")

	h.frame(0x01, `{"t":"pi`) // three fragments, with pings between
	h.frame(0x89, "are you there")
	h.frame(0x00, `ng"`)
	h.frame(0x89, "")
	h.frame(0x80, `}`)
	kind, body := h.read()
	assert.Equal(t, byte(10), kind)
	assert.Equal(t, "are you there", body)
	h.says("pong")

	h.frame(0x81, `{"t":"send","id":"huge","port":"ir-out","once":[`+strings.Repeat("500,500,", 37_000)+`500,500]}`)
	failed := h.says("failed")
	assert.Equal(t, "huge", failed["id"])
	assert.Contains(t, failed["reason"], "too long")
	h.frame(0x81, `{"t":"send","id":"fine","port":"ir-out","once":[9000,4500,560,40000]}`)
	assert.Equal(t, "fine", h.says("sent")["id"])

	sent := v.Await("what it sent", func(m map[string]any) bool { return m["sent"] != nil })
	assert.Len(t, sent["train"], 3, "only what was right was sent, once")

	h.write([]byte{0xFF, 0xFF, 0xFF}) // no frame at all
	v.Says("what is no WebSocket")
	next("bm90aGluZw==") // another answer than to this dial
	v.Says("this is no house")
	next("").says("hello")
}

func TestHouse_AtAnIPv6Address(t *testing.T) {
	t.Parallel()
	wifitest.Bench(t)
	l, err := net.Listen("tcp", "[::1]:0")
	if err != nil {
		t.Skip("this machine has no IPv6: ", err)
	}
	address, next := houseOn(t, l)
	wifitest.Start(t, folderOf(t, "esp32", address), "{}")
	_, body := next("").read()
	assert.Contains(t, body, `"hello"`)
}
