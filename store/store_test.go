package store_test

import (
	"compress/gzip"
	"context"
	"database/sql"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/happening"
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

// raw opens the database file beside the store, as another program would.
func raw(t *testing.T, dir string) *sql.DB {
	t.Helper()
	db, err := sql.Open("sqlite", filepath.Join(dir, store.File))
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	return db
}

func execute(t *testing.T, db *sql.DB, statements ...string) {
	t.Helper()
	for _, s := range statements {
		_, err := db.Exec(s)
		require.NoError(t, err, s)
	}
}

func ask[T any](t *testing.T, db *sql.DB, query string) T {
	t.Helper()
	var out T
	require.NoError(t, db.QueryRow(query).Scan(&out), query)
	return out
}

var at = time.Date(2026, 3, 4, 5, 6, 7, 8_000_000, time.UTC)

func identify(c device.Code) string { return c.Identity(line.Builtin()) }

func lamp() *device.Device {
	repeats := 0
	return &device.Device{Slug: "lamp", Name: "Lamp", Kind: "light", Extra: device.Extra{"colour": []byte(`"red"`)}, Keys: []device.Key{
		{Name: "power", Codes: []device.Code{{Sheet: "pt2262", Fields: line.Fields{"values": line.Text("0F1"),
			"n": line.Number(7)}, Repeats: &repeats}}},
		{Name: "raw", Codes: []device.Code{{Train: signal.Train{500, 600, 500}, GapUS: 9000,
			Channel: device.Channel{Medium: line.Radio, Hz: 433_920_000}}}},
	}}
}

func apply(t *testing.T, s *store.Store, changes ...store.Edit) error {
	t.Helper()
	return s.Devices().Apply(t.Context(), store.Batch{Devices: changes, Identify: identify, At: at})
}

func load(t *testing.T, s *store.Store, id string) device.Device {
	t.Helper()
	d, troubles, err := s.Devices().Load(t.Context(), id)
	require.NoError(t, err)
	require.Empty(t, troubles)
	return d
}

func TestOpen_SettingsThatSurviveAPowerCut(t *testing.T) {
	dir := t.TempDir()
	open(t, dir)
	assert.Equal(t, "wal", ask[string](t, raw(t, dir), "PRAGMA journal_mode"))
	info, err := os.Stat(filepath.Join(dir, store.File))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
}

func TestDevices_ComeBackAsTheyWere(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	d := lamp()
	d.Keys[1].Transmitter = device.Place{Station: "s", Port: "radio-out"}
	require.NoError(t, apply(t, s, store.Edit{After: d}))
	assert.Equal(t, 1, d.Keys[0].Version)
	require.NoError(t, s.Close())
	s = open(t, dir)
	assert.Equal(t, *d, load(t, s, d.ID))
}

func TestDevices_EachChangeOfCodesIsAVersionAndOnlyThat(t *testing.T) {
	s := open(t, t.TempDir())
	d := lamp()
	require.NoError(t, apply(t, s, store.Edit{After: d}))
	change := func(f func(*device.Device)) {
		before := load(t, s, d.ID)
		after := before.Clone()
		f(&after)
		require.NoError(t, apply(t, s, store.Edit{Before: &before, After: &after}))
		assert.Equal(t, after, load(t, s, d.ID))
	}
	change(func(d *device.Device) { d.Keys[0].Codes[0].GapUS = 5 })
	change(func(d *device.Device) { d.Keys[0].Hold, d.Name = device.HoldOnce, "Light" })
	change(func(d *device.Device) { d.Keys[0].Name, d.Keys[1].Name = d.Keys[1].Name, d.Keys[0].Name })
	change(func(d *device.Device) { d.Keys[0], d.Keys[1] = d.Keys[1], d.Keys[0] })
	got := load(t, s, d.ID)
	assert.Equal(t, 2, got.Keys[1].Version)
	versions, err := s.Devices().Versions(t.Context(), got.Keys[1].ID)
	require.NoError(t, err)
	require.Len(t, versions, 2)
	assert.Equal(t, []int{2, 1}, []int{versions[0].Number, versions[0].Replaces})
	change(func(d *device.Device) { d.Keys[1].Version, d.Keys[1].Codes = 1, versions[1].Codes })
	change(func(d *device.Device) { d.Keys[1].Codes = []device.Code{{Sheet: "nec", Fields: line.Fields{}}} })
	versions, err = s.Devices().Versions(t.Context(), got.Keys[1].ID)
	require.NoError(t, err)
	assert.Equal(t, []int{3, 1}, []int{versions[0].Number, versions[0].Replaces},
		"the next one after the newest, in the place of the first")
}

func TestApply_IsAllOrNothingAndNamesDuplicates(t *testing.T) {
	s := open(t, t.TempDir())
	require.ErrorIs(t, apply(t, s, store.Edit{After: lamp()}, store.Edit{After: lamp()}), store.ErrDuplicate)
	lines, err := s.Devices().Lines(t.Context())
	require.NoError(t, err)
	assert.Empty(t, lines, "the first device went with the second")
}

func TestLoad_WhatCannotBeReadIsLeftOutAndNamed(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	d := lamp()
	require.NoError(t, apply(t, s, store.Edit{After: d}))
	lost, err := s.Happenings().Write(t.Context(), []happening.Happening{
		{Seq: 1, ID: "a", At: at, What: happening.HeardOf(happening.Capture{ID: "a", At: at})},
		{Seq: 2, ID: "b", At: at, What: happening.HeardOf(happening.Capture{ID: "b"})}}, nowhere)
	require.NoError(t, err)
	require.Empty(t, lost)
	execute(t, raw(t, dir), `UPDATE codes SET fields = '{' WHERE sheet = 'pt2262'`, `UPDATE captures SET trains = 'x' WHERE id = 'a'`,
		`UPDATE journal SET document = '[' WHERE id = 'a'`, `INSERT INTO code_sets VALUES ('odd', 'Odd', '', '', '', '{', '', 0)`)
	got, troubles, err := s.Devices().Load(t.Context(), d.ID)
	require.NoError(t, err)
	require.Len(t, troubles, 1)
	assert.ErrorContains(t, troubles[0], "a code of power of lamp cannot be read")
	assert.Len(t, got.Keys[1].Codes, 1, "the other key is whole")
	captures, troubles, err := s.Happenings().Captures(t.Context(), "", 10)
	require.NoError(t, err)
	assert.Len(t, captures, 1)
	assert.Len(t, troubles, 1)
	entries, err := s.Happenings().Journal(t.Context(), store.Query{Limit: 10})
	require.NoError(t, err)
	require.Len(t, entries, 2)
	l, _ := entries[1].What.Tell()
	assert.Contains(t, l.Text, "cannot be read")
	_, troubles, err = s.Devices().Sets(t.Context())
	require.NoError(t, err)
	assert.Len(t, troubles, 1)
}

func TestPrune_GoesByTheOrderAlsoWhereTheClockWentBack(t *testing.T) {
	s := open(t, t.TempDir())
	var batch []happening.Happening
	for i := range 20 {
		id := string(rune('a' + 19 - i)) // ids and times fall while the order grows
		batch = append(batch, happening.Happening{Seq: int64(i + 1), ID: id, At: at.Add(-time.Duration(i) * time.Hour),
			What: happening.HeardOf(happening.Capture{ID: id})})
	}
	_, err := s.Happenings().Write(t.Context(), batch, nowhere)
	require.NoError(t, err)
	require.NoError(t, s.Happenings().Prune(t.Context(), store.Kept{Captures: 5, Presses: 5, Entries: 7}))
	entries, err := s.Happenings().Journal(t.Context(), store.Query{Limit: 100})
	require.NoError(t, err)
	require.Len(t, entries, 7)
	assert.Equal(t, "a", entries[0].ID, "the newest is the last in order")
	next, err := s.Happenings().Journal(t.Context(), store.Query{Before: entries[2].ID, Limit: 2})
	require.NoError(t, err)
	assert.Equal(t, []string{entries[3].ID, entries[4].ID}, []string{next[0].ID, next[1].ID})
	captures, _, err := s.Happenings().Captures(t.Context(), "", 100)
	require.NoError(t, err)
	assert.Len(t, captures, 5)
}

func TestTakeTurn_NeverTellsAValueTwiceAcrossRestarts(t *testing.T) {
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

func TestOpen_RefusesANewerDatabaseAndWritesNothing(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, open(t, dir).Close())
	db := raw(t, dir)
	execute(t, db, `INSERT INTO migrations VALUES ('0999-later')`, "PRAGMA wal_checkpoint(TRUNCATE)")
	require.NoError(t, db.Close())
	was, err := os.ReadFile(filepath.Join(dir, store.File))
	require.NoError(t, err)
	_, err = store.Open(dir)
	require.ErrorIs(t, err, store.ErrNewer)
	assert.ErrorContains(t, err, "0999-later")
	is, err := os.ReadFile(filepath.Join(dir, store.File))
	require.NoError(t, err)
	assert.Equal(t, was, is)
}

func TestChange_WhereAnotherProgramHoldsTheDatabaseAllWaitOnceAndNotOneAfterAnother(t *testing.T) {
	if testing.Short() {
		t.Skip("it waits five seconds")
	}
	dir := t.TempDir()
	s := open(t, dir)
	other, err := raw(t, dir).Conn(t.Context())
	require.NoError(t, err)
	_, err = other.ExecContext(t.Context(), "BEGIN IMMEDIATE")
	require.NoError(t, err)
	began := time.Now()
	errs := make(chan error)
	for range 4 {
		go func() {
			_, err := s.TakeTurn(context.Background(), "d", "rc5", "toggle", 2)
			errs <- err
		}()
	}
	for range 4 {
		require.ErrorIs(t, <-errs, store.ErrBusy)
	}
	assert.Less(t, time.Since(began), 12*time.Second)
	require.NoError(t, other.Close())
}

func TestChange_AFullDiskIsSaidAndReadsGoOn(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	d := lamp()
	require.NoError(t, apply(t, s, store.Edit{After: d}))
	store.Limit(t, s, 1)
	big := lamp()
	big.Slug = "big"
	for range 100 {
		big.Keys[0].Codes = append(big.Keys[0].Codes, device.Code{Train: make(signal.Train, 4001)})
	}
	require.ErrorIs(t, apply(t, s, store.Edit{After: big}), store.ErrFull)
	assert.Equal(t, *d, load(t, s, d.ID))
}

// fixture unpacks a database that an earlier release wrote. The one of before 0009 has the observatory with a renamed
// device, versions and an undo, two saves that share a version, a picture, tokens, a lesson and an audition under way,
// captures and a journal.
func fixture(t *testing.T, name string) string {
	t.Helper()
	in, err := os.Open("testdata/" + name)
	require.NoError(t, err)
	defer in.Close()
	unzipped, err := gzip.NewReader(in)
	require.NoError(t, err)
	dir := t.TempDir()
	out, err := os.Create(filepath.Join(dir, store.File))
	require.NoError(t, err)
	_, err = io.Copy(out, unzipped)
	require.NoError(t, err)
	require.NoError(t, out.Close())
	return dir
}

func TestOpen_UpgradesADatabaseOf0008AndLosesNothing(t *testing.T) {
	dir := fixture(t, "urbo-0008.db.gz")
	old := raw(t, dir)
	counts := map[string]int{}
	for _, table := range []string{"rooms", "devices", "keys", "codes", "old_slugs", "pictures", "code_sets",
		"captures", "presses", "journal", "tokens", "turns"} {
		counts[table] = ask[int](t, old, "SELECT count(*) FROM "+table)
	}
	texts := ask[string](t, old, "SELECT group_concat(text, '|') FROM (SELECT text FROM journal ORDER BY id)")
	require.NoError(t, old.Close())

	s := open(t, dir)
	kept, err := sql.Open("sqlite", filepath.Join(dir, store.File+".before-0025-measurements"))
	require.NoError(t, err)
	assert.Equal(t, counts["codes"], ask[int](t, kept, "SELECT count(print) FROM codes"),
		"the old one is kept beside it")
	require.NoError(t, kept.Close())
	now := raw(t, dir)
	for table, n := range counts {
		assert.Equal(t, n, ask[int](t, now, "SELECT count(*) FROM "+table), table)
	}
	assert.Equal(t, 2, ask[int](t, now, "SELECT count(*) FROM sittings"))
	assert.Equal(t, "ok", ask[string](t, now, "PRAGMA integrity_check"))
	rows, err := now.Query("PRAGMA foreign_key_check")
	require.NoError(t, err)
	assert.False(t, rows.Next())
	require.NoError(t, rows.Close())
	assert.Zero(t, ask[int](t, now, "SELECT count(*) FROM sqlite_master WHERE name LIKE 'before%' OR sql LIKE "+
		"'%before%'"))

	lines, err := s.Devices().Lines(t.Context())
	require.NoError(t, err)
	found := map[string]device.Device{}
	for _, l := range lines {
		found[l.Slug] = load(t, s, l.ID)
	}
	white, err := ptr(found["boardwalk"]).Key("white")
	require.NoError(t, err)
	assert.Len(t, white.Codes, 1, "two saves that shared a version are versions of their own")
	assert.Equal(t, 2, white.Version)
	amplifier := found["hall-amplifier"]
	assert.Equal(t, device.Traits{Plate: "XR-22 107", Notes: "on the shelf", Power: device.PowerToggles,
		Inputs: device.InputsDirect, GapMS: 200}, amplifier.Traits)
	room := ask[string](t, now, "SELECT name FROM rooms WHERE id = '"+amplifier.RoomID+"'")
	assert.Equal(t, "Lecture room", room)
	assert.JSONEq(t, `"red"`, string(found["dew-a"].Extra["colour"]))
	assert.NotEmpty(t, found["dew-a"].Picture)
	odd, err := ptr(found["clicker"]).Key("odd")
	require.NoError(t, err)
	assert.Equal(t, device.Channel{Medium: line.Radio, Hz: 433_920_000}, odd.Codes[0].Channel)
	identify := func(c device.Code) string { return c.Identity(line.Builtin()) }
	require.NoError(t, s.Devices().Reindex(t.Context(), map[string]string{"": "anew"},
		func(c device.Code) device.Code { return c }, identify))
	for _, d := range found {
		for _, k := range d.Keys {
			for _, c := range k.Codes {
				require.NoError(t, c.Check(line.Builtin()))
				senders, err := s.Devices().Senders(t.Context(), identify(c))
				require.NoError(t, err)
				assert.Contains(t, senders[0].Device+senders[len(senders)-1].Device, d.Slug)
			}
		}
	}
	former, err := s.Devices().FormerSlugs(t.Context())
	require.NoError(t, err)
	assert.Equal(t, amplifier.ID, former["amplifier"])

	entries, err := s.Happenings().Journal(t.Context(), store.Query{Limit: 1000})
	require.NoError(t, err)
	told := ""
	for _, e := range entries {
		l, _ := e.What.Tell()
		told = "|" + l.Text + told
		assert.Equal(t, 2026, e.At.Year())
		found, err := s.Happenings().Journal(t.Context(), store.Query{Words: l.Text, Device: e.DeviceID, By: e.By.Name,
			Kind: l.Kind, Limit: 1000})
		require.NoError(t, err)
		assert.True(t, slices.ContainsFunc(found, func(h happening.Happening) bool { return h.ID == e.ID }),
			"%s is found by its words", l.Text)
	}
	assert.Equal(t, "|"+texts, told)
	sets, troubles, err := s.Devices().Sets(t.Context())
	require.NoError(t, err)
	assert.Empty(t, troubles)
	assert.Len(t, sets, counts["code_sets"])
}

// TestPrune_KeepsSoManyBytes of captures, the newest, however few those are.
func TestPrune_KeepsSoManyBytes(t *testing.T) {
	t.Parallel()
	s := open(t, t.TempDir())
	long := make(signal.Train, 1001)
	for i := range long {
		long[i] = 10_000
	}
	var batch []happening.Happening
	for n := range 20 {
		batch = append(batch, happening.Happening{ID: store.NewID(), Seq: int64(n + 1), At: time.Now(),
			What: happening.HeardOf(happening.Capture{ID: strconv.Itoa(n), At: time.Now(),
				Trains: []signal.Reception{{Train: long}}})})
	}
	_, err := s.Happenings().Write(t.Context(), batch, nowhere)
	require.NoError(t, err)
	keep := store.Kept{Captures: 100, Presses: 100, Entries: 100, CaptureBytes: 20_000}
	require.NoError(t, s.Happenings().Prune(t.Context(), keep))
	left, _, err := s.Happenings().Captures(t.Context(), "", 100)
	require.NoError(t, err)
	require.NotEmpty(t, left)
	assert.Less(t, len(left), 5)
	assert.Equal(t, "19", left[0].ID)
	entries, err := s.Happenings().Journal(t.Context(), store.Query{Limit: 100})
	require.NoError(t, err)
	assert.Len(t, entries, 20, "the journal has room of its own")
}

func ptr[T any](v T) *T { return &v }

// nowhere is where devices stand that are in no room.
func nowhere(string) string { return "" }
