package store

import (
	"context"
	"time"

	"gorm.io/gorm"
)

type tokenRow struct {
	ID        string `gorm:"primaryKey"`
	Name      string
	Scope     string
	Hash      string
	CreatedMS int64  `gorm:"column:created_ms"`
	UsedMS    *int64 `gorm:"column:used_ms"`
}

// Token is a credential for a program. Only the hash of its secret is kept.
type Token struct {
	ID, Name, Scope, Hash string
	Created               time.Time
	Used                  *time.Time
}

func (row tokenRow) token() Token {
	t := Token{ID: row.ID, Name: row.Name, Scope: row.Scope, Hash: row.Hash, Created: fromMillis(row.CreatedMS)}
	if row.UsedMS != nil {
		used := fromMillis(*row.UsedMS)
		t.Used = &used
	}
	return t
}

// SignIn is a signed-in browser. Only the hash of its cookie is kept.
type SignIn struct {
	Hash, Name, Scope string
	Expires           time.Time
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
		return tx.Table("tokens").Create(&tokenRow{ID: t.ID, Name: t.Name, Scope: t.Scope, Hash: t.Hash,
			CreatedMS: millis(t.Created)}).Error
	})
}

// RemoveToken removes a token by name. The error wraps ErrNotFound.
func (r Access) RemoveToken(ctx context.Context, name string) error {
	return r.store.change(ctx, func(tx *gorm.DB) error {
		result := tx.Exec("DELETE FROM tokens WHERE name = ?", name)
		if result.Error == nil && result.RowsAffected == 0 {
			return gorm.ErrRecordNotFound
		}
		return result.Error
	})
}

// NoteUses keeps when tokens were last used, by their ids.
func (r Access) NoteUses(ctx context.Context, used map[string]time.Time) error {
	return r.store.change(ctx, func(tx *gorm.DB) error {
		for id, at := range used {
			if err := tx.Exec("UPDATE tokens SET used_ms = ? WHERE id = ?", millis(at), id).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// SignIn finds who is signed in by the hash of a cookie, where that holds at a time. The error wraps ErrNotFound.
func (r Access) SignIn(ctx context.Context, hash string, now time.Time) (SignIn, error) {
	var row struct{ Hash, Name, Scope string }
	err := r.store.read.WithContext(ctx).Table("sessions").Where("hash = ? AND expires_ms > ?", hash,
		millis(now)).Take(&row).Error
	return SignIn{Hash: row.Hash, Name: row.Name, Scope: row.Scope}, Explain(err)
}

// AddSignIn keeps a signed-in browser, and removes those whose time is over.
func (r Access) AddSignIn(ctx context.Context, s SignIn, now time.Time) error {
	return r.store.change(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("DELETE FROM sessions WHERE expires_ms < ?", millis(now)).Error; err != nil {
			return err
		}
		return tx.Exec("INSERT INTO sessions VALUES (?, ?, ?, ?)", s.Hash, s.Name, s.Scope, millis(s.Expires)).Error
	})
}

// RemoveSignIn ends a browser's session.
func (r Access) RemoveSignIn(ctx context.Context, hash string) error {
	return r.store.change(ctx, func(tx *gorm.DB) error {
		return tx.Exec("DELETE FROM sessions WHERE hash = ?",
			hash).Error
	})
}
