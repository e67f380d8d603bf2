package store

import (
	"context"
	"time"

	"gorm.io/gorm"
)

// historyTables are what migration 0020 adds: what was believed, measured and pressed, in the order in which it came.
var historyTables = []string{`CREATE TABLE history (seq INTEGER PRIMARY KEY, at_ms INTEGER NOT NULL, kind TEXT NOT NULL,
	of TEXT NOT NULL, name TEXT NOT NULL, value TEXT NOT NULL, source TEXT NOT NULL)`,
	`CREATE INDEX history_of ON history (of, kind, name, at_ms)`,
	`CREATE INDEX history_at ON history (at_ms)`}

// history is migration 0020.
func history(tx *gorm.DB) error { return execute(tx, historyTables) }

// Fact is something that was so from a time on, or happened then.
type Fact struct {
	AtMS   int64  `gorm:"column:at_ms"`
	Kind   string // control, measurement or key
	Of     string // id of the device, or name of the measurement
	Name   string // of the control or key; "" of a measurement
	Value  string // "" where a control may be at several
	Source string // sent, heard, told or sensed, of a control
}

// PutFacts adds facts.
func (s *Store) PutFacts(ctx context.Context, all []Fact) error {
	return s.change(ctx, func(tx *gorm.DB) error { return tx.Table("history").CreateInBatches(all, 500).Error })
}

// FactQuery is what is asked of the history.
type FactQuery struct {
	Kind, Of, Name string
	Since, Until   time.Time // zero is no bound
	Limit          int
}

// Facts reads what was so, the oldest first, and before it the one that was so when the time began.
func (s *Store) Facts(ctx context.Context, q FactQuery) ([]Fact, error) {
	of := s.read.WithContext(ctx).Table("history").Where("of = ? AND kind = ? AND name = ?", q.Of, q.Kind, q.Name)
	var out []Fact
	within := of.Session(&gorm.Session{}).Order("at_ms, seq").Limit(q.Limit)
	if !q.Since.IsZero() {
		first := of.Session(&gorm.Session{}).Where("at_ms < ?", millis(q.Since)).Order("at_ms DESC, seq DESC").Limit(1)
		if err := first.Find(&out).Error; err != nil {
			return nil, Explain(err)
		}
		within = within.Where("at_ms >= ?", millis(q.Since))
	}
	if !q.Until.IsZero() {
		within = within.Where("at_ms < ?", millis(q.Until))
	}
	var rest []Fact
	err := within.Find(&rest).Error
	return append(out, rest...), Explain(err)
}

// PruneFacts forgets what was before a time, and the oldest beyond so many.
func (s *Store) PruneFacts(ctx context.Context, before time.Time, most int64) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("DELETE FROM history WHERE at_ms < ?", millis(before)).Error; err != nil {
			return err
		}
		return tx.Exec("DELETE FROM history WHERE seq <= (SELECT max(seq) FROM history) - ?", most).Error
	})
}
