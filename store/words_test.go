package store_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/store"
)

// TestJournal_EveryMixOfFiltersFindsWhatFits asks a journal, over which the clock went back twice, for words with every
// other filter, and holds the answers against a search of one's own.
func TestJournal_EveryMixOfFiltersFindsWhatFits(t *testing.T) {
	s := open(t, t.TempDir())
	begun := time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC)
	devices, people := []string{"d-one", "D-ONE", "d-two"}, []string{"Keeper", "keeper", "Night watch", "Wächter"}
	titles := []string{"Dome lamp", "Dome shutter", "Übung \ue000 lamp"}
	type entry struct {
		id, text, device, by, room, kind string
		at                               time.Time
	}
	var all []entry
	var batch []happening.Happening
	room := func(id string) string { return "room of " + strings.ToLower(id) }
	for n := range 240 {
		h := happening.Happening{ID: store.NewID(), Seq: int64(n + 1),
			At: begun.Add(time.Duration(n%80*(1+n%3)) * time.Minute), By: grant.Named(people[n%4]),
			What: happening.DeviceChanged{DeviceID: devices[n%3], Device: "lamp", Title: titles[n%3],
				Changes: []string{fmt.Sprintf("note %d", n)}}}
		if n%5 == 0 {
			h.What = happening.HouseNote{Severity: "info", Text: fmt.Sprintf("Dome note %d", n)}
		}
		batch = append(batch, h)
		l, _ := h.What.Tell()
		e := entry{h.ID, l.Text, l.DeviceID, h.By.Name, "", l.Kind, h.At}
		if e.device != "" {
			e.room = room(e.device)
		}
		all = append(all, e)
	}
	_, err := s.Happenings().Write(t.Context(), batch, room)
	require.NoError(t, err)

	rapid.Check(t, func(t *rapid.T) {
		one := func(name string, of ...string) string { return rapid.SampledFrom(append(of, "")).Draw(t, name) }
		q := store.Query{Words: one("words", "dome", "note 1", "LAMP", "ub lam", "shutter note", "nothing"),
			Device: one("device", devices...), Kind: one("kind", "device", "house", "press"), By: one("by", people...),
			Limit: rapid.IntRange(1, 300).Draw(t, "limit")}
		if rapid.Bool().Draw(t, "since") {
			q.Since = begun.Add(time.Duration(rapid.IntRange(0, 250).Draw(t, "from")) * time.Minute)
		}
		if rapid.Bool().Draw(t, "until") {
			q.Until = begun.Add(time.Duration(rapid.IntRange(0, 250).Draw(t, "to")) * time.Minute)
		}
		if rapid.Bool().Draw(t, "within") {
			q.Within = &store.Within{Rooms: []string{room("d-two")}, Devices: []string{"D-ONE"}}
		}
		want := []string{}
		for i := len(all) - 1; i >= 0 && len(want) < q.Limit; i-- {
			e := all[i]
			if words(e.text, q.Words) && (q.Device == "" || e.device == q.Device) && (q.Kind == "" ||
				e.kind == q.Kind) &&
				(q.By == "" || strings.EqualFold(e.by, q.By)) && !e.at.Before(q.Since) &&
				(q.Until.IsZero() || !e.at.After(q.Until)) &&
				(q.Within == nil || e.room == room("d-two") || e.device == "D-ONE") {
				want = append(want, e.id)
			}
		}
		got, err := s.Happenings().Journal(t.Context(), q)
		require.NoError(t, err)
		ids := []string{}
		for _, h := range got {
			ids = append(ids, h.ID)
		}
		assert.Equal(t, want, ids, "%+v", q)
	})
}

// words says whether each word begins one of a text.
func words(text, ask string) bool {
	plain := strings.NewReplacer("ü", "u").Replace(strings.ToLower(text))
	for w := range strings.FieldsSeq(strings.ToLower(ask)) {
		found := false
		for of := range strings.FieldsSeq(strings.NewReplacer(",", " ", ":", " ", "\"", " ", ".", " ").Replace(plain)) {
			found = found || strings.HasPrefix(of, w)
		}
		if !found {
			return false
		}
	}
	return true
}
