package library_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/pack"
	"urbo/service/library"
	"urbo/wire"
)

// drawer is a library with keys of every kind.
func drawer(t *testing.T) *library.Library {
	t.Helper()
	l := open(t, t.TempDir())
	add(t, l, wire.NewDevice{Name: "Lamp", Room: "Dome", Kind: "light", Maker: "Corvane", Model: "Strand", Keys: []string{"power", "odd", "own", "later"}})
	for key, c := range map[string]wire.Code{
		"power": nec(1),
		"odd":   {Train: []int{2000, 1000, 350}, GapUS: 9000, CarrierHz: 38_000, Repeats: 3},
		"own": {CarrierHz: 38_000, Fields: map[string]any{"bits": "1011"}, Inline: "sheet: found\nmedium: infrared\ncarrier_hz: 38000\nunit_us: 370\norder: msb\n" +
			"code: {style: mark, zero: [1, 2], one: [3, 2]}\nfields:\n  - {name: bits, digits: 4}\nframes:\n  message:\n    - lead: [8, 4]\n    - field: bits\n    - pulses: [1]\npress:\n  - repeat: [message]\n    repeats: 3\n    gap_us: 31000\n"},
	} {
		_, err := l.SetCodes(t.Context(), wire.KeyRef{Device: "lamp", Key: key}, []wire.Code{c})
		require.NoError(t, err, key)
	}
	add(t, l, wire.NewDevice{Name: "Fan", Keys: []string{"power"}})
	return l
}

func text(t *testing.T, l *library.Library, slugs ...string) string {
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
	plan, err := fresh.Import(t.Context(), read(t, from), library.Skip)
	require.NoError(t, err)
	assert.True(t, plan.Done)
	assert.Equal(t, from, text(t, fresh))
	assert.Equal(t, from, text(t, open(t, dir)), "and from the disk")
}

func TestPack_KeepsWhatItDoesNotKnow(t *testing.T) {
	newer := strings.Replace(text(t, drawer(t), "lamp"), `"slug": "lamp",`, `"slug": "lamp", "solar": {"panels": 2},`, 1)
	newer = strings.Replace(newer, `"sheet": "nec",`, `"sheet": "nec", "urgent": true,`, 1)
	fresh := open(t, t.TempDir())
	_, err := fresh.Import(t.Context(), read(t, newer), library.Skip)
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
	ref := wire.KeyRef{Device: "lamp", Key: "power"}
	_, err = l.SetCodes(t.Context(), ref, []wire.Code{nec(7)})
	require.NoError(t, err)
	_, err = l.SetCodes(t.Context(), wire.KeyRef{Device: "lamp", Key: "extra"}, []wire.Code{nec(8)})
	require.NoError(t, err)

	sends := func(device string) any {
		d, err := l.Device(device)
		require.NoError(t, err)
		return d.Keys[0].Codes[0].Fields["command"]
	}
	_, err = l.Import(t.Context(), p, library.Skip)
	require.NoError(t, err)
	assert.EqualValues(t, 7, sends("lamp"))

	plan, err = l.Import(t.Context(), p, library.Copy)
	require.NoError(t, err)
	assert.Equal(t, "lamp-2", plan.Items[1].As)
	assert.EqualValues(t, 1, sends("lamp-2"))

	_, err = l.Import(t.Context(), p, library.Replace)
	require.NoError(t, err)
	assert.EqualValues(t, 1, sends("lamp"))
	d, err := l.Device("lamp")
	require.NoError(t, err)
	assert.Len(t, d.Keys, 5, "a key that the pack does not have stays")
	_, err = l.Restore(t.Context(), ref, 0)
	require.NoError(t, err)
	assert.EqualValues(t, 7, sends("lamp"), "and what was replaced can be had back")

	_, err = l.Plan(p, "merge")
	assert.ErrorContains(t, err, "skip, replace or copy")
}

func TestPack_AHalfGoodOneChangesNothing(t *testing.T) {
	l := open(t, t.TempDir())
	p := read(t, text(t, drawer(t)))
	p.Devices[1].Maker = strings.Repeat("x", 500)
	_, err := l.Import(t.Context(), p, library.Skip)
	require.ErrorIs(t, err, library.ErrName)
	p.Devices[1].Maker = ""
	p.Devices[1].Room = "\u202e"
	_, err = l.Import(t.Context(), p, library.Skip)
	require.Error(t, err, "the second device fails inside the transaction")
	assert.Empty(t, l.Devices(""), "the first went with it")
}
