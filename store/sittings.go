package store

import (
	"context"
	"slices"
	"time"

	"gorm.io/gorm"
)

type sittingRow struct {
	Seq       int64 `gorm:"primaryKey"`
	ID        string
	Kind      string
	DeviceID  string
	By        string
	BeganMS   int64 `gorm:"column:began_ms"`
	TouchedMS int64 `gorm:"column:touched_ms"`
	Version   int
	Document  string
}

// Kinds of sittings.
const (
	Lessons   = "lesson"
	Auditions = "audition"
)

// Sitting is a lesson or an audition as it is kept.
type Sitting struct {
	ID       string
	Kind     string
	DeviceID string
	By       string
	Began    time.Time
	Touched  time.Time // when something last happened in it
	Version  int       // of the document
	Document []byte
}

// Sittings is the repository of lessons and auditions.
type Sittings struct{ store *Store }

// Sittings is the repository of lessons and auditions.
func (s *Store) Sittings() Sittings { return Sittings{s} }

// List reads the last sittings of a kind, the oldest first.
func (r Sittings) List(ctx context.Context, kind string, limit int) ([]Sitting, error) {
	var rows []sittingRow
	if err := r.store.read.WithContext(ctx).Table("sittings").Where("kind = ?",
		kind).Order("seq DESC").Limit(limit).Find(&rows).Error; err != nil {
		return nil, Explain(err)
	}
	out := make([]Sitting, 0, len(rows))
	for _, row := range slices.Backward(rows) {
		out = append(out, Sitting{row.ID, row.Kind, row.DeviceID, row.By, fromMillis(row.BeganMS),
			fromMillis(row.TouchedMS), row.Version, []byte(row.Document)})
	}
	return out, nil
}

// Put keeps a sitting as it is, and removes the oldest of its kind beyond so many.
func (r Sittings) Put(ctx context.Context, s Sitting, keep int) error {
	return r.store.change(ctx, func(tx *gorm.DB) error {
		err := tx.Exec(`INSERT INTO sittings (id, kind, device_id, by, began_ms, touched_ms, version,
			document) VALUES (?, ?, ?, ?, ?, ?, ?, ?)
			ON CONFLICT (id) DO UPDATE SET touched_ms = excluded.touched_ms, version = excluded.version,
			document = excluded.document`,
			s.ID, s.Kind, s.DeviceID, s.By, millis(s.Began), millis(s.Touched), s.Version, string(s.Document)).Error
		if err != nil {
			return err
		}
		return tx.Exec(`DELETE FROM sittings WHERE kind = ? AND seq <= (SELECT seq FROM sittings WHERE kind = ?
			ORDER BY seq DESC LIMIT 1 OFFSET ?)`, s.Kind, s.Kind, keep).Error
	})
}
