package discovery

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// house is the responder of a house with two services.
func house(name string) *Responder {
	return New(Config{Name: func() string { return name }, Host: "urbo-4f2a", Port: 8433, Services: []Service{
		{Type: "_urbo._tcp", Text: []string{"path=/"}}, {Type: "_wot._tcp", Text: []string{"td=/.well-known/wot"}}}})
}

var addresses = []netip.Addr{netip.MustParseAddr("10.77.0.1"), netip.MustParseAddr("fd00::1")}

func query(name string, kind uint16, known ...dns.RR) *dns.Msg {
	return &dns.Msg{Question: []dns.Question{{Name: name, Qtype: kind, Qclass: dns.ClassINET}}, Answer: known}
}

func TestAnswersTo_WhatBrowsersAsk(t *testing.T) {
	t.Parallel()
	all := house("Saltmarsh Observatory (4f2a)").records(addresses)
	answers, more := answersTo(query("_urbo._tcp.local.", dns.TypePTR), all)
	require.Len(t, answers, 1)
	assert.Len(t, more, 4, "where, what it says, and both addresses")
	full := answers[0].(*dns.PTR).Ptr
	answers, more = answersTo(query(full, dns.TypeSRV), all)
	require.Len(t, answers, 1)
	assert.Equal(t, "urbo-4f2a.local.", answers[0].(*dns.SRV).Target)
	assert.Len(t, more, 2)
	answers, _ = answersTo(query(services, dns.TypePTR), all)
	assert.Len(t, answers, 2)
	answers, _ = answersTo(query("URBO-4F2A.local.", dns.TypeANY), all)
	assert.Len(t, answers, 2)
	answers, _ = answersTo(query("_other._tcp.local.", dns.TypePTR), all)
	assert.Empty(t, answers)
	// what whoever asks knows already is left out, unless it is old
	known := dns.Copy(all[1])
	answers, _ = answersTo(query("_urbo._tcp.local.", dns.TypePTR, known), all)
	assert.Empty(t, answers)
	known.Header().Ttl = longLife/2 - 1
	answers, _ = answersTo(query("_urbo._tcp.local.", dns.TypePTR, known), all)
	assert.Len(t, answers, 1)
}

func TestRecords_OfAnyName(t *testing.T) {
	t.Parallel()
	for _, name := range []string{"", "Das Häuschen", `a.b\c"d;e(f)`, strings.Repeat("x", 200), "🔭 dome", "@$"} {
		m := dns.Msg{Answer: house(name).records(addresses)}
		packed, err := m.Pack()
		require.NoError(t, err, name)
		var back dns.Msg
		require.NoError(t, back.Unpack(packed), name)
		assert.Len(t, back.Answer, 10, name)
	}
}

func TestGoodbye_AndChanges(t *testing.T) {
	t.Parallel()
	old, now := house("Old").records(addresses), house("New").records(addresses)
	assert.False(t, same(old, now))
	assert.True(t, same(now, house("New").records(addresses)))
	gone := goodbye(without(old, now))
	assert.Len(t, gone, 6, "instances, where they are and what they say")
	for _, rr := range gone {
		assert.Zero(t, rr.Header().Ttl)
		assert.NotEqual(t, services, rr.Header().Name)
	}
	for _, rr := range plainly(now) {
		assert.LessOrEqual(t, rr.Header().Ttl, uint32(plainLife))
		assert.Zero(t, rr.Header().Class&flush)
	}
}
