package service_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/grant"
	"urbo/core/line"
	"urbo/core/pack"
	"urbo/service"
	"urbo/service/groups"
	"urbo/service/library"
)

// night is a pack with a device and everything about it.
const night = `{"format": "urbo pack", "version": "1.4",
"devices": [{"slug": "lamp", "name": "Lamp", "room": "Outside", "kind": "light",
	"controls": [{"name": "power", "kind": "power", "keys": {"on": "on", "off": "off"}}],
	"keys": [{"name": "on", "codes": [{"sheet": "nec", "fields": {"address": 1, "command": 1}}]},
		{"name": "off", "codes": [{"sheet": "nec", "fields": {"address": 1, "command": 2}}]}]}],
"groups": [{"slug": "outer", "name": "Outer", "members": ["inner", "lamp"]},
	{"slug": "inner", "name": "Inner", "members": ["lamp"]}],
"sequences": [{"slug": "twice", "name": "Twice", "steps": "run once then wait until lamp/power is on at most 1 min"},
	{"slug": "once", "name": "Once", "steps": "press lamp/on then set outer/power to off"}],
"occasions": [{"slug": "talk", "name": "Talk", "wants": "set lamp/power to on", "room": "Outside", "stays": ["outer"]}],
"boards": [{"slug": "night", "name": "Night", "sections": [{"tiles": [{"kind": "control", "of": "lamp/power"},
	{"kind": "control", "of": "outer/power"}, {"kind": "occasion", "of": "talk"}, {"kind": "sequence", "of": "twice"},
	{"kind": "key", "of": "lamp/on", "size": "wide"}, {"kind": "note", "text": "by the door"}]}]}]}`

func readPack(t *testing.T, text string) pack.Pack {
	t.Helper()
	p, err := pack.Read(strings.NewReader(text), line.Builtin())
	require.NoError(t, err)
	return p
}

func TestPack_ThingsFindEachOtherUnderOtherNames(t *testing.T) {
	t.Parallel()
	h := run(t, t.TempDir())
	p := readPack(t, night)
	_, err := h.ImportPack(t.Context(), p, library.Skip, library.Note{})
	require.NoError(t, err)
	out, err := h.ExportPack(service.Packed{All: true})
	require.NoError(t, err)
	assert.Equal(t, p.Boards, out.Boards)
	assert.ElementsMatch(t, p.Groups, out.Groups, "also the one that names a later one")

	again, err := h.ImportPack(t.Context(), p, library.Skip, library.Note{})
	require.NoError(t, err)
	for _, i := range again.Items {
		assert.Equal(t, library.Skip, i.Action, i.Slug)
	}

	// Everything that has another meaning here gets another name, and so does what names it.
	other := readPack(t, strings.ReplaceAll(night, `"command": 1`, `"command": 9`))
	plan, err := h.PlanPack(other, library.Copy)
	require.NoError(t, err)
	did, err := h.ImportPack(t.Context(), other, library.Copy, library.Note{})
	require.NoError(t, err)
	assert.Equal(t, plan.Items, did.Items)
	out, err = h.ExportPack(service.Packed{Groups: []string{"outer-2"}, Sequences: []string{"once-2", "twice-2"},
		Occasions: []string{"talk-2"}, Boards: []string{"night-2"}})
	require.NoError(t, err)
	text, err := json.Marshal(out)
	require.NoError(t, err)
	for _, want := range []string{`["inner-2","lamp-2"]`, "press lamp-2/on\\nthen set outer-2/power to off", "run once-2",
		"set lamp-2/power to on", `"stays":["outer-2"]`, `"of":"talk-2"`, `"of":"twice-2"`, `"of":"lamp-2/on"`} {
		assert.Contains(t, string(text), want)
	}
	assert.Empty(t, out.Devices)
}

func TestPack_IsRefusedWholeWhereAThingNamesWhatIsNowhere(t *testing.T) {
	t.Parallel()
	h := run(t, t.TempDir())
	for _, c := range []struct{ from, to, want string }{
		{`"members": ["lamp"]`, `"members": ["lump"]`, `the group inner: unknown device "lump"`},
		{`"members": ["lamp"]`, `"members": ["outer"]`, "leads back"},
		{"press lamp/on", "press lamp/om", "the sequence once: steps: line 1, column 7: lamp has no key \"om\""},
		{"run once", "run twice", "leads back"},
		{`lamp/power to on`, `lamp/power to dim`, "the occasion talk"},
		{`"Outside", "stays"`, `"Attic", "stays"`, `the occasion talk: unknown room "Attic"`},
		{`"of": "talk"`, `"of": "tolk"`, "the board night, section 1, tile 3: unknown occasion"},
		{`"kind": "key", "of": "lamp/on"`, `"kind": "key", "of": "lamp"`, "is about DEVICE/NAME"},
	} {
		require.Contains(t, night, c.from)
		p := readPack(t, strings.Replace(night, c.from, c.to, 1))
		_, err := h.PlanPack(p, library.Skip)
		require.ErrorIs(t, err, pack.ErrPack, c.to)
		assert.ErrorContains(t, err, c.want)
		_, err = h.ImportPack(t.Context(), p, library.Skip, library.Note{})
		assert.ErrorContains(t, err, c.want)
		assert.Empty(t, h.Library.Lines(""), "nothing came")
	}

	// What is only found when it is kept leaves none of the other things behind.
	p := readPack(t, strings.Replace(night, `"text": "by the door"`, `"text": ""`, 1))
	_, err := h.ImportPack(t.Context(), p, library.Skip, library.Note{By: grant.Named("test")})
	require.ErrorContains(t, err, "none of its groups, sequences, occasions and boards")
	_, err = h.Groups.Find("inner")
	require.ErrorIs(t, err, groups.ErrUnknown)
	assert.Empty(t, h.Sequences.List())
}
