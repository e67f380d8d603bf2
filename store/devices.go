package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/signal"
)

type roomRow struct{ ID, Slug, Name string }

type deviceRow struct {
	ID          string `gorm:"primaryKey"`
	Slug        string
	Name        string
	RoomID      *string
	Kind        string
	Maker       string
	Model       string
	Transmitter string
	Sending     string
	Traits      string
	Extra       string
	Picture     string
	CreatedMS   int64 `gorm:"column:created_ms;<-:create"`
	ChangedMS   int64 `gorm:"column:changed_ms"`
}

type keyRow struct {
	ID        string `gorm:"primaryKey"`
	DeviceID  string
	Name      string
	Position  int
	Hold      string
	Version   int // in force
	Extra     string
	ChangedMS int64 `gorm:"column:changed_ms"`
}

type codeRow struct {
	KeyID     string `gorm:"primaryKey"`
	Version   int    `gorm:"primaryKey;autoIncrement:false"`
	Position  int    `gorm:"primaryKey;autoIncrement:false"`
	Replaces  int
	Sheet     string
	Inline    string
	Identity  string
	Fields    string
	UnitUS    float64 `gorm:"column:unit_us"`
	Train     string
	GapUS     int `gorm:"column:gap_us"`
	Medium    string
	Hz        int
	Repeats   *int
	Source    string
	Takes     int
	Agreed    int
	Extra     string
	CreatedMS int64 `gorm:"column:created_ms"`
}

// Devices is the repository of devices, their keys and codes, and of code sets.
type Devices struct{ store *Store }

// Devices is the repository of devices.
func (s *Store) Devices() Devices { return Devices{s} }

// DeviceLine is a device as it stands in a list.
type DeviceLine struct {
	ID, Slug, Name, Kind, Maker, Model string
	RoomID, Room                       string // the name of the room is whoever keeps rooms' to say
	Keys, Learned, Followed            int
}

// Lines lists all devices.
func (r Devices) Lines(ctx context.Context) ([]DeviceLine, error) {
	var out []DeviceLine
	err := r.store.read.WithContext(ctx).Raw(`SELECT d.id, d.slug, d.name, coalesce(d.room_id, '') AS room_id, d.kind,
		d.maker, d.model,
		coalesce(k.keys, 0) AS keys, coalesce(k.learned, 0) AS learned, coalesce(k.followed, 0) AS followed
		FROM devices d
		LEFT JOIN (SELECT device_id, count(*) AS keys, sum(version > 0) AS learned,
			sum(version = 0 AND EXISTS (SELECT 1 FROM heard h WHERE h.key_id = keys.id)) AS followed
			FROM keys GROUP BY device_id) k ON k.device_id = d.id
		WHERE d.removed_ms IS NULL`).Scan(&out).Error
	return out, Explain(err)
}

// FormerSlugs maps slugs that devices had to the devices' ids.
func (r Devices) FormerSlugs(ctx context.Context) (map[string]string, error) {
	var rows []struct{ Slug, DeviceID string }
	err := r.store.read.WithContext(ctx).Raw(`SELECT o.slug, o.device_id FROM old_slugs o JOIN devices d
		ON d.id = o.device_id
		WHERE d.removed_ms IS NULL`).Scan(&rows).Error
	out := make(map[string]string, len(rows))
	for _, o := range rows {
		out[o.Slug] = o.DeviceID
	}
	return out, Explain(err)
}

// Load reads a device by its id. What of it cannot be read is left out, and named in troubles. The error wraps
// ErrNotFound.
func (r Devices) Load(ctx context.Context, id string) (d device.Device, troubles []error, err error) {
	err = r.store.read.WithContext(ctx).Transaction(func(tx *gorm.DB) error { // one view of all three tables
		d, troubles, err = load(tx, id)
		return err
	})
	return d, troubles, Explain(err)
}

func load(tx *gorm.DB, id string) (device.Device, []error, error) {
	var row deviceRow
	if err := tx.Raw("SELECT * FROM devices WHERE id = ? AND removed_ms IS NULL", id).Take(&row).Error; err != nil {
		return device.Device{}, nil, err
	}
	var troubles []error
	trouble := func(what string, err error) {
		if err != nil {
			troubles = append(troubles, fmt.Errorf("%s of %s cannot be read and is left out: %w", what, row.Slug, err))
		}
	}
	d := device.Device{ID: row.ID, Slug: row.Slug, Name: row.Name, RoomID: textOf(row.RoomID), Kind: row.Kind,
		Maker:       row.Maker,
		Model:       row.Model,
		Transmitter: device.ParsePlace(row.Transmitter), Picture: row.Picture, Keys: []device.Key{}}
	part := func(p device.Part, what, text string, err error) {
		if trouble(what, err); err != nil {
			if d.Unread == nil {
				d.Unread = map[device.Part]string{}
			}
			d.Unread[p] = text
		}
	}
	part(device.PartSending, "how it is sent to", row.Sending, readSending(row.Sending, &d))
	var traits device.Traits
	err := ReadDocument(row.Traits, traitsVersion, &traits)
	if part(device.PartTraits, "what is said", row.Traits, err); err == nil {
		d.Traits = traits
	}
	part(device.PartExtra, "what a newer version said", row.Extra, readText(row.Extra, &d.Extra))
	var keys []keyRow
	if err := tx.Table("keys").Where("device_id = ?", id).Order("position, name").Find(&keys).Error; err != nil {
		return d, nil, err
	}
	var codes []codeRow
	err = tx.Raw(`SELECT c.* FROM codes c JOIN keys k ON k.id = c.key_id AND k.version = c.version
		WHERE k.device_id = ? ORDER BY c.position`, id).Scan(&codes).Error
	if err != nil {
		return d, nil, err
	}
	heard, err := readHeard(tx, id, trouble)
	if err != nil {
		return d, nil, err
	}
	for _, k := range keys {
		key := device.Key{ID: k.ID, Name: k.Name, Hold: device.Hold(k.Hold), Version: k.Version, Codes: []device.Code{},
			Follows: heard[k.ID], Changed: fromMillis(k.ChangedMS)}
		trouble(k.Name, readText(k.Extra, &key.Extra))
		for _, c := range codes {
			if c.KeyID != k.ID {
				continue
			}
			code, err := c.code()
			if trouble("a code of "+k.Name, err); err == nil {
				key.Codes = append(key.Codes, code)
			}
		}
		d.Keys = append(d.Keys, key)
	}
	readKeySending(row.Sending, d.Keys)
	return d, troubles, nil
}

func readText(text string, out any) error {
	if text == "" {
		return nil
	}
	return json.Unmarshal([]byte(text), out)
}

func writeText[T any](in T, empty bool) (string, error) {
	if empty {
		return "", nil
	}
	data, err := json.Marshal(in)
	return string(data), err
}

func (c codeRow) code() (device.Code, error) {
	out := device.Code{Sheet: c.Sheet, Inline: c.Inline, UnitUS: c.UnitUS, GapUS: c.GapUS,
		Channel: device.Channel{Medium: line.Medium(c.Medium), Hz: c.Hz},
		Repeats: c.Repeats, Source: c.Source, Takes: c.Takes, Agreed: c.Agreed}
	err := errors.Join(json.Unmarshal([]byte(c.Fields), &out.Fields), json.Unmarshal([]byte(c.Train), &out.Train),
		readText(c.Extra, &out.Extra))
	return out, err
}

func newCodeRow(c device.Code, identity string, created time.Time) (codeRow, error) {
	fields, err := json.Marshal(c.Fields)
	if err != nil {
		return codeRow{}, err
	}
	train, err := json.Marshal(c.Train)
	if err != nil {
		return codeRow{}, err
	}
	extra, err := writeText(c.Extra, len(c.Extra) == 0)
	return codeRow{Sheet: c.Sheet, Inline: c.Inline, Identity: identity, Fields: string(fields), UnitUS: c.UnitUS,
		Train: string(train), GapUS: c.GapUS,
		Medium: string(c.Channel.Medium), Hz: c.Channel.Hz, Repeats: c.Repeats, Source: c.Source, Takes: c.Takes,
		Agreed: c.Agreed, Extra: extra, CreatedMS: millis(created)}, err
}

func reindexCode(tx *gorm.DB, row codeRow, was, now device.Code, identify func(device.Code) string) error {
	set := map[string]any{"identity": identify(now)}
	if now.Inline != was.Inline {
		next, err := newCodeRow(now, "", time.UnixMilli(row.CreatedMS))
		if err != nil {
			return err
		}
		set["inline"], set["fields"], set["train"] = next.Inline, next.Fields, next.Train
	}
	return tx.Table("codes").Where("key_id = ? AND version = ? AND position = ?", row.KeyID, row.Version,
		row.Position).Updates(set).Error
}

// Version is what a key sent from a time on.
type Version struct {
	Number   int
	Replaces int // the version that was in force before; 0 where there was none
	At       time.Time
	Codes    []device.Code
}

// Versions lists what a key sent and sends, the newest first. A code that cannot be read is left out.
func (r Devices) Versions(ctx context.Context, keyID string) ([]Version, error) {
	var rows []codeRow
	if err := r.store.read.WithContext(ctx).Table("codes").Where("key_id = ?",
		keyID).Order("version DESC, position").Find(&rows).Error; err != nil {
		return nil, Explain(err)
	}
	out := []Version{}
	for _, row := range rows {
		c, err := row.code()
		if err != nil {
			continue
		}
		if n := len(out); n == 0 || out[n-1].Number != row.Version {
			out = append(out, Version{Number: row.Version, Replaces: row.Replaces, At: fromMillis(row.CreatedMS)})
		}
		v := &out[len(out)-1]
		v.Codes = append(v.Codes, c)
	}
	return out, nil
}

// Picture reads a device's picture. The error wraps ErrNotFound.
func (r Devices) Picture(ctx context.Context, id string) (Picture, error) {
	var p Picture
	err := r.store.read.WithContext(ctx).Table("pictures").Where("device_id = ?", id).Take(&p).Error
	return p, Explain(err)
}

// findKeys finds the keys that have a code of an identity in force, or follow one.
const findKeys = `SELECT d.id, d.slug, k.name, f.train FROM (
		SELECT c.key_id, c.train FROM codes c JOIN keys k ON k.id = c.key_id AND k.version = c.version
		WHERE c.identity IN (SELECT value FROM json_each(?1))
		UNION SELECT key_id, train FROM heard WHERE identity IN (SELECT value FROM json_each(?1))) f
	JOIN keys k ON k.id = f.key_id JOIN devices d ON d.id = k.device_id WHERE d.removed_ms IS NULL
	ORDER BY d.slug, k.name`

// Sender is a key that has a code of an identity in force, or follows one.
type Sender struct {
	DeviceID string
	device.Ref
	train []byte
}

// Train is what it sends, where it has no line code, or its clean frame.
func (s Sender) Train() (signal.Train, error) {
	var t signal.Train
	return t, json.Unmarshal(s.train, &t)
}

// Senders lists the keys that have a code of one of some identities in force, or follow one.
func (r Devices) Senders(ctx context.Context, identities ...string) ([]Sender, error) {
	list, err := json.Marshal(identities)
	if err != nil {
		return nil, err
	}
	rows, err := r.store.findKeys.QueryContext(ctx, string(list))
	if err != nil {
		return nil, Explain(err)
	}
	defer rows.Close()
	var out []Sender
	for rows.Next() {
		var s Sender
		if err := rows.Scan(&s.DeviceID, &s.Device, &s.Key, &s.train); err != nil {
			return nil, Explain(err)
		}
		out = append(out, s)
	}
	return out, Explain(rows.Err())
}

// Indexed tells how the identities of each line sheet's codes were made: which fields change from press to press.
func (r Devices) Indexed(ctx context.Context) (map[string]string, error) {
	var rows []struct{ Sheet, Changing string }
	err := r.store.read.WithContext(ctx).Table("indexed").Find(&rows).Error
	out := map[string]string{}
	for _, row := range rows {
		out[row.Sheet] = row.Changing
	}
	return out, Explain(err)
}

// Reindex works the identities of the codes of some line sheets out anew, and notes how (Indexed). The sheet "" is
// those without a line code, of which anew may give what is found out about them today.
func (r Devices) Reindex(ctx context.Context, changing map[string]string, anew func(device.Code) device.Code,
	identify func(device.Code) string) error {
	return r.store.change(ctx, func(tx *gorm.DB) error {
		for sheet, how := range changing {
			var rows []codeRow
			if err := tx.Table("codes").Where("sheet = ?", sheet).Find(&rows).Error; err != nil {
				return err
			}
			for _, row := range rows {
				c, err := row.code()
				if err != nil { // it is set aside where it is read
					continue
				}
				if err := reindexCode(tx, row, c, anew(c), identify); err != nil {
					return err
				}
			}
			if err := reindexHeard(tx, sheet, identify); err != nil {
				return err
			}
			if err := tx.Exec("INSERT INTO indexed VALUES (?, ?) ON CONFLICT DO UPDATE SET changing = "+
				"excluded.changing", sheet, how).Error; err != nil {
				return err
			}
		}
		return nil
	})
}
