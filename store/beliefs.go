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

// beliefLog is migration 0017: what beliefs are folded from is appended, one row for each entry.
func beliefLog(tx *gorm.DB) error { return execute(tx, beliefLogTables) }

var beliefLogTables = []string{
	`CREATE TABLE belief_log (seq INTEGER PRIMARY KEY, device_id TEXT NOT NULL REFERENCES devices(id) ON DELETE CASCADE,
		document TEXT NOT NULL)`,
	`CREATE INDEX belief_log_device ON belief_log (device_id, seq)`,
}

// BeliefChange is what is new about the belief of a device: entries that are appended to its log. With Base, it is what
// is believed before them, and the log of before is given up.
type BeliefChange struct {
	DeviceID string
	Base     *Belief
	Entries  [][]byte
}

// BeliefLog reads the entries that beliefs are folded from, by device, in order.
func (s *Store) BeliefLog(ctx context.Context) (map[string][][]byte, error) {
	var rows []struct{ DeviceID, Document string }
	err := s.read.WithContext(ctx).Raw("SELECT device_id, document FROM belief_log ORDER BY seq").Scan(&rows).Error
	out := map[string][][]byte{}
	for _, r := range rows {
		out[r.DeviceID] = append(out[r.DeviceID], []byte(r.Document))
	}
	return out, Explain(err)
}

// PutBeliefs keeps changes, in one transaction. Those of devices that are not there any more are passed over.
func (s *Store) PutBeliefs(ctx context.Context, all []BeliefChange) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		for _, c := range all {
			if b := c.Base; b != nil {
				if err := tx.Exec(`INSERT INTO beliefs SELECT ?, ?, ? WHERE EXISTS (SELECT 1 FROM devices WHERE id = ?)
					ON CONFLICT (device_id) DO UPDATE SET version = excluded.version, document = excluded.document`,
					c.DeviceID, b.Version, string(b.Document), c.DeviceID).Error; err != nil {
					return err
				}
				if err := tx.Exec("DELETE FROM belief_log WHERE device_id = ?", c.DeviceID).Error; err != nil {
					return err
				}
			}
			for _, e := range c.Entries {
				if err := tx.Exec(`INSERT INTO belief_log (device_id, document) SELECT ?, ?
					WHERE EXISTS (SELECT 1 FROM devices WHERE id = ?)`, c.DeviceID, string(e), c.DeviceID).Error; err != nil {
					return err
				}
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
