package store_test

import (
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/store"
)

func TestCheckWhole_TakesDatabasesOfEveryVersion(t *testing.T) {
	t.Parallel()
	for _, name := range []string{"urbo-0008.db.gz", "urbo-0014.db.gz"} {
		dir := fixture(t, name)
		require.NoError(t, store.Check(filepath.Join(dir, store.File)))
		require.NoError(t, store.CheckWhole(dir), name)
	}
	dir := t.TempDir()
	require.NoError(t, open(t, dir).Close())
	require.NoError(t, store.CheckWhole(dir))
}

func TestCheck_RefusesWhatUrboNeverMakes(t *testing.T) {
	t.Parallel()
	for statement, says := range map[string]string{
		"CREATE TRIGGER t AFTER INSERT ON rooms BEGIN DELETE FROM devices; END": "trigger t",
		"CREATE VIEW v AS SELECT * FROM tokens":                                 "view v",
		"CREATE VIRTUAL TABLE w USING fts5(x)":                                  "table w",
		"CREATE TABLE more (x)":                                                 "table more",
		"ALTER TABLE rooms ADD COLUMN x": "table rooms is not as " +
			"Urbo makes it",
		"ALTER TABLE rooms ADD COLUMN y TEXT AS (name || 'x')": "table rooms is not as " +
			"Urbo makes it",
		"DROP INDEX journal_at":                      "index journal_at",
		"CREATE INDEX odd ON rooms (name)":           "index odd",
		"DROP TABLE belief_log":                      "belief_log",
		"UPDATE people SET created_ms = 'yesterday'": "rows of people",
		"INSERT INTO turns (device_id, sheet, field, next) VALUES ('d', 's', 'f', 'x')": "rows of turns",
	} {
		dir := t.TempDir()
		require.NoError(t, open(t, dir).Close())
		db := raw(t, dir)
		_, err := db.Exec(statement)
		require.NoError(t, err, statement)
		require.NoError(t, db.Close())
		err = store.Check(filepath.Join(dir, store.File))
		if err == nil {
			err = store.CheckWhole(dir)
		}
		require.ErrorIs(t, err, store.ErrDamaged, statement)
		assert.ErrorContains(t, err, says, statement)
	}
}
