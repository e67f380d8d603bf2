package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"urbo/core/grant"
)

// peopleTables are what migration 0016 adds: people, the links by which they sign in, and rights of tokens.
var peopleTables = []string{
	`CREATE TABLE people (id TEXT PRIMARY KEY, name TEXT NOT NULL, role TEXT NOT NULL, reach TEXT NOT NULL,
		until_ms INTEGER, created_ms INTEGER NOT NULL, removed_ms INTEGER)`,
	`CREATE UNIQUE INDEX person_name ON people (name COLLATE NOCASE) WHERE removed_ms IS NULL`,
	`CREATE TABLE links (hash TEXT PRIMARY KEY, person_id TEXT NOT NULL REFERENCES people(id) ON DELETE CASCADE,
		expires_ms INTEGER NOT NULL)`,
	`ALTER TABLE sessions ADD COLUMN person_id TEXT NOT NULL DEFAULT ''`,
	`ALTER TABLE tokens ADD COLUMN rights TEXT NOT NULL DEFAULT ''`,
	`ALTER TABLE tokens ADD COLUMN reach TEXT NOT NULL DEFAULT ''`,
	`ALTER TABLE tokens ADD COLUMN made_by TEXT NOT NULL DEFAULT ''`,
}

// userColumns are what migration 0022 adds: which user of this machine a person is.
var userColumns = []string{`ALTER TABLE people ADD COLUMN user TEXT NOT NULL DEFAULT ''`}

// users is migration 0022.
func users(tx *gorm.DB) error { return execute(tx, userColumns) }

// FirstOwner is the name of the owner that every house has, until the first link names that person.
const FirstOwner = "owner"

// firstOwner makes the owner that every house has, who gets all sessions that live.
func firstOwner(tx *gorm.DB) error {
	id := NewID()
	if err := tx.Exec(`INSERT INTO people (id, name, role, reach, created_ms) VALUES (?, ?, 'owner', '{"house":true}', ?)`,
		id, FirstOwner, millis(time.Now())).Error; err != nil {
		return err
	}
	return tx.Exec("UPDATE sessions SET person_id = ?", id).Error
}

// people is migration 0016.
func people(tx *gorm.DB) error {
	if err := execute(tx, peopleTables); err != nil {
		return err
	}
	return firstOwner(tx)
}

// Person is somebody who may sign in.
type Person struct {
	ID      string
	Name    string
	Role    grant.Role
	Where   grant.Where
	Until   time.Time // zero is for ever
	Created time.Time
	User    string // of this machine, whom this person is at a terminal; "" for none
}

type personRow struct {
	ID        string `gorm:"primaryKey"`
	Name      string
	Role      string
	Reach     string
	UntilMS   *int64 `gorm:"column:until_ms"`
	CreatedMS int64  `gorm:"column:created_ms"`
	RemovedMS *int64 `gorm:"column:removed_ms"`
	User      string
}

// reachVersion of the document that says where somebody may do something.
const reachVersion = 1

// readReach reads it. What cannot be read is nowhere: the strictest.
func readReach(text string) (w grant.Where) {
	if err := ReadDocument(text, reachVersion, &w); err != nil {
		return grant.Where{}
	}
	return w
}

func (row personRow) person() Person {
	return Person{ID: row.ID, Name: row.Name, Role: grant.Role(row.Role), Where: readReach(row.Reach),
		Until: momentOf(row.UntilMS), Created: fromMillis(row.CreatedMS), User: row.User}
}

func newPersonRow(p Person) (personRow, error) {
	reach, err := WriteDocument(reachVersion, p.Where)
	return personRow{ID: p.ID, Name: p.Name, Role: string(p.Role), Reach: reach, UntilMS: msOf(p.Until),
		CreatedMS: millis(p.Created), User: p.User}, err
}

// People is the repository of people and their links.
type People struct{ store *Store }

// People is the repository of people.
func (s *Store) People() People { return People{s} }

// List lists the people by name.
func (r People) List(ctx context.Context) ([]Person, error) {
	return listPeople(r.store.read.WithContext(ctx))
}

func listPeople(tx *gorm.DB) ([]Person, error) {
	var rows []personRow
	err := tx.Table("people").Where("removed_ms IS NULL").Order("name COLLATE NOCASE").Find(&rows).Error
	out := make([]Person, len(rows))
	for i, row := range rows {
		out[i] = row.person()
	}
	return out, Explain(err)
}

// Change changes people in one transaction: f gets all of them and tells which to write, and which to remove. Those who
// are removed keep a row, so that the journal can still name them; their sessions and links go. Errors are those of f,
// or wrap ErrDuplicate where two have one name.
func (r People) Change(ctx context.Context, now time.Time, f func(all []Person) (put []Person, remove []string,
	err error)) error {
	return r.store.change(ctx, func(tx *gorm.DB) error {
		all, err := listPeople(tx)
		if err != nil {
			return err
		}
		put, remove, err := f(all)
		if err != nil {
			return err
		}
		for _, p := range put {
			row, err := newPersonRow(p)
			if err != nil {
				return err
			}
			if err := tx.Table("people").Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "id"}},
				UpdateAll: true}).Create(&row).Error; err != nil {
				return fmt.Errorf("keep %s: %w", p.Name, err)
			}
		}
		for _, id := range remove {
			for _, s := range []string{"UPDATE people SET removed_ms = ? WHERE id = ?",
				"DELETE FROM sessions WHERE ? > 0 AND person_id = ?",
				"DELETE FROM links WHERE ? > 0 AND person_id = ?"} {
				if err := tx.Exec(s, millis(now), id).Error; err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// Link is a sign-in link of a person, by its hash. It works so many times.
type Link struct {
	Hash, PersonID string
	Expires        time.Time
	Uses           int
}

// PutLink keeps a sign-in link, and forgets those whose time is over. The error wraps ErrDuplicate where there are the
// most already.
func (r People) PutLink(ctx context.Context, l Link, now time.Time, most, each int) error {
	return r.store.change(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("DELETE FROM links WHERE expires_ms < ?", millis(now)).Error; err != nil {
			return err
		}
		var n struct{ All, Theirs int }
		if err := tx.Raw(`SELECT count(*) AS "all", count(*) FILTER (WHERE person_id = ?) AS theirs FROM links`,
			l.PersonID).Scan(&n).Error; err != nil {
			return err
		}
		if n.All >= most || n.Theirs >= each {
			return ErrDuplicate
		}
		return tx.Exec("INSERT INTO links (hash, person_id, expires_ms, uses) VALUES (?, ?, ?, ?)", l.Hash, l.PersonID,
			millis(l.Expires), l.Uses).Error
	})
}

// TakeLink uses a link once, and tells whose it is. The error wraps ErrNotFound where there is none that still holds.
func (r People) TakeLink(ctx context.Context, hash string, now time.Time) (p Person, err error) {
	err = r.store.change(ctx, func(tx *gorm.DB) error {
		var ids []string
		if err := tx.Raw("UPDATE links SET uses = uses - 1 WHERE hash = ? AND expires_ms >= ? AND uses > 0 "+
			"RETURNING person_id", hash, millis(now)).Scan(&ids).Error; err != nil {
			return err
		}
		if err := tx.Exec("DELETE FROM links WHERE uses < 1").Error; err != nil {
			return err
		}
		if len(ids) == 0 {
			return gorm.ErrRecordNotFound
		}
		var row personRow
		err := tx.Table("people").Where("id = ? AND removed_ms IS NULL", ids[0]).Take(&row).Error
		p = row.person()
		return err
	})
	return p, err
}

// readRights reads the rights of a token, which are kept as a list. What cannot be read is none.
func readRights(text string) (out []grant.Right) {
	if json.Unmarshal([]byte(text), &out) != nil {
		return nil
	}
	return out
}
