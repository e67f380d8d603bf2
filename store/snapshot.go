package store

import (
	"context"
	"errors"
	"fmt"
	"os"
	"time"

	"gorm.io/gorm"

	"urbo/core/fault"
)

// ErrDamaged is wrapped where a database is not whole, or none.
var ErrDamaged = fault.New(fault.Invalid, "the database is damaged")

// Snapshot writes the database as it is now into a file that must not be there yet. Reading and writing go on
// meanwhile.
func (s *Store) Snapshot(ctx context.Context, path string) error {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	if err := f.Close(); err != nil {
		return err
	}
	db, err := connect(s.path, 1, pragmas()) // the readers' connections refuse everything that writes
	if err != nil {
		return Explain(err)
	}
	return Explain(errors.Join(db.WithContext(ctx).Exec("VACUUM INTO ?", path).Error, closeDB(db)))
}

// Check says whether a file is a whole database that this version can open. Errors wrap ErrDamaged or ErrNewer.
func Check(path string) (err error) {
	db, err := connect(path, 1, "mode=ro")
	if err != nil {
		return fmt.Errorf("%w: %w", ErrDamaged, err)
	}
	defer func() { err = errors.Join(err, closeDB(db)) }()
	var found []string
	if err := db.Raw("PRAGMA integrity_check(3)").Scan(&found).Error; err != nil {
		return fmt.Errorf("%w: %w", ErrDamaged, err)
	}
	if len(found) != 1 || found[0] != "ok" {
		return fmt.Errorf("%w: %v", ErrDamaged, found)
	}
	if !db.Migrator().HasTable(migrationTable) {
		return fmt.Errorf("%w: it is not one of Urbo's", ErrDamaged)
	}
	if err := checkSchema(db); err != nil {
		return err
	}
	return checkVersion(db)
}

// CameBack brings a database up to date that was restored from a copy. What changes from press to press moves on:
// what was pressed since the copy was made is not in it, and no counter may come twice. It moves on from what the copy
// says, or the house that was there before, whichever is greater, by ten for each day and ten more, which leaves
// toggles as they are. What was under way when the copy was made, held for a time or in force is over, and so are
// sign-in links, and the links and pages of guests unless they are to be kept.
func (s *Store) CameBack(ctx context.Context, since time.Duration, before []Turn, guests bool) error {
	days := int64(max(since, 0)/(24*time.Hour)) + 1
	return s.change(ctx, func(tx *gorm.DB) error {
		for _, t := range before { // a toggle has two values, of which the later one is right
			if err := tx.Exec(`UPDATE turns SET next = CASE WHEN next <= 1 THEN ? ELSE max(next, ?) END
				WHERE device_id = ? AND sheet = ? AND field = ?`, t.Next, t.Next, t.DeviceID, t.Sheet, t.Field).Error; err != nil {
				return err
			}
		}
		const ofGuests = "person_id IN (SELECT id FROM people WHERE role = 'guest')"
		over := []string{"DELETE FROM runs", "DELETE FROM holds", "DELETE FROM errand_states",
			"DELETE FROM house WHERE name IN ('force', 'markers', 'quiet')",
			"DELETE FROM links WHERE NOT " + ofGuests}
		if !guests {
			over = append(over, "DELETE FROM links", "DELETE FROM sessions WHERE "+ofGuests)
		}
		if err := execute(tx, over); err != nil {
			return err
		}
		return tx.Exec("UPDATE turns SET next = next + ?", 10*days+10).Error
	})
}
