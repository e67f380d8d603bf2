package store

import (
	"context"
	"strconv"
	"time"

	"gorm.io/gorm"
)

// beliefs is migration 0013: what devices are believed to be set to.
func beliefs(tx *gorm.DB) error { return execute(tx, beliefTables) }

var beliefTables = []string{`CREATE TABLE beliefs (device_id TEXT PRIMARY KEY REFERENCES devices(id) ON DELETE CASCADE,
	version INTEGER NOT NULL, document TEXT NOT NULL)`}

// Belief is what is believed of a device, as a document.
type Belief struct {
	DeviceID string
	Version  int
	Document []byte
}

type beliefRow struct {
	DeviceID string
	Version  int
	Document string
}

// Beliefs reads all of them.
func (s *Store) Beliefs(ctx context.Context) ([]Belief, error) {
	var rows []beliefRow
	err := s.read.WithContext(ctx).Raw(`SELECT b.device_id, b.version, b.document FROM beliefs b JOIN devices d
		ON d.id = b.device_id WHERE d.removed_ms IS NULL`).Scan(&rows).Error
	out := make([]Belief, len(rows))
	for i, r := range rows {
		out[i] = Belief{r.DeviceID, r.Version, []byte(r.Document)}
	}
	return out, Explain(err)
}

// PutBeliefs keeps some, in one transaction. Those of devices that are not there any more are passed over.
func (s *Store) PutBeliefs(ctx context.Context, all []Belief) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		for _, b := range all {
			if err := tx.Exec(`INSERT INTO beliefs SELECT ?, ?, ? WHERE EXISTS (SELECT 1 FROM devices WHERE id = ?)
				ON CONFLICT (device_id) DO UPDATE SET version = excluded.version, document = excluded.document`, b.DeviceID,
				b.Version, string(b.Document), b.DeviceID).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// ended is the name of the moment at which the house last ended in order.
const ended = "ended_ms"

// NoteEnd keeps when the house ended in order.
func (s *Store) NoteEnd(ctx context.Context, at time.Time) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		return tx.Exec("INSERT INTO house VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value", ended,
			strconv.FormatInt(millis(at), 10)).Error
	})
}

// TakeEnd reads when the house last ended in order, and forgets it; zero where it did not.
func (s *Store) TakeEnd(ctx context.Context) (at time.Time, err error) {
	err = s.change(ctx, func(tx *gorm.DB) error {
		var text string
		if err := tx.Raw("SELECT value FROM house WHERE name = ?", ended).Scan(&text).Error; err != nil {
			return err
		}
		if ms, err := strconv.ParseInt(text, 10, 64); err == nil {
			at = fromMillis(ms)
		}
		return tx.Exec("DELETE FROM house WHERE name = ?", ended).Error
	})
	return at, err
}
