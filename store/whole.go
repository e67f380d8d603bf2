package store

import (
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"gorm.io/gorm"
)

// checkSchema says whether a database holds nothing that acts by itself: no triggers, no views, and no other virtual
// table than the index of words. What is in a schema runs as soon as it is opened to be written. The error wraps
// ErrDamaged.
func checkSchema(db *gorm.DB) error {
	var odd []string
	err := db.Raw(`SELECT type || ' ' || name FROM sqlite_master WHERE type IN ('trigger', 'view')
		OR sql LIKE 'CREATE VIRTUAL%' AND name <> 'journal_words' ORDER BY 1 LIMIT 3`).Scan(&odd).Error
	switch {
	case err != nil:
		return fmt.Errorf("%w: %w", ErrDamaged, err)
	case len(odd) > 0:
		return fmt.Errorf("%w: it holds what Urbo never makes: %.200s", ErrDamaged, strings.Join(odd, ", "))
	}
	return nil
}

// CheckWhole opens the database of a directory, which is moved on to this version by that, and says whether it is as
// this version makes one: all tables, columns and indexes, and every value of its column's type. Check it first. Errors
// wrap ErrDamaged, or are those of Open.
func CheckWhole(dir string) error {
	s, err := Open(dir)
	if err != nil {
		return err
	}
	fresh, err := os.MkdirTemp(dir, ".fresh-")
	if err != nil {
		return errors.Join(err, s.Close())
	}
	err = s.asFresh(fresh)
	return errors.Join(err, s.Close(), os.RemoveAll(fresh))
}

// asFresh compares the database with one that is made anew in a directory.
func (s *Store) asFresh(dir string) error {
	made, err := Open(dir)
	if err != nil {
		return err
	}
	want, err := shape(made.read)
	if err := errors.Join(err, made.Close()); err != nil {
		return err
	}
	got, err := shape(s.read)
	if err != nil {
		return fmt.Errorf("%w: %w", ErrDamaged, err)
	}
	for _, name := range slices.Sorted(maps.Keys(want)) {
		if got[name] != want[name] {
			return fmt.Errorf("%w: %s is not as Urbo makes it", ErrDamaged, name)
		}
	}
	for _, name := range slices.Sorted(maps.Keys(got)) {
		if _, is := want[name]; !is {
			return fmt.Errorf("%w: it has a %.60s, which Urbo never makes", ErrDamaged, name)
		}
	}
	return checkValues(s.read)
}

// part is a table or an index.
type part struct{ Type, Name, TblName, SQL string }

func parts(db *gorm.DB) (all []part, err error) {
	err = db.Raw(`SELECT type, name, tbl_name, coalesce(sql, '') AS sql FROM sqlite_master
		WHERE name NOT LIKE 'sqlite\_%' ESCAPE '\' AND name NOT LIKE 'journal\_words\_%' ESCAPE '\'`).Scan(&all).Error
	return all, err
}

// column is a column of a table, as SQLite tells it.
type column struct {
	Name, Type string
	Notnull    int
	DfltValue  *string
	Pk, Hidden int
}

func columns(db *gorm.DB, table string) (all []column, err error) {
	err = db.Raw("SELECT name, type, \"notnull\", dflt_value, pk, hidden FROM pragma_table_xinfo(?)", table).Scan(
		&all).Error
	return all, err
}

// shape says what each table and index is made of, in whatever order its columns were added.
func shape(db *gorm.DB) (map[string]string, error) {
	all, err := parts(db)
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	for _, p := range all {
		var says []string
		switch {
		case strings.HasPrefix(p.SQL, "CREATE VIRTUAL"):
			says = []string{p.SQL}
		case p.Type == "table":
			cs, err := columns(db, p.Name)
			if err != nil {
				return nil, err
			}
			for _, c := range cs {
				value := "none"
				if c.DfltValue != nil {
					value = *c.DfltValue
				}
				says = append(says, fmt.Sprint(c.Name, " ", strings.ToUpper(c.Type), " ", c.Notnull, " ", c.Pk > 0, " ",
					c.Hidden, " ", value))
			}
			slices.Sort(says)
			var refers []string
			if err := db.Raw(`SELECT "from" || ' ' || "table" || ' ' || coalesce("to", '') || ' ' || on_delete
				FROM pragma_foreign_key_list(?) ORDER BY 1`, p.Name).Scan(&refers).Error; err != nil {
				return nil, err
			}
			says = append(says, refers...)
		default:
			if err := db.Raw(`SELECT coalesce(name, '') || ' ' || "desc" || ' ' || coll FROM pragma_index_xinfo(?)
				WHERE key ORDER BY seqno`, p.Name).Scan(&says).Error; err != nil {
				return nil, err
			}
			_, where, _ := strings.Cut(p.SQL, "WHERE")
			says = append(says, p.TblName, where, fmt.Sprint(strings.Contains(p.SQL, "UNIQUE")))
		}
		out[p.Type+" "+p.Name] = strings.Join(says, "; ")
	}
	return out, nil
}

// mayHold are the kinds of values of a type of column.
var mayHold = map[string]string{"INTEGER": "'integer'", "TEXT": "'text'", "REAL": "'real', 'integer'",
	"BLOB": "'blob', 'text'"}

// checkValues reads every row, and says whether each value is of its column's type. The error wraps ErrDamaged.
func checkValues(db *gorm.DB) error {
	all, err := parts(db)
	if err != nil {
		return fmt.Errorf("%w: %w", ErrDamaged, err)
	}
	for _, p := range all {
		if p.Type != "table" || strings.HasPrefix(p.SQL, "CREATE VIRTUAL") {
			continue
		}
		cs, err := columns(db, p.Name)
		if err != nil {
			return fmt.Errorf("%w: %w", ErrDamaged, err)
		}
		for _, c := range cs {
			kinds := mayHold[strings.ToUpper(c.Type)]
			if kinds == "" {
				continue
			}
			var wrong int
			err := db.Raw(fmt.Sprintf("SELECT count(*) FROM %q WHERE typeof(%q) NOT IN ('null', %s)", p.Name, c.Name,
				kinds)).Scan(&wrong).Error
			switch {
			case err != nil:
				return fmt.Errorf("%w: %s: %w", ErrDamaged, p.Name, err)
			case wrong > 0:
				return fmt.Errorf("%w: %d rows of %s have something else than they should in %s", ErrDamaged, wrong,
					p.Name, c.Name)
			}
		}
	}
	return nil
}

// Turn is the next value of a field that changes with every press.
type Turn struct {
	DeviceID, Sheet, Field string
	Next                   int64
}

// Turns reads the next values of the database of a directory, and changes nothing there. It is none where there is no
// database that can be read.
func Turns(dir string) (all []Turn) {
	path := filepath.Join(dir, File)
	if _, err := os.Stat(path); err != nil {
		return nil
	}
	db, err := connect(path, 1, "mode=ro")
	if err != nil {
		return nil
	}
	if err := db.Raw("SELECT device_id, sheet, field, next FROM turns").Scan(&all).Error; err != nil {
		all = nil
	}
	if err := closeDB(db); err != nil {
		return nil
	}
	return all
}
