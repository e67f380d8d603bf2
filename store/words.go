package store

import (
	"fmt"
	"hash/fnv"
	"math"
	"strings"
	"unicode"

	"gorm.io/gorm"

	"urbo/core/happening"
)

// wordTables are what migration 0021 makes: the index of the journal's words, with marks for what else entries are
// searched by, so that one index answers both. The rowid is the journal's seq.
var wordTables = []string{
	`DROP TABLE IF EXISTS journal_words`,
	`CREATE VIRTUAL TABLE journal_words USING fts5(text, content='', contentless_delete=1)`,
}

// words is migration 0021. The index cannot be asked for its texts: they are made again from the entries.
func words(tx *gorm.DB) error {
	if err := execute(tx, wordTables); err != nil {
		return err
	}
	const page = 500
	for last := int64(math.MinInt64); ; {
		var rows []journalRow
		if err := tx.Raw("SELECT * FROM journal WHERE seq > ? ORDER BY seq LIMIT ?", last, page).Scan(
			&rows).Error; err != nil {
			return err
		}
		for _, row := range rows {
			last = row.Seq
			text := ""
			if what, err := happening.Unmarshal(row.What, []byte(row.Document)); err == nil {
				l, _ := what.Tell()
				text = l.Text
			}
			if err := putWords(tx, row, text); err != nil {
				return err
			}
		}
		if len(rows) < page {
			return nil
		}
	}
}

// putWords puts an entry into the index of words.
func putWords(tx *gorm.DB, row journalRow, text string) error {
	return tx.Exec("INSERT INTO journal_words (rowid, text) VALUES (?, ?)", row.Seq,
		strings.ReplaceAll(text, mark, " ")+" "+row.marks()).Error
}

// mark begins the words of the index that stand for columns. The tokenizer takes it as a letter, and no search for
// words has it.
const mark = "\ue000"

// markOf is the word for a value of a column. Two values may share one: it narrows a search, and does not decide it.
func markOf(column, value string) string {
	h := fnv.New64a()
	_, _ = h.Write([]byte(strings.ToLower(value)))
	return fmt.Sprintf("%s%s%x", mark, column, h.Sum64())
}

// The columns that have marks.
const (
	markDevice = "d"
	markRoom   = "r"
	markKind   = "k"
	markBy     = "b"
)

func (row journalRow) marks() string {
	var out []string
	for column, value := range map[string]string{markDevice: row.DeviceID, markRoom: row.RoomID, markKind: row.Kind,
		markBy: row.By} {
		if value != "" {
			out = append(out, markOf(column, value))
		}
	}
	return strings.Join(out, " ")
}

// marks are what a query asks of columns, by the letters of their marks.
func (q Query) marks() map[string]string {
	return map[string]string{markDevice: q.Device, markKind: q.Kind, markBy: q.By}
}

// marked says whether a query for words asks for something of which there are few entries, too.
func (q Query) marked() bool { return q.match() != "" && (q.Device != "" || q.By != "") }

// match is what a query asks of the index of words: all words, each whole or the beginning of one, and the marks of
// the columns. It is empty where no words are asked.
func (q Query) match() string {
	var out []string
	for _, w := range strings.FieldsFunc(q.Words, func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r)
	}) {
		out = append(out, `"`+w+`"*`)
	}
	if len(out) == 0 {
		return ""
	}
	for column, value := range q.marks() {
		if value != "" {
			out = append(out, `"`+markOf(column, value)+`"`)
		}
	}
	if n := q.Within.count(); n > 0 && n <= mostParts {
		var places []string
		for column, ids := range map[string][]string{markRoom: q.Within.Rooms, markDevice: q.Within.Devices} {
			for _, id := range ids {
				places = append(places, `"`+markOf(column, id)+`"`)
			}
		}
		out = append(out, "("+strings.Join(places, " OR ")+")")
	}
	return strings.Join(out, " AND ")
}
