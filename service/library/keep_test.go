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
	"urbo/core/signal"
	"urbo/service/library"
	"urbo/store"
)

func TestChange_TraitsAreKeptExportedAndComeBack(t *testing.T) {
	dir := t.TempDir()
	l := open(t, dir)
	l.add(device.Device{Name: "Shutter", Kind: "shutter"})
	traits := device.Traits{Plate: "XR-22 107", PlateHz: 433_420_000, Notes: "behind\nthe door",
		Power: device.PowerNone, WarmUpMS: 2000, GapMS: 700,
		Face: [][]string{{"stop", "", "up"}, {"down"}}}
	_, err := l.change("shutter", func(d *device.Device) { d.Traits = traits })
	require.NoError(t, err)
	_, err = l.change("shutter", func(d *device.Device) { d.Room, d.Keys[0].Hold = "Dome", device.HoldOnce })
	require.NoError(t, err)
	d, err := open(t, dir).Device("shutter")
	require.NoError(t, err)
	assert.Equal(t, traits, d.Traits)
	assert.Equal(t, device.HoldOnce, d.Keys[0].Hold)

	fresh := open(t, t.TempDir())
	_, err = fresh.Import(t.Context(), read(t, text(t, l)), library.Skip, note)
	require.NoError(t, err)
	assert.Equal(t, text(t, l), text(t, fresh))

	_, err = l.change("shutter", func(d *device.Device) { d.Face = [][]string{{"dance"}} })
	require.ErrorIs(t, err, device.ErrUnknownKey)
	_, err = l.change("shutter", func(d *device.Device) { d.GapMS, d.Name = -1, "Other" })
	require.ErrorIs(t, err, device.ErrTraits)
	d, err = l.Device("shutter")
	require.NoError(t, err)
	assert.Equal(t, "Shutter", d.Name, "nothing of a bad change is made")
}

func TestChange_RenamesAndRemovesOneKeyAlone(t *testing.T) {
	l := open(t, t.TempDir())
	l.add(device.Device{Name: "Lamp"}, "power", "red")
	l.mustSet("lamp", "red", nec(2))
	l.mustSet("lamp", "red", nec(3))
	_, err := l.change("lamp", func(d *device.Device) { d.Face = [][]string{{"red", "power"}} })
	require.NoError(t, err)
	rename := func(from, to string) (device.Device, error) {
		return l.ChangeBySlug(t.Context(), "lamp", note, func(d *device.Device) error { return d.Rename(from, to) })
	}
	_, err = rename("red", "power")
	require.ErrorIs(t, err, device.ErrTaken)
	_, err = rename("red", "Red\n")
	require.ErrorIs(t, err, device.ErrName)
	d, err := rename("red", "crimson")
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"crimson", "power"}}, d.Face)
	versions, err := l.Versions(t.Context(), ref("lamp", "crimson"))
	require.NoError(t, err)
	assert.Len(t, versions, 2, "its versions went with it")

	d, err = l.ChangeBySlug(t.Context(), "lamp", note, func(d *device.Device) error { return d.Remove("crimson") })
	require.NoError(t, err)
	assert.Len(t, d.Keys, 1)
	assert.Equal(t, [][]string{{"", "power"}}, d.Face)
}

func TestPicture_IsKeptAndWhatIsNoneIsRefused(t *testing.T) {
	l := open(t, t.TempDir())
	l.add(device.Device{Name: "Lamp"})
	var drawn bytes.Buffer
	require.NoError(t, png.Encode(&drawn, image.NewGray(image.Rect(0, 0, 40, 30))))
	d, err := l.SetPicture(t.Context(), "lamp", bytes.NewReader(drawn.Bytes()), note)
	require.NoError(t, err)
	assert.NotEmpty(t, d.Picture)
	p, err := l.Picture(t.Context(), "lamp")
	require.NoError(t, err)
	assert.Equal(t, "image/png", p.Type)
	assert.Equal(t, drawn.Bytes(), p.Data)

	var wide bytes.Buffer
	require.NoError(t, png.Encode(&wide, image.NewGray(image.Rect(0, 0, 7000, 1))))
	for says, bad := range map[string]string{"more than 2 MB": strings.Repeat("x", 40<<20),
		"neither PNG nor JPEG": "<svg/>", "the most is 6000": wide.String()} {
		_, err := l.SetPicture(t.Context(), "lamp", strings.NewReader(bad), note)
		require.ErrorIs(t, err, library.ErrPicture)
		assert.Contains(t, err.Error(), says)
	}
	again, err := l.Picture(t.Context(), "lamp")
	require.NoError(t, err)
	assert.Equal(t, p, again, "a refused one leaves the old one")
	d, err = l.RemovePicture(t.Context(), "lamp", note)
	require.NoError(t, err)
	assert.Empty(t, d.Picture)
	_, err = l.Picture(t.Context(), "lamp")
	require.ErrorIs(t, err, store.ErrNotFound)
}

func TestShelf_MatchesWhatWasLearnedAndGivesTheRest(t *testing.T) {
	dir := t.TempDir()
	l := open(t, dir)
	l.add(device.Device{Name: "Strand", Maker: "Corvane", Model: "Strand"}, "power", "red", "white", "odd")
	for key, c := range map[string]device.Code{"power": nec(1), "red": nec(2), "white": nec(3),
		"odd": {Train: signal.Train{2000, 1000, 350}, Channel: infrared}} {
		l.mustSet("strand", key, c)
	}
	set, err := l.KeepSet(t.Context(), "strand", "corvane-strand", "", note)
	require.NoError(t, err)
	assert.Equal(t, "Corvane Strand", set.Name)
	_, err = l.KeepSet(t.Context(), "strand", "corvane-strand", "", note)
	require.ErrorIs(t, err, device.ErrTaken)

	l = open(t, dir) // from the disk
	l.add(device.Device{Name: "Lights"}, "on-off", "crimson")
	for key, command := range map[string]int64{"on-off": 1, "crimson": 2} {
		l.mustSet("lights", key, nec(command))
	}
	m, err := l.Matches("lights")
	require.NoError(t, err)
	require.Len(t, m.Sets, 1)
	assert.Equal(t, "These 2 keys are the code set Corvane Strand, which has 2 more: white, odd.", m.Sets[0].Text)
	assert.Equal(t, []library.MatchKey{{Key: "on-off", Is: "power"}, {Key: "crimson", Is: "red"}}, m.Sets[0].Keys)
	require.Len(t, m.Twins, 1)
	assert.Equal(t, "strand", m.Twins[0].Device)

	d, err := l.Adopt(t.Context(), "lights", "corvane-strand", nil, note)
	require.NoError(t, err)
	var names []string
	for _, k := range d.Keys {
		names = append(names, k.Name)
	}
	assert.Equal(t, []string{"on-off", "crimson", "white", "odd"}, names,
		"what it has under another name is not adopted again")
	assert.Equal(t, "set corvane-strand", d.Keys[2].Codes[0].Source)
	_, err = l.Adopt(t.Context(), "lights", "corvane-strand", nil, note)
	require.ErrorIs(t, err, device.ErrTaken)
	_, err = l.Adopt(t.Context(), "lights", "corvane-strand", []string{"nothing"}, note)
	require.ErrorIs(t, err, device.ErrUnknownKey)

	p, err := l.Export(nil, []string{"corvane-strand"})
	require.NoError(t, err)
	fresh := open(t, t.TempDir())
	plan, err := fresh.Import(t.Context(), p, library.Skip, note)
	require.NoError(t, err)
	assert.Equal(t, "set", plan.Items[0].What)
	again, err := fresh.Export(nil, []string{"corvane-strand"})
	require.NoError(t, err)
	assert.Equal(t, p, again)
	plan, err = fresh.Plan(p, library.Replace)
	require.NoError(t, err)
	assert.True(t, plan.Items[0].Same)
	require.NoError(t, l.RemoveSet(t.Context(), "corvane-strand", note))
	require.ErrorIs(t, l.RemoveSet(t.Context(), "corvane-strand", note), library.ErrUnknownSet)
	_, err = fresh.Import(t.Context(), pack.Pack{Sets: []device.Device{{Slug: "a", Name: "\u202e",
		Keys: []device.Key{}}}}, library.Skip, note)
	require.ErrorIs(t, err, device.ErrName)
}
