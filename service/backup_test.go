package service_test

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/line"
	"urbo/service"
	"urbo/service/access"
	"urbo/service/backup"
	"urbo/service/library"
	"urbo/store"
)

const ownSheet = "sheet: lamp\nmedium: infrared\ncarrier_hz: 38000\nunit_us: 500\n" +
	"code: {style: mark, zero: [1, 1], one: [2, 1]}\nfields: [{name: id, bits: 8}]\n" +
	"frames:\n  message: [{lead: [8, 4]}, {field: id}]\npress: [{repeat: [message], repeats: 1, gap: 40}]\n"

// furnished is a house with something of everything, and a backup of it that was made while it ran.
func furnished(t *testing.T) (saved []byte, token string) {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(dir, library.SheetDir), 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(dir, library.SheetDir, "lamp.yaml"), []byte(ownSheet), 0o600))
	h := run(t, dir)
	note := library.Note{By: grant.Named("test")}
	_, err := h.Library.Add(t.Context(), device.Device{Slug: "lamp", Name: "Lamp", Kind: "light", Keys: []device.Key{
		{Name: "on", Codes: []device.Code{{Sheet: "lamp", Fields: line.Fields{"id": line.Number(7)}}}}}}, note)
	require.NoError(t, err)
	_, secret, err := h.Access.AddToken(t.Context(), newToken("wall", "Watch"), grant.Named("test"))
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, h.Backup(t.Context(), &out))
	left, err := filepath.Glob(filepath.Join(dir, ".backup-*"))
	require.NoError(t, err)
	assert.Empty(t, left, "the copy is gone again")
	return out.Bytes(), secret
}

func TestReplace_TakesOneBackupAtATime(t *testing.T) {
	t.Parallel()
	saved, _ := furnished(t)
	dir := t.TempDir()
	other := run(t, dir) // a house of its own, which the backup replaces
	_, err := other.Library.Add(t.Context(), device.Device{Slug: "fan", Name: "Fan", Kind: "fan"}, library.Note{})
	require.NoError(t, err)
	made, err := other.Replace(t.Context(), bytes.NewReader(saved), false, grant.Named("test"))
	require.NoError(t, err)
	assert.WithinDuration(t, time.Now(), made.Made, time.Minute)
	<-other.Replaced()
	_, err = other.Replace(t.Context(), bytes.NewReader(saved), false, grant.Named("test"))
	assert.ErrorIs(t, err, service.ErrReplacing, "one at a time")
	assert.ErrorIs(t, service.Restore(t.Context(), dir, other.Staged()), service.ErrLocked, "it still runs")
}

func TestRestore_PutsEverythingInPlaceAndKeepsWhatWasThere(t *testing.T) {
	t.Parallel()
	saved, secret := furnished(t)
	dir := t.TempDir()
	h, stop := start(t, dir, nil)
	_, err := h.Library.Add(t.Context(), device.Device{Slug: "fan", Name: "Fan", Kind: "fan"}, library.Note{})
	require.NoError(t, err)
	stop()
	staged, err := backup.Stage(bytes.NewReader(saved), dir)
	require.NoError(t, err)
	require.NoError(t, service.Restore(t.Context(), dir, staged))

	back := run(t, dir)
	d, err := back.Library.Device("lamp")
	require.NoError(t, err)
	assert.Equal(t, "lamp", d.Keys[0].Codes[0].Sheet)
	_, err = back.Book.Sheet("lamp")
	require.NoError(t, err, "line sheets of one's own come too")
	_, err = back.Library.Device("fan")
	assert.ErrorIs(t, err, library.ErrUnknownDevice)
	who, err := back.Access.Token(t.Context(), secret, "")
	require.NoError(t, err)
	assert.Equal(t, []grant.Right{grant.See}, who.Grant.Rights)
	assert.FileExists(t, filepath.Join(dir, store.File+".before-restore"))
	left, err := filepath.Glob(filepath.Join(dir, ".restore-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

// TestRestore_NoCounterComesTwice: what was pressed after the backup was made is not in it.
func TestRestore_NoCounterComesTwice(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	take := func(limit int64, field string) int64 {
		v, err := s.TakeTurn(t.Context(), "shutter", "roll56", field, limit)
		require.NoError(t, err)
		return v
	}
	take(1<<16, "counter")
	take(2, "toggle") // 0, and 1 is next
	require.NoError(t, s.PutRun(t.Context(), store.Run{ID: "r", Document: "{}", State: "{}"}))
	require.NoError(t, s.PutHolds(t.Context(), []store.HeldControl{{ID: "k", Document: "{}"}}, nil))
	before := []store.Turn{{DeviceID: "shutter", Sheet: "roll56", Field: "counter", Next: 900},
		{DeviceID: "shutter", Sheet: "roll56", Field: "toggle", Next: 1}, {DeviceID: "gone", Sheet: "x", Field: "y",
			Next: 7}}
	require.NoError(t, s.CameBack(t.Context(), 50*time.Hour, before, false))
	assert.Equal(t, int64(900+40), take(1<<16, "counter"),
		"from where the house was, and ten for each day that has begun, "+
			"and ten more")
	assert.Equal(t, int64(1), take(2, "toggle"), "a toggle stays what it was")
	require.NoError(t, s.Close())
}

// TestStage_RefusesWhatFillsTheDiskOrActsByItself: two megabytes became two gigabytes, and a trigger would have run.
func TestStage_RefusesWhatFillsTheDiskOrActsByItself(t *testing.T) {
	t.Parallel()
	saved, _ := furnished(t)
	refused := func(data []byte, says string) {
		t.Helper()
		dir := t.TempDir()
		_, err := service.Stage(t.Context(), bytes.NewReader(data), dir)
		require.ErrorIs(t, err, backup.ErrBackup)
		assert.ErrorContains(t, err, says)
		left, err := os.ReadDir(dir)
		require.NoError(t, err)
		assert.Empty(t, left, "nothing stays behind")
	}
	database := func(change func(data []byte) []byte) []byte {
		var sum, size string
		return rewrite(t, rewrite(t, saved, func(name string, data []byte) (string, []byte) {
			if name == store.File {
				data = change(data)
				all := sha256.Sum256(data)
				sum, size = hex.EncodeToString(all[:]), strconv.Itoa(len(data))
			}
			return name, data
		}), func(name string, data []byte) (string, []byte) {
			if name == "manifest.json" { // as whoever made it would write it
				data = regexp.MustCompile(`(?s)("name": "`+store.File+`",\s+"size": )\d+(,\s+"sha256": ")[0-9a-f]+`).
					ReplaceAll(data, []byte("${1}"+size+"${2}"+sum))
			}
			return name, data
		})
	}
	refused(database(func(data []byte) []byte { return append(data, make([]byte, 200<<20)...) }), "packed as no backup")
	for statement, says := range map[string]string{
		"CREATE TRIGGER t AFTER UPDATE ON turns BEGIN DELETE FROM devices; END": "trigger t",
		"DROP TABLE history": "history",
	} {
		refused(database(func(data []byte) []byte {
			path := filepath.Join(t.TempDir(), "x.db")
			require.NoError(t, os.WriteFile(path, data, 0o600))
			db, err := sql.Open("sqlite", path)
			require.NoError(t, err)
			_, err = db.Exec(statement)
			require.NoError(t, errors.Join(err, db.Close()))
			out, err := os.ReadFile(path)
			require.NoError(t, err)
			return out
		}), says)
	}
}

func TestStage_RefusesWhatIsDamagedOrNewer(t *testing.T) {
	t.Parallel()
	saved, _ := furnished(t)
	dir := t.TempDir()
	refused := func(data []byte, says string) {
		t.Helper()
		_, err := backup.Stage(bytes.NewReader(data), dir)
		require.ErrorIs(t, err, backup.ErrBackup)
		assert.ErrorContains(t, err, says)
		left, err := os.ReadDir(dir)
		require.NoError(t, err)
		assert.Empty(t, left, "nothing stays behind")
	}
	refused(nil, "no backup of Urbo's")
	refused([]byte("something else"), "no backup of Urbo's")
	for n := 20; n < len(saved); n += len(saved) / 23 {
		refused(saved[:n], "")
	}
	refused(rewrite(t, saved, func(name string, data []byte) (string, []byte) {
		if name == store.File {
			data[len(data)/2]++
		}
		return name, data
	}), "check sum")
	refused(rewrite(t, saved, func(name string, data []byte) (string, []byte) {
		return name, bytes.Replace(data, []byte(`"version": 1,`), []byte(`"version": 9,`), 1)
	}), "is older: update it")
	refused(rewrite(t, saved, func(name string, data []byte) (string, []byte) {
		return name, bytes.ReplaceAll(data, []byte(`"sheets/lamp.yaml"`), []byte(`"sheets/../../x.yaml"`))
	}), "does not belong into it")
}

// rewrite changes the files of a backup.
func rewrite(t *testing.T, saved []byte, change func(name string, data []byte) (string, []byte)) []byte {
	t.Helper()
	unzipped, err := gzip.NewReader(bytes.NewReader(saved))
	require.NoError(t, err)
	in := tar.NewReader(unzipped)
	var out bytes.Buffer
	zip := gzip.NewWriter(&out)
	to := tar.NewWriter(zip)
	for {
		h, err := in.Next()
		if err == io.EOF {
			break
		}
		require.NoError(t, err)
		data, err := io.ReadAll(in)
		require.NoError(t, err)
		name, data := change(h.Name, data)
		require.NoError(t, to.WriteHeader(&tar.Header{Name: name, Mode: 0o600, Size: int64(len(data))}))
		_, err = to.Write(data)
		require.NoError(t, err)
	}
	require.NoError(t, to.Close())
	require.NoError(t, zip.Close())
	return out.Bytes()
}

// newToken is a token with the rights of a word, for the whole house.
func newToken(name, word string) access.NewToken {
	rights, _ := grant.ParseRights([]string{strings.ToLower(word)})
	return access.NewToken{Name: name, Station: word == "Station" || word == "station", Rights: rights,
		Where: grant.Everywhere}
}

// TestRestore_GuestsAndOccasionsOfThenAreOver: what was in force when the backup was made is no wish of now.
func TestRestore_GuestsAndOccasionsOfThenAreOver(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	h, stop := start(t, dir, nil)
	by := grant.Named("test")
	home, err := h.Boards.Find("home")
	require.NoError(t, err)
	_, err = h.Access.AddPerson(t.Context(), access.NewPerson{Name: "Audience", Role: grant.Guest,
		Where: grant.Where{Boards: []string{home.ID}}, Until: time.Now().Add(time.Hour)}, by)
	require.NoError(t, err)
	signIn := func(h *service.House, code string) (string, error) {
		_, cookie, err := h.Access.SignIn(t.Context(), code, "", "")
		return cookie, err
	}
	_, code, _, err := h.Access.Link(t.Context(), "Audience", 5)
	require.NoError(t, err)
	guest, err := signIn(h, code)
	require.NoError(t, err)
	_, owners, _, err := h.Access.Link(t.Context(), h.Access.Owner().ID, 1)
	require.NoError(t, err)
	owner, err := signIn(h, owners)
	require.NoError(t, err)
	stop()

	s, err := store.Open(dir)
	require.NoError(t, err)
	require.NoError(t, s.PutHouseText(t.Context(), "force", `{"all":[{"occasion":"o1","rooms":["r1"]}]}`))
	require.NoError(t, s.CameBack(t.Context(), time.Hour, nil, true))
	require.NoError(t, s.Close())
	kept, closed := start(t, dir, nil)
	_, err = kept.Access.Session(t.Context(), guest, "")
	require.NoError(t, err, "its owner said that guests stay")
	_, err = signIn(kept, code)
	require.NoError(t, err)
	closed()

	s, err = store.Open(dir)
	require.NoError(t, err)
	require.NoError(t, s.CameBack(t.Context(), time.Hour, nil, false))
	require.NoError(t, s.Close())

	back := run(t, dir)
	_, err = signIn(back, code)
	require.ErrorIs(t, err, access.ErrTicket, "a guest link is dead")
	_, err = back.Access.Session(t.Context(), guest, "")
	require.ErrorIs(t, err, access.ErrNobody)
	_, err = back.Access.Session(t.Context(), owner, "")
	require.NoError(t, err, "who lives here goes on")
	assert.Empty(t, back.Occasions.InForce())
}
