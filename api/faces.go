package api

import (
	"context"
	"time"

	"urbo/core/grant"
	"urbo/service/access"
	"urbo/wire"
)

// faces registers how the house is reached from the network.
func (a *API) faces(found Discovery) {
	call(a, operation{"GET", "/faces", "get-faces", "How the house is reached from the network, and who came last",
		grant.Keep, wholeHouse, 0}, func(ctx context.Context, _ *nothing) (wire.Faces, error) {
		out := wire.Faces{URL: a.url, Found: []wire.FoundAt{}}
		if found != nil {
			out.Discovery = true
			places, err := found.Places()
			if err != nil {
				out.Error = err.Error()
			}
			for _, p := range places {
				at := wire.FoundAt{Interface: p.Interface, Addresses: []string{}}
				for _, ip := range p.Addresses {
					at.Addresses = append(at.Addresses, ip.String())
				}
				out.Found = append(out.Found, at)
			}
		}
		tokens, err := a.house.Access.Tokens(ctx)
		if err != nil {
			return out, err
		}
		last := func(name, from string, used *time.Time) {
			if used != nil && (out.Last == nil || used.After(out.Last.At)) {
				out.Last = &wire.FaceCaller{Name: name, From: from, At: *used}
			}
		}
		for _, t := range tokens {
			last(t.Name, t.From, t.Used)
		}
		sessions, err := a.house.Access.Sessions(ctx)
		for _, s := range sessions {
			last(access.InShort(s.Agent), s.From, s.Used)
		}
		return out, err
	})
}
