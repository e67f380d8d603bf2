package library_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/pack"
	"urbo/core/signal"
	"urbo/service/library"
)

// drawer is a library with keys of every kind.
func drawer(t *testing.T) *house {
	t.Helper()
	l := open(t, t.TempDir())
	l.add(device.Device{Name: "Lamp", Room: "Dome", Kind: "light", Maker: "Corvane", Model: "Strand"}, "power", "odd",
		"own", "later")
	l.mustSet("lamp", "power", nec(1))
	l.mustSet("lamp", "odd", device.Code{Train: signal.Train{2000, 1000, 350}, GapUS: 9000, Channel: infrared,
		Repeats: device.Repeated(3)})
	l.mustSet("lamp", "own", device.Code{Channel: infrared, Fields: line.Fields{"bits": line.Text("1011")},
		Inline: "sheet: found\nmedium: infrared\ncarrier_hz: 38000\nunit_us: 370\norder: msb\n" +
			"code: {style: mark, zero: [1, 2], one: [3, 2]}\nfields:\n  - {name: bits, digits: 4}\nframes:\n  " +
			"message:\n    - lead: [8, 4]\n" +
			"    - field: bits\n    - pulses: [1]\npress:\n  - repeat: [message]\n    repeats: 3\n    gap_us: 31000\n"})
	l.add(device.Device{Name: "Fan"}, "power")
	return l
}

func text(t *testing.T, l *house, slugs ...string) string {
	t.Helper()
	p, err := l.Export(slugs, nil)
	require.NoError(t, err)
	data, err := json.MarshalIndent(p, "", " ")
	require.NoError(t, err)
	return string(data)
}

func read(t *testing.T, s string) pack.Pack {
	t.Helper()
	p, err := pack.Read(strings.NewReader(s), line.Builtin())
	require.NoError(t, err)
	return p
}

func TestPack_ExportAndImportGiveTheSameBytes(t *testing.T) {
	from := text(t, drawer(t))
	dir := t.TempDir()
	fresh := open(t, dir)
	plan, err := fresh.Import(t.Context(), read(t, from), library.Skip, note)
	require.NoError(t, err)
	assert.True(t, plan.Done)
	assert.Equal(t, from, text(t, fresh))
	assert.Equal(t, from, text(t, open(t, dir)), "and from the disk")
}

func TestPack_KeepsWhatItDoesNotKnow(t *testing.T) {
	newer := strings.Replace(text(t, drawer(t), "lamp"), `"slug": "lamp",`, `"slug": "lamp", "solar": {"panels": 2},`, 1)
	newer = strings.Replace(newer, `"sheet": "nec",`, `"sheet": "nec", "urgent": true,`, 1)
	fresh := open(t, t.TempDir())
	_, err := fresh.Import(t.Context(), read(t, newer), library.Skip, note)
	require.NoError(t, err)
	out := text(t, fresh)
	assert.JSONEq(t, newer, out)
}

func TestPack_ConflictsAreChosen(t *testing.T) {
	l := drawer(t)
	p := read(t, text(t, l))
	plan, err := l.Plan(p, library.Replace)
	require.NoError(t, err)
	for _, i := range plan.Items {
		assert.True(t, i.Same, "%s is the same", i.Slug)
		assert.Equal(t, library.Skip, i.Action)
	}
	l.mustSet("lamp", "power", nec(7))
	l.mustSet("lamp", "extra", nec(8))

	sends := func(slug string) int64 {
		d, err := l.Device(slug)
		require.NoError(t, err)
		n, _ := d.Keys[0].Codes[0].Fields["command"].Int()
		return n
	}
	_, err = l.Import(t.Context(), p, library.Skip, note)
	require.NoError(t, err)
	assert.EqualValues(t, 7, sends("lamp"))

	plan, err = l.Import(t.Context(), p, library.Copy, note)
	require.NoError(t, err)
	assert.Equal(t, "lamp-2", plan.Items[1].As)
	assert.EqualValues(t, 1, sends("lamp-2"))

	_, err = l.Import(t.Context(), p, library.Replace, note)
	require.NoError(t, err)
	assert.EqualValues(t, 1, sends("lamp"))
	d, err := l.Device("lamp")
	require.NoError(t, err)
	assert.Len(t, d.Keys, 5, "a key that the pack does not have stays")
	_, err = l.Restore(t.Context(), ref("lamp", "power"), 0, note)
	require.NoError(t, err)
	assert.EqualValues(t, 7, sends("lamp"), "and what was replaced can be had back")

	_, err = l.Plan(p, "merge")
	assert.ErrorContains(t, err, "skip, replace or copy")
}

func TestPack_AHalfGoodOneChangesNothing(t *testing.T) {
	l := open(t, t.TempDir())
	p := read(t, text(t, drawer(t)))
	p.Devices[1].Maker = strings.Repeat("x", 500)
	_, err := l.Import(t.Context(), p, library.Skip, note)
	require.ErrorIs(t, err, device.ErrName)
	p.Devices[1].Maker = ""
	p.Devices[1].Room = "\u202e"
	_, err = l.Import(t.Context(), p, library.Skip, note)
	require.Error(t, err, "the second device fails inside the transaction")
	assert.Empty(t, l.Lines(""), "the first went with it")
}

func TestPack_ACopyHasASlugThatCanBeImportedAgain(t *testing.T) {
	l := open(t, t.TempDir())
	slug := strings.Repeat("long-", 7) + "abcde" // 40: cut at 36 characters it would end with a dash
	l.add(device.Device{Name: "Lamp", Slug: slug}, "power")
	p := read(t, text(t, l))
	p.Devices[0].Keys[0].Codes = []device.Code{nec(1)}
	plan, err := l.Import(t.Context(), p, library.Copy, note)
	require.NoError(t, err)
	require.NoError(t, device.CheckSlug("copy", plan.Items[0].As), plan.Items[0].As)
	read(t, text(t, l))
}

// TestPlan_AcceptsExactlyWhatImportDoes: a preview promised what the import then refused.
func TestPlan_AcceptsExactlyWhatImportDoes(t *testing.T) {
	l := open(t, t.TempDir())
	for _, bad := range []pack.Pack{
		{Devices: []device.Device{{Slug: "lamp", Name: "Lamp", Kind: "light", Room: "…"}}},
		{Devices: []device.Device{{Slug: "lamp", Name: "La\u202emp", Kind: "light"}}},
		{Devices: []device.Device{{Slug: "lamp", Name: "Lamp", Keys: []device.Key{{Name: "on",
			Codes: []device.Code{{Sheet: "nowhere"}}}}}}},
		{Sets: []device.Device{{Slug: "set", Name: "  "}}},
	} {
		_, planned := l.Plan(bad, library.Skip)
		_, imported := l.Import(t.Context(), bad, library.Skip, note)
		require.Error(t, imported)
		require.EqualError(t, planned, imported.Error())
	}
	good := pack.Pack{Devices: []device.Device{{Slug: "lamp", Name: "Lamp", Kind: "light",
		Keys: []device.Key{{Name: "on",
			Codes: []device.Code{nec(1)}}}}}}
	plan, err := l.Plan(good, library.Skip)
	require.NoError(t, err)
	assert.False(t, plan.Done)
	assert.Empty(t, l.Lines(""), "nothing was changed")
	done, err := l.Import(t.Context(), good, library.Skip, note)
	require.NoError(t, err)
	assert.Equal(t, plan.Items, done.Items)
}
