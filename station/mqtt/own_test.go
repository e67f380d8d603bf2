package mqtt_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/eclipse/paho.golang/packets"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/grant"
	"urbo/station"
	"urbo/station/linktest"
	"urbo/station/mqtt"
)

// patience is how long anything may take on a busy machine.
const patience = 20 * time.Second

// house is what the house sees of the stations of its own broker.
type house struct {
	t  testing.TB
	at string

	mu      sync.Mutex
	said    map[string][]station.Message // by station
	links   map[string]int
	ended   map[string]int
	revoked map[string]chan struct{}
	told    []string // messages of topics, as TOPIC PAYLOAD
}

// Topics are those of the humidity and the temperature of the dome.
func (h *house) Topics() ([]string, <-chan struct{}) {
	return []string{"club/humidity", "club/temperature"}, make(chan struct{})
}

// Told lists what comes from a topic.
func (h *house) Told(topic string) []string {
	return map[string][]string{"club/humidity": {"dome/humidity"}, "club/temperature": {"dome/temperature"}}[topic]
}

// Message takes a message.
func (h *house) Message(topic string, payload []byte) {
	h.note(func() { h.told = append(h.told, topic+" "+string(payload)) })
}

// Station lets in whoever has the secret of a name.
func (h *house) Station(_ context.Context, name, token, _ string) (<-chan struct{}, error) {
	if token != "secret of "+name {
		return nil, errors.New("wrong token")
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.revoked[name] == nil {
		h.revoked[name] = make(chan struct{})
	}
	return h.revoked[name], nil
}

// Program lets in whoever has the secret of programs, which tell the humidity.
func (h *house) Program(_ context.Context, token, _ string) (grant.Who, <-chan struct{}, error) {
	if token != "a program's" {
		return grant.Who{}, nil, errors.New("no such token")
	}
	return grant.Who{Grant: grant.Grant{Rights: []grant.Right{grant.Tell}, Where: grant.Where{Measurements: []string{
		"dome/humidity"}}}}, make(chan struct{}), nil
}

func newHouse(t testing.TB) *house {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	h := &house{t: t, at: l.Addr().String(), said: map[string][]station.Message{}, links: map[string]int{},
		ended: map[string]int{}, revoked: map[string]chan struct{}{}}
	require.NoError(t, l.Close())
	own := mqtt.NewOwn(mqtt.OwnOptions{Listen: h.at, Doorman: h, Telling: h})
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- own.Run(ctx, h.join) }()
	t.Cleanup(func() {
		cancel()
		require.NoError(t, <-done)
	})
	require.Eventually(t, func() bool {
		c, err := net.Dial("tcp", h.at)
		return err == nil && c.Close() == nil
	}, patience, 5*time.Millisecond)
	return h
}

func (h *house) join(ctx context.Context, l station.Link) error {
	name := l.Origin().Address
	h.note(func() { h.links[name]++ })
	defer h.note(func() { h.ended[name]++ })
	for {
		m, err := l.Receive(ctx)
		if err != nil {
			return err
		}
		h.note(func() { h.said[name] = append(h.said[name], m) })
		if _, hello := m.(station.Hello); hello {
			if err := l.Tell(ctx, station.Welcome{Link: 1}); err != nil {
				return err
			}
		}
	}
}

func (h *house) note(f func()) {
	h.mu.Lock()
	defer h.mu.Unlock()
	f()
}

// until waits for something that the house sees.
func (h *house) until(what string, is func() bool) {
	h.t.Helper()
	require.Eventually(h.t, func() bool {
		h.mu.Lock()
		defer h.mu.Unlock()
		return is()
	}, patience, 2*time.Millisecond, what)
}

// client is a client of the broker, by hand.
type client struct {
	net.Conn
	t testing.TB
}

// dial connects as somebody; code is what the broker answers, 255 where it hangs up.
func (h *house) dial(user string, change func(*packets.Connect)) (c *client, code byte) {
	h.t.Helper()
	conn, err := net.Dial("tcp", h.at)
	require.NoError(h.t, err)
	h.t.Cleanup(func() { _ = conn.Close() })
	p := packets.NewControlPacket(packets.CONNECT)
	hello := p.Content.(*packets.Connect)
	hello.ClientID, hello.CleanStart, hello.KeepAlive = "board of "+user, true, 30
	hello.UsernameFlag, hello.Username = true, user
	hello.PasswordFlag, hello.Password = true, []byte("secret of "+user)
	if change != nil {
		change(hello)
	}
	_, err = p.WriteTo(conn)
	require.NoError(h.t, err)
	c = &client{conn, h.t}
	answer, err := c.next(patience)
	if err != nil {
		return c, 255
	}
	require.IsType(h.t, &packets.Connack{}, answer.Content)
	return c, answer.Content.(*packets.Connack).ReasonCode
}

// next reads the next packet.
func (c *client) next(within time.Duration) (*packets.ControlPacket, error) {
	if err := c.SetReadDeadline(time.Now().Add(within)); err != nil {
		return nil, err
	}
	p, err := packets.ReadPacket(c)
	if err == nil {
		if m, ok := p.Content.(*packets.Publish); ok {
			linktest.Valid(c.t, m.Payload)
		}
	}
	return p, err
}

// publish says something at a topic.
func (c *client) publish(topic string, m station.Message, change ...func(*packets.Publish)) {
	c.t.Helper()
	data, err := station.Marshal(m)
	require.NoError(c.t, err)
	linktest.Valid(c.t, data)
	p := packets.NewControlPacket(packets.PUBLISH)
	body := p.Content.(*packets.Publish)
	body.Topic, body.Payload = topic, data
	for _, f := range change {
		f(body)
	}
	if _, err = p.WriteTo(c); !errors.Is(err, syscall.EPIPE) && !errors.Is(err, syscall.ECONNRESET) {
		require.NoError(c.t, err) // or the broker hung up
	}
}

// subscribe asks for a topic, and says what the broker answers, 0xff where it hangs up.
func (c *client) subscribe(topic string) byte {
	c.t.Helper()
	p := packets.NewControlPacket(packets.SUBSCRIBE)
	s := p.Content.(*packets.Subscribe)
	s.PacketID, s.Subscriptions = 7, []packets.SubOptions{{Topic: topic}}
	_, err := p.WriteTo(c)
	require.NoError(c.t, err)
	for {
		p, err := c.next(patience)
		if errors.Is(err, io.EOF) {
			return 0xff
		}
		require.NoError(c.t, err)
		if ack, ok := p.Content.(*packets.Suback); ok {
			return ack.Reasons[0]
		}
	}
}

var stillHere station.Message = station.Note{Severity: "info", Text: "still here"}

func hello(name string) station.Hello {
	return station.Hello{Link: 1, Station: name, Model: "by hand"}
}

func topics(name string) (up, down string) {
	return "urbo/station/" + name + "/up", "urbo/station/" + name + "/down"
}

// board is a station that is here.
func (h *house) board(name string, change ...func(*packets.Connect)) *client {
	h.t.Helper()
	c, code := h.dial(name, func(p *packets.Connect) {
		for _, f := range change {
			f(p)
		}
	})
	require.Zero(h.t, code)
	up, down := topics(name)
	require.Zero(h.t, c.subscribe(down))
	require.Zero(h.t, c.subscribe("urbo/station/who"))
	c.publish(up, hello(name))
	for {
		p, err := c.next(patience)
		require.NoError(h.t, err)
		m, ok := p.Content.(*packets.Publish)
		switch {
		case ok && strings.Contains(string(m.Payload), "who"):
			c.publish(up, hello(name))
		case ok && strings.Contains(string(m.Payload), "welcome"):
			return c
		}
	}
}

// TestOwn_ProgramsTellWhatTheyMayAndNothingElse: two programs have the same account, and differ by their tokens.
func TestOwn_ProgramsTellWhatTheyMayAndNothingElse(t *testing.T) {
	h := newHouse(t)
	program := func(token string) (*client, byte) {
		return h.dial("urbo.program", func(c *packets.Connect) { c.Password = []byte(token) })
	}
	_, code := program("a station's")
	require.NotZero(t, code)
	first, code := program("a program's")
	require.Zero(t, code)
	second, code := program("a program's")
	require.Zero(t, code)
	say := func(c *client, topic, text string) {
		p := packets.NewControlPacket(packets.PUBLISH)
		body := p.Content.(*packets.Publish)
		body.Topic, body.Payload = topic, []byte(text)
		_, err := p.WriteTo(c)
		require.NoError(t, err)
	}
	h.until("the house listens", func() bool {
		go say(first, "club/humidity", "71")
		return len(h.told) > 0
	})
	lecture := h.board("lecture")
	require.NotZero(t, lecture.subscribe("club/humidity"), "stations hear none of it")
	require.NotZero(t, second.subscribe("club/humidity"), "nor does another program")
	third, code := program("a program's")
	require.Zero(t, code)
	say(third, "club/temperature", "12") // it may not tell that
	say(third, "urbo/station/lecture/down", "{}")
	say(third, "club/other", "1")
	say(third, "club/humidity", "72")
	h.until("the last of them", func() bool { return slices.Contains(h.told, "club/humidity 72") })
	h.note(func() {
		for _, said := range h.told {
			assert.True(t, strings.HasPrefix(said, "club/humidity "), said)
		}
	})
	gone, code := h.dial("urbo.program", func(c *packets.Connect) {
		c.Password, c.WillFlag, c.WillTopic, c.WillMessage = []byte("a program's"), true, "club/humidity", []byte("99")
	})
	require.Zero(t, code)
	require.NoError(t, gone.Close())
	say(third, "club/humidity", "73")
	h.until("what another one says", func() bool { return slices.Contains(h.told, "club/humidity 73") })
	h.note(func() {
		assert.NotContains(t, h.told, "club/humidity 99", "nobody says anything for a program that is gone")
	})
}

// TestOwn_EndsWhileConnectionsLeave: the broker ends while many of its connections do, again and again.
func TestOwn_EndsWhileConnectionsLeave(t *testing.T) {
	t.Parallel()
	for range 100 {
		endsWhileTheyLeave(t)
	}
}

func endsWhileTheyLeave(t *testing.T) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	h := &house{t: t, at: l.Addr().String(), said: map[string][]station.Message{}, links: map[string]int{},
		ended: map[string]int{}, revoked: map[string]chan struct{}{}}
	own := mqtt.NewOwn(mqtt.OwnOptions{Bound: l, Doorman: h, Telling: h})
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	done := make(chan error, 1)
	go func() { done <- own.Run(ctx, h.join) }()
	var all []*client
	for range 12 {
		c, code := h.dial("urbo.program", func(c *packets.Connect) { c.Password = []byte("a program's") })
		require.Zero(t, code)
		all = append(all, c)
	}
	for i, c := range all {
		if i == len(all)/2 {
			cancel()
		}
		go func() { _ = c.Close() }()
	}
	select {
	case err := <-done:
		require.NoError(t, err)
	case <-time.After(patience):
		require.Fail(t, "the broker does not end")
	}
}

// TestOwn_NothingReachesAnothersTopic tries every way in which a packet carries a topic.
func TestOwn_NothingReachesAnothersTopic(t *testing.T) {
	t.Parallel()
	h := newHouse(t)
	dome := h.board("dome")
	up, down := topics("dome")
	own, _ := topics("kiosk")
	gone, err := station.Marshal(station.Gone{})
	require.NoError(t, err)
	will := func(topic string, retain bool, delay uint32) func(*packets.Connect) {
		return func(p *packets.Connect) {
			p.WillFlag, p.WillTopic, p.WillMessage, p.WillRetain = true, topic, gone, retain
			p.WillProperties = &packets.Properties{WillDelayInterval: &delay}
		}
	}
	for _, topic := range []string{up, down, "urbo/station/who", "urbo/station/new/up", "urbo/station/+/up", "#",
		"$SYS/x",
		"$share/g/" + up} {
		for _, retain := range []bool{false, true} {
			c, code := h.dial("kiosk", will(topic, retain, 0))
			assert.NotZero(t, code, "a will at %s", topic)
			_ = c.Close()
		}
	}
	c, code := h.dial("kiosk", will(own, true, 0))
	assert.NotZero(t, code, "a will that is kept")
	_ = c.Close()

	for _, topic := range []string{up, down, "#", "+/+/+/+", "urbo/station/+/down", "$share/g/" + down, "$share/g/#",
		"$SYS/#"} {
		c, code := h.dial("other", nil)
		require.Zero(t, code)
		assert.GreaterOrEqual(t, c.subscribe(topic), byte(0x80), "subscribing to %s", topic)
		_ = c.Close()
	}
	kiosk := h.board("kiosk", will(own, false, 3600))
	alias := uint16(1)
	for _, topic := range []string{up, down, "urbo/station/who", "urbo/station/new/up"} {
		kiosk.publish(topic, hello("new"))
		kiosk.publish(topic, station.Gone{}, func(p *packets.Publish) { p.Retain = true })
	}
	// an alias that stands for one's own topic first, and is given to another's then
	other, code := h.dial("other", nil)
	require.Zero(t, code)
	otherUp, _ := topics("other")
	for _, topic := range []string{otherUp, up, ""} {
		other.publish(topic, station.Gone{}, func(p *packets.Publish) {
			p.Properties = &packets.Properties{TopicAlias: &alias}
		})
	}
	h.board("late")

	// All of it is over, and the dome is where it was: it was told nothing, and it is heard.
	dome.publish(up, stillHere)
	h.until("the dome is heard", func() bool { return slices.Contains(h.said["dome"], stillHere) })
	for {
		p, err := dome.next(300 * time.Millisecond)
		if err != nil {
			var timeout net.Error
			require.ErrorAs(t, err, &timeout, "the dome is told nothing")
			break
		}
		require.Regexp(t, `"t":"(who|welcome)"`, string(p.Content.(*packets.Publish).Payload), "but by the house")
	}
	h.note(func() {
		assert.Equal(t, 1, h.links["dome"])
		assert.Zero(t, h.ended["dome"])
		assert.Zero(t, h.links["new"])
	})
	require.NoError(t, kiosk.Close()) // its will comes at once, whatever delay it asked for
	h.until("the kiosk is gone", func() bool { return h.ended["kiosk"] == 1 })
}

// TestOwn_NobodyThrowsAnotherOut connects with the client id of another account.
func TestOwn_NobodyThrowsAnotherOut(t *testing.T) {
	t.Parallel()
	h := newHouse(t)
	id := func(p *packets.Connect) { p.ClientID = "mine" }
	dome := h.board("dome", id)
	h.board("kiosk", id)
	_, code := h.dial("kiosk", func(p *packets.Connect) { p.ClientID, p.Password = "mine", []byte("secret of dome") })
	assert.NotZero(t, code)
	up, _ := topics("dome")
	dome.publish(up, stillHere)
	h.until("the dome is heard", func() bool {
		return slices.Contains(h.said["dome"], stillHere) && h.ended["dome"] == 0
	})
}

// TestOwn_TheNewerConnectionOfABoardIsHere dials anew a hundred times, while the older connections are only half open.
func TestOwn_TheNewerConnectionOfABoardIsHere(t *testing.T) {
	t.Parallel()
	h := newHouse(t)
	up, _ := topics("dome")
	gone, err := station.Marshal(station.Gone{})
	require.NoError(t, err)
	for n := range 100 {
		c := h.board("dome", func(p *packets.Connect) {
			p.ClientID = fmt.Sprint("board ", n%3)
			p.WillFlag, p.WillTopic, p.WillMessage = true, up, gone
		})
		c.publish(up, station.Note{Severity: "info", Text: fmt.Sprint("number ", n)})
		h.until("the newer one is heard", func() bool {
			said := h.said["dome"]
			return said[len(said)-1] == station.Note{Severity: "info", Text: fmt.Sprint("number ", n)}
		})
	}
}

// TestOwn_WhoDoesNotSayWhoItIsHasToLeave opens connections that say nothing, half of what they have to, or too much.
func TestOwn_WhoDoesNotSayWhoItIsHasToLeave(t *testing.T) {
	t.Parallel()
	h := newHouse(t)
	began := time.Now()
	var waiting []net.Conn
	for n := range 200 {
		c, err := net.Dial("tcp", h.at)
		require.NoError(t, err)
		t.Cleanup(func() { _ = c.Close() })
		_, _ = c.Write([][]byte{nil, {0x10}, {0x10, 0x80, 0x80, 0x08, 0, 4, 'M', 'Q'}}[n%3])
		waiting = append(waiting, c)
	}
	h.board("dome") // and whoever says it is let in beside them
	for _, c := range waiting {
		require.NoError(t, c.SetReadDeadline(began.Add(patience)))
		_, err := io.ReadAll(c)
		var timeout net.Error
		assert.False(t, errors.As(err, &timeout) && timeout.Timeout(), "it is closed")
	}
	loud, err := net.Dial("tcp", h.at)
	require.NoError(t, err)
	defer loud.Close()
	_, err = loud.Write(append([]byte{0x10, 0x80, 0x80, 0x08}, make([]byte, 100<<10)...))
	if err == nil {
		require.NoError(t, loud.SetReadDeadline(time.Now().Add(patience)))
		_, err = io.ReadAll(loud)
		var timeout net.Error
		assert.False(t, errors.As(err, &timeout) && timeout.Timeout(), "it is closed before its will of 128 kB is read")
	}
}

// TestOwn_ATokenThatIsRemovedEndsTheConnection also while it is held up for saying too much.
func TestOwn_ATokenThatIsRemovedEndsTheConnection(t *testing.T) {
	t.Parallel()
	h := newHouse(t)
	dome := h.board("dome")
	h.note(func() { close(h.revoked["dome"]) })
	for {
		if _, err := dome.next(patience); err != nil { // the end of it, or a reset of what was still unread
			require.NotErrorIs(t, err, os.ErrDeadlineExceeded, "the connection is still open")
			return
		}
	}
}

// TestOwn_WhatABoardKeptIsHeldUpAndNotLost has a board tell a thousand trains at once, as one does that was away.
func TestOwn_WhatABoardKeptIsHeldUpAndNotLost(t *testing.T) {
	t.Parallel()
	h := newHouse(t)
	c := h.board("dome")
	up, _ := topics("dome")
	const trains = 1000
	var reading sync.WaitGroup
	reading.Go(func() { // it is told that each has come
		for {
			if _, err := c.next(patience); err != nil {
				return
			}
		}
	})
	for n := range trains {
		c.publish(up, station.Heard{Port: "ir-in", At: int64(n), Train: []int{9000, 4500, 560}},
			func(p *packets.Publish) {
				p.QoS, p.PacketID = 1, uint16(n+1)
			})
	}
	h.until("all are heard", func() bool {
		n := 0
		for _, m := range h.said["dome"] {
			if _, heard := m.(station.Heard); heard {
				n++
			}
		}
		return n == trains
	})
	require.NoError(t, c.Close())
	reading.Wait()
}

// FuzzOwn says any bytes to the broker, before and after somebody is let in: it goes on for the others.
func FuzzOwn(f *testing.F) {
	h := newHouse(f)
	good := h.board("good")
	up, down := topics("bad")
	f.Add([]byte("\x10\x0c\x00\x04MQTT\x05\x02\x00\x3c\x00\x00\x00"), false)
	f.Add([]byte("\x82\x20\x00\x01\x00\x00"+down+"\x01"), true)
	f.Add([]byte("\x30\x24\x00\x13"+up+"\x00{\"t\":\"gone\"}"), true)
	f.Add([]byte("\xe0\x00"), true)
	number := 0
	f.Fuzz(func(t *testing.T, data []byte, inside bool) {
		h.t, good.t = t, t
		var c net.Conn
		if inside {
			in, code := h.dial("bad", nil)
			require.Zero(t, code)
			c = in
		} else {
			var err error
			c, err = net.Dial("tcp", h.at)
			require.NoError(t, err)
		}
		_, _ = c.Write(data)
		_ = c.Close()
		if number++; number%50 == 0 { // whoever else is there is heard
			goodUp, _ := topics("good")
			m := station.Note{Severity: "info", Text: fmt.Sprint("number ", number)}
			good.publish(goodUp, m)
			h.until("the good one is heard", func() bool {
				said := h.said["good"]
				return said[len(said)-1] == m
			})
		}
	})
}
