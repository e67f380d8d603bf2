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
	Kind   string // control, measurement, key and others
	Of     string // id of the device, or name of the measurement
	Name   string // of the control or key; "" of a measurement
	Value  string // "" where a control may be at several
	Source string // sent, heard, told or sensed, of a control
	Who    string // handset, person, program or errand, where somebody brought that about
	May    string // of a control that may be at several: them, with | between
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

// FactsBetween reads all facts of a time but those of some kinds, in the order in which they came.
func (s *Store) FactsBetween(ctx context.Context, since, until time.Time, but []string, each func(Fact) error) error {
	rows, err := s.read.WithContext(ctx).Table("history").Where("at_ms >= ? AND at_ms < ? AND kind NOT IN ?",
		millis(since), millis(until), but).Order("at_ms, seq").Rows()
	if err != nil {
		return Explain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var f Fact
		if err := s.read.ScanRows(rows, &f); err != nil {
			return Explain(err)
		}
		if err := each(f); err != nil {
			return err
		}
	}
	return Explain(rows.Err())
}

// LastFacts reads, of each thing and who brought it about, the last fact before a time but not before another, but
// those of some kinds.
func (s *Store) LastFacts(ctx context.Context, since, before time.Time, but []string) ([]Fact, error) {
	var out []Fact
	err := s.read.WithContext(ctx).Raw(`SELECT max(at_ms) AS at_ms, kind, of, name, value, source, who, may FROM history
		WHERE at_ms >= ? AND at_ms < ? AND kind NOT IN ? GROUP BY of, kind, name, who ORDER BY 1`, millis(since),
		millis(before), but).Scan(&out).Error
	return out, Explain(err)
}

// NewestFacts reads the newest facts about one thing, the newest first.
func (s *Store) NewestFacts(ctx context.Context, kind, of string, most int) ([]Fact, error) {
	var out []Fact
	err := s.read.WithContext(ctx).Table("history").Where("of = ? AND kind = ? AND name = ''", of, kind).
		Order("at_ms DESC, seq DESC").Limit(most).Find(&out).Error
	return out, Explain(err)
}

// KeepNewestFacts forgets the oldest facts of a kind about each thing beyond so many.
func (s *Store) KeepNewestFacts(ctx context.Context, kind string, most int) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		return tx.Exec(`DELETE FROM history WHERE seq IN (SELECT seq FROM (SELECT seq, row_number() OVER (PARTITION BY of
			ORDER BY seq DESC) AS n FROM history WHERE kind = ?) WHERE n > ?)`, kind, most).Error
	})
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

// NewestFact is the time of the fact that was written last; zero where there is none.
func (s *Store) NewestFact(ctx context.Context) (time.Time, error) {
	var last []Fact
	err := s.read.WithContext(ctx).Table("history").Order("seq DESC").Limit(1).Find(&last).Error
	if err != nil || len(last) == 0 {
		return time.Time{}, Explain(err)
	}
	return time.UnixMilli(last[0].AtMS), nil
}
