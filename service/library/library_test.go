package library_test

import (
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/signal"
	"urbo/service/event"
	"urbo/service/library"
	"urbo/store"
	"urbo/wire"
)

func open(t *testing.T, dir string) *library.Library {
	t.Helper()
	s, err := store.Open(dir)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	l, err := library.Open(t.Context(), s, &event.Hub{}, line.Builtin(), time.Now)
	require.NoError(t, err)
	return l
}

func add(t *testing.T, l *library.Library, n wire.NewDevice) wire.Device {
	t.Helper()
	d, err := l.Add(t.Context(), n)
	require.NoError(t, err)
	return d
}

func nec(command int) wire.Code {
	return wire.Code{Sheet: "nec", Fields: map[string]any{"address": 9, "command": command}}
}

func TestAdd_TakesTheUsualKeysOfItsKindAndSharesRooms(t *testing.T) {
	dir := t.TempDir()
	l := open(t, dir)
	a := add(t, l, wire.NewDevice{Name: " Dew  heater A ", Room: "Dome", Kind: "socket"})
	assert.Equal(t, "dew-heater-a", a.Slug)
	assert.Equal(t, "Dew heater A", a.Name)
	assert.Equal(t, []string{"on", "off"}, []string{a.Keys[0].Name, a.Keys[1].Name})
	b := add(t, l, wire.NewDevice{Name: "Air mixer", Room: "dome ", Kind: "fan", Keys: []string{"power"}})
	assert.Equal(t, "Dome", b.Room, "the room that is there already")
	assert.Len(t, b.Keys, 1)
	c := add(t, l, wire.NewDevice{Name: "Nowhere"})
	assert.Empty(t, c.Room)
	assert.Equal(t, "other", c.Kind)

	again := open(t, dir)
	var names []string
	for _, d := range again.Devices("") {
		names = append(names, d.Name)
	}
	assert.Equal(t, []string{"Nowhere", "Air mixer", "Dew heater A"}, names, "by room, then by name")
}

func TestAdd_RefusesHalfADevice(t *testing.T) {
	l := open(t, t.TempDir())
	for says, n := range map[string]wire.NewDevice{
		"use a-z":             {Name: "…"},
		"nearest are fan":     {Name: "x", Kind: "fam"},
		"has a key":           {Name: "x", Keys: []string{"on", "on"}},
		"key \"On!\"":         {Name: "x", Keys: []string{"On!"}},
		"at least one letter": {Name: "x", Room: "…"},
	} {
		_, err := l.Add(t.Context(), n)
		assert.ErrorContains(t, err, says)
	}
	assert.Empty(t, l.Devices(""), "nothing of a refused device stays")
}

func TestUpdate_ChangesWhatIsGivenAndNoMore(t *testing.T) {
	l := open(t, t.TempDir())
	add(t, l, wire.NewDevice{Name: "Lamp", Slug: "lamp", Room: "Dome", Maker: "Pellow", Keys: []string{"on"}})
	room, kind := "Outside", "light"
	d, err := l.Update(t.Context(), "lamp", wire.DeviceChange{Room: &room, Kind: &kind})
	require.NoError(t, err)
	assert.Equal(t, []string{"Lamp", "Outside", "light", "Pellow"}, []string{d.Name, d.Room, d.Kind, d.Maker})
	none, bad := "", "lamb"
	d, err = l.Update(t.Context(), "lamp", wire.DeviceChange{Room: &none})
	require.NoError(t, err)
	assert.Empty(t, d.Room)
	_, err = l.Update(t.Context(), "lamp", wire.DeviceChange{Kind: &bad})
	assert.ErrorIs(t, err, library.ErrName)
	_, err = l.Update(t.Context(), "lamb", wire.DeviceChange{})
	assert.ErrorContains(t, err, "nearest are lamp")
}

func TestSetCodes_AddsKeysAndRefusesWhatCannotBeSent(t *testing.T) {
	l := open(t, t.TempDir())
	add(t, l, wire.NewDevice{Name: "Lamp", Keys: []string{"on"}})
	ref := wire.KeyRef{Device: "lamp", Key: "my-own"}
	d, err := l.SetCodes(t.Context(), ref, []wire.Code{nec(1), nec(2)})
	require.NoError(t, err)
	require.Len(t, d.Keys, 2)
	assert.Equal(t, "my-own", d.Keys[1].Name, "a key of one's own comes last")
	assert.Len(t, d.Keys[1].Codes, 2, "sent in order")
	s, err := l.Sendable(ref)
	require.NoError(t, err)
	assert.Equal(t, line.Number(2), s.Codes[1].Fields["command"])

	for says, codes := range map[string][]wire.Code{
		"none given":             {},
		"carrier (infrared)":     {{Train: signal.Train{500}}},
		"number 1 is 0":          {{Train: signal.Train{0}, CarrierHz: 38_000}},
		"command is missing":     {{Sheet: "nec", Fields: map[string]any{"address": 1}}},
		"write a whole number":   {{Sheet: "nec", Fields: map[string]any{"address": 1.5, "command": 1}}},
		"whole number or a text": {{Sheet: "nec", Fields: map[string]any{"address": nil, "command": 1}}},
		"unit of 9000":           {{Sheet: "pt2262", Unit: 9000, Fields: map[string]any{"values": "000000000000"}}},
		"cannot be replayed":     {{Sheet: "hop66", Fields: map[string]any{"encrypted": 1, "serial": 1, "button": 1, "status": 0}}},
	} {
		_, err := l.SetCodes(t.Context(), ref, codes)
		assert.ErrorIs(t, err, library.ErrCode, says)
		assert.ErrorContains(t, err, says)
	}
	d, err = l.Device("lamp")
	require.NoError(t, err)
	assert.Equal(t, 1, d.Keys[1].Version, "a refused code leaves no trace")
}

func TestMatch_KnowsKeysThatSendTheSame(t *testing.T) {
	l := open(t, t.TempDir())
	for _, name := range []string{"Left", "Right"} {
		d := add(t, l, wire.NewDevice{Name: name, Keys: []string{"on"}})
		_, err := l.SetCodes(t.Context(), wire.KeyRef{Device: d.Slug, Key: "on"}, []wire.Code{nec(7)})
		require.NoError(t, err)
	}
	got := l.Match([]line.Reading{{Sheet: "nec", Fields: line.Fields{"address": line.Number(9), "command": line.Number(7)}}}, nil)
	assert.Equal(t, []wire.KeyRef{{Device: "left", Key: "on"}, {Device: "right", Key: "on"}}, got, "one press moves both")
	require.NoError(t, l.Remove(t.Context(), "left"))
	assert.ErrorIs(t, l.Remove(t.Context(), "left"), library.ErrUnknownDevice)
	_, err := l.Sendable(wire.KeyRef{Device: "right", Key: "off"})
	assert.ErrorIs(t, err, library.ErrUnknownKey)
}

func TestRestore_UndoesAndLosesNothing(t *testing.T) {
	dir := t.TempDir()
	l := open(t, dir)
	add(t, l, wire.NewDevice{Name: "Lamp", Keys: []string{"power"}})
	ref := wire.KeyRef{Device: "lamp", Key: "power"}
	_, err := l.Restore(t.Context(), ref, 0)
	require.ErrorIs(t, err, library.ErrCode, "nothing to undo yet")
	for _, command := range []int{1, 2, 3} {
		_, err := l.SetCodes(t.Context(), ref, []wire.Code{nec(command)})
		require.NoError(t, err)
	}
	sends := func(d wire.Device) any { return d.Keys[0].Codes[0].Fields["command"] }
	d, err := l.Restore(t.Context(), ref, 0)
	require.NoError(t, err)
	assert.EqualValues(t, 2, sends(d))
	d, err = l.Restore(t.Context(), ref, 1)
	require.NoError(t, err)
	assert.EqualValues(t, 1, sends(d))
	versions, err := open(t, dir).Versions(ref)
	require.NoError(t, err)
	require.Len(t, versions, 5)
	assert.EqualValues(t, 3, versions[2].Codes[0].Fields["command"], "what was undone is still there")
	_, err = l.Restore(t.Context(), ref, 9)
	assert.ErrorContains(t, err, "no earlier version 9")
}

func TestUpdate_ANewSlugKeepsOldLinksWorking(t *testing.T) {
	dir := t.TempDir()
	l := open(t, dir)
	add(t, l, wire.NewDevice{Name: "Lamp", Keys: []string{"power"}})
	add(t, l, wire.NewDevice{Name: "Fan", Keys: []string{"power"}})
	slug := func(s string) *string { return &s }
	d, err := l.Update(t.Context(), "lamp", wire.DeviceChange{Slug: slug("desk-lamp")})
	require.NoError(t, err)
	assert.Equal(t, "desk-lamp", d.Slug)
	for _, lib := range []*library.Library{l, open(t, dir)} {
		d, err = lib.Device("lamp")
		require.NoError(t, err, "the old slug")
		assert.Equal(t, "desk-lamp", d.Slug)
	}
	_, err = l.SetCodes(t.Context(), wire.KeyRef{Device: "lamp", Key: "power"}, []wire.Code{nec(1)})
	require.NoError(t, err)
	_, err = l.Update(t.Context(), "lamp", wire.DeviceChange{Slug: slug("fan")})
	assert.ErrorIs(t, err, library.ErrTaken)
	_, err = l.Update(t.Context(), "lamp", wire.DeviceChange{Slug: slug("No Slug")})
	assert.ErrorIs(t, err, library.ErrName)
	d, err = l.Update(t.Context(), "desk-lamp", wire.DeviceChange{Slug: slug("lamp")})
	require.NoError(t, err, "it may have its old one back")
	assert.Equal(t, "lamp", d.Slug)
	require.NoError(t, l.Remove(t.Context(), "desk-lamp"))
	_, err = l.Device("lamp")
	assert.ErrorIs(t, err, library.ErrUnknownDevice)
}

func TestAdvice_SaysWhatIsOdd(t *testing.T) {
	l := open(t, t.TempDir())
	add(t, l, wire.NewDevice{Name: "Lamp", Kind: "light", Keys: []string{"power", "red", "amber", "white"}})
	add(t, l, wire.NewDevice{Name: "Twin", Keys: []string{"power"}})
	set := func(device, key string, c wire.Code) {
		_, err := l.SetCodes(t.Context(), wire.KeyRef{Device: device, Key: key}, []wire.Code{c})
		require.NoError(t, err)
	}
	often := nec(1)
	often.Repeats = 6
	set("lamp", "power", often)
	set("lamp", "red", nec(2))
	set("lamp", "amber", nec(2))
	set("twin", "power", nec(1))
	radio := false
	advice, err := l.Advice("lamp", func(medium string, hz int, _ string) error {
		if assert.Equal(t, "infrared", medium) && hz == 38_000 && !radio {
			return nil
		}
		return errors.New("no transmitter for it")
	})
	require.NoError(t, err)
	var all []string
	for _, a := range advice {
		all = append(all, a.Text)
	}
	text := strings.Join(all, "\n")
	for _, want := range []string{"power is sent 6 times", "power sends what twin/power sends", "amber and red send the same", "Not learned yet: white", "usually has these keys too: dim, brighter, breathe"} {
		assert.Contains(t, strings.ReplaceAll(text, "red and amber", "amber and red"), want)
	}
	assert.Len(t, all, 5)
	advice, err = l.Advice("twin", func(string, int, string) error { return errors.New("no transmitter is here") })
	require.NoError(t, err)
	assert.Contains(t, advice[1].Text, "cannot be sent now: no transmitter is here")
}
