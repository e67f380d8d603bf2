// Package assistants keeps the assistants that the owner registered (OAuth 2.0 clients), and the links to them: what
// each may see and use, until the link is ended. What an assistant holds is a token of service/access for an hour, and
// one to get the next, which is good once. Secrets are random, and kept only as hashes.
package assistants

import (
	"context"
	"crypto/subtle"
	"fmt"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service/access"
	"urbo/service/kept"
	"urbo/service/stream"
)

// Errors that callers ask for.
var (
	ErrUnknown   = fault.New(fault.NotFound, "unknown assistant")
	ErrNoLink    = fault.New(fault.NotFound, "unknown link")
	ErrAssistant = fault.New(fault.Invalid, "assistant")
	ErrNoRequest = fault.New(fault.NotFound, "this request is over: begin again at the assistant")
	ErrRefused   = fault.New(fault.Refused, "the assistant is refused")
)

// How long things last, and how many there are at most.
const (
	RequestLife = 10 * time.Minute // until somebody says yes
	CodeLife    = time.Minute
	TokenLife   = time.Hour

	most, mostLinks, mostRedirects, mostRequests, mostURL = 20, 50, 5, 200, 500
)

const version = 1

// Client is an assistant that the owner registered.
type Client struct {
	ID        string    `json:"id"`
	Name      string    `json:"name"`
	Hash      string    `json:"hash"` // of its secret
	Redirects []string  `json:"redirects"`
	Made      time.Time `json:"made"`
}

// Link is what an assistant may do, since somebody said so.
type Link struct {
	ID      string        `json:"id"`
	Client  string        `json:"client"` // its id
	Person  string        `json:"person,omitempty"`
	By      string        `json:"by"` // who said so, in words
	Rights  []grant.Right `json:"rights"`
	Where   grant.Where   `json:"where"`
	Refresh string        `json:"refresh"` // hash of the token that gets the next
	Token   string        `json:"token"`   // id of the token that it holds
	Expires time.Time     `json:"expires"` // of that
	Made    time.Time     `json:"made"`

	Used *time.Time `json:"-"`
	From string     `json:"-"`
}

type list struct {
	Clients []Client `json:"clients"`
	Links   []Link   `json:"links"`
}

// Request is what an assistant asks for, until it is answered and the answer is used.
type Request struct {
	ID, Client, Redirect, State, Challenge string
	Rights                                 []grant.Right
	Rooms                                  []string // ids; none is the whole house
	Scopes                                 []string
	At                                     time.Time

	Link    Link // as it was said yes to
	Done    bool
	code    string // hash
	coded   time.Time
	used    bool
	revoked bool // its code was used again
}

// Config of the assistants.
type Config struct {
	Store  kept.Store
	Access *access.Access
	Stream *stream.Stream
	Now    func() time.Time
}

// Assistants is the assistants of a house.
type Assistants struct {
	Config
	doc *kept.Document[list]

	writer sync.Mutex // held while a link changes, with its token

	mu       sync.Mutex
	requests map[string]*Request
	changed  chan struct{} // a token expires at another time
}

// Open reads the assistants, and takes away what expired while the house was off.
func Open(ctx context.Context, c Config) (*Assistants, error) {
	doc, err := kept.Open[list](ctx, c.Store, kept.Kind{Row: "assistants", Version: version, What: "the assistants",
		Until: ": none is let in until it is registered and linked anew"}, c.Stream)
	if err != nil {
		return nil, err
	}
	a := &Assistants{Config: c, doc: doc, requests: map[string]*Request{}, changed: make(chan struct{}, 1)}
	return a, a.expire(ctx)
}

// same says whether a secret has a hash.
func same(hashed, secret string) bool {
	return subtle.ConstantTimeCompare([]byte(hashed), []byte(access.HashOf(secret))) == 1
}

// Clients lists the assistants by name.
func (a *Assistants) Clients() []Client {
	out := slices.Clone(a.doc.Get().Clients)
	slices.SortFunc(out, func(x, y Client) int { return strings.Compare(x.Name, y.Name) })
	return out
}

// Client is the assistant of an id. The error wraps ErrUnknown.
func (a *Assistants) Client(id string) (Client, error) {
	for _, c := range a.doc.Get().Clients {
		if c.ID == id {
			return c, nil
		}
	}
	return Client{}, fmt.Errorf("%w %.40q", ErrUnknown, id)
}

// Named is the assistant of a name. The error wraps ErrUnknown.
func (a *Assistants) Named(name string) (Client, error) {
	for _, c := range a.doc.Get().Clients {
		if c.Name == name {
			return c, nil
		}
	}
	return Client{}, fmt.Errorf("%w %.40q: list them with urbo assistant list", ErrUnknown, name)
}

// CheckSecret says whether a secret is an assistant's.
func (a *Assistants) CheckSecret(id, secret string) error {
	c, err := a.Client(id)
	if err != nil {
		return err
	}
	if !same(c.Hash, secret) {
		return fmt.Errorf("%w: its secret is another", ErrRefused)
	}
	return nil
}

// Add registers an assistant with the addresses that it may send people back to, and gives its secret, which is kept
// nowhere. Errors wrap ErrAssistant, device.ErrName or device.ErrTaken.
func (a *Assistants) Add(ctx context.Context, name string, redirects []string, by grant.By) (Client, string, error) {
	name, err := device.CleanName("the assistant's name", name)
	if err != nil {
		return Client{}, "", err
	}
	if len(redirects) == 0 || len(redirects) > mostRedirects {
		return Client{}, "", fmt.Errorf("%w: give 1 to %d addresses that it sends people back to", ErrAssistant,
			mostRedirects)
	}
	for _, r := range redirects {
		if err := checkRedirect(r); err != nil {
			return Client{}, "", err
		}
	}
	s := access.NewSecret()
	c := Client{ID: "a" + access.NewSecret()[:16], Name: name,
		Hash: access.HashOf(s), Redirects: redirects, Made: a.Now()}
	_, _, err = a.doc.Change(ctx, func(l list) (list, error) {
		switch {
		case slices.ContainsFunc(l.Clients, func(o Client) bool { return strings.EqualFold(o.Name, name) }):
			return l, fmt.Errorf("%w: there is an assistant %q already: choose another name or remove that one",
				device.ErrTaken, name)
		case len(l.Clients) >= most:
			return l, fmt.Errorf("%w: there are %d, which is the most", ErrAssistant, most)
		}
		return list{append(slices.Clip(l.Clients), c), l.Links}, nil
	})
	if err == nil {
		a.say(by, "Registered the assistant "+name)
	}
	return c, s, err
}

// checkRedirect says whether people may be sent to an address: over TLS, or on their own machine.
func checkRedirect(address string) error {
	u, err := url.Parse(address)
	if err != nil || len(address) > mostURL || u.Host == "" || u.Fragment != "" || u.User != nil ||
		strings.Contains(address, "#") {
		return fmt.Errorf("%w: %.60q is no address to be sent back to: write https://HOST/PATH", ErrAssistant, address)
	}
	ip, err := netip.ParseAddr(u.Hostname())
	local := err == nil && ip.IsLoopback()
	if u.Scheme != "https" && (u.Scheme != "http" || !local) {
		return fmt.Errorf("%w: %.60q has to begin with https://, or lead to 127.0.0.1", ErrAssistant, address)
	}
	return nil
}

// Remove removes an assistant, with its links. The error wraps ErrUnknown.
func (a *Assistants) Remove(ctx context.Context, name string, by grant.By) error {
	c, err := a.Named(name)
	if err != nil {
		return err
	}
	for _, l := range a.doc.Get().Links {
		if l.Client == c.ID {
			if err := a.end(ctx, l.ID); err != nil {
				return err
			}
		}
	}
	_, _, err = a.doc.Change(ctx, func(l list) (list, error) {
		return list{slices.DeleteFunc(slices.Clone(l.Clients), func(o Client) bool { return o.ID == c.ID }), l.Links},
			nil
	})
	if err == nil {
		a.say(by, "Removed the assistant "+name)
	}
	return err
}

// Links lists the links, the oldest first.
func (a *Assistants) Links(ctx context.Context) ([]Link, error) {
	out := slices.Clone(a.doc.Get().Links)
	tokens, err := a.Access.Tokens(ctx)
	for i, l := range out {
		for _, t := range tokens {
			if t.ID == l.Token {
				out[i].Used, out[i].From = t.Used, t.From
			}
		}
	}
	return out, err
}

// Unlink ends a link. The error wraps ErrNoLink.
func (a *Assistants) Unlink(ctx context.Context, id string, by grant.By) error {
	l, err := a.link(id)
	if err != nil {
		return err
	}
	if err := a.end(ctx, id); err != nil {
		return err
	}
	a.say(by, "Ended the link of the assistant "+a.nameOf(l.Client))
	return nil
}

func (a *Assistants) nameOf(id string) string {
	c, err := a.Client(id)
	if err != nil {
		return "that was removed"
	}
	return c.Name
}

func (a *Assistants) link(id string) (Link, error) {
	for _, l := range a.doc.Get().Links {
		if l.ID == id {
			return l, nil
		}
	}
	return Link{}, fmt.Errorf("%w %.40q: list them with urbo assistant list", ErrNoLink, id)
}

// end ends a link, and makes what the assistant holds worthless.
func (a *Assistants) end(ctx context.Context, id string) error {
	a.writer.Lock()
	defer a.writer.Unlock()
	l, err := a.link(id)
	if err != nil {
		return nil // it is over
	}
	if err := a.Access.DropToken(ctx, l.Token); err != nil {
		return err
	}
	_, _, err = a.doc.Change(ctx, func(all list) (list, error) {
		return list{all.Clients, slices.DeleteFunc(slices.Clone(all.Links), func(o Link) bool { return o.ID == id })},
			nil
	})
	return err
}

func (a *Assistants) say(by grant.By, text string) {
	a.Stream.Publish(happening.Happening{By: by, What: happening.HouseNote{Text: text}})
}

// Run takes tokens away when they expire, until ctx ends.
func (a *Assistants) Run(ctx context.Context) error {
	timer := time.NewTimer(0)
	defer timer.Stop()
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-a.changed:
		case <-timer.C:
		}
		_ = a.expire(ctx) // what cannot be taken away now is tried again
		next := time.Minute
		for _, l := range a.doc.Get().Links {
			if !l.Expires.IsZero() {
				next = min(next, max(l.Expires.Sub(a.Now()), time.Second))
			}
		}
		timer.Reset(next)
	}
}

// expire takes away the tokens that expired, and forgets requests that nobody answered.
func (a *Assistants) expire(ctx context.Context) error {
	now := a.Now()
	a.mu.Lock()
	for id, r := range a.requests {
		if now.Sub(r.At) > 2*RequestLife {
			delete(a.requests, id)
		}
	}
	a.mu.Unlock()
	a.writer.Lock()
	defer a.writer.Unlock()
	for _, l := range a.doc.Get().Links {
		// A clock that was set back does not make a token last: nothing lasts longer than its life.
		if l.Token == "" || now.Before(l.Expires) && l.Expires.Sub(now) <= TokenLife {
			continue
		}
		if err := a.Access.DropToken(ctx, l.Token); err != nil {
			return err
		}
		if _, _, err := a.changeLink(ctx, l.ID, func(l *Link) { l.Token, l.Expires = "", time.Time{} }); err != nil {
			return err
		}
	}
	return nil
}

// changeLink changes a link that is there.
func (a *Assistants) changeLink(ctx context.Context, id string, do func(*Link)) (was, is list, err error) {
	return a.doc.Change(ctx, func(all list) (list, error) {
		links := slices.Clone(all.Links)
		for i := range links {
			if links[i].ID == id {
				do(&links[i])
			}
		}
		return list{all.Clients, links}, nil
	})
}
