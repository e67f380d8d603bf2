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
	"urbo/service/stream"
	"urbo/store"
)

// Errors that callers ask for.
var (
	ErrUnknown = fault.New(fault.NotFound, "unknown request")
	ErrRequest = fault.New(fault.Invalid, "request")
	ErrFailed  = fault.New(fault.Later, "the request failed")
)

const (
	row     = "requests"
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

// Store keeps texts of the house by name.
type Store interface {
	HouseText(ctx context.Context, name string) (string, error)
	PutHouseText(ctx context.Context, name, text string) error
	PutAside(ctx context.Context, a store.Aside) error
}

// Sender sends a request with a text, "" being none. The error says what came of it.
type Sender func(ctx context.Context, r Request, text string) error

// Requests is the requests of a house.
type Requests struct {
	store  Store
	stream *stream.Stream
	send   Sender // nil where nothing is sent
	now    func() time.Time

	writer sync.Mutex // held for a whole change

	mu     sync.Mutex
	all    []Request
	unread string // as they are on disk, where they cannot be read
}

// Open reads the requests.
func Open(ctx context.Context, s Store, send Sender, events *stream.Stream, now func() time.Time) (*Requests, error) {
	r := &Requests{store: s, stream: events, send: send, now: now}
	text, err := s.HouseText(ctx, row)
	if err != nil {
		return nil, fmt.Errorf("read the requests: %w", err)
	}
	var doc struct {
		Requests []Request `json:"requests"`
	}
	if err := store.ReadDocument(text, version, &doc); err != nil {
		r.unread = text
		events.Publish(happening.Happening{What: happening.HouseNote{Severity: "error",
			Text: fmt.Sprintf("The requests %v: none is sent until they are made anew", err)}})
	}
	r.all = doc.Requests
	return r, nil
}

// List lists the requests by name.
func (r *Requests) List() []Request {
	r.mu.Lock()
	defer r.mu.Unlock()
	out := slices.Clone(r.all)
	slices.SortFunc(out, func(a, b Request) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// Find finds a request by its name. The error wraps ErrUnknown and names the nearest.
func (r *Requests) Find(name string) (Request, error) {
	var known []string
	for _, one := range r.List() {
		if one.Name == name {
			return one, nil
		}
		known = append(known, one.Name)
	}
	if len(known) == 0 {
		return Request{}, fmt.Errorf("%w %.40q: there are none: make one (urbo request add)", ErrUnknown, name)
	}
	return Request{}, fmt.Errorf("%w %.40q: there are %s", ErrUnknown, name, device.Nearest(name, known))
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
	r.writer.Lock()
	defer r.writer.Unlock()
	r.mu.Lock()
	all, unread := slices.Clone(r.all), r.unread
	r.mu.Unlock()
	all, err := f(all)
	if err != nil {
		return err
	}
	text, err := store.WriteDocument(version, map[string]any{"requests": all})
	if err != nil {
		return err
	}
	if unread != "" {
		if err := r.store.PutAside(ctx, store.Aside{Kind: row, Document: unread}); err != nil {
			return err
		}
	}
	if err := r.store.PutHouseText(ctx, row, text); err != nil {
		return fmt.Errorf("keep the requests: %w", err)
	}
	r.mu.Lock()
	r.all, r.unread = all, ""
	r.mu.Unlock()
	r.stream.Publish(happening.Happening{By: by, What: happening.HouseNote{Text: said}})
	return nil
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
	r.mu.Lock()
	for i := range r.all {
		if r.all[i].Name == name {
			r.all[i].Last, r.all[i].Error = r.now(), ""
			if err != nil {
				r.all[i].Error = err.Error()
			}
		}
	}
	r.mu.Unlock()
	if err != nil {
		return fmt.Errorf("%w: %s: %w", ErrFailed, name, err)
	}
	return nil
}
