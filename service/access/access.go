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
	"sync"
	"time"

	"urbo/core/device"
	"urbo/core/happening"
	"urbo/service/stream"
	"urbo/store"
)

// Scope is what a caller may do. Owner may do everything, press may press keys and watch, watch may look.
type Scope string

// The scopes. Station is for hardware and may do nothing else.
const (
	Owner   Scope = "owner"
	Press   Scope = "press"
	Watch   Scope = "watch"
	Station Scope = "station"
)

var allows = map[Scope][]Scope{
	Owner: {Owner, Press, Watch},
	Press: {Press, Watch},
	Watch: {Watch},
}

// Errors that callers ask for.
var (
	ErrNobody  = errors.New("not signed in")
	ErrScope   = errors.New("not allowed")
	ErrTicket  = errors.New("sign-in code")
	ErrUnknown = errors.New("unknown token")
)

// How long things last.
const (
	TicketLife  = 15 * time.Minute
	SessionLife = 90 * 24 * time.Hour
	maxTickets  = 50
)

// Caller is who asks.
type Caller struct {
	Name  string
	Scope Scope
}

// May says whether the caller's scope covers what is asked. Its error wraps ErrScope.
func (c Caller) May(s Scope) error {
	if slices.Contains(allows[c.Scope], s) {
		return nil
	}
	return fmt.Errorf("%w: this needs the scope %q, and %s has %q", ErrScope, s, c.Name, c.Scope)
}

// Access decides who may come in.
type Access struct {
	store  store.Access
	stream *stream.Stream
	now    func() time.Time

	mu      sync.Mutex
	tickets map[string]time.Time // hash → end
	used    map[string]time.Time // by id of a token: uses that are not written yet
}

// New makes the access of a house.
func New(s *store.Store, events *stream.Stream, now func() time.Time) *Access {
	return &Access{store: s.Access(), stream: events, now: now, tickets: map[string]time.Time{},
		used: map[string]time.Time{}}
}

// writeUses is how often it is written when tokens were used: seldom enough for an SD card.
const writeUses = 10 * time.Minute

// Run writes when tokens were used, until the context ends and once more then. Nobody who uses one waits for it.
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
	if err := a.store.NoteUses(ctx, used); err != nil {
		return fmt.Errorf("note when tokens were used: %w", err)
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	for id, at := range used {
		if a.used[id].Equal(at) {
			delete(a.used, id)
		}
	}
	return nil
}

func secret() string {
	b := make([]byte, 24)
	_, _ = rand.Read(b) // never fails
	return hex.EncodeToString(b)
}

// hash is enough without salt or stretching: secrets are 192 random bits.
func hash(secret string) string {
	sum := sha256.Sum256([]byte(secret))
	return hex.EncodeToString(sum[:])
}

// Ticket makes a one-time sign-in code.
func (a *Access) Ticket() (string, time.Time) {
	a.mu.Lock()
	defer a.mu.Unlock()
	now := a.now()
	for h, end := range a.tickets {
		if end.Before(now) || len(a.tickets) >= maxTickets {
			delete(a.tickets, h)
		}
	}
	s, end := secret(), now.Add(TicketLife)
	a.tickets[hash(s)] = end
	return s, end
}

// SignIn trades a ticket for a session's cookie value. A ticket works once.
func (a *Access) SignIn(ctx context.Context, ticket string) (string, error) {
	a.mu.Lock()
	end, ok := a.tickets[hash(ticket)]
	delete(a.tickets, hash(ticket))
	a.mu.Unlock()
	if !ok || end.Before(a.now()) {
		return "", fmt.Errorf("%w is used up or too old: print a new link with urbo token link", ErrTicket)
	}
	s := secret()
	row := store.SignIn{Hash: hash(s), Name: "console", Scope: string(Owner), Expires: a.now().Add(SessionLife)}
	if err := a.store.AddSignIn(ctx, row, a.now()); err != nil {
		return "", fmt.Errorf("sign in: %w", err)
	}
	a.say("", "A browser signed in")
	return s, nil
}

// say tells the journal.
func (a *Access) say(by, text string) {
	a.stream.Publish(happening.Happening{By: by, What: happening.AccessChanged{Text: text}})
}

// SignOut ends a session.
func (a *Access) SignOut(ctx context.Context, session string) error {
	if err := a.store.RemoveSignIn(ctx, hash(session)); err != nil {
		return fmt.Errorf("sign out: %w", err)
	}
	a.say("", "A browser signed out")
	return nil
}

// Session finds who a session's cookie belongs to. Its error wraps ErrNobody.
func (a *Access) Session(ctx context.Context, session string) (Caller, error) {
	row, err := a.store.SignIn(ctx, hash(session), a.now())
	if errors.Is(err, store.ErrNotFound) {
		return Caller{}, fmt.Errorf("%w: the session is over: open a new sign-in link", ErrNobody)
	}
	if err != nil {
		return Caller{}, fmt.Errorf("look up session: %w", err)
	}
	return Caller{row.Name, Scope(row.Scope)}, nil
}

// Token finds who a token belongs to. Its error wraps ErrNobody.
func (a *Access) Token(ctx context.Context, token string) (Caller, error) {
	row, err := a.store.Token(ctx, hash(token))
	if errors.Is(err, store.ErrNotFound) {
		return Caller{}, fmt.Errorf("%w: no such token: make one with urbo token add", ErrNobody)
	}
	if err != nil {
		return Caller{}, fmt.Errorf("look up token: %w", err)
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	a.used[row.ID] = a.now()
	return Caller{"token " + row.Name, Scope(row.Scope)}, nil
}

// Token is a credential for a program.
type Token = store.Token

// AddToken makes a token and its secret, which is kept nowhere. Errors wrap device.ErrName or device.ErrTaken.
func (a *Access) AddToken(ctx context.Context, name string, scope Scope, by string) (Token, string, error) {
	name, err := device.CleanName("the token's name", name)
	if err != nil {
		return Token{}, "", err
	}
	s := secret()
	t := Token{ID: store.NewID(), Name: name, Scope: string(scope), Hash: hash(s), Created: a.now()}
	err = a.store.AddToken(ctx, t)
	if errors.Is(err, store.ErrDuplicate) {
		return t, "", fmt.Errorf("%w: there is a token %q already: choose another name or remove that one",
			device.ErrTaken, name)
	}
	if err != nil {
		return t, "", fmt.Errorf("add token: %w", err)
	}
	a.say(by, fmt.Sprintf("Made the token %s (%s)", name, scope))
	return t, s, nil
}

// Tokens lists the tokens by name.
func (a *Access) Tokens(ctx context.Context) ([]Token, error) {
	tokens, err := a.store.Tokens(ctx)
	if err != nil {
		return nil, fmt.Errorf("list tokens: %w", err)
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	for i, t := range tokens {
		if at, ok := a.used[t.ID]; ok {
			tokens[i].Used = &at
		}
	}
	return tokens, nil
}

// RemoveToken makes a token worthless. The error wraps ErrUnknown.
func (a *Access) RemoveToken(ctx context.Context, name, by string) error {
	err := a.store.RemoveToken(ctx, name)
	if errors.Is(err, store.ErrNotFound) {
		return fmt.Errorf("%w %.60q: list them with urbo token list", ErrUnknown, name)
	}
	if err != nil {
		return fmt.Errorf("remove token: %w", err)
	}
	a.say(by, "Removed the token "+name)
	return nil
}
