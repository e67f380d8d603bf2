package service_test

import (
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/grant"
	"urbo/core/home"
	"urbo/service/lessons"
	"urbo/service/sequences"
	"urbo/store"
)

// full makes a data directory that has something in every table, of a release before and of now.
func full(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	fixture(t, dir)
	h, stop := start(t, dir, nil, newBoard(takes))
	for _, slug := range []string{"screen", "projector"} {
		if _, err := h.Library.Device(slug); err == nil {
			_, err := h.Groups.Add(t.Context(), "", "Group of "+slug, []string{slug}, grant.By{})
			require.NoError(t, err)
		}
	}
	_, err := h.Sequences.Add(t.Context(), "", "Waits", sequences.Text{Steps: "wait 1 h"}, grant.By{})
	require.NoError(t, err)
	_, err = h.RunSequence("waits", false, grant.By{}, "")
	require.NoError(t, err)
	_, err = h.Home.Change(t.Context(), grant.By{}, func(now *home.Home) { now.Name = "Saltmarsh" })
	require.NoError(t, err)
	lamp(t, h)
	_, err = h.Lessons.Start(t.Context(), lessons.New{Device: "lamp", Keys: []string{"power"}})
	require.NoError(t, err)
	stop()
	return dir
}

// documents lists the columns that keep documents: those with an object in any row.
func documents(t *testing.T, db *sql.DB) (out [][2]string) {
	t.Helper()
	tables := rowsOf(t, db, "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'journal_words%' "+
		"AND name NOT LIKE 'sqlite%' AND name != 'set_aside'")
	for _, table := range tables {
		for _, column := range rowsOf(t, db,
			"SELECT name FROM pragma_table_info('"+table+"') WHERE type LIKE 'TEXT%'") {
			if len(rowsOf(t, db, fmt.Sprintf("SELECT %[2]q FROM %[1]q WHERE substr(%[2]q, 1, 1) = '{'", table,
				column))) > 0 {
				out = append(out, [2]string{table, column})
			}
		}
	}
	return out
}

func rowsOf(t *testing.T, db *sql.DB, query string) (out []string) {
	t.Helper()
	rows, err := db.Query(query)
	require.NoError(t, err, query)
	defer rows.Close()
	for rows.Next() {
		var text string
		require.NoError(t, rows.Scan(&text))
		out = append(out, text)
	}
	require.NoError(t, rows.Err())
	return out
}

// TestDocuments_OfANewerVersionKeepNoHouseFromOpening puts what this version cannot read into every document of every
// table: the house opens, ends, and what it could not read is there as it was.
func TestDocuments_OfANewerVersionKeepNoHouseFromOpening(t *testing.T) {
	t.Parallel()
	from := full(t)
	path := filepath.Join(from, store.File)
	db, err := sql.Open("sqlite", path)
	require.NoError(t, err)
	all := documents(t, db)
	require.NoError(t, db.Close())
	require.Greater(t, len(all), 10, "%v", all)
	original, err := os.ReadFile(path)
	require.NoError(t, err)
	for _, c := range all {
		for _, poison := range []string{`{"version":99,"x":1}`, `{damaged`} {
			t.Run(c[0]+"."+c[1]+" "+poison[:3], func(t *testing.T) {
				t.Parallel()
				dir := t.TempDir()
				require.NoError(t, os.WriteFile(filepath.Join(dir, store.File), original, 0o600))
				db, err := sql.Open("sqlite", filepath.Join(dir, store.File))
				require.NoError(t, err)
				_, err = db.Exec(fmt.Sprintf("UPDATE %[1]q SET %[2]q = ? WHERE rowid IN (SELECT max(rowid) FROM %[1]q "+
					"WHERE substr(%[2]q, 1, 1) = '{')", c[0], c[1]), poison)
				require.NoError(t, err)
				require.NoError(t, db.Close())
				h, stop := start(t, dir, time.Now, newBoard(takes))
				assert.NotEmpty(t, h.Library.Lines(""))
				stop()
				db, err = sql.Open("sqlite", filepath.Join(dir, store.File))
				require.NoError(t, err)
				defer db.Close()
				kept := append(rowsOf(t, db, fmt.Sprintf("SELECT %q FROM %q", c[1], c[0])),
					rowsOf(t, db, "SELECT document FROM set_aside")...)
				assert.True(t, strings.Contains(strings.Join(kept, "\n"), poison), "what cannot be read is lost")
			})
		}
	}
}
