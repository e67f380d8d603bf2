// Package requests keeps the named requests that errands send out of the house (send NAME): where to, and how. What
// sends them is given to it.
package requests

import (
	"context"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service/kept"
	"urbo/service/stream"
)

// Errors that callers ask for.
var (
	ErrUnknown = fault.New(fault.NotFound, "unknown request")
	ErrRequest = fault.New(fault.Invalid, "request")
	ErrFailed  = fault.New(fault.Later, "the request failed")
)

const (
	version = 1
	// most is the most requests of a house, and mostURL the longest address.
	most, mostURL = 100, 2000
)

// Methods are how a request may be sent.
var Methods = []string{"POST", "PUT", "GET"}

// Request is where something is sent, by its name.
type Request struct {
	Name   string `json:"name"`
	URL    string `json:"url"`
	Method string `json:"method"`
	// Token is sent as a bearer token, where it is given. It is never shown.
	Token string `json:"token,omitempty"`

	Last  time.Time `json:"-"` // when it was sent last
	Error string    `json:"-"` // why that failed
}

// list is what is kept.
type list struct {
	Requests []Request `json:"requests"`
}

// Sender sends a request with a text, "" being none. The error says what came of it.
type Sender func(ctx context.Context, r Request, text string) error

// Requests is the requests of a house.
type Requests struct {
	doc    *kept.Document[list]
	stream *stream.Stream
	send   Sender // nil where nothing is sent
	now    func() time.Time

	mu   sync.Mutex
	last map[string]sent // by name
}

// sent is when a request was sent, and why that failed.
type sent struct {
	at    time.Time
	error string
}

// Open reads the requests.
func Open(ctx context.Context, s kept.Store, send Sender, events *stream.Stream, now func() time.Time) (*Requests,
	error) {
	doc, err := kept.Open[list](ctx, s, kept.Kind{Row: "requests", Version: version, What: "the requests",
		Until: ": none is sent until they are made anew"}, events)
	return &Requests{doc: doc, stream: events, send: send, now: now, last: map[string]sent{}}, err
}

// List lists the requests by name.
func (r *Requests) List() []Request {
	out := slices.Clone(r.doc.Get().Requests)
	r.mu.Lock()
	defer r.mu.Unlock()
	for i := range out {
		last := r.last[out[i].Name]
		out[i].Last, out[i].Error = last.at, last.error
	}
	slices.SortFunc(out, func(a, b Request) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// Find finds a request by its name. The error wraps ErrUnknown and names the nearest.
func (r *Requests) Find(name string) (Request, error) {
	return kept.Find(r.List(), func(one Request) string { return one.Name }, name, ErrUnknown, "urbo request add")
}

// check says what is wrong with a request.
func (one Request) check() error {
	u, err := url.Parse(one.URL)
	switch {
	case err != nil || len(one.URL) > mostURL || u.Scheme != "http" && u.Scheme != "https" || u.Hostname() == "":
		return fmt.Errorf("%w: %.60q is no address: write http://HOST/… or https://HOST/…", ErrRequest, one.URL)
	case u.User != nil:
		return fmt.Errorf("%w: leave user and password out of the address: give a token", ErrRequest)
	case !slices.Contains(Methods, one.Method):
		return fmt.Errorf("%w: %.10q is none of %s", ErrRequest, one.Method, strings.Join(Methods, ", "))
	case len(one.Token) > 500 || strings.ContainsAny(one.Token, "\r\n"):
		return fmt.Errorf("%w: a token has at most 500 bytes in one line", ErrRequest)
	}
	return device.CheckSlug("the request's name", one.Name)
}

// Put keeps a request, also in the place of one of its name. Errors wrap ErrRequest or device.ErrName, or are the
// store's.
func (r *Requests) Put(ctx context.Context, one Request, by grant.By) (Request, error) {
	if one.Method == "" {
		one.Method = Methods[0]
	}
	if err := one.check(); err != nil {
		return one, err
	}
	return one, r.change(ctx, by, "Set the request "+one.Name, func(all []Request) ([]Request, error) {
		all = slices.DeleteFunc(all, func(o Request) bool { return o.Name == one.Name })
		if len(all) >= most {
			return nil, fmt.Errorf("%w: there are %d, which is the most", ErrRequest, most)
		}
		return append(all, one), nil
	})
}

// Remove removes a request. Errands that send it say so when they do. The error wraps ErrUnknown.
func (r *Requests) Remove(ctx context.Context, name string, by grant.By) error {
	if _, err := r.Find(name); err != nil {
		return err
	}
	return r.change(ctx, by, "Removed the request "+name, func(all []Request) ([]Request, error) {
		return slices.DeleteFunc(all, func(o Request) bool { return o.Name == name }), nil
	})
}

func (r *Requests) change(ctx context.Context, by grant.By, said string, f func([]Request) ([]Request, error)) error {
	_, _, err := r.doc.Change(ctx, func(l list) (list, error) {
		all, err := f(slices.Clone(l.Requests))
		return list{all}, err
	})
	if err == nil {
		r.stream.Publish(happening.Happening{By: by, What: happening.HouseNote{Text: said}})
	}
	return err
}

// Send sends a request. Errors wrap ErrUnknown or ErrFailed.
func (r *Requests) Send(ctx context.Context, name, text string) error {
	one, err := r.Find(name)
	if err != nil {
		return err
	}
	if r.send == nil {
		return fmt.Errorf("%w: nothing sends requests here", ErrFailed)
	}
	err = r.send(ctx, one, text)
	last := sent{at: r.now()}
	if err != nil {
		last.error = err.Error()
	}
	r.mu.Lock()
	r.last[one.Name] = last
	r.mu.Unlock()
	if err != nil {
		return fmt.Errorf("%w: %s: %w", ErrFailed, name, err)
	}
	return nil
}
