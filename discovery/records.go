package discovery

import (
	"net/netip"
	"slices"
	"strings"

	"github.com/miekg/dns"
)

// Lives of records in seconds, as RFC 6762 recommends them: of what holds addresses, and of the rest.
const (
	shortLife, longLife = 120, 4500
	// plainLife is the longest for those who do not speak multicast DNS.
	plainLife = 10
	// flush says that a record is the only one of its name.
	flush = 1 << 15
	// services is the name under which the types of services are found.
	services = "_services._dns-sd._udp.local."
	// mostName is the most bytes of an instance's name.
	mostName = 63
)

// records are all records of the house for an interface.
func (r *Responder) records(addresses []netip.Addr) (out []dns.RR) {
	head := func(name string, kind uint16, life uint32, only bool) dns.RR_Header {
		class := uint16(dns.ClassINET)
		if only {
			class |= flush
		}
		return dns.RR_Header{Name: name, Rrtype: kind, Class: class, Ttl: life}
	}
	host := r.Host + ".local."
	name := instance(r.Name())
	for _, s := range r.Services {
		kind := s.Type + ".local."
		full := name + "." + kind
		out = append(out,
			&dns.PTR{Hdr: head(services, dns.TypePTR, longLife, false), Ptr: kind},
			&dns.PTR{Hdr: head(kind, dns.TypePTR, longLife, false), Ptr: full},
			&dns.SRV{Hdr: head(full, dns.TypeSRV, shortLife, true), Target: host, Port: uint16(r.Port)},
			&dns.TXT{Hdr: head(full, dns.TypeTXT, longLife, true), Txt: s.Text})
	}
	for _, a := range addresses {
		if a.Is4() {
			out = append(out, &dns.A{Hdr: head(host, dns.TypeA, shortLife, true), A: a.AsSlice()})
		} else {
			out = append(out, &dns.AAAA{Hdr: head(host, dns.TypeAAAA, shortLife, true), AAAA: a.AsSlice()})
		}
	}
	return out
}

// instance is the name of a house as one label, as text in a zone writes it.
func instance(name string) string {
	var b strings.Builder
	size := 0
	for _, r := range name {
		if size += len(string(r)); size > mostName {
			break
		}
		if strings.ContainsRune(`.\"();@$ `, r) {
			b.WriteByte('\\')
		}
		b.WriteRune(r)
	}
	if b.Len() == 0 {
		return "Urbo"
	}
	return b.String()
}

// answersTo are the records that a query asks for, and those that whoever asks will ask for next. What they say that
// they know is left out.
func answersTo(q *dns.Msg, all []dns.RR) (answers, more []dns.RR) {
	for _, one := range q.Question[:min(len(q.Question), mostQuestions)] {
		if class := one.Qclass &^ flush; class != dns.ClassINET && class != dns.ClassANY {
			continue
		}
		for _, rr := range all {
			h := rr.Header()
			if strings.EqualFold(h.Name, one.Name) && (h.Rrtype == one.Qtype || one.Qtype == dns.TypeANY) &&
				!slices.Contains(answers, rr) && !isKnown(rr, q.Answer) {
				answers = append(answers, rr)
			}
		}
	}
	for at := 0; at < len(answers)+len(more); at++ { // what an answer points to goes with it
		var to string
		one := slices.Concat(answers, more)[at]
		switch rr := one.(type) {
		case *dns.PTR:
			to = rr.Ptr
		case *dns.SRV:
			to = rr.Target
		}
		for _, rr := range all {
			if h := rr.Header(); to != "" && strings.EqualFold(h.Name, to) && h.Rrtype != dns.TypePTR &&
				!slices.Contains(answers, rr) && !slices.Contains(more, rr) {
				more = append(more, rr)
			}
		}
	}
	return answers, more
}

// isKnown says whether whoever asks knows a record, for at least half of its life.
func isKnown(rr dns.RR, known []dns.RR) bool {
	return slices.ContainsFunc(known, func(k dns.RR) bool {
		a, b := dns.Copy(rr), dns.Copy(k)
		enough := b.Header().Ttl >= a.Header().Ttl/2
		a.Header().Class, b.Header().Class = dns.ClassINET, dns.ClassINET
		return enough && dns.IsDuplicate(a, b)
	})
}

// plainly are records for those who do not speak multicast DNS.
func plainly(all []dns.RR) (out []dns.RR) {
	for _, rr := range all {
		rr = dns.Copy(rr)
		rr.Header().Class &^= flush
		rr.Header().Ttl = min(rr.Header().Ttl, plainLife)
		out = append(out, rr)
	}
	return out
}

// goodbye are records that are no more.
func goodbye(all []dns.RR) (out []dns.RR) {
	for _, rr := range all {
		if rr.Header().Name == services { // others have such services
			continue
		}
		rr = dns.Copy(rr)
		rr.Header().Ttl = 0
		out = append(out, rr)
	}
	return out
}

// same says whether records say the same.
func same(a, b []dns.RR) bool { return len(a) == len(b) && len(without(a, b)) == 0 }

// without are the records of one list that are not in the other.
func without(all, others []dns.RR) (out []dns.RR) {
	for _, rr := range all {
		if !slices.ContainsFunc(others, func(o dns.RR) bool { return rr.String() == o.String() }) {
			out = append(out, rr)
		}
	}
	return out
}
