package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

	"urbo/core/happening"
	"urbo/core/line"
)

type captureRow struct {
	Seq      int64 `gorm:"primaryKey;autoIncrement:false"`
	ID       string
	AtMS     int64 `gorm:"column:at_ms"`
	Station  string
	Port     string
	Medium   string
	Hz       int
	Strength *float64
	Count    int
	Trains   string
	Readings string
	Held     string
	PressID  string
}

type pressRow struct {
	Seq      int64 `gorm:"primaryKey;autoIncrement:false"`
	ID       string
	AtMS     int64 `gorm:"column:at_ms"`
	DeviceID string
	Device   string
	Key      string
	Times    int
	By       string
	Station  string
	Port     string
	Outcome  string
	Reason   string
	TookUS   int64 `gorm:"column:took_us"`
}

type journalRow struct {
	Seq      int64 `gorm:"primaryKey;autoIncrement:false"`
	ID       string
	AtMS     int64 `gorm:"column:at_ms"`
	What     string
	CauseID  string
	By       string
	Document string
}

// Happenings is the repository of the journal, of captures and of receipts.
type Happenings struct{ store *Store }

// Happenings is the repository of what happened.
func (s *Store) Happenings() Happenings { return Happenings{s} }

// LastSeq is the greatest sequence number that was given.
func (r Happenings) LastSeq(ctx context.Context) (int64, error) {
	var last int64
	err := r.store.read.WithContext(ctx).Raw(`SELECT max(coalesce((SELECT max(seq) FROM journal), 0),
		coalesce((SELECT max(seq) FROM captures), 0),
		coalesce((SELECT max(seq) FROM presses), 0))`).Scan(&last).Error
	return last, Explain(err)
}

// Write keeps happenings: captures and receipts in full, and what the journal tells.
func (r Happenings) Write(ctx context.Context, batch []happening.Happening) error {
	var captures []captureRow
	var presses []pressRow
	var entries []journalRow
	for _, h := range batch {
		switch what := h.What.(type) {
		case happening.Heard:
			row, err := newCaptureRow(h.Seq, what.Capture)
			if err != nil {
				return err
			}
			captures = append(captures, row)
		case happening.Pressed:
			presses = append(presses, pressRow{Seq: h.Seq, ID: h.ID, AtMS: millis(h.At), DeviceID: what.DeviceID,
				Device: what.Device, Key: what.Key, Times: what.Times,
				By: h.By, Station: what.Station, Port: what.Port, Outcome: string(what.Outcome), Reason: what.Reason,
				TookUS: what.Took.Microseconds()})
		}
		if _, told := h.What.Tell(); !told {
			continue
		}
		document, err := happening.Marshal(h.What)
		if err != nil {
			return err
		}
		entries = append(entries, journalRow{Seq: h.Seq, ID: h.ID, AtMS: millis(h.At), What: h.What.Name(),
			CauseID: h.Cause, By: h.By, Document: string(document)})
	}
	return r.store.change(ctx, func(tx *gorm.DB) error {
		return errors.Join(create(tx, "captures", captures), create(tx, "presses", presses),
			create(tx, "journal", entries))
	})
}

func create[T any](tx *gorm.DB, table string, rows []T) error {
	if len(rows) == 0 {
		return nil
	}
	return tx.Table(table).CreateInBatches(rows, 50).Error
}

func newCaptureRow(seq int64, c happening.Capture) (captureRow, error) {
	trains, err := json.Marshal(c.Trains)
	if err != nil {
		return captureRow{}, err
	}
	readings, err := json.Marshal(c.Readings)
	return captureRow{Seq: seq, ID: c.ID, AtMS: millis(c.At), Station: c.Station, Port: c.Port,
		Medium: string(c.Medium), Hz: c.Hz, Strength: c.Strength,
		Count: c.Count, Trains: string(trains), Readings: string(readings), Held: c.Held, PressID: c.PressID}, err
}

func (row captureRow) capture() (happening.Capture, error) {
	c := happening.Capture{ID: row.ID, At: fromMillis(row.AtMS), Station: row.Station, Port: row.Port,
		Medium: line.Medium(row.Medium), Hz: row.Hz,
		Strength: row.Strength, Count: row.Count, PressID: row.PressID, Stored: true}
	c.Held = row.Held
	if err := errors.Join(json.Unmarshal([]byte(row.Trains), &c.Trains),
		json.Unmarshal([]byte(row.Readings), &c.Readings)); err != nil {
		return c, fmt.Errorf("capture %s cannot be read: %w", row.ID, err)
	}
	return c, nil
}

// before limits a list to what came before an id; "" is no limit.
func before(tx *gorm.DB, table, id string) *gorm.DB {
	if id == "" {
		return tx
	}
	return tx.Where("seq < (SELECT seq FROM "+table+" WHERE id = ?)", id)
}

// Journal reads what the journal tells, the newest first, from before a sequence number (0: the newest). What this
// version cannot read says so.
func (r Happenings) Journal(ctx context.Context, beforeID string, limit int) ([]happening.Happening, error) {
	var rows []journalRow
	if err := before(r.store.read.WithContext(ctx).Table("journal"), "journal",
		beforeID).Order("seq DESC").Limit(limit).Find(&rows).Error; err != nil {
		return nil, Explain(err)
	}
	return happenings(rows), nil
}

// Entry reads one entry of the journal. The error wraps ErrNotFound.
func (r Happenings) Entry(ctx context.Context, id string) (happening.Happening, error) {
	var row journalRow
	if err := r.store.read.WithContext(ctx).Table("journal").Where("id = ?", id).Take(&row).Error; err != nil {
		return happening.Happening{}, Explain(err)
	}
	return happenings([]journalRow{row})[0], nil
}

// Caused reads what an entry of the journal led to, in order, at most limit.
func (r Happenings) Caused(ctx context.Context, id string, limit int) ([]happening.Happening, error) {
	var rows []journalRow
	err := r.store.read.WithContext(ctx).Table("journal").Where("cause_id = ?",
		id).Order("seq").Limit(limit).Find(&rows).Error
	return happenings(rows), Explain(err)
}

func happenings(rows []journalRow) []happening.Happening {
	out := make([]happening.Happening, len(rows))
	for i, row := range rows {
		what, err := happening.Unmarshal(row.What, []byte(row.Document))
		if err != nil {
			what = happening.HouseNote{Severity: "error", Text: "An entry that cannot be read: " + err.Error()}
		}
		out[i] = happening.Happening{Seq: row.Seq, ID: row.ID, Cause: row.CauseID, At: fromMillis(row.AtMS), By: row.By,
			What: what}
	}
	return out
}

// Airing is a press that was on the air.
type Airing struct {
	Station, Port string
	At            time.Time
	Took          time.Duration
}

// Airings reads what was on the air since a time, in order.
func (s *Store) Airings(ctx context.Context, since time.Time) ([]Airing, error) {
	var rows []pressRow
	err := s.read.WithContext(ctx).Table("presses").Where("at_ms >= ? AND took_us > 0",
		millis(since)).Order("seq").Find(&rows).Error
	out := make([]Airing, len(rows))
	for i, p := range rows {
		out[i] = Airing{p.Station, p.Port, fromMillis(p.AtMS), time.Duration(p.TookUS) * time.Microsecond}
	}
	return out, Explain(err)
}

// Captures reads captures with their sequence numbers, the newest first, from before an id. One that cannot be read is
// left out, and named in troubles.
func (r Happenings) Captures(ctx context.Context, beforeID string, limit int) (captures []happening.Capture,
	troubles []error, err error) {
	var rows []captureRow
	if err := before(r.store.read.WithContext(ctx).Table("captures"), "captures",
		beforeID).Order("seq DESC").Limit(limit).Find(&rows).Error; err != nil {
		return nil, nil, Explain(err)
	}
	for _, row := range rows {
		c, err := row.capture()
		if err != nil {
			troubles = append(troubles, err)
			continue
		}
		captures = append(captures, c)
	}
	return captures, troubles, nil
}

// Capture reads one capture. The error wraps ErrNotFound.
func (r Happenings) Capture(ctx context.Context, id string) (happening.Capture, error) {
	var row captureRow
	if err := r.store.read.WithContext(ctx).Table("captures").Where("id = ?", id).Take(&row).Error; err != nil {
		return happening.Capture{}, Explain(err)
	}
	return row.capture()
}

// Kept says how many rows of a kind are kept.
type Kept struct{ Captures, Presses, Entries int }

// Prune removes the oldest rows beyond what is kept, by their order and not by their times.
func (r Happenings) Prune(ctx context.Context, keep Kept) error {
	return r.store.change(ctx, func(tx *gorm.DB) error {
		for _, t := range []struct {
			table string
			keep  int
		}{{"captures", keep.Captures}, {"presses", keep.Presses}, {"journal", keep.Entries}} {
			err := tx.Exec("DELETE FROM "+t.table+" WHERE seq <= (SELECT seq FROM "+t.table+" ORDER BY seq DESC LIMIT "+
				"1 OFFSET ?)", t.keep).Error
			if err != nil {
				return err
			}
		}
		return nil
	})
}
