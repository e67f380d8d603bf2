package store

import (
	"context"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// measurementTables are what migration 0025 adds: what is said of measurements, what of their history became less, and
// who brought about what is in the history.
var measurementTables = []string{
	`CREATE TABLE measurements (name TEXT PRIMARY KEY, document TEXT NOT NULL)`,
	`CREATE TABLE measured (name TEXT NOT NULL, span_s INTEGER NOT NULL, at_ms INTEGER NOT NULL, least REAL NOT NULL,
	mean REAL NOT NULL, most REAL NOT NULL, count INTEGER NOT NULL, PRIMARY KEY (name, span_s, at_ms)) WITHOUT ROWID`,
	`ALTER TABLE history ADD COLUMN who TEXT NOT NULL DEFAULT ''`,
	`ALTER TABLE history ADD COLUMN may TEXT NOT NULL DEFAULT ''`,
}

// measurements is migration 0025.
func measurements(tx *gorm.DB) error { return execute(tx, measurementTables) }

// MeasurementSpec is what is said of a measurement, as a document.
type MeasurementSpec struct{ Name, Document string }

// MeasurementSpecs reads what is said of all measurements.
func (s *Store) MeasurementSpecs(ctx context.Context) ([]MeasurementSpec, error) {
	var out []MeasurementSpec
	err := s.read.WithContext(ctx).Table("measurements").Order("name").Find(&out).Error
	return out, Explain(err)
}

// PutMeasurementSpec keeps what is said of a measurement.
func (s *Store) PutMeasurementSpec(ctx context.Context, m MeasurementSpec) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		return tx.Table("measurements").Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "name"}},
			UpdateAll: true}).Create(&m).Error
	})
}

// RemoveMeasurement forgets a measurement, with its history.
func (s *Store) RemoveMeasurement(ctx context.Context, name string) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		for _, q := range []string{"DELETE FROM measurements WHERE name = ?", "DELETE FROM measured WHERE name = ?",
			"DELETE FROM history WHERE of = ? AND kind IN ('measurement', 'battery')"} {
			if err := tx.Exec(q, name).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// MeasuredSpan is what was measured in a time.
type MeasuredSpan struct {
	AtMS  int64 `gorm:"column:at_ms"` // of its first value
	Least float64
	Mean  float64
	Most  float64
	Count int
}

// MeasuredSpans reads the history of a measurement in spans of so many ms: each value where that is 0.
func (s *Store) MeasuredSpans(ctx context.Context, name string, since, until time.Time, each int64) ([]MeasuredSpan,
	error) {
	var out []MeasuredSpan
	err := s.read.WithContext(ctx).Raw(`SELECT min(at_ms) AS at_ms, min(least) AS least,
		sum(mean * count) / sum(count) AS mean, max(most) AS most, sum(count) AS count FROM (
		SELECT at_ms, least, mean, most, count FROM measured WHERE name = ? AND span_s IN (300, 3600)
		AND at_ms >= ? AND at_ms < ?
		UNION ALL SELECT at_ms, CAST(value AS REAL), CAST(value AS REAL), CAST(value AS REAL), 1 FROM history
		WHERE of = ? AND kind = 'measurement' AND name = '' AND value <> '' AND at_ms >= ? AND at_ms < ?)
		GROUP BY at_ms / max(?, 1) ORDER BY 1`, name, millis(since), millis(until), name, millis(since),
		millis(until), each).Scan(&out).Error
	return out, Explain(err)
}

// ThinMeasured makes spans of what was measured before two times: of single values those of fine ms, and of these
// those of coarse ms.
func (s *Store) ThinMeasured(ctx context.Context, fineBefore, coarseBefore time.Time, fine, coarse int64) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		for _, q := range []struct {
			text string
			args []any
		}{
			{`INSERT INTO measured SELECT of, ?, min(at_ms), min(CAST(value AS REAL)), avg(CAST(value AS REAL)),
			max(CAST(value AS REAL)), count(*) FROM history WHERE kind = 'measurement' AND value <> '' AND at_ms < ?
			GROUP BY of, at_ms / ? ON CONFLICT DO NOTHING`, []any{fine / 1000, millis(fineBefore), fine}},
			{`DELETE FROM history WHERE kind = 'measurement' AND value <> '' AND at_ms < ?`, []any{millis(fineBefore)}},
			{`INSERT INTO measured SELECT name, ?, min(at_ms), min(least), sum(mean * count) / sum(count), max(most),
			sum(count) FROM measured WHERE span_s = ? AND at_ms < ? GROUP BY name, at_ms / ? ON CONFLICT DO NOTHING`,
				[]any{coarse / 1000, fine / 1000, millis(coarseBefore), coarse}},
			{`DELETE FROM measured WHERE span_s = ? AND at_ms < ?`, []any{fine / 1000, millis(coarseBefore)}},
		} {
			if err := tx.Exec(q.text, q.args...).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// ForgetMeasured forgets what was measured before a time.
func (s *Store) ForgetMeasured(ctx context.Context, name string, before time.Time) error {
	return s.change(ctx, func(tx *gorm.DB) error {
		return tx.Exec("DELETE FROM measured WHERE name = ? AND at_ms < ?", name, millis(before)).Error
	})
}
