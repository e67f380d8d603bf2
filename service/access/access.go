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
	"slices"
	"sync"
	"time"

	"gorm.io/gorm"

	"urbo/service/library"
	"urbo/store"
	"urbo/wire"
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

// Access is the house's doorkeeper.
type Access struct {
	store *store.Store
	now   func() time.Time

	mu      sync.Mutex
	tickets map[string]time.Time // hash → end
}

// New makes a doorkeeper.
func New(s *store.Store, now func() time.Time) *Access {
	return &Access{store: s, now: now, tickets: map[string]time.Time{}}
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
	err := a.store.Change(ctx, func(tx *gorm.DB) error {
		if err := tx.Where("expires < ?", a.now()).Delete(&store.Session{}).Error; err != nil {
			return err
		}
		return tx.Create(&store.Session{Hash: hash(s), Name: "console", Scope: string(Owner), Expires: a.now().Add(SessionLife)}).Error
	})
	if err != nil {
		return "", fmt.Errorf("sign in: %w", err)
	}
	return s, nil
}

// SignOut ends a session.
func (a *Access) SignOut(ctx context.Context, session string) error {
	return a.store.Change(ctx, func(tx *gorm.DB) error {
		return tx.Where("hash = ?", hash(session)).Delete(&store.Session{}).Error
	})
}

// Session finds who a session's cookie belongs to. Its error wraps ErrNobody.
func (a *Access) Session(ctx context.Context, session string) (Caller, error) {
	var row store.Session
	err := a.store.Read(ctx).Where("hash = ? AND expires > ?", hash(session), a.now()).Take(&row).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return Caller{}, fmt.Errorf("%w: the session is over: open a new sign-in link", ErrNobody)
	}
	if err != nil {
		return Caller{}, fmt.Errorf("look up session: %w", err)
	}
	return Caller{row.Name, Scope(row.Scope)}, nil
}

// Token finds who a token belongs to. Its error wraps ErrNobody.
func (a *Access) Token(ctx context.Context, token string) (Caller, error) {
	var row store.Token
	err := a.store.Read(ctx).Where("hash = ?", hash(token)).Take(&row).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return Caller{}, fmt.Errorf("%w: no such token: make one with urbo token add", ErrNobody)
	}
	if err != nil {
		return Caller{}, fmt.Errorf("look up token: %w", err)
	}
	now := a.now()
	if row.UsedAt == nil || now.Sub(*row.UsedAt) > time.Hour { // seldom enough for an SD card
		err = a.store.Change(ctx, func(tx *gorm.DB) error {
			return tx.Model(&store.Token{}).Where("id = ?", row.ID).Update("used_at", now).Error
		})
		if err != nil {
			return Caller{}, fmt.Errorf("note the use of token %s: %w", row.Name, err)
		}
	}
	return Caller{"token " + row.Name, Scope(row.Scope)}, nil
}

// AddToken makes a token; its secret is in the answer and nowhere else.
func (a *Access) AddToken(ctx context.Context, n wire.NewToken) (wire.Token, error) {
	name, err := library.CleanName("the token's name", n.Name)
	if err != nil {
		return wire.Token{}, err
	}
	s := secret()
	row := store.Token{ID: store.NewID(), Name: name, Scope: n.Scope, Hash: hash(s), CreatedAt: a.now()}
	err = a.store.Change(ctx, func(tx *gorm.DB) error { return tx.Create(&row).Error })
	if errors.Is(err, store.ErrDuplicate) {
		return wire.Token{}, fmt.Errorf("%w: there is a token %q already: choose another name or remove that one", library.ErrTaken, name)
	}
	if err != nil {
		return wire.Token{}, fmt.Errorf("add token: %w", err)
	}
	t := tokenToWire(row)
	t.Secret = s
	return t, nil
}

// Tokens lists the tokens without their secrets.
func (a *Access) Tokens(ctx context.Context) ([]wire.Token, error) {
	var rows []store.Token
	if err := a.store.Read(ctx).Order("name").Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("list tokens: %w", err)
	}
	out := make([]wire.Token, len(rows))
	for i, r := range rows {
		out[i] = tokenToWire(r)
	}
	return out, nil
}

// RemoveToken makes a token worthless.
func (a *Access) RemoveToken(ctx context.Context, name string) error {
	return a.store.Change(ctx, func(tx *gorm.DB) error {
		r := tx.Where("name = ?", name).Delete(&store.Token{})
		if r.Error == nil && r.RowsAffected == 0 {
			return fmt.Errorf("%w %.60q: list them with urbo token list", ErrUnknown, name)
		}
		return r.Error
	})
}

func tokenToWire(r store.Token) wire.Token {
	return wire.Token{ID: r.ID, Name: r.Name, Scope: r.Scope, Created: r.CreatedAt, Used: r.UsedAt}
}
