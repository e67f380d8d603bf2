package store

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"urbo/core/audition"
	"urbo/core/happening"
	v8 "urbo/store/v8"
)

// floorTables are the tables since migration 0009. Times are UTC milliseconds. What has an order has a sequence number.
var floorTables = []string{
	`CREATE TABLE rooms (id TEXT PRIMARY KEY, slug TEXT NOT NULL UNIQUE, name TEXT NOT NULL)`,
	`CREATE TABLE devices (id TEXT PRIMARY KEY, slug TEXT NOT NULL UNIQUE, name TEXT NOT NULL, room_id TEXT
		REFERENCES rooms(id),
		kind TEXT NOT NULL, maker TEXT NOT NULL, model TEXT NOT NULL, transmitter TEXT NOT NULL, traits TEXT NOT NULL,
		extra TEXT NOT NULL, picture TEXT NOT NULL, created_ms INTEGER NOT NULL, changed_ms INTEGER NOT NULL)`,
	`CREATE TABLE old_slugs (slug TEXT PRIMARY KEY, device_id TEXT NOT NULL REFERENCES devices(id) ON DELETE CASCADE)`,
	`CREATE TABLE pictures (device_id TEXT PRIMARY KEY REFERENCES devices(id) ON DELETE CASCADE, type TEXT NOT NULL,
		data BLOB NOT NULL)`,
	`CREATE TABLE keys (id TEXT PRIMARY KEY, device_id TEXT NOT NULL REFERENCES devices(id) ON DELETE CASCADE,
		name TEXT NOT NULL,
		position INTEGER NOT NULL, hold TEXT NOT NULL, version INTEGER NOT NULL, extra TEXT NOT NULL,
		changed_ms INTEGER NOT NULL,
		UNIQUE (device_id, name))`,
	// version and position say which code it is; replaces is the version that was in force before.
	`CREATE TABLE codes (key_id TEXT NOT NULL REFERENCES keys(id) ON DELETE CASCADE, version INTEGER NOT NULL,
		position INTEGER NOT NULL,
		replaces INTEGER NOT NULL, sheet TEXT NOT NULL, inline TEXT NOT NULL, identity TEXT NOT NULL,
		fields TEXT NOT NULL,
		unit_us REAL NOT NULL, train TEXT NOT NULL, gap_us INTEGER NOT NULL, medium TEXT NOT NULL,
		hz INTEGER NOT NULL, repeats INTEGER,
		source TEXT NOT NULL, takes INTEGER NOT NULL, agreed INTEGER NOT NULL, extra TEXT NOT NULL,
		created_ms INTEGER NOT NULL,
		PRIMARY KEY (key_id, version, position))`,
	`CREATE INDEX code_identity ON codes (identity)`,
	// how the codes of a line sheet got their identities: which of its fields change from press to press
	`CREATE TABLE indexed (sheet TEXT PRIMARY KEY, changing TEXT NOT NULL)`,
	`CREATE TABLE code_sets (slug TEXT PRIMARY KEY, name TEXT NOT NULL, kind TEXT NOT NULL, maker TEXT NOT NULL,
		model TEXT NOT NULL,
		keys TEXT NOT NULL, extra TEXT NOT NULL, added_ms INTEGER NOT NULL)`,
	`CREATE TABLE captures (seq INTEGER PRIMARY KEY, id TEXT NOT NULL UNIQUE, at_ms INTEGER NOT NULL,
		station TEXT NOT NULL,
		port TEXT NOT NULL, medium TEXT NOT NULL, hz INTEGER NOT NULL, strength REAL, count INTEGER NOT NULL,
		trains TEXT NOT NULL,
		readings TEXT NOT NULL, held TEXT NOT NULL, press_id TEXT NOT NULL)`,
	`CREATE TABLE presses (seq INTEGER PRIMARY KEY, id TEXT NOT NULL UNIQUE, at_ms INTEGER NOT NULL,
		device_id TEXT NOT NULL,
		device TEXT NOT NULL, key TEXT NOT NULL, times INTEGER NOT NULL, by TEXT NOT NULL, station TEXT NOT NULL,
		port TEXT NOT NULL,
		outcome TEXT NOT NULL, reason TEXT NOT NULL, took_us INTEGER NOT NULL)`,
	`CREATE TABLE journal (seq INTEGER PRIMARY KEY, id TEXT NOT NULL UNIQUE, at_ms INTEGER NOT NULL, what TEXT NOT NULL,
		cause_id TEXT NOT NULL, by TEXT NOT NULL, document TEXT NOT NULL)`,
	`CREATE INDEX journal_cause ON journal (cause_id)`,
	`CREATE TABLE tokens (id TEXT PRIMARY KEY, name TEXT NOT NULL UNIQUE, scope TEXT NOT NULL,
		hash TEXT NOT NULL UNIQUE,
		created_ms INTEGER NOT NULL, used_ms INTEGER)`,
	`CREATE TABLE sessions (hash TEXT PRIMARY KEY, name TEXT NOT NULL, scope TEXT NOT NULL,
		expires_ms INTEGER NOT NULL)`,
	`CREATE TABLE turns (device_id TEXT NOT NULL, sheet TEXT NOT NULL, field TEXT NOT NULL, next INTEGER NOT NULL,
		PRIMARY KEY (device_id, sheet, field))`,
	// lessons and auditions; version is the document's
	`CREATE TABLE sittings (seq INTEGER PRIMARY KEY, id TEXT NOT NULL UNIQUE, kind TEXT NOT NULL,
		device_id TEXT NOT NULL, by TEXT NOT NULL,
		began_ms INTEGER NOT NULL, touched_ms INTEGER NOT NULL, version INTEGER NOT NULL, document TEXT NOT NULL)`,
}

// floor makes the tables of 0009 and moves everything into them.
func floor(tx *gorm.DB) error {
	old := []string{"auditions", "lessons", "turns", "sessions", "tokens", "journal", "presses", "captures",
		"code_sets", "indexed", "codes", "keys",
		"pictures", "old_slugs", "devices", "rooms"}
	var steps []string
	for _, index := range []string{"code_identity", "code_of_key", "key_of_device"} {
		steps = append(steps, "DROP INDEX IF EXISTS "+index)
	}
	for _, table := range old { // legacy_alter_table leaves references to the tables as they are
		steps = append(steps, "ALTER TABLE "+table+" RENAME TO before_"+table)
	}
	if err := execute(tx, append(steps, floorTables...)); err != nil {
		return err
	}
	for _, move := range []func(*gorm.DB) error{moveDevices, moveCodes, moveHappenings, moveSittings} {
		if err := move(tx); err != nil {
			return err
		}
	}
	steps = []string{
		`INSERT INTO turns SELECT device_id, CASE sheet WHEN 'samsung32' THEN 'twin32' ELSE sheet END, field, next
			FROM before_turns`,
		`INSERT INTO pictures SELECT device_id, type, data FROM before_pictures WHERE device_id IN (SELECT id
			FROM devices)`,
		`INSERT INTO old_slugs SELECT slug, device_id FROM before_old_slugs WHERE device_id IN (SELECT id
			FROM devices)`,
	}
	for _, table := range old {
		steps = append(steps, "DROP TABLE before_"+table)
	}
	return execute(tx, steps)
}

// each reads a table as it was.
func each[T any](tx *gorm.DB, table string, f func(T) error) error {
	var rows []T
	if err := tx.Table("before_" + table).Order("rowid").Find(&rows).Error; err != nil {
		return fmt.Errorf("read %s: %w", table, err)
	}
	for _, r := range rows {
		if err := f(r); err != nil {
			return fmt.Errorf("move %s: %w", table, err)
		}
	}
	return nil
}

func moveDevices(tx *gorm.DB) error {
	if err := execute(tx, []string{`INSERT INTO rooms SELECT id, slug, name FROM before_rooms`}); err != nil {
		return err
	}
	err := each(tx, "devices", func(d v8.Device) error {
		traits := map[string]any{}
		for name, v := range map[string]any{"plate": d.Plate, "plate_hz": d.PlateHz, "notes": d.Notes, "power": d.Power,
			"inputs": d.Inputs, "warm_up_ms": d.WarmUpMS, "gap_ms": d.GapMS} {
			if v != "" && v != 0 {
				traits[name] = v
			}
		}
		if json.Valid([]byte(d.Face)) && d.Face != "null" {
			traits["face"] = json.RawMessage(d.Face)
		}
		text, err := json.Marshal(traits)
		if err != nil {
			return err
		}
		return tx.Table("devices").Omit("Sending").Create(&deviceRow{ID: d.ID, Slug: d.Slug, Name: d.Name,
			RoomID: d.RoomID,
			Kind:   d.Kind, Maker: d.Maker, Model: d.Model,
			Transmitter: d.Transmitter, Traits: string(text), Extra: d.Extra, Picture: d.Picture,
			CreatedMS: millis(d.CreatedAt), ChangedMS: millis(d.UpdatedAt)}).Error
	})
	if err != nil {
		return err
	}
	for _, s := range []struct{ table, insert string }{
		{"tokens", `INSERT INTO tokens (id, name, scope, hash, created_ms, used_ms) VALUES (?, ?, ?, ?, ?, ?)`},
	} {
		if err := each(tx, s.table, func(t v8.Token) error {
			var used *int64
			if t.UsedAt != nil {
				ms := millis(*t.UsedAt)
				used = &ms
			}
			return tx.Exec(s.insert, t.ID, t.Name, t.Scope, t.Hash, millis(t.CreatedAt), used).Error
		}); err != nil {
			return err
		}
	}
	if err := each(tx, "sessions", func(s v8.Session) error {
		return tx.Exec(`INSERT INTO sessions VALUES (?, ?, ?, ?)`, s.Hash, s.Name, s.Scope, millis(s.Expires)).Error
	}); err != nil {
		return err
	}
	return each(tx, "code_sets", func(s v8.CodeSet) error {
		keys := strings.ReplaceAll(s.Keys, `"samsung32"`, `"twin32"`)
		return tx.Exec(`INSERT INTO code_sets VALUES (?, ?, ?, ?, ?, ?, ?, ?)`, s.Slug, s.Name, s.Kind, s.Maker, s.Model, keys, s.Extra, millis(s.AddedAt)).Error
	})
}

// moveCodes gives codes their versions. Two saves at once could share one: each becomes a version of its own.
func moveCodes(tx *gorm.DB) error {
	codes := map[string][]v8.Code{}
	if err := each(tx, "codes", func(c v8.Code) error {
		codes[c.KeyID] = append(codes[c.KeyID], c)
		return nil
	}); err != nil {
		return err
	}
	return each(tx, "keys", func(k v8.Key) error {
		versions := apart(codes[k.ID])
		row := keyRow{ID: k.ID, DeviceID: k.DeviceID, Name: k.Name, Position: k.Position, Hold: k.Hold,
			Version: len(versions), Extra: k.Extra, ChangedMS: millis(k.UpdatedAt)}
		if err := tx.Table("keys").Create(&row).Error; err != nil {
			return err
		}
		for v, version := range versions {
			for position, c := range version {
				n := codeRow{KeyID: k.ID, Version: v + 1, Position: position, Replaces: v, Sheet: c.Sheet,
					Inline: c.Inline, Identity: c.Identity,
					Fields: or(c.Fields, "null"), UnitUS: c.UnitUS, Train: or(c.Train, "null"), GapUS: c.GapUS,
					Source: c.Source, Takes: c.Takes, Agreed: c.Agreed,
					Extra: c.Extra, CreatedMS: millis(c.CreatedAt)}
				if c.Sheet == "samsung32" {
					n.Sheet, n.Identity = "twin32", strings.Replace(c.Identity, c.Sheet, "twin32", 1)
				}
				if c.Sheet == "" {
					n.Identity = "print " + c.Print
				}
				switch { // both at once could not be sent: the carrier stays
				case c.CarrierHz != 0:
					n.Medium, n.Hz = "infrared", c.CarrierHz
				case c.FrequencyHz != 0:
					n.Medium, n.Hz = "radio", c.FrequencyHz
				}
				if c.Repeats != 0 {
					n.Repeats = &c.Repeats
				}
				if err := tx.Table("codes").Create(&n).Error; err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// apart lists the versions of a key's codes, the oldest first.
func apart(codes []v8.Code) [][]v8.Code {
	slices.SortStableFunc(codes, func(a, b v8.Code) int {
		return cmp.Or(cmp.Compare(a.Version, b.Version), cmp.Compare(a.ID, b.ID))
	})
	var out [][]v8.Code
	for len(codes) > 0 {
		n := slices.IndexFunc(codes, func(c v8.Code) bool { return c.Version != codes[0].Version })
		if n < 0 {
			n = len(codes)
		}
		var shared [][]v8.Code
		for _, c := range codes[:n] {
			i := slices.IndexFunc(shared, func(v []v8.Code) bool {
				return !slices.ContainsFunc(v, func(o v8.Code) bool { return o.Position == c.Position })
			})
			if i < 0 {
				i = len(shared)
				shared = append(shared, nil)
			}
			shared[i] = append(shared[i], c)
		}
		for _, v := range shared {
			slices.SortFunc(v, func(a, b v8.Code) int { return a.Position - b.Position })
		}
		out = append(out, shared...)
		codes = codes[n:]
	}
	return out
}

// moveHappenings gives captures, presses and entries one order, that of their ids.
func moveHappenings(tx *gorm.DB) error {
	var ids []string
	err := tx.Raw(`SELECT id FROM before_captures UNION SELECT id FROM before_presses UNION SELECT id
		FROM before_journal ORDER BY id`).Scan(&ids).Error
	if err != nil {
		return err
	}
	seq := make(map[string]int64, len(ids))
	for i, id := range ids {
		seq[id] = int64(i + 1)
	}
	if err := each(tx, "captures", func(c v8.Capture) error {
		return tx.Table("captures").Create(&captureRow{Seq: seq[c.ID], ID: c.ID, AtMS: millis(c.At), Station: c.Station,
			Port: c.Port, Medium: c.Medium, Hz: c.Carrier,
			Strength: c.Strength, Count: c.Count, Trains: c.Trains, Readings: strings.ReplaceAll(c.Readings, `"samsung32"`, `"twin32"`), Held: c.Held, PressID: c.PressID}).Error
	}); err != nil {
		return err
	}
	if err := each(tx, "presses", func(p v8.Press) error {
		return tx.Table("presses").Create(&pressRow{Seq: seq[p.ID], ID: p.ID, AtMS: millis(p.At), Device: p.Device,
			Key: p.Key, Times: p.Times, By: p.By,
			Station: p.Station, Port: p.Port, Outcome: p.Outcome, Reason: p.Reason, TookUS: p.TookUS}).Error
	}); err != nil {
		return err
	}
	return each(tx, "journal", func(e v8.Entry) error {
		told := happening.Recorded{Line: happening.Line{Kind: e.Kind, Device: e.Device, Key: e.Key, Place: e.Place,
			Outcome: e.Outcome, Text: e.Text}}
		doc, err := happening.Marshal(told)
		if err != nil {
			return err
		}
		return tx.Exec(`INSERT INTO journal (seq, id, at_ms, what, cause_id, by, document) VALUES (?, ?, ?, ?, ?, ?, ?)`,
			seq[e.ID], e.ID, millis(e.At), told.Name(), e.CauseID, e.By, string(doc)).Error
	})
}

// moveSittings moves lessons and auditions. An audition kept all its sets; now it refers to them.
func moveSittings(tx *gorm.DB) error {
	ids := map[string]string{}
	if err := each(tx, "devices", func(d v8.Device) error { ids[d.Slug] = d.ID; return nil }); err != nil {
		return err
	}
	if err := each(tx, "old_slugs", func(o v8.OldSlug) error {
		if _, taken := ids[o.Slug]; !taken {
			ids[o.Slug] = o.DeviceID
		}
		return nil
	}); err != nil {
		return err
	}
	if err := each(tx, "lessons", func(l v8.Lesson) error {
		document, err := withCodes(l.State, l.Codes)
		if err != nil || ids[l.Device] == "" {
			return nil // it cannot be read, or its device is gone; what was settled is in the library
		}
		return tx.Table("sittings").Create(&sittingRow{ID: l.ID, Kind: Lessons, DeviceID: ids[l.Device], By: l.By,
			BeganMS: millis(l.Started), TouchedMS: millis(l.Touched),
			Version: 1, Document: document}).Error
	}); err != nil {
		return err
	}
	return each(tx, "auditions", func(a v8.Audition) error {
		var core audition.Audition
		if json.Unmarshal([]byte(strings.ReplaceAll(a.State, `"samsung32"`, `"twin32"`)), &core) != nil || ids[a.Device] == "" {
			return nil
		}
		document, err := json.Marshal(map[string]any{"pause_ms": a.PauseMS, "audition": &core})
		if err != nil {
			return err
		}
		return tx.Table("sittings").Create(&sittingRow{ID: a.ID, Kind: Auditions, DeviceID: ids[a.Device], By: a.By,
			BeganMS: millis(a.Started), TouchedMS: millis(a.Started),
			Version: 1, Document: string(document)}).Error
	})
}

// withCodes puts what was settled beside its keys.
func withCodes(state, codes string) (string, error) {
	var lesson map[string]any
	var settled map[string]map[string]any
	if err := json.Unmarshal([]byte(state), &lesson); err != nil {
		return "", err
	}
	if err := json.Unmarshal([]byte(codes), &settled); err != nil {
		return "", err
	}
	delete(lesson, "Allowed")
	keys, _ := lesson["Keys"].([]any)
	for _, k := range keys {
		key, _ := k.(map[string]any)
		name, _ := key["Name"].(string)
		if c, ok := settled[name]; ok {
			for _, member := range []string{"source", "takes", "agreed"} {
				delete(c, member)
			}
			key["Code"] = c
		}
	}
	out, err := json.Marshal(lesson)
	return string(out), err
}

func or(text, otherwise string) string {
	if text == "" {
		return otherwise
	}
	return text
}

// millis is a time as it is kept: UTC milliseconds, 0 for none.
func millis(t time.Time) int64 {
	if t.IsZero() {
		return 0
	}
	return t.UnixMilli()
}

// fromMillis is the time of a number of milliseconds.
func fromMillis(ms int64) time.Time {
	if ms == 0 {
		return time.Time{}
	}
	return time.UnixMilli(ms).UTC()
}
