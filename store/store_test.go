package store_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"urbo/core/line"
	"urbo/core/signal"
	"urbo/store"
)

func open(t *testing.T, dir string) *store.Store {
	t.Helper()
	s, err := store.Open(dir)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s
}

func TestOpen_SettingsThatSurviveAPowerCut(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	for pragma, want := range map[string]string{"journal_mode": "wal", "synchronous": "2", "foreign_keys": "1", "busy_timeout": "5000"} {
		var got string
		require.NoError(t, s.Read(t.Context()).Raw("PRAGMA "+pragma).Scan(&got).Error)
		assert.Equal(t, want, got, pragma)
	}
	info, err := os.Stat(filepath.Join(dir, store.File))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
}

func TestStore_KeepsCodesAcrossReopening(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	code := store.Code{ID: "c", KeyID: "k", Version: 1, Sheet: "pt2262", Fields: line.Fields{"values": line.Text("0F1"), "n": line.Number(7)}}
	raw := store.Code{ID: "d", KeyID: "k", Version: 1, Position: 1, Train: signal.Train{500, 600, 500}, GapUS: 9000}
	require.NoError(t, s.Change(t.Context(), func(tx *gorm.DB) error {
		if err := tx.Create(&store.Device{ID: "d", Slug: "lamp", Name: "Lamp"}).Error; err != nil {
			return err
		}
		return tx.Create(&store.Key{ID: "k", DeviceID: "d", Name: "power", Codes: []store.Code{code, raw}}).Error
	}))
	require.NoError(t, s.Close())

	var got []store.Code
	require.NoError(t, open(t, dir).Read(t.Context()).Order("position").Find(&got).Error)
	require.Len(t, got, 2)
	assert.Equal(t, code.Fields, got[0].Fields)
	assert.Equal(t, raw.Train, got[1].Train)
}

func TestChange_RollsBackAndNamesDuplicates(t *testing.T) {
	s := open(t, t.TempDir())
	add := func(tx *gorm.DB, id string) error {
		return tx.Create(&store.Device{ID: id, Slug: "lamp", Name: "Lamp"}).Error
	}
	err := s.Change(t.Context(), func(tx *gorm.DB) error {
		require.NoError(t, add(tx, "a"))
		return add(tx, "b")
	})
	assert.ErrorIs(t, err, store.ErrDuplicate)
	var count int64
	require.NoError(t, s.Read(t.Context()).Model(&store.Device{}).Count(&count).Error)
	assert.Zero(t, count, "the first device went with the second")
}

func TestTakeTurn_NeverGivesAValueTwiceAcrossRestarts(t *testing.T) {
	dir := t.TempDir()
	take := func(s *store.Store, device string) int64 {
		v, err := s.TakeTurn(t.Context(), device, "rc5", "toggle", 3)
		require.NoError(t, err)
		return v
	}
	s := open(t, dir)
	assert.EqualValues(t, 0, take(s, "radio"))
	assert.EqualValues(t, 1, take(s, "radio"))
	assert.EqualValues(t, 0, take(s, "other"))
	require.NoError(t, s.Close())
	s = open(t, dir)
	assert.EqualValues(t, 2, take(s, "radio"))
	assert.EqualValues(t, 0, take(s, "radio"), "it goes round")
}
