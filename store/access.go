package store

import (
	"context"
	"encoding/json"
	"time"
	"urbo/core/grant"

	"gorm.io/gorm"
)

type tokenRow struct {
	ID        string `gorm:"primaryKey"`
	Name      string
	Scope     string
	Hash      string
	CreatedMS int64  `gorm:"column:created_ms"`
	UsedMS    *int64 `gorm:"column:used_ms"`
	UsedFrom  string
	Rights    string
	Reach     string
	MadeBy    string
}

// Token is a credential for a program. Only the hash of its secret is kept.
type Token struct {
	ID, Name, Hash string
	Scope          string // station for one that lets a station in; the word for its rights otherwise
	Rights         []grant.Right
	Where          grant.Where
	MadeBy         string // id of the person, "" where it was made on this machine
	Created        time.Time
	Used           *time.Time
	From           string // address that it was last used from
}

func (row tokenRow) token() Token {
	t := Token{ID: row.ID, Name: row.Name, Scope: row.Scope, Hash: row.Hash, Created: fromMillis(row.CreatedMS),
		Used: maybeMillis(row.UsedMS), From: row.UsedFrom, MadeBy: row.MadeBy}
	if row.Rights == "" { // of before migration 0016
		t.Rights, _ = grant.ParseRights([]string{row.Scope})
		t.Where = grant.Everywhere
		return t
	}
	t.Rights, t.Where = readRights(row.Rights), readReach(row.Reach)
	return t
}

func maybeMillis(ms *int64) *time.Time {
	if ms == nil {
		return nil
	}
	t := fromMillis(*ms)
	return &t
}

type sessionRow struct {
	Hash      string `gorm:"primaryKey"`
	ID        string
	Name      string
	Scope     string
	Agent     string
	CreatedMS int64  `gorm:"column:created_ms"`
	ExpiresMS int64  `gorm:"column:expires_ms"`
	UsedMS    *int64 `gorm:"column:used_ms"`
	UsedFrom  string
	PersonID  string
}

// SignIn is a signed-in browser. Only the hash of its cookie is kept.
type SignIn struct {
	Hash, ID, Name, Scope string
	PersonID              string    // who is signed in
	Agent                 string    // what the browser called itself
	Created               time.Time // zero for one of before migration 0010
	Expires               time.Time
	Used                  *time.Time
	From                  string // address that it was last used from
}

func (row sessionRow) signIn() SignIn {
	out := SignIn{Hash: row.Hash, ID: row.ID, Name: row.Name, Scope: row.Scope, Agent: row.Agent,
		Expires: fromMillis(row.ExpiresMS), Used: maybeMillis(row.UsedMS), From: row.UsedFrom, PersonID: row.PersonID}
	if row.CreatedMS > 0 {
		out.Created = fromMillis(row.CreatedMS)
	}
	return out
}

// Use is when and from where a token or a session was used.
type Use struct {
	At   time.Time
	From string
}

// Access is the repository of tokens and of signed-in browsers.
type Access struct{ store *Store }

// Access is the repository of who may come in.
func (s *Store) Access() Access { return Access{s} }

// Tokens lists the tokens by name.
func (r Access) Tokens(ctx context.Context) ([]Token, error) {
	var rows []tokenRow
	if err := r.store.read.WithContext(ctx).Table("tokens").Order("name").Find(&rows).Error; err != nil {
		return nil, Explain(err)
	}
	out := make([]Token, len(rows))
	for i, row := range rows {
		out[i] = row.token()
	}
	return out, nil
}

// Token finds a token by the hash of its secret. The error wraps ErrNotFound.
func (r Access) Token(ctx context.Context, hash string) (Token, error) {
	var row tokenRow
	err := r.store.read.WithContext(ctx).Table("tokens").Where("hash = ?", hash).Take(&row).Error
	return row.token(), Explain(err)
}

// AddToken keeps a token. The error wraps ErrDuplicate where its name is taken.
func (r Access) AddToken(ctx context.Context, t Token) error {
	return r.store.change(ctx, func(tx *gorm.DB) error {
		row := tokenRow{ID: t.ID, Name: t.Name, Scope: t.Scope, Hash: t.Hash, MadeBy: t.MadeBy,
			CreatedMS: millis(t.Created)}
		rights, err := json.Marshal(append([]grant.Right{}, t.Rights...))
		if err != nil {
			return err
		}
		row.Rights = string(rights)
		if row.Reach, err = WriteDocument(reachVersion, t.Where); err != nil {
			return err
		}
		return tx.Table("tokens").Create(&row).Error
	})
}

// RemoveToken removes a token by name, and tells its id. The error wraps ErrNotFound.
func (r Access) RemoveToken(ctx context.Context, name string) (id string, err error) {
	err = r.store.change(ctx, func(tx *gorm.DB) error {
		result := tx.Raw("DELETE FROM tokens WHERE name = ? RETURNING id", name).Scan(&id)
		if result.Error == nil && id == "" {
			return gorm.ErrRecordNotFound
		}
		return result.Error
	})
	return id, err
}

// NoteUses keeps when tokens and sessions were last used, by their ids.
func (r Access) NoteUses(ctx context.Context, tokens, sessions map[string]Use) error {
	return r.store.change(ctx, func(tx *gorm.DB) error {
		for table, used := range map[string]map[string]Use{"tokens": tokens, "sessions": sessions} {
			for id, u := range used {
				if err := tx.Exec("UPDATE "+table+" SET used_ms = ?, used_from = ? WHERE id = ?", millis(u.At), u.From,
					id).Error; err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// SignIns lists the signed-in browsers whose time is not over, the newest first.
func (r Access) SignIns(ctx context.Context, now time.Time) ([]SignIn, error) {
	var rows []sessionRow
	if err := r.store.read.WithContext(ctx).Table("sessions").Where("expires_ms > ?",
		millis(now)).Order("created_ms DESC, id").Find(&rows).Error; err != nil {
		return nil, Explain(err)
	}
	out := make([]SignIn, len(rows))
	for i, row := range rows {
		out[i] = row.signIn()
	}
	return out, nil
}

// SignIn finds who is signed in by the hash of a cookie, where that holds at a time. The error wraps ErrNotFound.
func (r Access) SignIn(ctx context.Context, hash string, now time.Time) (SignIn, error) {
	var row sessionRow
	err := r.store.read.WithContext(ctx).Table("sessions").Where("hash = ? AND expires_ms > ?", hash,
		millis(now)).Take(&row).Error
	return row.signIn(), Explain(err)
}

// AddSignIn keeps a signed-in browser, and removes those whose time is over.
func (r Access) AddSignIn(ctx context.Context, s SignIn) error {
	return r.store.change(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("DELETE FROM sessions WHERE expires_ms < ?", millis(s.Created)).Error; err != nil {
			return err
		}
		return tx.Table("sessions").Create(&sessionRow{Hash: s.Hash, ID: s.ID, Name: s.Name, Scope: s.Scope,
			Agent: s.Agent, PersonID: s.PersonID, CreatedMS: millis(s.Created), ExpiresMS: millis(s.Expires)}).Error
	})
}

// RemoveSignIn ends a browser's session, by its id. The error wraps ErrNotFound.
func (r Access) RemoveSignIn(ctx context.Context, id string) error {
	return r.store.change(ctx, func(tx *gorm.DB) error {
		result := tx.Exec("DELETE FROM sessions WHERE id = ?", id)
		if result.Error == nil && result.RowsAffected == 0 {
			return gorm.ErrRecordNotFound
		}
		return result.Error
	})
}
