// Package access decides who may do what: tokens for programs, one-time tickets and sessions for browsers, and the
// scopes they carry. Secrets are random, shown once, and kept only as hashes.
package access

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/plain"
	"urbo/service/stream"
	"urbo/store"
)

// Errors that callers ask for.
var (
	ErrNobody  = fault.New(fault.Nobody, "not signed in")
	ErrStation = fault.New(fault.Refused, "not the token of this station")
	ErrTicket  = fault.New(fault.Nobody, "sign-in code")
	ErrTickets = fault.New(fault.Busy, "sign-in links")
	ErrUnknown = fault.New(fault.NotFound, "unknown token or session")
	ErrPerson  = fault.New(fault.NotFound, "unknown person")
	ErrLast    = fault.New(fault.Conflict, "the last owner")
)

// How long things last.
const (
	TicketLife  = 15 * time.Minute
	SessionLife = 90 * 24 * time.Hour
	maxLinks    = 50
	maxOwnLinks = 5 // of a person who makes them
)

// Caller is who asks.
type Caller struct {
	By      grant.By
	Grant   grant.Grant // what the caller may do, and where
	Role    grant.Role  // of a person
	Station bool        // it is a station, and may do nothing but be one
	Door    Credential  // what it came in by
	Until   time.Time   // the end of a session; zero for all others
}

// Local is a user of this machine who can read the house's files, and so may do what an owner may.
func Local(user string) Caller {
	return Caller{By: grant.By{Actor: grant.Actor{Kind: grant.Program, Name: user}, Via: "command line"},
		Grant: grant.All, Role: grant.Owner}
}

// AtTerminal is a local caller who sits at a terminal: the owner that this user is, where one was named. Without a
// terminal it is a program, whoever started it.
func (a *Access) AtTerminal(c Caller) Caller {
	for _, p := range a.People() {
		if p.User != "" && p.User == c.By.Name && p.Role == grant.Owner && !a.over(p) {
			c.By = grant.By{Actor: grant.Actor{ID: p.ID, Kind: grant.Person, Name: p.Name}, Via: c.By.Via}
			return c
		}
	}
	return c
}

// Credential is a token or a session, by its id; the zero value is neither.
type Credential struct {
	Session bool
	ID      string
}

// Access decides who may come in.
type Access struct {
	store  store.Access
	people store.People
	stream *stream.Stream
	now    func() time.Time

	changing sync.Mutex // held while people are changed; taken before mu

	mu    sync.Mutex
	known map[string]Person            // people by id
	used  map[Credential]store.Use     // uses that are not written yet
	open  map[Credential]chan struct{} // closed when it is revoked, or its rights change
	owner map[Credential]string        // ids of the people that the open ones belong to

	revoked func(Credential)
}

// OnRevoked says who is told when a token or session lets nobody in any more.
func (a *Access) OnRevoked(f func(Credential)) {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.revoked = f
}

// Open reads who may come in.
func Open(ctx context.Context, s *store.Store, events *stream.Stream, now func() time.Time) (*Access, error) {
	a := &Access{store: s.Access(), people: s.People(), stream: events, now: now, known: map[string]Person{},
		used: map[Credential]store.Use{}, open: map[Credential]chan struct{}{}, owner: map[Credential]string{}}
	all, err := a.people.List(ctx)
	if err != nil {
		return nil, fmt.Errorf("read the people: %w", err)
	}
	for _, p := range all {
		a.known[p.ID] = p
	}
	return a, nil
}

// writeUses is how often it is written when tokens and sessions were used: seldom enough for an SD card.
const writeUses = 10 * time.Minute

// Run writes when tokens and sessions were used, until the context ends and once more then. Nobody who uses one waits
// for it.
func (a *Access) Run(ctx context.Context) error {
	tick := time.NewTicker(writeUses)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return a.noteUses(context.WithoutCancel(ctx))
		case <-tick.C:
			if err := a.noteUses(ctx); err != nil {
				slog.Warn("note when tokens were used; it is tried again", "error", err)
			}
		}
	}
}

func (a *Access) noteUses(ctx context.Context) error {
	a.mu.Lock()
	used := maps.Clone(a.used)
	a.mu.Unlock()
	if len(used) == 0 {
		return nil
	}
	tokens, sessions := map[string]store.Use{}, map[string]store.Use{}
	for d, u := range used {
		if d.Session {
			sessions[d.ID] = u
		} else {
			tokens[d.ID] = u
		}
	}
	if err := a.store.NoteUses(ctx, tokens, sessions); err != nil {
		return fmt.Errorf("note when tokens were used: %w", err)
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	for d, u := range used {
		if a.used[d] == u {
			delete(a.used, d)
		}
	}
	return nil
}

// use notes that somebody came in.
func (a *Access) use(d Credential, from string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.used[d] = store.Use{At: a.now(), From: from}
}

// lastUse is when and from where a door was used last, where that is not written yet.
func (a *Access) lastUse(d Credential, at *time.Time, from string) (*time.Time, string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if u, ok := a.used[d]; ok {
		return &u.At, u.From
	}
	return at, from
}

// Revoked is closed when what a caller came in by is revoked: what goes on for long has to end then. It is nil for one
// who came in by neither token nor session. The error wraps ErrNobody where it was revoked just now.
func (a *Access) Revoked(ctx context.Context, c Caller) (<-chan struct{}, error) {
	if c.Door.ID == "" {
		return nil, nil
	}
	a.mu.Lock()
	gone := a.open[c.Door]
	if gone == nil {
		gone = make(chan struct{})
		a.open[c.Door] = gone
		if c.By.Kind == grant.Person {
			a.owner[c.Door] = c.By.ID
		}
	}
	a.mu.Unlock()
	return gone, a.stillThere(ctx, c.Door) // asked after the channel is there: a revocation is in one of the two
}

func (a *Access) stillThere(ctx context.Context, d Credential) error {
	is := false
	if d.Session {
		all, err := a.store.SignIns(ctx, a.now())
		if err != nil {
			return err
		}
		is = slices.ContainsFunc(all, func(s store.SignIn) bool { return s.ID == d.ID })
	} else {
		all, err := a.store.Tokens(ctx)
		if err != nil {
			return err
		}
		is = slices.ContainsFunc(all, func(t Token) bool { return t.ID == d.ID })
	}
	if !is {
		return fmt.Errorf("%w: it was revoked", ErrNobody)
	}
	return nil
}

// revoke ends what goes on for somebody who came in by a door.
func (a *Access) revoke(d Credential) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if gone := a.open[d]; gone != nil {
		close(gone)
		delete(a.open, d)
		delete(a.owner, d)
	}
	delete(a.used, d)
	if a.revoked != nil {
		go a.revoked(d)
	}
}

// NewSecret is a new secret of 192 random bits, in hexadecimal digits.
func NewSecret() string {
	b := make([]byte, 24)
	_, _ = rand.Read(b) // never fails
	return hex.EncodeToString(b)
}

// HashOf is what is kept of a secret. It is enough without salt or stretching: secrets are 192 random bits.
func HashOf(secret string) string {
	sum := sha256.Sum256([]byte(secret))
	return hex.EncodeToString(sum[:])
}

// SignIn trades a link's code for a session's cookie value. It works once, for the person that it was made for. agent
// is what the browser calls itself, and from the address that it comes from.
func (a *Access) SignIn(ctx context.Context, ticket, agent, from string) (Person, string, error) {
	p, err := a.people.TakeLink(ctx, HashOf(ticket), a.now())
	if errors.Is(err, store.ErrNotFound) || err == nil && a.over(p) {
		return p, "", fmt.Errorf("%w is used up or too old: ask for a new link (urbo person link)", ErrTicket)
	}
	if err != nil {
		return p, "", fmt.Errorf("sign in: %w", err)
	}
	s := NewSecret()
	row := store.SignIn{Hash: HashOf(s), ID: NewSecret()[:8], Name: p.Name, Scope: string(p.Role), PersonID: p.ID,
		Agent: browser(agent), Created: a.now(), Expires: a.now().Add(SessionLife)}
	if p.Role == grant.Guest {
		row.Expires = p.Until
	}
	if err := a.store.AddSignIn(ctx, row); err != nil {
		return p, "", fmt.Errorf("sign in: %w", err)
	}
	a.use(Credential{true, row.ID}, from)
	a.say(byOf(p, row.Agent), "A browser signed in for "+p.Name)
	return p, s, nil
}

// maxAgent is the most characters that are kept of what a browser calls itself.
const maxAgent = 160

func browser(agent string) string {
	agent = plain.Show(strings.Join(strings.Fields(agent), " "))
	if r := []rune(agent); len(r) > maxAgent {
		return string(r[:maxAgent])
	}
	return agent
}

// say tells the journal.
func (a *Access) say(by grant.By, text string) {
	a.stream.Publish(happening.Happening{By: by, What: happening.AccessChanged{Text: text}})
}

// SignOut ends the session that a caller came in by, if it was one.
func (a *Access) SignOut(ctx context.Context, c Caller) error {
	if !c.Door.Session {
		return nil
	}
	if err := a.store.RemoveSignIn(ctx, c.Door.ID); err != nil && !errors.Is(err, store.ErrNotFound) {
		return fmt.Errorf("sign out: %w", err)
	}
	a.revoke(c.Door)
	a.say(c.By, "A browser signed out")
	return nil
}

// Session is a signed-in browser.
type Session = store.SignIn

// Sessions lists the signed-in browsers, the newest first.
func (a *Access) Sessions(ctx context.Context) ([]Session, error) {
	all, err := a.store.SignIns(ctx, a.now())
	if err != nil {
		return nil, fmt.Errorf("list sessions: %w", err)
	}
	for i, s := range all {
		all[i].Used, all[i].From = a.lastUse(Credential{true, s.ID}, s.Used, s.From)
	}
	return all, nil
}

// EndSession signs a browser out, by the id of its session. The error wraps ErrUnknown.
func (a *Access) EndSession(ctx context.Context, id string, by grant.By) error {
	err := a.store.RemoveSignIn(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		return fmt.Errorf("%w %.60q: list them with urbo session list", ErrUnknown, id)
	}
	if err != nil {
		return fmt.Errorf("end session: %w", err)
	}
	a.revoke(Credential{true, id})
	a.say(by, "Ended the session "+id)
	return nil
}

// Session finds who a session's cookie belongs to, who comes from an address. Its error wraps ErrNobody.
func (a *Access) Session(ctx context.Context, session, from string) (Caller, error) {
	row, err := a.store.SignIn(ctx, HashOf(session), a.now())
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return Caller{}, fmt.Errorf("look up session: %w", err)
	}
	p, known := a.person(row.PersonID)
	if err != nil || !known || a.over(p) {
		return Caller{}, fmt.Errorf("%w: the session is over: open a new sign-in link", ErrNobody)
	}
	d := Credential{true, row.ID}
	a.use(d, from)
	until := row.Expires
	if !p.Until.IsZero() && p.Until.Before(until) {
		until = p.Until
	}
	return Caller{By: byOf(p, row.Agent), Grant: grant.Of(p.Role, p.Where), Role: p.Role, Door: d, Until: until}, nil
}

// Token finds who a token belongs to, who comes from an address. Its error wraps ErrNobody.
func (a *Access) Token(ctx context.Context, token, from string) (Caller, error) {
	return a.token(ctx, token, from, false)
}

// Hook finds the hook that a secret address belongs to: its actor has the id of its token. The error wraps ErrNobody.
func (a *Access) Hook(ctx context.Context, secret, from string) (Caller, error) {
	return a.token(ctx, secret, from, true)
}

func (a *Access) token(ctx context.Context, token, from string, hook bool) (Caller, error) {
	row, err := a.store.Token(ctx, HashOf(token))
	if errors.Is(err, store.ErrNotFound) || err == nil && (row.Scope == HookScope) != hook {
		return Caller{}, fmt.Errorf("%w: no such token: make one with urbo token add", ErrNobody)
	}
	if err != nil {
		return Caller{}, fmt.Errorf("look up token: %w", err)
	}
	d := Credential{ID: row.ID}
	a.use(d, from)
	name := "token " + row.Name
	if hook {
		name = row.Name
	}
	return Caller{By: grant.By{Actor: grant.Actor{ID: row.ID, Kind: grant.Program, Name: name}},
		Grant: grant.Grant{Rights: row.Rights, Where: row.Where}, Station: row.Scope == StationScope, Door: d}, nil
}

// Token is a credential for a program.
type Token = store.Token

// StationScope is the word for a token that lets a station in, and is no right.
const StationScope = "station"

// HookScope is the word for a token that is the secret address of a hook. It lets nobody in anywhere else.
const HookScope = "hook"

// NewToken is a token to be made: with rights for a part of the house, or for a station.
type NewToken struct {
	Name    string
	Station bool
	Hook    bool
	Rights  []grant.Right
	Where   grant.Where
	Quiet   bool // it is not told in the journal: it is one of many that take each other's place
}

// AddToken makes a token and its secret, which is kept nowhere. Errors wrap device.ErrName, device.ErrTaken or
// grant.ErrRole.
func (a *Access) AddToken(ctx context.Context, n NewToken, by grant.By) (Token, string, error) {
	name, err := device.CleanName("the token's name", n.Name)
	if err != nil {
		return Token{}, "", err
	}
	s := NewSecret()
	t := Token{ID: store.NewID(), Name: name, Scope: grant.RightsText(n.Rights), Rights: n.Rights, Where: n.Where,
		Hash: HashOf(s), Created: a.now()}
	switch {
	case n.Station:
		t.Scope, t.Rights, t.Where = StationScope, nil, grant.Where{}
	case n.Hook:
		t.Scope = HookScope
	case len(n.Rights) == 0 || n.Where.Empty():
		return t, "", fmt.Errorf("%w: say what the token may do, and where", grant.ErrRole)
	}
	if by.Kind == grant.Person {
		t.MadeBy = by.ID
	}
	err = a.store.AddToken(ctx, t)
	if errors.Is(err, store.ErrDuplicate) {
		return t, "", fmt.Errorf("%w: there is a token %q already: choose another name or remove that one",
			device.ErrTaken, name)
	}
	if err != nil {
		return t, "", fmt.Errorf("add token: %w", err)
	}
	if !n.Quiet {
		a.say(by, fmt.Sprintf("Made the token %s (%s)", name, t.Scope))
	}
	return t, s, nil
}

// Tokens lists the tokens by name.
func (a *Access) Tokens(ctx context.Context) ([]Token, error) {
	tokens, err := a.store.Tokens(ctx)
	if err != nil {
		return nil, fmt.Errorf("list tokens: %w", err)
	}
	for i, t := range tokens {
		tokens[i].Used, tokens[i].From = a.lastUse(Credential{ID: t.ID}, t.Used, t.From)
	}
	return tokens, nil
}

// RemoveToken makes a token worthless. The error wraps ErrUnknown.
func (a *Access) RemoveToken(ctx context.Context, name string, by grant.By) error {
	id, err := a.store.RemoveToken(ctx, name)
	if errors.Is(err, store.ErrNotFound) {
		return fmt.Errorf("%w %.60q: list them with urbo token list", ErrUnknown, name)
	}
	if err != nil {
		return fmt.Errorf("remove token: %w", err)
	}
	a.revoke(Credential{ID: id})
	a.say(by, "Removed the token "+name)
	return nil
}

// RemoveTokenByID is RemoveToken for a token whose name may have become another. The error wraps ErrUnknown.
func (a *Access) RemoveTokenByID(ctx context.Context, id string, by grant.By) error {
	tokens, err := a.store.Tokens(ctx)
	if err != nil {
		return fmt.Errorf("remove token: %w", err)
	}
	for _, t := range tokens {
		if t.ID == id {
			return a.RemoveToken(ctx, t.Name, by)
		}
	}
	return fmt.Errorf("%w: it is gone already", ErrUnknown)
}

// DropToken makes a token worthless by its id, without a word in the journal. One that is gone is no error.
func (a *Access) DropToken(ctx context.Context, id string) error {
	tokens, err := a.store.Tokens(ctx)
	if err != nil {
		return fmt.Errorf("remove token: %w", err)
	}
	for _, t := range tokens {
		if t.ID != id {
			continue
		}
		if _, err := a.store.RemoveToken(ctx, t.Name); err != nil && !errors.Is(err, store.ErrNotFound) {
			return fmt.Errorf("remove token: %w", err)
		}
		a.revoke(Credential{ID: id})
	}
	return nil
}

// Station says whether a secret is the token of a station of a name, which is how it signs in at the house's own
// broker. revoked is closed when the token is removed. Errors wrap ErrNobody or ErrStation.
func (a *Access) Station(ctx context.Context, name, secret, from string) (revoked <-chan struct{}, err error) {
	c, err := a.Token(ctx, secret, from)
	if err != nil {
		return nil, err
	}
	if !c.Station || c.By.Name != "token "+StationToken(name) {
		return nil, fmt.Errorf("%w: %.40q", ErrStation, name)
	}
	return a.Revoked(ctx, c)
}

// Program says whether a token lets a program in at the broker, and what it may do; from is its address. Errors are
// those of Token, or wrap ErrStation.
func (a *Access) Program(ctx context.Context, secret, from string) (who grant.Who, revoked <-chan struct{}, err error) {
	c, err := a.Token(ctx, secret, from)
	if err != nil {
		return who, nil, err
	}
	if c.Station {
		return who, nil, fmt.Errorf("%w: it is a station's", ErrStation)
	}
	revoked, err = a.Revoked(ctx, c)
	c.By.Via = "MQTT"
	return grant.Who{By: c.By, Grant: c.Grant}, revoked, err
}

// StationToken is the name of the token of a station.
func StationToken(station string) string { return "station " + station }
