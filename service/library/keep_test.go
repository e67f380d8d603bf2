package library_test

import (
	"bytes"
	"image"
	"image/png"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/pack"
	"urbo/service/library"
	"urbo/wire"
)

func to[T any](v T) *T { return &v }

func TestUpdate_TraitsAreKeptExportedAndComeBack(t *testing.T) {
	dir := t.TempDir()
	l := open(t, dir)
	add(t, l, wire.NewDevice{Name: "Shutter", Kind: "shutter"})
	_, err := l.Update(t.Context(), "shutter", wire.DeviceChange{Plate: to("XR-22 107"), PlateHz: to(433_420_000), Notes: to("behind\nthe door"), Power: to(device.NoPower),
		WarmUpMS: to(2000), GapMS: to(700), Face: to([][]string{{"stop", "", "up"}, {"down"}})})
	require.NoError(t, err)
	_, err = l.Update(t.Context(), "shutter", wire.DeviceChange{Room: to("Dome")}) // what is not given stays
	require.NoError(t, err)
	_, err = l.ChangeKey(t.Context(), wire.KeyRef{Device: "shutter", Key: "up"}, wire.KeyChange{Hold: to("once")})
	require.NoError(t, err)
	d, err := open(t, dir).Device("shutter")
	require.NoError(t, err)
	assert.Equal(t, device.Traits{Plate: "XR-22 107", PlateHz: 433_420_000, Notes: "behind\nthe door", Power: device.NoPower, WarmUpMS: 2000, GapMS: 700,
		Face: [][]string{{"stop", "", "up"}, {"down"}}}, d.Traits)
	assert.Equal(t, "once", d.Keys[0].Hold)

	fresh := open(t, t.TempDir())
	_, err = fresh.Import(t.Context(), read(t, text(t, l)), library.Skip)
	require.NoError(t, err)
	assert.Equal(t, text(t, l), text(t, fresh))

	_, err = l.Update(t.Context(), "shutter", wire.DeviceChange{Face: to([][]string{{"dance"}})})
	require.ErrorIs(t, err, library.ErrUnknownKey)
	_, err = l.Update(t.Context(), "shutter", wire.DeviceChange{GapMS: to(-1), Name: to("Other")})
	require.ErrorIs(t, err, device.ErrTraits)
	d, err = l.Device("shutter")
	require.NoError(t, err)
	assert.Equal(t, "Shutter", d.Name, "nothing of a bad change is made")
}

func TestChangeKey_RenamesAndRemovesOneKeyAlone(t *testing.T) {
	l := open(t, t.TempDir())
	add(t, l, wire.NewDevice{Name: "Lamp", Keys: []string{"power", "red"}})
	ref := wire.KeyRef{Device: "lamp", Key: "red"}
	for _, command := range []int{2, 3} {
		_, err := l.SetCodes(t.Context(), ref, []wire.Code{nec(command)})
		require.NoError(t, err)
	}
	_, err := l.Update(t.Context(), "lamp", wire.DeviceChange{Face: to([][]string{{"red", "power"}})})
	require.NoError(t, err)
	_, err = l.ChangeKey(t.Context(), ref, wire.KeyChange{Name: to("power")})
	require.ErrorIs(t, err, library.ErrTaken)
	_, err = l.ChangeKey(t.Context(), ref, wire.KeyChange{Name: to("Red\n")})
	require.ErrorIs(t, err, library.ErrName)
	d, err := l.ChangeKey(t.Context(), ref, wire.KeyChange{Name: to("crimson")})
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"crimson", "power"}}, d.Face)
	versions, err := l.Versions(wire.KeyRef{Device: "lamp", Key: "crimson"})
	require.NoError(t, err)
	assert.Len(t, versions, 2, "its versions went with it")

	d, err = l.RemoveKey(t.Context(), wire.KeyRef{Device: "lamp", Key: "crimson"})
	require.NoError(t, err)
	assert.Len(t, d.Keys, 1)
	assert.Equal(t, [][]string{{"", "power"}}, d.Face)
	_, err = l.RemoveKey(t.Context(), ref)
	require.ErrorIs(t, err, library.ErrUnknownKey)
}

func TestPicture_IsKeptAndWhatIsNoneIsRefused(t *testing.T) {
	l := open(t, t.TempDir())
	add(t, l, wire.NewDevice{Name: "Lamp"})
	var drawn bytes.Buffer
	require.NoError(t, png.Encode(&drawn, image.NewGray(image.Rect(0, 0, 40, 30))))
	d, err := l.SetPicture(t.Context(), "lamp", bytes.NewReader(drawn.Bytes()))
	require.NoError(t, err)
	assert.NotEmpty(t, d.Picture)
	contentType, data, err := l.Picture(t.Context(), "lamp")
	require.NoError(t, err)
	assert.Equal(t, "image/png", contentType)
	assert.Equal(t, drawn.Bytes(), data)

	var wide bytes.Buffer
	require.NoError(t, png.Encode(&wide, image.NewGray(image.Rect(0, 0, 7000, 1))))
	for says, bad := range map[string]string{"more than 2 MB": strings.Repeat("x", 40<<20), "neither PNG nor JPEG": "<svg/>", "the most is 6000": wide.String()} {
		_, err := l.SetPicture(t.Context(), "lamp", strings.NewReader(bad))
		require.ErrorIs(t, err, library.ErrPicture)
		assert.Contains(t, err.Error(), says)
	}
	_, again, err := l.Picture(t.Context(), "lamp")
	require.NoError(t, err)
	assert.Equal(t, data, again, "a refused one leaves the old one")
	d, err = l.RemovePicture(t.Context(), "lamp")
	require.NoError(t, err)
	assert.Empty(t, d.Picture)
	_, _, err = l.Picture(t.Context(), "lamp")
	require.ErrorIs(t, err, library.ErrPicture)
}

func TestShelf_MatchesWhatWasLearnedAndGivesTheRest(t *testing.T) {
	dir := t.TempDir()
	l := open(t, dir)
	add(t, l, wire.NewDevice{Name: "Strand", Maker: "Corvane", Model: "Strand", Keys: []string{"power", "red", "white", "odd"}})
	for key, c := range map[string]wire.Code{"power": nec(1), "red": nec(2), "white": nec(3), "odd": {Train: []int{2000, 1000, 350}, CarrierHz: 38_000}} {
		_, err := l.SetCodes(t.Context(), wire.KeyRef{Device: "strand", Key: key}, []wire.Code{c})
		require.NoError(t, err)
	}
	set, err := l.KeepSet(t.Context(), wire.NewSet{Device: "strand", Slug: "corvane-strand"})
	require.NoError(t, err)
	assert.Equal(t, "Corvane Strand", set.Name)
	_, err = l.KeepSet(t.Context(), wire.NewSet{Device: "strand", Slug: "corvane-strand"})
	require.ErrorIs(t, err, library.ErrTaken)

	l = open(t, dir) // from the disk
	add(t, l, wire.NewDevice{Name: "Lights", Keys: []string{"on-off", "crimson"}})
	for key, command := range map[string]int{"on-off": 1, "crimson": 2} {
		_, err := l.SetCodes(t.Context(), wire.KeyRef{Device: "lights", Key: key}, []wire.Code{nec(command)})
		require.NoError(t, err)
	}
	m, err := l.Matches("lights")
	require.NoError(t, err)
	require.Len(t, m.Sets, 1)
	assert.Equal(t, "These 2 keys are the code set Corvane Strand, which has 2 more: white, odd.", m.Sets[0].Text)
	assert.Equal(t, []wire.MatchKey{{Key: "on-off", Is: "power"}, {Key: "crimson", Is: "red"}}, m.Sets[0].Keys)
	require.Len(t, m.Devices, 1)
	assert.Equal(t, "strand", m.Devices[0].Device)

	d, err := l.Adopt(t.Context(), "lights", wire.Adopt{Set: "corvane-strand"})
	require.NoError(t, err)
	var names []string
	for _, k := range d.Keys {
		names = append(names, k.Name)
	}
	assert.Equal(t, []string{"on-off", "crimson", "white", "odd"}, names, "what it has under another name is not adopted again")
	assert.Equal(t, "set corvane-strand", d.Keys[2].Codes[0].Source)
	_, err = l.Adopt(t.Context(), "lights", wire.Adopt{Set: "corvane-strand"})
	require.ErrorIs(t, err, library.ErrTaken)
	_, err = l.Adopt(t.Context(), "lights", wire.Adopt{Set: "corvane-strand", Keys: []string{"nothing"}})
	require.ErrorIs(t, err, library.ErrUnknownKey)

	p, err := l.Export(nil, []string{"corvane-strand"})
	require.NoError(t, err)
	fresh := open(t, t.TempDir())
	plan, err := fresh.Import(t.Context(), p, library.Skip)
	require.NoError(t, err)
	assert.Equal(t, "set", plan.Items[0].What)
	again, err := fresh.Export(nil, []string{"corvane-strand"})
	require.NoError(t, err)
	assert.Equal(t, p, again)
	plan, err = fresh.Plan(p, library.Replace)
	require.NoError(t, err)
	assert.True(t, plan.Items[0].Same)
	require.NoError(t, l.RemoveSet(t.Context(), "corvane-strand"))
	require.ErrorIs(t, l.RemoveSet(t.Context(), "corvane-strand"), library.ErrUnknownSet)
	_, err = fresh.Import(t.Context(), pack.Pack{Sets: []pack.Device{{Slug: "a", Name: "\u202e", Keys: []pack.Key{}}}}, library.Skip)
	require.ErrorIs(t, err, library.ErrName)
}

func TestAdvice_KnowsTheTypePlateTheSwitchingAndDoubtfulTakes(t *testing.T) {
	l := open(t, t.TempDir())
	add(t, l, wire.NewDevice{Name: "Heater", Kind: "socket"})
	_, err := l.SetCodes(t.Context(), wire.KeyRef{Device: "heater", Key: "on"}, []wire.Code{{Sheet: "pt2262", Fields: map[string]any{"values": "F01F10F00F1F"}, Takes: 5, Agreed: 2}})
	require.NoError(t, err)
	_, err = l.Update(t.Context(), "heater", wire.DeviceChange{PlateHz: to(433_420_000), Power: to(device.Toggles)})
	require.NoError(t, err)
	advice, err := l.Advice("heater", func(string, int, string) error { return nil })
	require.NoError(t, err)
	var all []string
	for _, a := range advice {
		all = append(all, a.Text)
	}
	for _, want := range []string{"learned from 2 of 5 takes", "type plate says 433.42 MHz, and on is sent on 433.92 MHz", "said to have one that does both"} {
		assert.Contains(t, strings.Join(all, "\n"), want)
	}
}
