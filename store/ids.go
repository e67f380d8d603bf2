package store

import (
	"encoding/json"
	"fmt"
	"strings"

	"gorm.io/gorm"

	"urbo/core/happening"
)

// idTables are what migration 0015 adds: rooms that stations stand in, too, stations and devices by their ids wherever
// one is meant, and columns by which the journal is searched.
var idTables = []string{
	`CREATE TABLE set_aside (seq INTEGER PRIMARY KEY, kind TEXT NOT NULL, owner TEXT NOT NULL, document TEXT NOT NULL,
		at_ms INTEGER NOT NULL)`,
	`ALTER TABLE stations ADD COLUMN room_id TEXT REFERENCES rooms(id)`,
	`ALTER TABLE journal ADD COLUMN kind TEXT NOT NULL DEFAULT ''`,
	`ALTER TABLE journal ADD COLUMN device_id TEXT NOT NULL DEFAULT ''`,
	`ALTER TABLE journal ADD COLUMN room_id TEXT NOT NULL DEFAULT ''`,
	`ALTER TABLE journal ADD COLUMN actor_id TEXT NOT NULL DEFAULT ''`,
	`ALTER TABLE journal ADD COLUMN actor_kind TEXT NOT NULL DEFAULT ''`,
	`ALTER TABLE journal ADD COLUMN via TEXT NOT NULL DEFAULT ''`,
	`CREATE INDEX journal_kind ON journal (kind, seq)`,
	`CREATE INDEX journal_device ON journal (device_id, seq)`,
	`CREATE INDEX journal_room ON journal (room_id, seq)`,
	`CREATE INDEX journal_by ON journal (by COLLATE NOCASE, seq)`,
	`CREATE INDEX journal_at ON journal (at_ms, seq)`,
	// the words of the entries; rowid is the journal's seq
	`CREATE VIRTUAL TABLE journal_words USING fts5(text, content='', contentless_delete=1)`,
}

// dropRoomNames ends the room of a station as a text.
var dropRoomNames = []string{`ALTER TABLE stations DROP COLUMN room`}

// ids is migration 0015. What names can no longer be told apart stays as a text: nothing is lost, and nothing is laid
// to the wrong device.
func ids(tx *gorm.DB) error {
	if err := execute(tx, idTables); err != nil {
		return err
	}
	for _, move := range []func(*gorm.DB) error{roomsOfStations, placesOfDevices, stationsOfHappenings,
		columnsOfJournal} {
		if err := move(tx); err != nil {
			return err
		}
	}
	return execute(tx, dropRoomNames)
}

// roomSlug0015 is how rooms are told apart, as it was decided with migration 0015.
func roomSlug0015(name string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(name) {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
			b.WriteRune(r)
		} else if b.Len() > 0 && !strings.HasSuffix(b.String(), "-") {
			b.WriteByte('-')
		}
		if b.Len() == 40 {
			break
		}
	}
	return strings.Trim(b.String(), "-")
}

// roomsOfStations puts stations into the rooms that devices stand in, whatever the spelling. Two spellings that were
// two rooms to stations become one: the journal says so, since it changes who is in earshot.
func roomsOfStations(tx *gorm.DB) error {
	var rows []struct{ ID, Name, Room string }
	if err := tx.Raw("SELECT id, name, room FROM stations WHERE room <> '' ORDER BY added_ms").Scan(
		&rows).Error; err != nil {
		return err
	}
	said := map[string]bool{}
	for n, st := range rows {
		slug := roomSlug0015(st.Room)
		if slug == "" {
			slug = fmt.Sprintf("room-%d", n+1)
		}
		if err := tx.Exec("INSERT INTO rooms VALUES (?, ?, ?) ON CONFLICT DO NOTHING", NewID(), slug,
			st.Room).Error; err != nil {
			return err
		}
		var room struct{ ID, Name string }
		if err := tx.Raw("SELECT id, name FROM rooms WHERE slug = ?", slug).Scan(&room).Error; err != nil {
			return err
		}
		if err := tx.Exec("UPDATE stations SET room_id = ? WHERE id = ?", room.ID, st.ID).Error; err != nil {
			return err
		}
		if room.Name == st.Room || strings.EqualFold(room.Name, st.Room) || said[st.Room] {
			continue
		}
		said[st.Room] = true
		if err := noteInJournal(tx, fmt.Sprintf("The rooms %q and %q are one room now: %s and the devices there hear "+
			"each other", room.Name, st.Room, st.Name)); err != nil {
			return err
		}
	}
	return nil
}

// noteInJournal writes an entry behind all that there are.
func noteInJournal(tx *gorm.DB, text string) error {
	document, err := json.Marshal(map[string]string{"severity": "warning", "text": text})
	if err != nil {
		return err
	}
	return tx.Exec(`INSERT INTO journal (seq, id, at_ms, what, cause_id, by, document)
		SELECT 1 + max(coalesce((SELECT max(seq) FROM journal), 0), coalesce((SELECT max(seq) FROM captures), 0),
			coalesce((SELECT max(seq) FROM presses), 0)), ?, coalesce((SELECT max(at_ms) FROM journal), 0),
			'house-note',
		'', '', ?`, NewID(), string(document)).Error
}

// stationIDs are the ids of stations by name: those that are there before those that were removed, the last of these
// first.
func stationIDs(tx *gorm.DB) (map[string]string, error) {
	var rows []struct{ ID, Name string }
	err := tx.Raw("SELECT id, name FROM stations ORDER BY removed_ms IS NULL, removed_ms").Scan(&rows).Error
	out := map[string]string{}
	for _, r := range rows {
		out[r.Name] = r.ID
	}
	return out, err
}

// placesOfDevices names transmitters by their stations' ids. A station that was never seen gets its row now, so that it
// is known when it comes: it takes that one by its name.
func placesOfDevices(tx *gorm.DB) error {
	known, err := stationIDs(tx)
	if err != nil {
		return err
	}
	place := func(text string) (string, error) {
		name, port, ok := strings.Cut(text, "/")
		if !ok {
			return text, nil
		}
		if known[name] == "" {
			id := NewID()
			err := tx.Exec(`INSERT INTO stations (id, name, over, address, room, hello, settings, added_ms, removed_ms)
				VALUES (?, ?, 'named', ?, '', '', '', 0, 1)`, id, name, name).Error
			if err != nil {
				return "", err
			}
			known[name] = id
		}
		return known[name] + "/" + port, nil
	}
	var rows []struct{ ID, Transmitter, Sending string }
	if err := tx.Raw("SELECT id, transmitter, sending FROM devices").Scan(&rows).Error; err != nil {
		return err
	}
	for _, d := range rows {
		var sending map[string]any
		if d.Sending != "" && json.Unmarshal([]byte(d.Sending), &sending) != nil {
			sending = nil // it cannot be read, and stays as it is
		}
		if d.Transmitter == "" && sending == nil {
			continue
		}
		transmitter, err := place(d.Transmitter)
		if err != nil {
			return err
		}
		if also, ok := sending["also"].([]any); ok {
			for i, p := range also {
				if text, ok := p.(string); ok {
					if also[i], err = place(text); err != nil {
						return err
					}
				}
			}
		}
		text := d.Sending
		if sending != nil {
			out, err := json.Marshal(sending)
			if err != nil {
				return err
			}
			text = string(out)
		}
		if err := tx.Exec("UPDATE devices SET transmitter = ?, sending = ? WHERE id = ?", transmitter, text,
			d.ID).Error; err != nil {
			return err
		}
	}
	return nil
}

// stationsOfHappenings names the stations of captures and receipts by their ids, where they are known.
func stationsOfHappenings(tx *gorm.DB) error {
	known, err := stationIDs(tx)
	if err != nil {
		return err
	}
	for name, id := range known {
		for _, table := range []string{"captures", "presses"} {
			if err := tx.Exec("UPDATE "+table+" SET station = ? WHERE station = ?", id, name).Error; err != nil {
				return err
			}
		}
	}
	return nil
}

// columnsOfJournal fills the columns by which the journal is searched. Entries of before have slugs only, and slugs are
// used again: the changes and removals of devices are followed in their order, so that each entry is laid to the device
// that had the slug then. Where that cannot be told, it stays without one.
func columnsOfJournal(tx *gorm.DB) error {
	owners, err := ownersAtStart(tx)
	if err != nil {
		return err
	}
	rooms := map[string]string{}
	var inRooms []struct{ ID, RoomID string }
	if err := tx.Raw("SELECT id, room_id FROM devices WHERE room_id IS NOT NULL").Scan(&inRooms).Error; err != nil {
		return err
	}
	for _, d := range inRooms {
		rooms[d.ID] = d.RoomID
	}
	const page = 500
	for last := int64(-1); ; {
		var rows []journalRow
		if err := tx.Raw("SELECT seq, what, document FROM journal WHERE seq > ? ORDER BY seq LIMIT ?", last,
			page).Scan(&rows).Error; err != nil {
			return err
		}
		for _, row := range rows {
			last = row.Seq
			device := owners.follow(row)
			what, err := happening.Unmarshal(row.What, []byte(row.Document))
			if err != nil {
				continue
			}
			l, _ := what.Tell()
			if device == "" {
				device = owners.at[l.Device]
			}
			if err := tx.Exec("UPDATE journal SET kind = ?, device_id = ?, room_id = ? WHERE seq = ?", l.Kind, device,
				rooms[device], row.Seq).Error; err != nil {
				return err
			}
			if err := tx.Exec("INSERT INTO journal_words (rowid, text) VALUES (?, ?)", row.Seq,
				l.Text).Error; err != nil {
				return err
			}
		}
		if len(rows) < page {
			return nil
		}
	}
}

// owners tells which device had a slug at a point of the journal.
type owners struct{ at map[string]string }

// ownersAtStart is who had which slug before the first entry: devices whose first change is not in the journal any more
// had the slug that the first entry of them says they had.
func ownersAtStart(tx *gorm.DB) (owners, error) {
	o := owners{map[string]string{}}
	var now []struct{ ID, Slug string }
	if err := tx.Raw("SELECT id, slug FROM devices WHERE removed_ms IS NULL").Scan(&now).Error; err != nil {
		return o, err
	}
	seen := map[string]bool{}
	var rows []journalRow
	if err := tx.Raw(`SELECT seq, what, document FROM journal WHERE what IN ('device-changed', 'device-removed')
		ORDER BY seq`).Scan(&rows).Error; err != nil {
		return o, err
	}
	taken := map[string]bool{} // by one whose whole life is in the journal
	for _, row := range rows {
		c, ok := changeOf(row)
		if !ok || seen[c.DeviceID] {
			continue
		}
		seen[c.DeviceID] = true
		slug := c.Device
		if c.Was != "" {
			slug = c.Was
		}
		if c.Added || c.Back {
			taken[slug] = true
			continue
		}
		if o.at[slug] == "" && !taken[slug] {
			o.at[slug] = c.DeviceID
		}
	}
	for _, d := range now { // never changed since the journal begins
		if !seen[d.ID] && o.at[d.Slug] == "" && !taken[d.Slug] {
			o.at[d.Slug] = d.ID
		}
	}
	return o, nil
}

type deviceChange0015 struct {
	DeviceID string `json:"device_id"`
	Device   string `json:"device"`
	Was      string `json:"was"`
	Added    bool   `json:"added"`
	Back     bool   `json:"back"`
}

func changeOf(row journalRow) (deviceChange0015, bool) {
	var c deviceChange0015
	return c, json.Unmarshal([]byte(row.Document), &c) == nil && c.DeviceID != ""
}

// follow notes what an entry says about who has which slug, and tells the device that it names by its id, if any.
func (o owners) follow(row journalRow) string {
	c, ok := changeOf(row)
	switch {
	case !ok:
		return ""
	case row.What == "device-changed":
		if c.Was != "" && o.at[c.Was] == c.DeviceID {
			delete(o.at, c.Was)
		}
		o.at[c.Device] = c.DeviceID
	case row.What == "device-removed" && o.at[c.Device] == c.DeviceID:
		delete(o.at, c.Device)
	}
	return c.DeviceID
}
