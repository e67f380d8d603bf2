package backup_test

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/service/backup"
	"urbo/store"
)

// packed is a backup with a database of any bytes, and everything around it right.
func packed(t testing.TB, database []byte) []byte {
	t.Helper()
	sum := sha256.Sum256(database)
	head, err := json.Marshal(backup.Manifest{Format: backup.Format, Version: backup.Version, Made: time.Unix(0, 0),
		Files: []backup.File{{Name: store.File, Size: int64(len(database)), SHA256: hex.EncodeToString(sum[:])}}})
	require.NoError(t, err)
	var out bytes.Buffer
	zip := gzip.NewWriter(&out)
	all := tar.NewWriter(zip)
	for _, f := range []struct {
		name string
		data []byte
	}{{"manifest.json", head}, {store.File, database}} {
		require.NoError(t, all.WriteHeader(&tar.Header{Name: f.name, Mode: 0o600, Size: int64(len(f.data))}))
		_, err = all.Write(f.data)
		require.NoError(t, err)
	}
	require.NoError(t, all.Close())
	require.NoError(t, zip.Close())
	return out.Bytes()
}

// FuzzStage reads any bytes as a backup, or as the database in one: it is taken or refused, and what is refused leaves
// nothing behind.
func FuzzStage(f *testing.F) {
	dir := f.TempDir()
	s, err := store.Open(dir)
	require.NoError(f, err)
	require.NoError(f, s.Snapshot(f.Context(), filepath.Join(dir, "copy.db")))
	require.NoError(f, s.Close())
	database, err := os.ReadFile(filepath.Join(dir, "copy.db"))
	require.NoError(f, err)
	whole := packed(f, database)
	f.Add(whole, false)
	f.Add(whole[:len(whole)/2], false)
	f.Add([]byte("\x1f\x8b"), false)
	f.Add(database, true)
	f.Add(database[:4096], true)
	f.Fuzz(func(t *testing.T, data []byte, isDatabase bool) {
		if isDatabase {
			data = packed(t, data)
		}
		into := t.TempDir()
		staged, err := backup.Stage(bytes.NewReader(data), into)
		if err == nil {
			require.NoError(t, staged.Drop())
		}
		left, err := os.ReadDir(into)
		require.NoError(t, err)
		assert.Empty(t, left)
	})
}
