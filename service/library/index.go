package library

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"log/slog"
	"slices"
	"strings"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"urbo/core/bench"
	"urbo/core/line"
	"urbo/core/signal"
	"urbo/store"
	"urbo/wire"
)

// Every stored code has a text by which it is looked up from what is on the air: the identity of its line code and
// fields, or the fingerprint of its train. The database has an index of these texts, so that a library of any size is
// there at once when the service starts.

// lookUp finds the keys whose newest version has a code with such a text.
const lookUp = `SELECT d.slug, k.name, c.train FROM codes c JOIN keys k ON k.id = c.key_id JOIN devices d ON d.id = k.device_id
	WHERE c.identity = ? AND c.version = (SELECT max(version) FROM codes WHERE key_id = c.key_id) ORDER BY d.slug, k.name`

// printed is the text of a code without a line code.
func printed(print string) string { return "print " + print }

// identify works out the text by which a code is found.
func (l *Library) identify(c *store.Code) {
	if c.Sheet == "" {
		c.Identity = printed(c.Print)
	} else if s, err := l.book.Sheet(c.Sheet); err == nil {
		c.Identity = s.Identity(c.Fields)
	}
}

// keysOf lists the keys that are found by a text; frame is what they must send, where it is a fingerprint's.
func (l *Library) keysOf(text string, frame signal.Train) []wire.KeyRef {
	var out []wire.KeyRef
	rows, err := l.found.Query(text)
	if err != nil {
		slog.Error("look up whose key it is", "error", err)
		return nil
	}
	defer rows.Close()
	for rows.Next() {
		var ref wire.KeyRef
		var train sql.RawBytes
		var own signal.Train
		if err := rows.Scan(&ref.Device, &ref.Key, &train); err != nil {
			slog.Error("look up whose key it is", "error", err)
			return nil
		}
		if frame != nil && (decode(train, &own) != nil || !bench.Alike(own, frame)) || slices.Contains(out, ref) {
			continue
		}
		out = append(out, ref)
	}
	return out
}

// Match lists the keys that send what was heard: by the most trusted reading that any key has, else by the structure
// of the signal, nil where it has none.
func (l *Library) Match(readings []line.Reading, structure *bench.Structure) []wire.KeyRef {
	for _, r := range readings {
		s, err := l.book.Sheet(r.Sheet)
		if err != nil {
			continue
		}
		if refs := l.keysOf(s.Identity(r.Fields), nil); len(refs) > 0 {
			return refs
		}
	}
	if structure == nil {
		return nil
	}
	return l.keysOf(printed(structure.Print.String()), structure.Frame)
}

// count tells how many keys each device has, and how many of them are learned.
func (l *Library) count(ctx context.Context, devices map[string]*entry) error {
	rows, err := l.store.Read(ctx).Raw("SELECT device_id, count(*), sum(EXISTS (SELECT 1 FROM codes WHERE key_id = keys.id)) FROM keys GROUP BY device_id").Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var id string
		var keys, learned int
		if err := rows.Scan(&id, &keys, &learned); err != nil {
			return err
		}
		if e := devices[id]; e != nil {
			e.keys, e.learned = keys, learned
		}
	}
	return rows.Err()
}

// reindex works the texts out anew where a line sheet's fields change in another way than when they were made: after
// an update, or after a sheet of one's own was edited.
func (l *Library) reindex(ctx context.Context) error {
	var done []store.Indexed
	if err := l.store.Read(ctx).Find(&done).Error; err != nil {
		return err
	}
	known := map[string]string{}
	for _, d := range done {
		known[d.Sheet] = d.Changing
	}
	fresh := []store.Indexed{}
	want := func(sheet, changing string) {
		if had, is := known[sheet]; !is || had != changing {
			fresh = append(fresh, store.Indexed{Sheet: sheet, Changing: changing})
		}
	}
	want("", "print")
	for _, s := range l.book.Sheets() {
		want(s.Name, strings.Join(s.Changing(), " "))
	}
	if len(fresh) == 0 {
		return nil
	}
	return l.store.Change(ctx, func(tx *gorm.DB) error {
		var used []string
		if err := tx.Model(&store.Code{}).Distinct("sheet").Pluck("sheet", &used).Error; err != nil {
			return err
		}
		for _, f := range fresh {
			if !slices.Contains(used, f.Sheet) {
				continue
			}
			if err := l.reindexSheet(tx, f.Sheet); err != nil {
				return fmt.Errorf("line sheet %s: %w", f.Sheet, err)
			}
		}
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&fresh).Error
	})
}

func (l *Library) reindexSheet(tx *gorm.DB, sheet string) error {
	var codes []store.Code
	return tx.Select("id", "sheet", "fields", "print").Where("sheet = ?", sheet).FindInBatches(&codes, 1000, func(*gorm.DB, int) error {
		for i := range codes {
			l.identify(&codes[i])
			if err := tx.Exec("UPDATE codes SET identity = ? WHERE id = ?", codes[i].Identity, codes[i].ID).Error; err != nil {
				return err
			}
		}
		return nil
	}).Error
}

// decode reads a column of JSON, which may be empty.
func decode(data []byte, out any) error {
	if len(data) == 0 || string(data) == "null" {
		return nil
	}
	return json.Unmarshal(data, out)
}
