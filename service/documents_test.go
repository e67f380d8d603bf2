package service_test

import (
	"database/sql"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	tiles "urbo/core/board"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/home"
	"urbo/service"
	"urbo/service/access"
	"urbo/service/boards"
	"urbo/service/lessons"
	"urbo/service/library"
	"urbo/service/occasions"
	"urbo/service/sequences"
	"urbo/stage"
	"urbo/store"
)

var updateDocuments = flag.Bool("update-documents", false, "write the golden of what documents are made of")

// filled makes a data directory with something in every document that a house keeps.
func filled(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	onStage(t, dir, func(t *testing.T, h *service.House, s *stage.Stage) {
		ctx := t.Context()
		by := grant.By{Actor: grant.Actor{ID: "p", Kind: grant.Person, Name: "Keeper"}, Via: "Chrome on Android"}
		tellTrue(t, h, "boardwalk", "power", "off")
		tellTrue(t, h, "amplifier", "power", "off")
		wish(t, h, "amplifier", "power", "on", "volume", "5", "input", "2")
		require.NoError(t, s.Press("boardwalk", "red", 0))
		_, err := h.MainsFailed("", by)
		require.NoError(t, err)
		_, err = h.Library.ChangeBySlug(ctx, "mixer", library.Note{}, func(d *device.Device) error {
			d.Notes, d.GapMS, d.Verify = "in the corner", 500, true
			d.Sensors = []device.Sensor{{Measurement: "mixer/power", Control: "power", Above: 8, High: "on", Below: 2,
				Low: "off", SettleMS: 1000}}
			d.Controls[0].LongestS = 60
			return nil
		})
		require.NoError(t, err)
		_, err = h.Groups.Add(ctx, "", "Both", []string{"mixer", "boardwalk"}, by)
		require.NoError(t, err)
		_, err = h.Groups.Add(ctx, "", "All", []string{"both"}, by)
		require.NoError(t, err)
		text := "press boardwalk/red 2 times; press boardwalk/dim held 1 s; set both/power to on for 1 h and back; " +
			"set mixer/speed to 2 for 1 min and then 1; wait until not (boardwalk/power is on or mixer/power may be " +
			"off " +
			"and mixer/power is on) at most 1 min; if boardwalk/power is on do wait 1 s else notify \"x\""
		_, err = h.Sequences.Add(ctx, "", "Every", sequences.Text{Steps: text}, by)
		require.NoError(t, err)
		wants := "set amplifier/power to on then set amplifier/volume to 20"
		leaves, nowhere := true, ""
		_, err = h.Occasions.Add(ctx, "", "Talk", occasions.Text{Wants: &wants, Room: &nowhere, Leaves: &leaves,
			Stays: &[]string{"boardwalk"}, Reins: &map[string]string{"volume": "amplifier/volume",
				"arrows": "projector"}}, by)
		require.NoError(t, err)
		_, err = h.Boards.Add(ctx, "", "Talks", boards.Change{Sections: &[]boards.Text{{Title: "Here",
			Tiles: []boards.TileText{{ID: "t1", Kind: tiles.Control, Of: "amplifier/volume", Title: "Loudness",
				Size: tiles.Wide}, {ID: "t2", Kind: tiles.Note, Text: "22 is enough"}}}}}, by)
		require.NoError(t, err)
		_, err = h.Occasions.Do(ctx, "talk", occasions.Start, by, nil)
		require.NoError(t, err)
		_, err = h.Sequences.Add(ctx, "", "Waits", sequences.Text{Steps: "run every; wait 1 h"}, by)
		require.NoError(t, err)
		tellTrue(t, h, "boardwalk", "power", "off")
		came(t, holdFor(t, h, time.Hour, "boardwalk", "power", "on"))
		_, err = h.RunSequence("every", false, by, "c")
		require.NoError(t, err)
		time.Sleep(20 * time.Second) // it asks, as the mains failed
		_, err = h.Home.Change(ctx, by, func(now *home.Home) {
			*now = home.Home{Name: "Saltmarsh", Zone: "Europe/London", Place: &home.Place{Latitude: 53, Longitude: 1},
				Fahrenheit: true, TwelveHours: true}
		})
		require.NoError(t, err)
		room, err := h.Rooms.Add(ctx, "Dome", by)
		require.NoError(t, err)
		id, err := h.Library.ID("mixer")
		require.NoError(t, err)
		where := grant.Where{Rooms: []string{room.ID}, Devices: []string{id}, Measurements: []string{"dome/humidity"}}
		_, err = h.Access.AddPerson(ctx, access.NewPerson{Name: "Lecturer", Role: grant.Visitor, Where: where}, by)
		require.NoError(t, err)
		_, _, err = h.Access.AddToken(ctx, access.NewToken{Name: "wall", Rights: []grant.Right{grant.See},
			Where: where}, by)
		require.NoError(t, err)
		require.NoError(t, h.Stations.SetShare(ctx, "dome", "radio-out", 0.05, by))
		_, err = h.Lessons.Start(ctx, lessons.New{Device: "radio", Keys: []string{"power", "volume-up"}})
		require.NoError(t, err)
		require.NoError(t, s.Press("radio", "power", 0))
		time.Sleep(2 * time.Second)
	})
	return dir
}

// shape is what a document is made of: members, and what kind of value each has.
func shape(v any) any {
	switch v := v.(type) {
	case map[string]any:
		out := map[string]any{}
		for name, inner := range v {
			out[name] = shape(inner)
		}
		return out
	case []any:
		var all any
		for _, inner := range v {
			all = both(all, shape(inner))
		}
		return []any{all}
	case nil:
		return nil
	}
	return fmt.Sprintf("%T", v)
}

// both is what two values are made of together.
func both(a, b any) any {
	if a == nil {
		return b
	}
	switch a := a.(type) {
	case map[string]any:
		if b, is := b.(map[string]any); is {
			for name, inner := range b {
				a[name] = both(a[name], inner)
			}
		}
		return a
	case []any:
		if b, is := b.([]any); is {
			return []any{both(a[0], b[0])}
		}
	}
	return a
}

// TestDocuments_AreMadeOfTheSameForEver: data directories of years hold them. A member that is called otherwise would
// be lost without a word; it shows here. go test ./service -run Documents_Are -update-documents
func TestDocuments_AreMadeOfTheSameForEver(t *testing.T) {
	dir := filled(t)
	db, err := sql.Open("sqlite", filepath.Join(dir, store.File))
	require.NoError(t, err)
	defer db.Close()
	now := map[string]any{}
	for _, c := range documents(t, db) {
		if c[0] == "journal" { // core/happening has one of each
			continue
		}
		name := c[0] + "." + c[1]
		for _, text := range rowsOf(t, db, fmt.Sprintf("SELECT %q FROM %q WHERE substr(%[1]q, 1, 1) = '{'", c[1],
			c[0])) {
			var v any
			require.NoError(t, json.Unmarshal([]byte(text), &v), name)
			now[name] = both(now[name], shape(v))
		}
	}
	const file = "testdata/documents.json"
	text, err := json.MarshalIndent(now, "", "\t")
	require.NoError(t, err)
	if *updateDocuments {
		require.NoError(t, os.MkdirAll("testdata", 0o700))
		require.NoError(t, os.WriteFile(file, append(text, '\n'), 0o600))
	}
	golden, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.JSONEq(t, string(golden), string(text))
	for _, name := range []string{"devices.traits", "groups.document", "sequences.document", "runs.document",
		"runs.state",
		"holds.document", "occasions.document", "boards.document",
		"beliefs.document", "belief_log.document", "people.reach", "tokens.reach", "house.value",
		"stations.settings", "sittings.document"} {
		assert.Contains(t, now, name, "every kind is among them")
	}
}
