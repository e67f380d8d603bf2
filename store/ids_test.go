package store_test

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/store"
)

// TestOpen_UpgradesADatabaseOf0014AndLaysEntriesToTheirDevices: the fixture has the observatory with an amplifier that
// was renamed and whose slug another device has now, a heater that was removed and whose slug is used again, one that
// was removed and is back, one that was purged, a station that was renamed, a station's room in another spelling, and
// documents that are damaged or of a newer version.
func TestOpen_UpgradesADatabaseOf0014AndLaysEntriesToTheirDevices(t *testing.T) {
	dir := fixture(t, "urbo-0014.db.gz")
	s := open(t, dir)
	db := raw(t, dir)
	one := func(query string) string { t.Helper(); return ask[string](t, db, query) }

	// The journal says the same, each entry laid to the device that had the slug then.
	var before []struct{ ID, Kind, Device, Text string }
	data, err := os.ReadFile("testdata/urbo-0014-journal.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &before))
	all, err := s.Happenings().Journal(t.Context(), store.Query{Limit: 1000})
	require.NoError(t, err)
	texts, about := map[string]string{}, map[string]string{}
	for _, h := range all {
		l, _ := h.What.Tell()
		texts[h.ID] = l.Text
		about[h.ID], _ = h.About()
	}
	hall := one("SELECT id FROM devices WHERE slug = 'hall-amplifier'")
	second := one("SELECT id FROM devices WHERE slug = 'amplifier'")
	removed := one("SELECT id FROM devices WHERE slug LIKE 'dew-c %'")
	again := one("SELECT id FROM devices WHERE slug = 'dew-c'")
	mine := map[string][]string{}
	for _, e := range before {
		if strings.Contains(e.Text, "does not know") {
			continue
		}
		assert.Equal(t, e.Text, texts[e.ID])
		mine[about[e.ID]] = append(mine[about[e.ID]], e.Text)
	}
	assert.Contains(t, mine[hall], "Told that amplifier volume is 14", "said of it under the name that it had")
	assert.Contains(t, mine[hall], "Pressed hall-amplifier/mute")
	assert.NotContains(t, mine[hall], "Added Second amplifier")
	assert.Contains(t, mine[second], "Added Second amplifier")
	assert.NotContains(t, mine[second], "Told that amplifier volume is 14")
	assert.Contains(t, mine[removed], "Removed Dew heater C with 2 keys")
	assert.Contains(t, mine[again], "Added Dew heater C again")
	assert.Len(t, mine[again], 2)
	for _, text := range mine[""] {
		for _, name := range []string{"amplifier", "dew-", "boardwalk"} {
			assert.NotContains(t, text, name+"/", "laid to no device")
		}
	}

	// Rooms are one, whatever the spelling.
	assert.Equal(t, "Lecture room", one(
		"SELECT r.name FROM stations s JOIN rooms r ON r.id = s.room_id WHERE s.name = 'lecture'"))
	assert.Equal(t, "1", one("SELECT count(*) FROM rooms WHERE name LIKE 'lecture room'"))

	// Transmitters go by their stations' ids.
	d := load(t, s, one("SELECT id FROM devices WHERE slug = 'screen'"))
	assert.Equal(t, device.Place{Station: one("SELECT id FROM stations WHERE name = 'tower'"), Port: "radio-out"},
		d.Transmitter)
	assert.Equal(t, "0", one("SELECT count(*) FROM captures WHERE station NOT IN (SELECT id FROM stations)"))
	captures, _, err := s.Happenings().Captures(t.Context(), "", 10)
	require.NoError(t, err)
	assert.Equal(t, "lecture", captures[0].Station, "shown by its name of today")
	airings, err := s.Airings(t.Context(), at.AddDate(-1, 0, 0))
	require.NoError(t, err)
	assert.Equal(t, one("SELECT id FROM stations WHERE name = 'lecture'"), airings[0].Station)

	// What cannot be read stays as it is.
	radio, troubles, err := s.Devices().Load(t.Context(), one("SELECT id FROM devices WHERE slug = 'radio'"))
	require.NoError(t, err)
	require.Len(t, troubles, 1)
	raw := one("SELECT traits FROM devices WHERE slug = 'radio'")
	renamed := radio.Clone()
	renamed.Name = "Old radio"
	require.NoError(t, apply(t, s, store.Edit{Before: &radio, After: &renamed}))
	assert.Equal(t, raw, one("SELECT traits FROM devices WHERE slug = 'radio'"), "a change of the rest leaves it")
	anew := renamed.Clone()
	anew.Notes = "its traits were lost"
	require.NoError(t, apply(t, s, store.Edit{Before: &renamed, After: &anew}))
	aside, err := s.SetAside(t.Context())
	require.NoError(t, err)
	require.Len(t, aside, 1)
	assert.Equal(t, []string{"traits", radio.ID, raw}, []string{aside[0].Kind, aside[0].Owner, aside[0].Document})

	// Everybody who is signed in goes on, as the owner; tokens have the rights of their words.
	people, err := s.People().List(t.Context())
	require.NoError(t, err)
	require.Len(t, people, 1)
	assert.Equal(t, []any{"owner", grant.Owner, true}, []any{people[0].Name, people[0].Role, people[0].Where.House})
	assert.Equal(t, people[0].ID, one("SELECT person_id FROM sessions"))
	tokens, err := s.Access().Tokens(t.Context())
	require.NoError(t, err)
	may := map[string]string{}
	for _, token := range tokens {
		may[token.Name] = grant.RightsText(token.Rights)
	}
	assert.Equal(t, map[string]string{"wall": "watch", "script": "press", "backup": "owner", "station dome": "",
		"station attic": ""}, may)
	assert.Equal(t, "ok", one("PRAGMA integrity_check"))
}

func TestReadDocument_KnowsItsVersionAndKeepsToTheObject(t *testing.T) {
	var got struct{ Share float64 }
	require.NoError(t, store.ReadDocument("", 1, &got), "nothing is the zero value")
	require.NoError(t, store.ReadDocument(`{"share":0.5}`, 1, &got))
	assert.Equal(t, 0.5, got.Share)
	require.ErrorIs(t, store.ReadDocument(`{"version":2,"share":0.1}`, 1, &got), store.ErrDocument)
	assert.Equal(t, 0.5, got.Share, "nothing of it is taken")
	require.ErrorIs(t, store.ReadDocument(`{"share":`, 1, &got), store.ErrDocument)
	require.ErrorIs(t, store.ReadDocument(`[1]`, 1, &got), store.ErrDocument)

	text, err := store.WriteDocument(2, got)
	require.NoError(t, err)
	assert.Equal(t, `{"version":2,"Share":0.5}`, text)
	require.NoError(t, store.ReadDocument(text, 2, &got))
	text, err = store.WriteDocument(1, got)
	require.NoError(t, err)
	assert.Equal(t, `{"Share":0.5}`, text, "the first version is as it always was")
}
