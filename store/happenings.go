package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"strings"
	"time"

	"gorm.io/gorm"

	"urbo/core/fault"
	"urbo/core/grant"
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

	StationID string `gorm:"->"` // of the station that it names, where there is one
	RoomID    string `gorm:"->"`
}

// readCaptures reads captures with what their stations are called now.
const readCaptures = `SELECT c.seq, c.id, c.at_ms, coalesce(s.name, c.station) AS station, c.port, c.medium, c.hz, c.strength,
	c.count, c.trains, c.readings, c.held, c.press_id, coalesce(s.id, '') AS station_id,
	coalesce(s.room_id, '') AS room_id
	FROM captures c LEFT JOIN stations s ON s.id = c.station `

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
	By       string // the actor's name
	Document string

	Kind      string
	DeviceID  string
	RoomID    string
	ActorID   string
	ActorKind string
	Via       string
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

// Trouble is something that happened and could not be kept.
type Trouble struct {
	What string // its type
	Err  error
}

// Write keeps happenings: captures and receipts in full, and what the journal tells. roomOf tells in which room a
// device stands. What cannot be kept by itself is set aside, told in troubles, and keeps nothing else from being
// written.
func (r Happenings) Write(ctx context.Context, batch []happening.Happening, roomOf func(deviceID string) string) (
	troubles []Trouble, err error) {
	rows := make([]happened, len(batch))
	for i, h := range batch {
		if rows[i], err = newHappened(h, roomOf); err != nil {
			troubles = append(troubles, Trouble{h.What.Name(), err})
			rows[i] = happened{}
		}
	}
	err = r.store.change(ctx, func(tx *gorm.DB) error { return putHappened(tx, rows) })
	if err == nil || fault.Of(err) == fault.Full || fault.Of(err) == fault.Later || ctx.Err() != nil {
		return troubles, err
	}
	// One of them is at fault: each by itself.
	return troubles, r.store.change(ctx, func(tx *gorm.DB) error {
		for i, row := range rows {
			err := tx.Transaction(func(tx *gorm.DB) error { return putHappened(tx, []happened{row}) })
			switch kind := fault.Of(Explain(err)); {
			case err == nil:
				continue
			case kind == fault.Full || kind == fault.Later:
				return err
			}
			h := batch[i]
			document := fmt.Sprintf("%d %s %s: %v", h.Seq, h.ID, h.What.Name(), err)
			if err := putAside(tx, Aside{Kind: "happening", Owner: h.ID, Document: document, At: h.At}); err != nil {
				return err
			}
			troubles = append(troubles, Trouble{h.What.Name(), err})
		}
		return nil
	})
}

// happened is what is kept of one happening.
type happened struct {
	capture *captureRow
	press   *pressRow
	entry   *journalRow
	words   string
}

func newHappened(h happening.Happening, roomOf func(string) string) (out happened, err error) {
	switch what := h.What.(type) {
	case happening.Heard:
		row, err := newCaptureRow(h.Seq, what.Capture)
		if err != nil {
			return out, err
		}
		out.capture = &row
	case happening.Pressed:
		out.press = &pressRow{Seq: h.Seq, ID: h.ID, AtMS: millis(h.At), DeviceID: what.DeviceID,
			Device: what.Device, Key: what.Key, Times: what.Times, By: h.By.Name, Station: what.StationID,
			Port: what.Port, Outcome: string(what.Outcome), Reason: what.Reason, TookUS: what.Took.Microseconds()}
	}
	l, told := h.What.Tell()
	if !told {
		return out, nil
	}
	document, err := happening.Marshal(h.What)
	if err != nil {
		return out, err
	}
	room := l.RoomID
	if l.DeviceID != "" {
		if in := roomOf(l.DeviceID); in != "" {
			room = in
		}
	}
	out.entry = &journalRow{Seq: h.Seq, ID: h.ID, AtMS: millis(h.At), What: h.What.Name(), CauseID: h.Cause,
		By: h.By.Name, Document: string(document), Kind: l.Kind, DeviceID: l.DeviceID, RoomID: room, ActorID: h.By.ID,
		ActorKind: string(h.By.Kind), Via: h.By.Via}
	out.words = l.Text
	return out, nil
}

func putHappened(tx *gorm.DB, rows []happened) error {
	var captures []captureRow
	var presses []pressRow
	var entries []journalRow
	for _, r := range rows {
		if r.capture != nil {
			captures = append(captures, *r.capture)
		}
		if r.press != nil {
			presses = append(presses, *r.press)
		}
		if r.entry != nil {
			entries = append(entries, *r.entry)
		}
	}
	if err := errors.Join(create(tx, "captures", captures), create(tx, "presses", presses),
		create(tx, "journal", entries)); err != nil {
		return err
	}
	for _, r := range rows {
		if r.entry == nil {
			continue
		}
		if err := putWords(tx, *r.entry, r.words); err != nil {
			return err
		}
	}
	return nil
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
	return captureRow{Seq: seq, ID: c.ID, AtMS: millis(c.At), Station: stationOf(c), Port: c.Port,
		Medium: string(c.Medium), Hz: c.Hz, Strength: c.Strength,
		Count: c.Count, Trains: string(trains), Readings: string(readings), Held: c.Held, PressID: c.PressID}, err
}

// stationOf is how the station of a capture is kept: by its id, or as "recording".
func stationOf(c happening.Capture) string {
	if c.StationID == "" {
		return c.Station
	}
	return c.StationID
}

func (row captureRow) capture() (happening.Capture, error) {
	c := happening.Capture{ID: row.ID, At: fromMillis(row.AtMS), Station: row.Station, Port: row.Port,
		StationID: row.StationID, RoomID: row.RoomID,
		Medium: line.Medium(row.Medium), Hz: row.Hz,
		Strength: row.Strength, Count: row.Count, PressID: row.PressID, Stored: true}
	c.Held = row.Held
	if err := errors.Join(json.Unmarshal([]byte(row.Trains), &c.Trains),
		json.Unmarshal([]byte(row.Readings), &c.Readings)); err != nil {
		return c, fmt.Errorf("capture %s cannot be read: %w", row.ID, err)
	}
	return c, nil
}

// Query says which entries of the journal are wanted. The zero value of a member wants all.
type Query struct {
	Before       string    // id of the entry that the page ends at
	Since, Until time.Time // the oldest and the newest
	Device       string    // id
	Kind         string    // of happening.Line
	By           string    // name of who asked, in any case
	Words        string    // that are in its text, or begin ones that are
	Within       *Within   // nil is the whole house
	NoAccess     bool      // without who came in and who may
	Limit        int
}

// Within is what somebody may see who does not see the whole house, by ids.
type Within struct{ Rooms, Devices []string }

// Journal reads what the journal tells, the newest first. What this version cannot read says so. The error wraps
// ErrNotFound where the entry that the page ends at is not there.
func (r Happenings) Journal(ctx context.Context, q Query) ([]happening.Happening, error) {
	var rows []journalRow
	tx := r.store.read.WithContext(ctx).Table("journal")
	words := q.match()
	if words != "" { // the index of words leads: it tells them the newest first, and is asked once
		tx = r.store.read.WithContext(ctx).Table(
			"journal_words CROSS JOIN journal ON journal.seq = journal_words.rowid").
			Select("journal.*").Where("journal_words MATCH ?", words)
	}
	var all conditions
	if q.Before != "" {
		var seq int64
		if err := r.store.read.WithContext(ctx).Raw("SELECT seq FROM journal WHERE id = ?",
			q.Before).Take(&seq).Error; err != nil {
			return nil, fmt.Errorf("entry %.40q of the journal: %w", q.Before, Explain(err))
		}
		all.add("seq < ?", seq)
	}
	for column, value := range map[string]string{"device_id": q.Device, "kind": q.Kind} {
		if value != "" {
			all.add(column+" = ?", value)
		}
	}
	if q.NoAccess {
		all.add("kind <> 'access'")
	}
	if q.By != "" {
		all.add("by = ? COLLATE NOCASE", q.By)
	}
	from, until := millis(q.Since), int64(math.MaxInt64)
	if !q.Until.IsZero() {
		until = millis(q.Until)
	}
	timed := !q.Since.IsZero() || !q.Until.IsZero()
	switch places := q.Within.count(); {
	case q.Within != nil && places <= mostParts && words == "": // the last ones of each place, and of those the last
		if timed {
			all.add("at_ms BETWEEN ? AND ?", from, until)
		}
		parts, args := all.within(*q.Within, q.Limit)
		tx, timed = tx.Where("seq IN ("+parts+")", args...), false
	case q.Within != nil:
		all.add("(+room_id IN ? AND room_id <> '' OR +device_id IN ? AND device_id <> '')",
			append([]string{""}, q.Within.Rooms...), append([]string{""}, q.Within.Devices...))
		fallthrough
	default:
		tx = tx.Where(all.text(), all.args...)
	}
	switch {
	case timed && q.marked(): // few are left
		tx = tx.Where("at_ms BETWEEN ? AND ?", from, until)
	case timed && words != "": // the index of times tells between which entries, and clocks may have gone back
		span := struct{ First, Last *int64 }{}
		if err := r.store.read.WithContext(ctx).Raw(`SELECT min(seq) AS first, max(seq) AS last
			FROM journal INDEXED BY journal_at WHERE at_ms BETWEEN ? AND ?`, from, until).Scan(&span).Error; err != nil {
			return nil, Explain(err)
		}
		if span.First == nil {
			return nil, nil
		}
		tx = tx.Where("journal_words.rowid BETWEEN ? AND ? AND at_ms BETWEEN ? AND ?", *span.First, *span.Last, from,
			until)
	case timed:
		tx = tx.Where("seq IN (SELECT seq FROM journal INDEXED BY journal_at WHERE at_ms BETWEEN ? AND ?)", from, until)
	}
	order := "seq DESC"
	if words != "" {
		order = "journal_words.rowid DESC"
	}
	if err := tx.Order(order).Limit(q.Limit).Find(&rows).Error; err != nil {
		return nil, Explain(err)
	}
	return happenings(rows), nil
}

// conditions are what rows have to fit, all of it.
type conditions struct {
	texts []string
	args  []any
}

func (c *conditions) add(text string, args ...any) {
	c.texts, c.args = append(c.texts, text), append(c.args, args...)
}

func (c *conditions) text() string {
	return strings.Join(append([]string{"1 = 1"}, c.texts...), " AND ")
}

// mostParts is how many places one query may be made of.
const mostParts = 200

func (w *Within) count() int {
	if w == nil {
		return 0
	}
	return len(w.Rooms) + len(w.Devices)
}

// within is a query for the last rows of each place that fit the conditions.
func (c *conditions) within(w Within, limit int) (text string, args []any) {
	parts := []string{"SELECT 0 WHERE 0"}
	for column, ids := range map[string][]string{"room_id": w.Rooms, "device_id": w.Devices} {
		for _, id := range ids {
			parts = append(parts,
				"SELECT seq FROM (SELECT seq FROM journal WHERE "+column+" = ? AND "+column+" <> '' AND "+
					c.text()+" ORDER BY seq DESC LIMIT ?)")
			args = append(append(append(args, id), c.args...), limit)
		}
	}
	return strings.Join(parts, " UNION ALL "), args
}

// Entry reads one entry of the journal. The error wraps ErrNotFound.
func (r Happenings) Entry(ctx context.Context, id string) (happening.Happening, error) {
	var row journalRow
	if err := r.store.read.WithContext(ctx).Table("journal").Where("id = ?", id).Take(&row).Error; err != nil {
		return happening.Happening{}, Explain(err)
	}
	return happenings([]journalRow{row})[0], nil
}

// Known says whether the receipt of a press is kept.
func (r Happenings) Known(ctx context.Context, id string) (bool, error) {
	var n int
	err := r.store.read.WithContext(ctx).Raw("SELECT count(*) FROM presses WHERE id = ?", id).Scan(&n).Error
	return n > 0, Explain(err)
}

// Caused reads what an entry of the journal led to, in order, at most limit.
func (r Happenings) Caused(ctx context.Context, id string, limit int) ([]happening.Happening, error) {
	var rows []journalRow
	err := r.store.read.WithContext(ctx).Table("journal").Where("cause_id = ?",
		id).Order("seq").Limit(limit).Find(&rows).Error
	return happenings(rows), Explain(err)
}

func (row journalRow) by() grant.By {
	if row.ActorKind == "" {
		return grant.Recorded(row.By)
	}
	return grant.By{Actor: grant.Actor{ID: row.ActorID, Kind: grant.Kind(row.ActorKind), Name: row.By}, Via: row.Via}
}

func happenings(rows []journalRow) []happening.Happening {
	out := make([]happening.Happening, len(rows))
	for i, row := range rows {
		what, err := happening.Unmarshal(row.What, []byte(row.Document))
		if err != nil {
			what = happening.HouseNote{Severity: "error", Text: "An entry that cannot be read: " + err.Error()}
		}
		out[i] = happening.Happening{Seq: row.Seq, ID: row.ID, Cause: row.CauseID, At: fromMillis(row.AtMS),
			By:   row.by(),
			What: what, DeviceID: row.DeviceID, RoomID: row.RoomID}
	}
	return out
}

// Airing is a press that was on the air.
type Airing struct {
	Station, Port string // the station by its id
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
	where, args := "", []any{limit}
	if beforeID != "" {
		where, args = "WHERE c.seq < (SELECT seq FROM captures WHERE id = ?) ", []any{beforeID, limit}
	}
	if err := r.store.read.WithContext(ctx).Raw(readCaptures+where+"ORDER BY c.seq DESC LIMIT ?",
		args...).Scan(&rows).Error; err != nil {
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
	var rows []captureRow
	if err := r.store.read.WithContext(ctx).Raw(readCaptures+"WHERE c.id = ?", id).Scan(&rows).Error; err != nil {
		return happening.Capture{}, Explain(err)
	}
	if len(rows) == 0 {
		return happening.Capture{}, ErrNotFound
	}
	return rows[0].capture()
}

// Kept says how many rows of a kind are kept, and of how many bytes together; 0 bytes is any number.
type Kept struct {
	Captures, Presses, Entries int
	CaptureBytes, EntryBytes   int64
}

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
		for _, t := range []struct {
			table, size string
			bytes       int64
		}{{"captures", "octet_length(trains) + octet_length(readings)", keep.CaptureBytes},
			{"journal", "octet_length(document)", keep.EntryBytes}} {
			if t.bytes == 0 {
				continue
			}
			err := tx.Exec("DELETE FROM "+t.table+" WHERE seq <= (SELECT max(seq) FROM (SELECT seq, sum("+t.size+
				") OVER (ORDER BY seq DESC) AS bytes FROM "+t.table+") WHERE bytes > ?)", t.bytes).Error
			if err != nil {
				return err
			}
		}
		return tx.Exec(`DELETE FROM journal_words WHERE rowid < (SELECT coalesce(min(seq), 0) FROM journal)`).Error
	})
}
