// Package discovery lets programs on the same network find the house: DNS-SD (RFC 6763) over multicast DNS (RFC 6762).
// It answers what was sent to the multicast group from an address of the network itself, so many times a second at
// most, and says goodbye at the end.
package discovery

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/netip"
	"slices"
	"sync"
	"syscall"
	"time"

	"github.com/miekg/dns"
	"golang.org/x/net/ipv4"
	"golang.org/x/sys/unix"
	"golang.org/x/time/rate"
)

// Service is one service of the house.
type Service struct {
	Type string   // _http._tcp
	Text []string // KEY=VALUE
}

// Config of the responder.
type Config struct {
	Name     func() string // of the house, for people
	Host     string        // name of this machine's record, without .local; nobody else on the network may have it
	Port     int
	Listen   netip.Addr // where the house listens: one address, or all where it is unspecified
	Services []Service
}

// Responder answers those who look for the house.
type Responder struct {
	Config

	mu  sync.Mutex
	now []Place
	err error
}

// Place is an interface on which the house can be found.
type Place struct {
	Interface string
	Addresses []netip.Addr
}

// Bounds.
const (
	port = 5353
	// look is how often interfaces and the name are looked at again.
	look = 10 * time.Second
	// perSecond and burst bound the answers, on each interface.
	perSecond, burst = 10, 20
	// mostQuestions is how many questions of one message are answered.
	mostQuestions = 32
)

// group is that of multicast DNS.
var group = &net.UDPAddr{IP: net.IPv4(224, 0, 0, 251), Port: port}

// New makes a responder.
func New(c Config) *Responder { return &Responder{Config: c} }

// Places are the interfaces on which the house can be found now, and why there are none where that is an error.
func (r *Responder) Places() ([]Place, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	return slices.Clone(r.now), r.err
}

// Run answers until ctx ends. A network that cannot be used now is tried again.
func (r *Responder) Run(ctx context.Context) error {
	for ctx.Err() == nil {
		err := r.answer(ctx)
		if ctx.Err() != nil {
			break
		}
		r.mu.Lock()
		r.now, r.err = nil, err
		r.mu.Unlock()
		slog.Warn("the house cannot be found on the network", "error", err)
		select {
		case <-ctx.Done():
		case <-time.After(look):
		}
	}
	return nil
}

// socket listens where all who speak multicast DNS on this machine listen.
func socket(ctx context.Context) (*ipv4.PacketConn, error) {
	l := net.ListenConfig{Control: func(_, _ string, c syscall.RawConn) error {
		var err error
		if e := c.Control(func(fd uintptr) {
			err = errors.Join(unix.SetsockoptInt(int(fd), unix.SOL_SOCKET, unix.SO_REUSEADDR, 1),
				unix.SetsockoptInt(int(fd), unix.SOL_SOCKET, unix.SO_REUSEPORT, 1))
		}); e != nil {
			return e
		}
		return err
	}}
	c, err := l.ListenPacket(ctx, "udp4", fmt.Sprintf(":%d", port))
	if err != nil {
		return nil, err
	}
	p := ipv4.NewPacketConn(c)
	if err := errors.Join(p.SetControlMessage(ipv4.FlagDst|ipv4.FlagInterface, true), p.SetMulticastTTL(255),
		p.SetMulticastLoopback(true)); err != nil {
		return nil, errors.Join(err, p.Close())
	}
	return p, nil
}

// on is one interface that is answered on.
type on struct {
	index  int
	place  Place
	nets   []netip.Prefix
	limits *rate.Limiter
	told   []dns.RR // as they were announced last
}

// asked is a message that came.
type asked struct {
	m     dns.Msg
	from  netip.AddrPort
	index int
}

// answer is one life of the socket.
func (r *Responder) answer(ctx context.Context) error {
	p, err := socket(ctx)
	if err != nil {
		return err
	}
	came, ended := make(chan asked), make(chan error, 1)
	done := make(chan struct{})
	defer func() { close(done); _ = p.Close(); <-ended }()
	go func() { ended <- listen(p, came, done) }()
	all := map[int]*on{}
	timer := time.NewTicker(look)
	defer timer.Stop()
	again := time.NewTimer(time.Hour) // what is new is announced twice
	defer again.Stop()
	if r.notice(p, all) {
		again.Reset(time.Second)
	}
	for {
		select {
		case <-ctx.Done():
			for _, o := range all {
				send(p, o, goodbye(o.told))
			}
			return nil
		case err := <-ended:
			ended <- nil
			return err
		case <-timer.C:
			if r.notice(p, all) {
				again.Reset(time.Second)
			}
		case <-again.C:
			for _, o := range all {
				send(p, o, o.told)
			}
		case a := <-came:
			if o := all[a.index]; o != nil && o.near(a.from.Addr()) && o.limits.Allow() {
				reply(p, o, a)
			}
		}
	}
}

// listen reads messages until the socket is closed. What is no query, or was not sent to the group, is left.
func listen(p *ipv4.PacketConn, came chan<- asked, done <-chan struct{}) error {
	buffer := make([]byte, 9000)
	for {
		n, about, from, err := p.ReadFrom(buffer)
		if err != nil {
			return err
		}
		at, is := from.(*net.UDPAddr)
		if !is || about == nil || !about.Dst.Equal(group.IP) {
			continue
		}
		a := asked{from: at.AddrPort(), index: about.IfIndex}
		if a.m.Unpack(buffer[:n]) != nil || a.m.Response || a.m.Opcode != dns.OpcodeQuery || len(a.m.Question) == 0 {
			continue
		}
		select {
		case came <- a:
		case <-done:
			return nil
		}
	}
}

// near says whether an address is of the interface's own network.
func (o *on) near(from netip.Addr) bool {
	return slices.ContainsFunc(o.nets, func(n netip.Prefix) bool { return n.Contains(from.Unmap()) })
}

// notice looks at the interfaces and the house's name, and announces what is new. It says whether anything is.
func (r *Responder) notice(p *ipv4.PacketConn, all map[int]*on) (new bool) {
	found, err := r.interfaces()
	for index := range all {
		if !slices.ContainsFunc(found, func(f *on) bool { return f.index == index }) {
			delete(all, index)
			_ = p.LeaveGroup(&net.Interface{Index: index}, group)
		}
	}
	var places []Place
	for _, f := range found {
		o := all[f.index]
		if o == nil {
			if e := p.JoinGroup(&net.Interface{Index: f.index}, group); e != nil {
				err = fmt.Errorf("%s: %w", f.place.Interface, e)
				continue
			}
			o = f
			all[f.index] = o
		}
		o.place, o.nets = f.place, f.nets
		records := r.records(o.place.Addresses)
		if !same(o.told, records) {
			if len(o.told) > 0 {
				send(p, o, goodbye(without(o.told, records)))
			}
			o.told, new = records, true
			send(p, o, records)
		}
		places = append(places, o.place)
	}
	r.mu.Lock()
	r.now, r.err = places, err
	r.mu.Unlock()
	return new
}

// interfaces are those that the house listens on, beyond loopback.
func (r *Responder) interfaces() (out []*on, err error) {
	all, err := net.Interfaces()
	if err != nil {
		return nil, err
	}
	for _, i := range all {
		if i.Flags&(net.FlagUp|net.FlagMulticast) != net.FlagUp|net.FlagMulticast || i.Flags&net.FlagLoopback != 0 ||
			i.Flags&net.FlagPointToPoint != 0 {
			continue
		}
		addresses, err := i.Addrs()
		if err != nil {
			continue
		}
		o := &on{index: i.Index, place: Place{Interface: i.Name}, limits: rate.NewLimiter(perSecond, burst)}
		for _, a := range addresses {
			n, err := netip.ParsePrefix(a.String())
			if err != nil {
				continue
			}
			o.nets = append(o.nets, n.Masked())
			if ip := n.Addr().Unmap(); (r.Listen.IsUnspecified() || r.Listen.Unmap() == ip) && !(ip.Is6() &&
				ip.IsLinkLocalUnicast()) {
				o.place.Addresses = append(o.place.Addresses, ip)
			}
		}
		if len(o.place.Addresses) > 0 {
			out = append(out, o)
		}
	}
	return out, nil
}

// send multicasts records on an interface.
func send(p *ipv4.PacketConn, o *on, records []dns.RR) {
	if len(records) == 0 {
		return
	}
	m := dns.Msg{Answer: records}
	m.Response, m.Authoritative, m.Compress = true, true, true
	if packed, err := m.Pack(); err == nil {
		_, _ = p.WriteTo(packed, &ipv4.ControlMessage{IfIndex: o.index}, group)
	}
}

// reply answers a query, to everybody, or to those alone who do not speak multicast DNS themselves.
func reply(p *ipv4.PacketConn, o *on, a asked) {
	answers, more := answersTo(&a.m, o.told)
	if len(answers) == 0 {
		return
	}
	m := dns.Msg{Answer: answers, Extra: more}
	m.Response, m.Authoritative, m.Compress = true, true, true
	var to net.Addr = group
	if a.from.Port() != port {
		m.Id, m.Question = a.m.Id, a.m.Question[:1]
		m.Answer, m.Extra = plainly(answers), plainly(more)
		to = net.UDPAddrFromAddrPort(a.from)
	}
	if packed, err := m.Pack(); err == nil {
		_, _ = p.WriteTo(packed, &ipv4.ControlMessage{IfIndex: o.index}, to)
	}
}
