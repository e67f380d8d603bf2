package store_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"urbo/store"
)

// TestOpen_BringsAnOlderDatabaseUpToDate takes away what later migrations brought, as in a database from before them.
func TestOpen_BringsAnOlderDatabaseUpToDate(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	require.NoError(t, s.Change(t.Context(), func(tx *gorm.DB) error {
		if err := tx.Create(&store.Device{ID: "d", Slug: "lamp", Name: "Lamp", Keys: []store.Key{{ID: "k", Name: "power",
			Codes: []store.Code{{ID: "c", Version: 1, Sheet: "nec"}}}}}).Error; err != nil {
			return err
		}
		for _, c := range []string{"plate", "plate_hz", "notes", "power", "inputs", "warm_up_ms", "gap_ms", "face", "picture"} {
			if err := tx.Exec("ALTER TABLE devices DROP COLUMN " + c).Error; err != nil {
				return err
			}
		}
		for _, statement := range []string{
			"DROP INDEX code_identity", "ALTER TABLE codes DROP COLUMN identity", "ALTER TABLE codes DROP COLUMN takes", "ALTER TABLE codes DROP COLUMN agreed",
			"ALTER TABLE keys DROP COLUMN hold", "DROP TABLE indexed", "DROP TABLE pictures", "DROP TABLE auditions", "DROP TABLE code_sets",
			"ALTER TABLE codes DROP COLUMN inline", "ALTER TABLE codes DROP COLUMN print", "ALTER TABLE codes DROP COLUMN extra",
			"ALTER TABLE captures DROP COLUMN carrier", "ALTER TABLE captures DROP COLUMN count", "ALTER TABLE devices DROP COLUMN extra",
			"ALTER TABLE keys DROP COLUMN extra", "DROP TABLE lessons", "DROP TABLE old_slugs", "DELETE FROM migrations WHERE id > '0002-turns'",
		} {
			if err := tx.Exec(statement).Error; err != nil {
				return err
			}
		}
		return nil
	}))
	require.NoError(t, s.Close())

	s = open(t, dir)
	var d store.Device
	require.NoError(t, s.Read(t.Context()).Preload("Keys").Preload("Keys.Codes").First(&d).Error)
	require.Len(t, d.Keys, 1)
	assert.Equal(t, "nec", d.Keys[0].Codes[0].Sheet, "nothing is lost")
	assert.Empty(t, d.Keys[0].Codes[0].Inline)
	require.NoError(t, s.Change(t.Context(), func(tx *gorm.DB) error {
		return tx.Create(&store.Lesson{ID: "l", Device: "lamp", State: "{}", Codes: "{}"}).Error
	}))
}
